#include "sieve/core/map.hpp"

#include <algorithm>
#include <string>

#include "core/context.hpp"
#include "core/rows.hpp"

namespace sieve {

using namespace internal;

void require_second(const ConstView& second, const Shape& first, const char* who) {
  require_input(second, who);
  const int color = first.color_channels(), other = second.shape.color_channels();
  if (first.width != second.width() || first.height != second.height() || (other != 1 && other != color)) {
    throw InvalidArgument(std::string(who) + ": two pictures of " + text_of(first).text + " and " +
                          text_of(second.shape).text +
                          ": they must be of one size, and the second gray or with the same channels");
  }
}

void require_pair(const ConstView& a, const ConstView& b, const View& out, const char* who) {
  require_input(a, who);
  require_second(b, a.shape, who);
  const int other = b.shape.color_channels();
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

void internal::require_windows(const ConstView& in, const View& out, int reach, Border border) {
  require_output(in, out, in.shape, "map_windows");
  if (reach < 0) throw InvalidArgument("map_windows: reach=" + std::to_string(reach) + ": it starts at 0");
  if (border == Border::inside || border == Border::full || border == Border::taper)
    throw InvalidArgument(
        "map_windows: border inside, full or taper: give edge, mirror, reflect, wrap, zero or constant, and crop or "
        "pad");
}

WindowRows::WindowRows(int rows, std::ptrdiff_t stride)
    : bytes_(static_cast<std::size_t>(stride) * (static_cast<std::size_t>(rows)) * sizeof(float) +
             Lanes::count * sizeof(float)),
      data_(static_cast<float*>(take_memory(bytes_))) {}

WindowRows::~WindowRows() { give_memory(data_, bytes_); }

int internal::window_strip(int width, int height, int reach) {
  constexpr int kSamples = 1 << 16;
  return strip_or_all(height, std::max(8 * std::max(reach, 1), kSamples / std::max(width, 1)));
}

}  // namespace sieve
