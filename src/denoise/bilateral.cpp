#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/rows.hpp"
#include "denoise/bilateral_grid.hpp"
#include "denoise/bilateral_lanes.hpp"
#include "denoise/border_help.hpp"
#include "denoise/least_risk.hpp"
#include "run/validate.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/denoise/bilateral.hpp"
#include "sieve/quality/estimate.hpp"
#include "spatial/row_ring.hpp"
#include "tone/range.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, BilateralMethod>> ChoiceNames<BilateralMethod>::all() {
  static constexpr std::pair<const char*, BilateralMethod> names[] = {
      {"automatic", BilateralMethod::automatic}, {"exact", BilateralMethod::exact}, {"fast", BilateralMethod::fast}};
  return names;
}

namespace {

int radius_of(float sigma) { return static_cast<int>(std::ceil(2.5F * sigma)); }

// Ranges in noise deviations of which the best is chosen.
constexpr float kRanges[] = {1, 1.4F, 2, 2.8F, 4, 5.6F, 8};

void exact(const ConstView& in, float sigma, float range, Border border, const View& out) {
  const int radius = radius_of(sigma);
  struct Tap {
    int dx, dy;
    float log;
  };
  std::vector<Tap> all;
  for (int dy = -radius; dy <= radius; ++dy) {
    for (int dx = -radius; dx <= radius; ++dx)
      all.push_back({dx, dy, -static_cast<float>(dx * dx + dy * dy) / (2 * sigma * sigma)});
  }
  std::vector<float> logs;
  for (const Tap& t : all) logs.push_back(t.log);
  const auto n = static_cast<std::size_t>(in.width());
  parallel_rows(in.height(), n * all.size() / 4, [&](int first, int last) {
    RowRing ring(in, 2 * radius + 1, radius, radius, border, 0);
    for (int y = first - radius; y < first + radius; ++y) ring.load(y);
    std::vector<const float*> rows(all.size());
    for (int y = first; y < last; ++y) {
      checkpoint();
      ring.load(y + radius);
      for (std::size_t i = 0; i < all.size(); ++i) rows[i] = ring.row(y + all[i].dy) + radius + all[i].dx;
      lanes::bilateral_row(ring.row(y) + radius, {rows.data(), logs.data(), all.size(), 1 / (2 * range * range)},
                           out.row(y), n);
    }
  });
}

void fast(const ConstView& in, float sigma, float range, Border border, const View& out) {
  const auto [low, high] = finite_range(in, 0);
  if (!(low < high)) return copy(in, out);
  // A single sample far from all others would ask for more levels than there is memory for, and steps between levels
  // must not be smaller than single precision holds.
  if (high - low > 500 * range || high - low < 1e-30F) return exact(in, sigma, range, border, out);
  bilateral_on_grid(in, sigma, range, low, high, border, out);
}

}  // namespace

Image Bilateral::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Bilateral::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const ChosenSetting chosen(*this, &Bilateral::range, in, kRanges, 0.005F);
  const float r = chosen.value();
  if (!range) note(fmt::format("range {:.4f}, of the least estimated error", r));
  const bool slow = method == BilateralMethod::exact || (method == BilateralMethod::automatic && sigma <= 4);
  for (int c = 0; c < in.shape.color_channels(); ++c)
    (slow ? exact : fast)(in.channel(c), sigma, r, border, out.channel(c));
  copy_alpha(in, out);
}
void Bilateral::describe(Description<Bilateral>& d) {
  d.called("bilateral", "denoise", "The mean of neighbors that are near in place and in level: smooths within edges.");
  d.also({"edge preserving", "smooth"});
  d.wrong(
      "there are impulses: each is unlike its neighbors and stays; take median. Smooth slopes must not turn into "
      "steps: take guided. The grain is strong: at 25 of 255 it is 3.9 dB behind block_matching on photographs.");
  d.settles([](const Bilateral& f, const ConstView& in) {
    Bilateral settled = f;
    settled.range = ChosenSetting(f, &Bilateral::range, in, kRanges, 0.005F).value();
    return settled;
  });
  d.meaning([](const Bilateral& f) { return fmt::format("window {0}x{0}", 2 * radius_of(f.sigma) + 1); });
  d.field("sigma", &Bilateral::sigma, "pixels", "of the Gaussian of the distance", {0.5, 100});
  d.field("range", &Bilateral::range, "0..1 scale",
          "of the Gaussian of the difference in level; auto: of the least estimated error", {0.005, 10});
  d.field("method", &Bilateral::method, "", "exact is slow for large sigmas, fast deviates by up to 0.01");
  d.border(&Bilateral::border, nullptr, picture_borders(), kNoisyBorderHelp);
}

}  // namespace sieve
