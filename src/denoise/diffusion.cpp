#include "sieve/denoise/diffusion.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "denoise/least_risk.hpp"
#include "run/validate.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/estimate.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, Conductance>> ChoiceNames<Conductance>::all() {
  static constexpr std::pair<const char*, Conductance> names[] = {{"rational", Conductance::rational},
                                                                  {"exponential", Conductance::exponential}};
  return names;
}

namespace {

// Edges in noise deviations of which the best is chosen.
constexpr float kEdges[] = {0.25F, 0.35F, 0.5F, 0.7F, 1, 1.4F, 2, 4};

// One iteration; flow(d) is conductance times difference.
template <class Flow>
void step(const ConstView& in, float rate, const View& out, Flow flow) {
  const int w = in.width(), h = in.height();
  parallel_rows(h, RowCost(w, 4), [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const float *a = in.row(y), *up = in.row(std::max(0, y - 1)), *down = in.row(std::min(h - 1, y + 1));
      float* r = out.row(y);
      const auto at = [&](int x, int left, int right) {
        r[x] = a[x] + rate * (flow(up[x] - a[x]) + flow(down[x] - a[x]) + flow(a[left] - a[x]) + flow(a[right] - a[x]));
      };
      at(0, 0, std::min(1, w - 1));
      for (int x = 1; x + 1 < w; ++x) at(x, x - 1, x + 1);
      if (w > 1) at(w - 1, w - 2, w - 1);
    }
  });
}

}  // namespace

Image Diffusion::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Diffusion::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const ChosenSetting chosen(*this, &Diffusion::edge, in, kEdges, 0.004F);
  const float k = chosen.value(), inverse = 1 / (k * k);
  if (!edge) note(fmt::format("edge {:.4f}, of the least estimated error", k));
  Progress progress(static_cast<double>(iterations) * in.shape.color_channels());
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const ConstView from = in.channel(c);
    const View to = out.channel(c);
    Image other(from.shape);
    // The last iteration ends in the caller's buffer.
    for (int i = 0; i < iterations; ++i) {
      const bool into_out = (iterations - 1 - i) % 2 == 0;
      const ConstView source = i == 0 ? from : into_out ? other.view() : ConstView(to);
      const View target = into_out ? to : other.view();
      if (conductance == Conductance::rational) {
        step(source, rate, target, [inverse](float d) { return d / (1 + d * d * inverse); });
      } else {
        step(source, rate, target, [inverse](float d) { return d * std::exp(-d * d * inverse); });
      }
      progress.add(1);
    }
  }
  copy_alpha(in, out);
}
void Diffusion::describe(Description<Diffusion>& d) {
  d.called("diffusion", "denoise", "Lets levels flow between neighbors, but not across edges.");
  d.also({"Perona", "Malik", "anisotropic", "edge preserving"});
  d.wrong(
      "there are impulses: they are edges all around and stay; take median first. The grain is strong: at 25 of 255 it "
      "is 3.1 dB behind block_matching on photographs, total_variation 1.9.");
  d.window([](const Diffusion& f) { return f.iterations; });
  d.measures([](const Diffusion& f) { return !f.edge; });
  d.undivided();
  d.field("iterations", &Diffusion::iterations, "", "how long it flows", {1, 10000});
  d.field("edge", &Diffusion::edge, "0..1 scale",
          "differences well above it are kept; auto: of the least estimated error", {1e-4, 10});
  d.field("rate", &Diffusion::rate, "", "of the flow in an iteration", {0.01, 0.25});
  d.field("conductance", &Diffusion::conductance, "", "how the flow falls at edges");
}

}  // namespace sieve
