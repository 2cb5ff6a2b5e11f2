#include "sieve/diagnose/evidence.hpp"

#include <algorithm>
#include <cmath>

#include "core/luma.hpp"
#include "diagnose/parts.hpp"
#include "diagnose/signs.hpp"
#include "diagnose/thresholds.hpp"
#include "restore/cepstrum.hpp"
#include "sieve/spectral/spectrum.hpp"

namespace sieve {

using namespace internal;

Evidence evidence(const ConstView& in) {
  require_input(in, "evidence");
  const Image sample = sampled(in), whole = finite_middle(in, kMiddleSide);
  Evidence e;
  e.edge = signs::mean_edge(whole);
  if (!e.edge.empty()) e.distance.assign(std::begin(signs::kAcross), std::end(signs::kAcross));
  for (const auto& g : signs::grain_by_level(sample.view().channel(in.shape.color_channels() == 1 ? 0 : 1))) {
    e.level.push_back(g.level);
    e.noise.push_back(std::sqrt(g.variance));
  }
  e.spectrum = spectrum_image(spectrum(whole, Taper::hann));
  if (std::min(whole.width(), whole.height()) < thresholds::kBlurSide) return e;
  const Cepstrum cepstrum(whole);
  // Blurs are sought up to 40 pixels.
  const int reach = std::min(cepstrum.reach(), 64);
  e.cepstrum = Image(2 * reach + 1, 2 * reach + 1);
  // Black from that many deviations on.
  constexpr double kBlack = 12;
  for (int y = -reach; y <= reach; ++y) {
    for (int x = -reach; x <= reach; ++x) {
      const double depth = x * x + y * y <= reach * reach ? cepstrum.depth(x, y) : 0;
      e.cepstrum.at(x + reach, y + reach) = static_cast<float>(std::clamp(0.5 - 0.5 * depth / kBlack, 0.0, 1.0));
    }
  }
  return e;
}

}  // namespace sieve
