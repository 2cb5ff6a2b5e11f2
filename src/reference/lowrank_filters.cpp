#include <algorithm>

#include "reference/families.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/lowrank.hpp"
#include "sieve/reference/lowrank.hpp"

namespace sieve {

using namespace internal;

namespace {

Image truncated(const ConstView& channel, int rank) {
  return reference::low_rank(channel, std::min({rank, channel.width(), channel.height()}));
}

Image side_by_side(const ConstView& in, int rank) {
  Image wide(3 * in.width(), in.height()), out(in.shape);
  for (int c = 0; c < 3; ++c) copy(in.channel(c), wide.view().part({c * in.width(), 0, in.width(), in.height()}));
  const Image result = truncated(wide, rank);
  for (int c = 0; c < 3; ++c)
    copy(result.view().part({c * in.width(), 0, in.width(), in.height()}), out.view().channel(c));
  return out;
}

// Luma at the rank, blue and red less luma at a quarter of it.
Image by_luma(const ConstView& in, int rank) {
  const LumaWeights k = luma_weights(GrayBy::rec709);
  const Image gray = to_gray(in), luma(gray.view().channel(0));
  const auto less = [](float a, float b) { return a - b; };
  const int few = std::max(1, rank / 4);
  const Image y = truncated(luma, rank), u = truncated(map_pairs(in.channel(2), luma, less), few),
              v = truncated(map_pairs(in.channel(0), luma, less), few);
  Image out(in.shape);
  for (int j = 0; j < in.height(); ++j) {
    for (int i = 0; i < in.width(); ++i) {
      const double l = y.at(i, j), b = l + static_cast<double>(u.at(i, j)), r = l + static_cast<double>(v.at(i, j));
      out.at(i, j, 0) = static_cast<float>(r);
      out.at(i, j, 1) = static_cast<float>((l - k.red * r - k.blue * b) / k.green);
      out.at(i, j, 2) = static_cast<float>(b);
    }
  }
  return out;
}

Image low_rank(const LowRank& f, const ConstView& in) {
  return internal::of_finite(in, [&](const Image& finite) {
    if (in.shape.color_channels() == 3 && f.color == LowRank::Color::wide) return side_by_side(finite, f.rank);
    if (in.shape.color_channels() == 3 && f.color == LowRank::Color::luma) return by_luma(finite, f.rank);
    Image out(in.shape);
    for (int c = 0; c < in.shape.color_channels(); ++c)
      copy(truncated(finite.view().channel(c), f.rank), out.view().channel(c));
    return out;
  });
}

Image principal_components(const PrincipalComponents& f, const ConstView& in) {
  return internal::of_finite(in, [&](const Image& finite) {
    const bool rows = f.of == PrincipalComponents::Of::rows;
    const Image color = reference::principal(finite, rows ? 0 : f.side, f.components, f.share);
    Image out(in.shape);
    for (int c = 0; c < in.shape.color_channels(); ++c) copy(color.view().channel(c), out.view().channel(c));
    return out;
  });
}

}  // namespace

void internal::define_lowrank(reference::Definitions& d) {
  d.add<LowRank>(kSummed, low_rank);
  d.add<PrincipalComponents>(kSummed, principal_components);
}

}  // namespace sieve
