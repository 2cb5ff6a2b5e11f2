#include "sieve/illumination/homomorphic.hpp"

#include <fmt/format.h>

#include <cmath>
#include <numbers>

#include "illumination/border_help.hpp"
#include "illumination/luma.hpp"
#include "illumination/tell_flatness.hpp"
#include "run/validate.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/spatial/smooth.hpp"
#include "sieve/tone/statistics.hpp"
#include "tone/curve_lanes.hpp"
#include "tone/range.hpp"

namespace sieve {

using namespace internal;

namespace {
constexpr float kFloor = 0.001F;
}

Image Homomorphic::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Homomorphic::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  Image log = finite_luma(in);
  if (notes_heard()) {
    const Histogram h = histogram(log, {.channel = 0, .bins = 1, .low = static_cast<double>(kFloor), .high = 1});
    if (h.below > 0)
      note(fmt::format("{} under {} and counted as that: a logarithm goes no lower",
                       counted(h.below, "pixel is", "pixels are"), kFloor));
  }
  each_row(log, log.view(), [](const float* a, float* r, std::size_t n, bool) { lanes::natural_log(a, kFloor, r, n); });
  Image slow = Gaussian{.sigma = static_cast<float>(0.5 / (std::numbers::pi * static_cast<double>(cutoff))),
                        .border = border}(log);
  const auto level = static_cast<float>((1 - static_cast<double>(low)) * statistics(log)[0].mean);
  const View to = slow.view();
  parallel_rows(in.height(), in.width(), [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const float* a = log.row(y);
      float* r = to.row(y);
      for (int x = 0; x < in.width(); ++x) r[x] = high * a[x] - (high - low) * r[x] + level;
      lanes::exponential(r, r, static_cast<std::size_t>(in.width()));
    }
  });
  put_luma(in, slow, out);
  tell_flatness(in, out);
}
void Homomorphic::describe(Description<Homomorphic>& d) {
  d.called("homomorphic", "illumination",
           "Weakens slow light and strengthens detail: a frequency filter on the logarithm.");
  d.also({"illumination", "reflectance", "log"});
  d.wrong(
      "the picture has large objects of different lightness: they are evened out like light; the light adds (haze): "
      "take flatten how=subtract.");
  d.field("low", &Homomorphic::low, "", "gain of the slow part (light)", {0, 1});
  d.field("high", &Homomorphic::high, "", "gain of the fast part (detail)", {0, 10});
  d.field("cutoff", &Homomorphic::cutoff, "cycles per pixel",
          "where the slow part ends: 0.01 is a period of 100 pixels", {0.00032, 0.1});
  d.border(&Homomorphic::border, nullptr, picture_borders(), kWideBorderHelp);
}

}  // namespace sieve
