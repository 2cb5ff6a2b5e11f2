#include "sieve/core/map.hpp"

#include "core/rows.hpp"

namespace sieve {

using namespace internal;

void require_pair(const ConstView& a, const ConstView& b, const View& out, const char* who) {
  require_input(a, who);
  require_input(b, who);
  const int color = a.shape.color_channels(), other = b.shape.color_channels();
  if (a.width() != b.width() || a.height() != b.height() || (other != 1 && other != color)) {
    throw InvalidArgument(std::string(who) + ": two pictures of " + text_of(a.shape).text + " and " +
                          text_of(b.shape).text +
                          ": they must be of one size, and the second gray or with the same channels");
  }
  require_output_or_same(a, out, a.shape, who);
  if (b.shape == a.shape) {
    require_output_or_same(b, out, a.shape, who);
    return;
  }
  // A gray second picture must not change between the channels that it serves.
  for (int c = 0; c < other; ++c) {
    for (int to = 0; to < out.channels(); ++to) {
      const ConstView from = b.channel(c);
      const auto require = other > 1 && to == c ? require_output_or_same : require_output;
      require(from, out.channel(to), from.shape, who);
    }
  }
}

void fill_window_rows(const ConstView& channel, int first_row, int rows, int reach, Border border, float fill,
                      float* buffer, std::ptrdiff_t stride) {
  for (int i = 0; i < rows; ++i) {
    rows::extend(channel, first_row + i, -reach, channel.width() + 2 * reach, border, fill, buffer + i * stride);
  }
}

}  // namespace sieve
