#include "sieve/filter/within.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "run/validate.hpp"
#include "sieve/core/map.hpp"

namespace sieve {

using namespace internal;

Image Within::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }

void Within::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const Rectangle r = part.value_or(Rectangle{0, 0, in.width(), in.height()});
  const ConstView before = in.part(r);
  const Image* weights = mask.empty() ? nullptr : &mask.image("within", "mask");
  if (weights != nullptr &&
      (weights->width() != in.width() || weights->height() != in.height() || weights->shape().color_channels() != 1)) {
    throw InvalidArgument(fmt::format("within: the mask is {}, needed is a gray one of {}x{}",
                                      text_of(weights->shape()).text, in.width(), in.height()));
  }
  const Image result = chain(in);
  if (result.shape() != in.shape) {
    throw InvalidArgument(fmt::format("within: the chain makes {} of {}; in a part of a picture the shape must stay",
                                      text_of(result.shape()).text, text_of(in.shape).text));
  }
  copy(in, out);
  if (weights == nullptr) {
    copy(result.part(r), out.part(r));
    return;
  }
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const Image change =
        map_pairs(result.channel(c).part(r), before.channel(c), [](float a, float b) { return a - b; });
    const Image weighted =
        map_pairs(change, weights->channel(0).part(r), [](float d, float w) { return w == 0 ? 0 : d * w; });
    map_pairs(before.channel(c), weighted, out.part(r).channel(c), [](float a, float d) { return a + d; });
  }
}

void Within::describe(Description<Within>& d) {
  d.called("within", "group",
           "Opens a group, closed by `end`, that acts on a rectangle or, softly, where a mask is bright.");
  d.also({"mask", "region", "ROI", "selection", "group"});
  d.wrong("the chain changes the picture's size: crop first.");
  d.group(&Within::chain);
  d.float_result([](const Within& f) {
    return std::any_of(f.chain.steps().begin(), f.chain.steps().end(),
                       [](const Filter& step) { return step.result_white_level(1) == 0; });
  });
  d.field("part", &Within::part, "pixels", "the rectangle, all for the whole picture");
  d.field("mask", &Within::mask, "", "a gray picture of the same size: 0 keeps the input, 1 the result");
}

}  // namespace sieve
