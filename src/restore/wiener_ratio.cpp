#include "restore/wiener_ratio.hpp"

#include <algorithm>
#include <cmath>

namespace sieve::internal {

WienerRatio::WienerRatio(const Measured& measured, double deviation)
    : rings_(measured),
      noise_(deviation * deviation * static_cast<double>(measured.grid.frame.width) * measured.grid.frame.height *
             measured.noise_share) {
  for (std::size_t i = 1; i < kRings; ++i) {
    if (rings_[i].count > 0) signal_[i] = rings_[i].before(noise_);
  }
  bound_texture();
  find_ratios();
}

// What lies above the line of pictures where little is left is the picture's texture, within bounds. But where there is
// much more noise than was told, as the rest of a denoiser may be, or where the blur lets through more again at a
// higher frequency, so that the zero of a PSF of another size may be meant, it is taken for noise.
void WienerRatio::bound_texture() {
  constexpr double kTexture = 20, kDoubtful = 2, kLittle = 0.1;
  PowerLine line(-5, -2);
  for (std::size_t i = 1; i < kRings; ++i) {
    if (rings_[i].count > 0 && rings_[i].passed >= kLittle && rings_[i].power >= 4 * noise_ && signal_[i] > 0)
      line.add(i, signal_[i]);
  }
  const auto likely = [&](std::size_t i) { return line.empty() ? signal_[i] : line.at(i); };
  // Where the blur lets through nothing to speak of there is noise alone.
  double alone = 0, places = 0;
  for (std::size_t i = 1; i < kRings; ++i) {
    if (rings_[i].count == 0 || rings_[i].passed * likely(i) > 0.1 * noise_) continue;
    alone += rings_[i].power * rings_[i].count, places += rings_[i].count;
  }
  floor_ = places > 0 ? std::max(noise_, alone / places) : noise_;
  const bool more_noise = alone > 1.5 * noise_ * places;
  double beyond = 0;
  for (std::size_t i = kRings; i-- > 0;) {
    const double passed = rings_[i].passed;
    const bool doubtful = more_noise || beyond > 1.2 * passed;
    if (passed < kLittle) signal_[i] = std::min(signal_[i], (doubtful ? kDoubtful : kTexture) * likely(i));
    beyond = std::max(beyond, passed);
  }
}

void WienerRatio::find_ratios() {
  double last = 1e-12;
  for (std::size_t i = 0; i < kRings; ++i) {
    const auto& r = rings_[i];
    if (r.count > 0 && i > 0) {
      const double disturbed = std::max(noise_, r.power - signal_[i] * r.passed);
      // What noise may be by chance is no picture, since the division raises it beyond all measure. Its power over n
      // frequencies, of which every other is the conjugate of another one, has the deviation of the root of 2 / n.
      const double by_chance = std::max(0.3, 4 * std::sqrt(2 / r.count));
      // Where the noise drowns all, the ratio rises as the square of the frequency, from that of a picture which would
      // just not be seen.
      last = signal_[i] > 0 && r.power > (1 + by_chance) * floor_
                 ? disturbed / signal_[i]
                 : std::max(last * (1 + 2.0 / static_cast<double>(i)), r.passed / by_chance);
    }
    ratio_[i] = std::max(1e-15, last);
  }
}

}  // namespace sieve::internal
