#include "sieve/core/channels.hpp"

#include <string>

#include "core/luma.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve {

LumaWeights luma_weights(GrayBy by) {
  switch (by) {
    case GrayBy::rec709:
      return {0.2126, 0.7152, 0.0722};
    case GrayBy::rec601:
      return {0.299, 0.587, 0.114};
    case GrayBy::rec2020:
      return {0.2627, 0.6780, 0.0593};
    default:
      throw InvalidArgument("luma weights are known for rec709, rec601 and rec2020");
  }
}

Image take_channel(const ConstView& in, int channel) {
  require_input(in, "take_channel");
  if (channel < 0 || channel >= in.channels()) {
    throw InvalidArgument("channel " + std::to_string(channel) + ": the picture has channels 0.." +
                          std::to_string(in.channels() - 1));
  }
  return Image(in.channel(channel));
}

Image to_gray(const ConstView& in, GrayBy by) {
  require_input(in, "gray");
  Image out(Shape{in.width(), in.height(), in.shape.has_alpha() ? 2 : 1}, in.white_level);
  to_gray(in, out, by);
  return out;
}

void to_gray(const ConstView& in, const View& to, GrayBy by) {
  require_output_or_same(in, to, {in.width(), in.height(), in.shape.has_alpha() ? 2 : 1}, "gray");
  if (in.shape.color_channels() == 1) {
    copy(in, to);
    return;
  }
  if (in.shape.has_alpha()) copy(in.channel(3), to.channel(1));
  if (by == GrayBy::red || by == GrayBy::green || by == GrayBy::blue) {
    copy(in.channel(static_cast<int>(by) - static_cast<int>(GrayBy::red)), to.channel(0));
    return;
  }
  const internal::GrayWeights w = internal::gray_weights(by);
  parallel_rows(in.height(), RowCost(in.width(), 3), [&](int first, int last) {
    for (int y = first; y < last; ++y)
      internal::weigh_colors({in.row(y, 0), in.row(y, 1), in.row(y, 2)}, w, to.row(y, 0),
                             static_cast<std::size_t>(in.width()));
  });
}

std::vector<Image> split(const ConstView& in) {
  std::vector<Image> out;
  for (int c = 0; c < in.channels(); ++c) out.push_back(take_channel(in, c));
  return out;
}

Image join(std::span<const Image> channels) {
  if (channels.empty() || channels.size() > 4) {
    throw InvalidArgument("join of " + std::to_string(channels.size()) + " pictures: give 1 to 4 gray ones");
  }
  const Shape first = channels[0].shape();
  Image out(Shape{first.width, first.height, static_cast<int>(channels.size())}, channels[0].white_level());
  for (std::size_t c = 0; c < channels.size(); ++c) {
    if (channels[c].shape() != Shape{first.width, first.height, 1}) {
      throw InvalidArgument(std::string("join: picture ") + std::to_string(c + 1) + " is " +
                            text_of(channels[c].shape()).text + "; all must be gray and of one size");
    }
    copy(channels[c], out.view().channel(static_cast<int>(c)));
  }
  return out;
}

}  // namespace sieve
