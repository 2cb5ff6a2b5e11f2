#include "sieve/spatial/rank.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/run.hpp"
#include "sieve/core/map.hpp"
#include "sieve/reference.hpp"
#include "spatial/extremes.hpp"

namespace sieve {

namespace {

template <class F>
void each_extreme(const F& f, const ConstView& in, const View& out, std::span<const bool> maxima, Border border, float fill) {
  ready(f, in, out);
  const char* name = description_of<F>().name.c_str();
  if (border == Border::inside) throw BadCall(fmt::format("{}: border=inside is not for windows that sort; crop the result", name));
  for (int c = 0; c < in.shape.color_channels(); ++c) extremes(in.channel(c), f.radius, maxima, border, border == Border::constant ? fill : 0, out.channel(c));
  copy_alpha(in, out);
}

std::string square(int radius) { return fmt::format("window {0}x{0}", 2 * radius + 1); }

constexpr Range kRadius{0, 2047};
constexpr bool kLeast[] = {false}, kMost[] = {true}, kLeastThenMost[] = {false, true}, kMostThenLeast[] = {true, false};

}  // namespace

Image Minimum::operator()(const ConstView& in) const { return made(*this, in); }
void Minimum::operator()(const ConstView& in, const View& out) const { each_extreme(*this, in, out, kLeast, border, fill); }
Image Minimum::plain(const ConstView& in) const { return reference::minimum(in, radius, border, fill); }
std::string Minimum::meaning() const { return square(radius); }
void Minimum::describe(Description<Minimum>& d) {
  d.called("minimum", "rank", "The smallest sample of a square window: dark parts grow, small bright ones vanish.");
  d.wrong("sizes must stay: dark objects grow by the radius on each side; take opening.");
  d.field("radius", &Minimum::radius, "pixels", "half-width: the window has 2 radius + 1 pixels a side", kRadius);
  d.field("border", &Minimum::border, "", "what lies beyond the picture");
  d.field("fill", &Minimum::fill, "0..1 scale", "the sample beyond the picture with border=constant");
}

Image Maximum::operator()(const ConstView& in) const { return made(*this, in); }
void Maximum::operator()(const ConstView& in, const View& out) const { each_extreme(*this, in, out, kMost, border, fill); }
Image Maximum::plain(const ConstView& in) const { return reference::maximum(in, radius, border, fill); }
std::string Maximum::meaning() const { return square(radius); }
void Maximum::describe(Description<Maximum>& d) {
  d.called("maximum", "rank", "The largest sample of a square window: bright parts grow, small dark ones vanish.");
  d.wrong("sizes must stay: bright objects grow by the radius on each side; take closing.");
  d.field("radius", &Maximum::radius, "pixels", "half-width: the window has 2 radius + 1 pixels a side", kRadius);
  d.field("border", &Maximum::border, "", "what lies beyond the picture");
  d.field("fill", &Maximum::fill, "0..1 scale", "the sample beyond the picture with border=constant");
}

Image Opening::operator()(const ConstView& in) const { return made(*this, in); }
void Opening::operator()(const ConstView& in, const View& out) const { each_extreme(*this, in, out, kLeastThenMost, Border::edge, 0); }
Image Opening::plain(const ConstView& in) const { return reference::maximum(reference::minimum(in, radius, Border::edge, 0), radius, Border::edge, 0); }
std::string Opening::meaning() const { return square(radius); }
void Opening::describe(Description<Opening>& d) {
  d.called("opening", "rank", "Takes bright objects away that are narrower than the window; the rest keeps its outline.");
  d.wrong("the objects are dark: take closing; the wanted background is smooth: background by=opening smooths the steps, too.");
  d.field("radius", &Opening::radius, "pixels", "half-width: objects narrower than 2 radius + 1 pixels vanish", kRadius);
}

Image Closing::operator()(const ConstView& in) const { return made(*this, in); }
void Closing::operator()(const ConstView& in, const View& out) const { each_extreme(*this, in, out, kMostThenLeast, Border::edge, 0); }
Image Closing::plain(const ConstView& in) const { return reference::minimum(reference::maximum(in, radius, Border::edge, 0), radius, Border::edge, 0); }
std::string Closing::meaning() const { return square(radius); }
void Closing::describe(Description<Closing>& d) {
  d.called("closing", "rank", "Takes dark objects away that are narrower than the window; the rest keeps its outline.");
  d.wrong("the objects are bright: take opening.");
  d.field("radius", &Closing::radius, "pixels", "half-width: objects narrower than 2 radius + 1 pixels vanish", kRadius);
}

Image Median::operator()(const ConstView& in) const { return made(*this, in); }
void Median::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  if (border == Border::inside) throw BadCall("median: border=inside is not for windows that sort; crop the result");
  copy(map_windows(in, radius, border, [this](const Window& w) {
    std::vector<float> all;
    for (int dy = -radius; dy <= radius; ++dy) {
      for (int dx = -radius; dx <= radius; ++dx) all.push_back(std::isnan(w(dx, dy)) ? INFINITY : w(dx, dy));
    }
    std::nth_element(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2), all.end());
    return all[all.size() / 2];
  }, fill), out);
}
Image Median::plain(const ConstView& in) const { return reference::median(in, radius, border, fill); }
std::string Median::meaning() const { return square(radius); }
void Median::describe(Description<Median>& d) {
  d.called("median", "rank", "The middle sample of a square window: drops impulses and keeps edges.");
  d.wrong("the noise is fine grain without outliers: a Gaussian or an edge-preserving filter leaves less of it; thin lines must stay.");
  d.field("radius", &Median::radius, "pixels", "half-width: the window has 2 radius + 1 pixels a side", {0, 127});
  d.field("border", &Median::border, "", "what lies beyond the picture");
  d.field("fill", &Median::fill, "0..1 scale", "the sample beyond the picture with border=constant");
}

}  // namespace sieve
