#include "sieve/filter/within.hpp"

#include <fmt/format.h>

#include "sieve/core/map.hpp"

namespace sieve {

std::string TextValue<Part>::text(const Part& p) {
  if (!p.rectangle) return "all";
  return fmt::format("{},{},{},{}", p.rectangle->x, p.rectangle->y, p.rectangle->width, p.rectangle->height);
}

Part TextValue<Part>::parse(std::string_view s, const Resources&) {
  if (s == "all") return {};
  int v[4];
  std::size_t start = 0;
  for (int i = 0; i < 4; ++i) {
    const std::size_t comma = i < 3 ? s.find(',', start) : s.size();
    const auto n = comma == std::string_view::npos ? std::nullopt : detail::parse_whole(s.substr(start, comma - start));
    if (!n || *n < 0 || *n > 1000000000)
      throw BadCall(fmt::format("part={} is not allowed: give X,Y,WIDTH,HEIGHT in pixels, or all", s));
    v[i] = static_cast<int>(*n);
    start = comma + 1;
  }
  return {Rectangle{v[0], v[1], v[2], v[3]}};
}

Image Within::operator()(const ConstView& in) const {
  require_input(in, "within");
  const Rectangle r = part.rectangle.value_or(Rectangle{0, 0, in.width(), in.height()});
  const ConstView before = in.part(r);
  const Image result = chain(in);
  if (result.shape() != in.shape) {
    throw BadCall(fmt::format("within: the chain makes {} of {}; in a part of a picture the shape must stay",
                              text_of(result.shape()).text, text_of(in.shape).text));
  }
  Image out(in);
  if (mask.empty()) {
    copy(result.view().part(r), out.view().part(r));
    return out;
  }
  const Image& m = mask.image("within", "mask");
  if (m.width() != in.width() || m.height() != in.height() || m.shape().color_channels() != 1) {
    throw BadCall(fmt::format("within: the mask is {}, needed is a gray one of {}x{}", text_of(m.shape()).text,
                              in.width(), in.height()));
  }
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const Image change =
        map_pairs(result.view().channel(c).part(r), before.channel(c), [](float a, float b) { return a - b; });
    const Image weighted =
        map_pairs(change, m.view().channel(0).part(r), [](float d, float w) { return w == 0 ? 0 : d * w; });
    copy(map_pairs(before.channel(c), weighted, [](float a, float d) { return a + d; }), out.view().part(r).channel(c));
  }
  return out;
}

std::string Within::text(bool full) const {
  return description_of<Within>().text(this, full) + " then " +
         (chain.steps().empty() ? "" : chain.text(full) + " then ") + "end";
}

void Within::describe(Description<Within>& d) {
  d.called("within", "group",
           "Opens a group, closed by `end`, that acts on a rectangle or, softly, where a mask is bright.");
  d.wrong("the chain changes the picture's size: crop first.");
  d.field("part", &Within::part, "pixels", "the rectangle, all for the whole picture");
  d.field("mask", &Within::mask, "", "a gray picture of the same size: 0 keeps the input, 1 the result");
}

}  // namespace sieve
