#include "sieve/filter/within.hpp"

#include <fmt/format.h>

#include "sieve/core/map.hpp"

namespace sieve {

Image Within::operator()(const ConstView& in) const {
  require_input(in, "within");
  const Rectangle r = part.value_or(Rectangle{0, 0, in.width(), in.height()});
  const ConstView before = in.part(r);
  const Image result = chain(in);
  if (result.shape() != in.shape) {
    throw InvalidArgument(fmt::format("within: the chain makes {} of {}; in a part of a picture the shape must stay",
                                      text_of(result.shape()).text, text_of(in.shape).text));
  }
  Image out(in);
  if (mask.empty()) {
    copy(result.view().part(r), out.view().part(r));
    return out;
  }
  const Image& m = mask.image("within", "mask");
  if (m.width() != in.width() || m.height() != in.height() || m.shape().color_channels() != 1) {
    throw InvalidArgument(fmt::format("within: the mask is {}, needed is a gray one of {}x{}", text_of(m.shape()).text,
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

void Within::describe(Description<Within>& d) {
  d.called("within", "group",
           "Opens a group, closed by `end`, that acts on a rectangle or, softly, where a mask is bright.");
  d.also({"mask", "region", "ROI", "selection", "group"});
  d.wrong("the chain changes the picture's size: crop first.");
  d.group(&Within::chain);
  d.field("part", &Within::part, "pixels", "the rectangle, all for the whole picture");
  d.field("mask", &Within::mask, "", "a gray picture of the same size: 0 keeps the input, 1 the result");
}

}  // namespace sieve
