#include "sieve/tone/point.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>

#include "core/luma.hpp"
#include "run/validate.hpp"
#include "sieve/tone/statistics.hpp"
#include "tone/point_lanes.hpp"
#include "tone/range.hpp"

namespace sieve {

using namespace internal;

Image Clip::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Clip::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Clip::describe(Description<Clip>& d) {
  d.called("clip", "tone", "Cuts samples off at two levels; everything between stays as it is.");
  d.also({"clamp", "saturate", "cut", "limit"});
  d.wrong("detail outside the levels matters: it is lost for good; take stretch.");
  d.maps_samples(
      [](const Clip& f) {
        if (f.high < f.low)
          throw InvalidArgument(fmt::format("clip: high={} lies below low={}; give low <= high", f.high, f.low));
        return [low = static_cast<float>(f.low), high = static_cast<float>(f.high)](
                   const float* a, float* r, std::size_t n) { lanes::clip(a, low, high, r, n); };
      },
      lanes::kCheap);
  d.field("low", &Clip::low, "0..1 scale", "lowest sample kept");
  d.field("high", &Clip::high, "0..1 scale", "highest sample kept, not below low");
}

Image Stretch::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
static Stretch stretch_of_range(const Stretch& f, float low, float high) {
  Stretch s = f;
  s.low = f.low.value_or(low);
  s.high = f.high.value_or(high);
  return s;
}
static Stretch measured_of_stretch(const Stretch& f, const ConstView& in) {
  if (f.percent == 0) {
    const Ends ends = finite_range(in);
    return stretch_of_range(f, ends.low, ends.high);
  }
  const double share = static_cast<double>(f.percent) / 100, shares[] = {share, 1 - share};
  const auto at = percentiles(in, shares);
  return stretch_of_range(f, static_cast<float>(at[0]), static_cast<float>(at[1]));
}
void Stretch::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Stretch::describe(Description<Stretch>& d) {
  d.called("stretch", "tone",
           "Maps a range of levels to another along a line; the measured range to 0..1 if none is given.");
  d.also({"normalize", "levels", "contrast", "rescale", "defog"});
  d.wrong(
      "a few extreme samples set the range: give percent; the histogram is lopsided: equalize or a gamma does more.");
  d.maps_samples(
      [](const Stretch& f) {
        const Ends ends{f.low.value_or(0), f.high.value_or(1)};
        // No range (one level, or no finite sample at all): every sample becomes to_low.
        const bool flat = !(ends.low != ends.high) || !std::isfinite(ends.low) || !std::isfinite(ends.high);
        const double slope =
            flat ? 0 : (static_cast<double>(f.to_high) - f.to_low) / (static_cast<double>(ends.high) - ends.low);
        return [base = flat ? 0 : ends.low, slope, to = static_cast<float>(f.to_low)](const float* a, float* r,
                                                                                      std::size_t n) {
          const auto k = static_cast<float>(slope);
          if (std::isfinite(k)) return lanes::line(a, base, k, to, r, n);
          // Steeper than single precision can say: the range is that of denormal numbers.
          std::transform(a, a + n, r, [&](float v) {
            return static_cast<float>(static_cast<double>(to) +
                                      (static_cast<double>(v) - static_cast<double>(base)) * slope);
          });
        };
      },
      lanes::kCheap);
  d.measures([](const Stretch& f) { return !(f.low && f.high); }, measured_of_stretch);
  d.measures_range([](const Stretch& f) { return f.percent == 0; }, stretch_of_range);
  d.field("low", &Stretch::low, "0..1 scale", "input level that becomes to_low; auto measures it");
  d.field("high", &Stretch::high, "0..1 scale", "input level that becomes to_high; auto measures it");
  d.field("to_low", &Stretch::to_low, "0..1 scale", "output level for low");
  d.field("to_high", &Stretch::to_high, "0..1 scale", "output level for high");
  d.field("percent", &Stretch::percent, "percent", "share of samples left out at each end when measured", {0, 49});
}

Image Absolute::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Absolute::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Absolute::describe(Description<Absolute>& d) {
  d.called("absolute", "tone", "The size of every sample without its sign: makes signed results fit to view.");
  d.also({"magnitude", "modulus", "abs"});
  d.wrong("the sign matters: stretch shows both sides about mid-gray.");
  d.maps_samples(
      [](const Absolute&) { return [](const float* a, float* r, std::size_t n) { lanes::absolute(a, r, n); }; });
}

static std::function<void(const PixelRow&)> gray_of_pixels(GrayBy by) {
  if (by == GrayBy::red || by == GrayBy::green || by == GrayBy::blue) {
    return [c = static_cast<std::size_t>(by) - static_cast<std::size_t>(GrayBy::red)](const PixelRow& row) {
      std::copy_n(row.in[row.colors == 1 ? 0 : c], row.count, row.out[0]);
    };
  }
  return [w = gray_weights(by)](const PixelRow& row) {
    if (row.colors == 1) {
      std::copy_n(row.in[0], row.count, row.out[0]);
    } else {
      weigh_colors({row.in[0], row.in[1], row.in[2]}, w, row.out[0], row.count);
    }
  };
}
Image Gray::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Gray::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Gray::describe(Description<Gray>& d) {
  d.called("gray", "tone", "Gray from color: a luma, the mean, or one channel.");
  d.also({"grayscale", "greyscale", "desaturate", "luma", "monochrome", "channel", "bw"});
  d.wrong("colors of equal luma must stay apart: take the channel that tells them apart.");
  d.maps_pixels([](const Gray& f) { return gray_of_pixels(f.by); }, 2);
  d.shape([](const Gray&, const Shape& in) -> Shape { return {in.width, in.height, in.has_alpha() ? 2 : 1}; });
  d.field("by", &Gray::by, "", "luma weights of a standard, the average, or one channel");
}

}  // namespace sieve
