#include "sieve/tone/point.hpp"

#include <fmt/format.h>

#include <cmath>

#include "core/run.hpp"
#include "sieve/reference.hpp"
#include "sieve/tone/statistics.hpp"
#include "tone/point_lanes.hpp"
#include "tone/range.hpp"

namespace sieve {

Image Clip::operator()(const ConstView& in) const { return made(*this, in); }
void Clip::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  if (high < low) throw BadCall(fmt::format("clip: high={} lies below low={}; give low <= high", high, low));
  each_row(in, out,
           [this](const float* a, float* r, std::size_t n, bool stream) { lanes::clip(a, low, high, r, n, stream); });
}
Image Clip::plain(const ConstView& in) const { return reference::clip(in, low, high); }
void Clip::describe(Description<Clip>& d) {
  d.called("clip", "tone", "Cuts samples off at two levels; everything between stays as it is.");
  d.wrong("detail outside the levels matters: it is lost for good; take stretch.");
  d.field("low", &Clip::low, "0..1 scale", "lowest sample kept");
  d.field("high", &Clip::high, "0..1 scale", "highest sample kept, not below low");
}

Image Stretch::operator()(const ConstView& in) const { return made(*this, in); }
Stretch Stretch::measured(const ConstView& in) const {
  Stretch s = *this;
  if (low && high) return s;
  Ends ends{0, 0};
  if (percent == 0) {
    ends = finite_range(in);
  } else {
    const double share = static_cast<double>(percent) / 100, shares[] = {share, 1 - share};
    const auto at = percentiles(in, shares);
    ends = {static_cast<float>(at[0]), static_cast<float>(at[1])};
  }
  s.low = low.value_or(ends.low);
  s.high = high.value_or(ends.high);
  return s;
}
void Stretch::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  const Stretch known = measured(in);
  const Ends ends{*known.low, *known.high};
  // No range (one level, or no finite sample at all): every sample becomes to_low.
  const bool flat = !(ends.low != ends.high) || !std::isfinite(ends.low) || !std::isfinite(ends.high);
  const float slope =
      flat ? 0
           : static_cast<float>((static_cast<double>(to_high) - to_low) / (static_cast<double>(ends.high) - ends.low));
  const float base = flat ? 0 : ends.low;
  each_row(in, out, [&](const float* a, float* r, std::size_t n, bool stream) {
    lanes::line(a, base, slope, to_low, r, n, stream);
  });
}
Image Stretch::plain(const ConstView& in) const { return reference::stretch(in, low, high, to_low, to_high, percent); }
void Stretch::describe(Description<Stretch>& d) {
  d.called("stretch", "tone",
           "Maps a range of levels to another along a line; the measured range to 0..1 if none is given.");
  d.wrong(
      "a few extreme samples set the range: give percent; the histogram is lopsided: equalize or a gamma does more.");
  d.agrees_within(1e-5);
  d.field("low", &Stretch::low, "0..1 scale", "input level that becomes to_low; auto measures it");
  d.field("high", &Stretch::high, "0..1 scale", "input level that becomes to_high; auto measures it");
  d.field("to_low", &Stretch::to_low, "0..1 scale", "output level for low");
  d.field("to_high", &Stretch::to_high, "0..1 scale", "output level for high");
  d.field("percent", &Stretch::percent, "percent", "share of samples left out at each end when measured", {0, 49});
}

Image Absolute::operator()(const ConstView& in) const { return made(*this, in); }
void Absolute::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  each_row(in, out, lanes::absolute);
}
Image Absolute::plain(const ConstView& in) const { return reference::absolute(in); }
void Absolute::describe(Description<Absolute>& d) {
  d.called("absolute", "tone", "The size of every sample without its sign: makes signed results fit to view.");
  d.wrong("the sign matters: stretch shows both sides about mid-gray.");
}

Image Gray::operator()(const ConstView& in) const {
  sieve::check(*this);
  return to_gray(in, by);
}
Image Gray::plain(const ConstView& in) const { return reference::gray(in, by); }
Shape Gray::shape(const Shape& in) const { return {in.width, in.height, in.has_alpha() ? 2 : 1}; }
void Gray::describe(Description<Gray>& d) {
  d.called("gray", "tone", "Gray from color: a luma, the mean, or one channel.");
  d.wrong("colors of equal luma must stay apart: take the channel that tells them apart.");
  d.agrees_within(1e-6);
  d.field("by", &Gray::by, "", "luma weights of a standard, the average, or one channel");
}

}  // namespace sieve
