#include "sieve/core/image.hpp"

#include <algorithm>
#include <bit>
#include <cstdio>
#include <cstring>
#include <limits>
#include <string>
#include <utility>

#include "core/context.hpp"
#include "core/memory.hpp"
#include "core/rows.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve {

using namespace internal;

namespace {

void check_part(const Rectangle& r, const Shape& s) {
  if (r.x < 0 || r.y < 0 || r.width < 1 || r.height < 1 || r.width > s.width - r.x || r.height > s.height - r.y) {
    throw InvalidArgument("the part " + std::to_string(r.width) + "x" + std::to_string(r.height) + " at " +
                          std::to_string(r.x) + "," + std::to_string(r.y) + " is not inside the picture of " +
                          text_of(s).text);
  }
}

void check_channel(int c, const Shape& s) {
  if (c < 0 || c >= s.channels) {
    throw InvalidArgument("channel " + std::to_string(c) + " of a picture of " + text_of(s).text +
                          ": they count from 0");
  }
}

}  // namespace

ConstView ConstView::channel(int c) const {
  check_channel(c, shape);
  return {row(0, c), {shape.width, shape.height, 1}, row_stride, plane_stride, white_level, place};
}

ConstView ConstView::part(const Rectangle& r) const {
  check_part(r, shape);
  return {row(r.y) + r.x, {r.width, r.height, shape.channels}, row_stride, plane_stride, white_level, {}};
}

View View::channel(int c) const {
  check_channel(c, shape);
  return {row(0, c), {shape.width, shape.height, 1}, row_stride, plane_stride, white_level};
}

View View::part(const Rectangle& r) const {
  check_part(r, shape);
  return {row(r.y) + r.x, {r.width, r.height, shape.channels}, row_stride, plane_stride, white_level};
}

Image::Image(const Shape& shape, std::uint32_t white_level) : Image(shape, white_level, true) {}

Image::Image(const Shape& shape, std::uint32_t white_level, bool black) : shape_(shape), white_level_(white_level) {
  if (shape.width < 1 || shape.height < 1) {
    throw InvalidArgument(std::string("a picture of ") + text_of(shape).text +
                          " has no pixel: width and height start at 1");
  }
  if (shape.channels < 1 || shape.channels > 4) {
    throw InvalidArgument("a picture of " + std::to_string(shape.channels) +
                          " channels: allowed are 1 gray, 2 gray+alpha, 3 RGB, 4 RGBA");
  }
  const std::size_t row = padded_row(static_cast<std::size_t>(shape.width));
  const std::size_t limit = std::numeric_limits<std::ptrdiff_t>::max() / sizeof(float);
  if (row > limit / static_cast<std::size_t>(shape.height) / static_cast<std::size_t>(shape.channels)) {
    throw Error(std::string("a picture of ") + text_of(shape).text + " is larger than the memory of any machine");
  }
  row_stride_ = static_cast<std::ptrdiff_t>(row);
  plane_stride_ = row_stride_ * shape.height;
  bytes_ = row * static_cast<std::size_t>(shape.height) * static_cast<std::size_t>(shape.channels) * sizeof(float);
  data_ = static_cast<float*>(take_memory(bytes_));
  // What comes fresh from the system is black.
  if (black && context().workspace != nullptr) std::memset(data_, 0, bytes_);
}

Image internal::unfilled(const Shape& shape, std::uint32_t white_level) { return {shape, white_level, false}; }

Image::Image(int width, int height, int channels) : Image(Shape{width, height, channels}) {}

Image::Image(const ConstView& view) : Image(view.shape, view.white_level) { copy(view, this->view()); }

Image::Image(const Image& other) {
  if (!other.empty()) *this = Image(other.view());
}

Image::Image(Image&& other) noexcept { *this = std::move(other); }

Image& Image::operator=(const Image& other) {
  if (this != &other) *this = Image(other);
  return *this;
}

Image& Image::operator=(Image&& other) noexcept {
  std::swap(data_, other.data_);
  std::swap(bytes_, other.bytes_);
  std::swap(shape_, other.shape_);
  std::swap(row_stride_, other.row_stride_);
  std::swap(plane_stride_, other.plane_stride_);
  std::swap(white_level_, other.white_level_);
  return *this;
}

Image::~Image() {
  if (data_ != nullptr) give_memory(data_, bytes_);
}

void Image::fill(float value) {
  for (int c = 0; c < channels(); ++c) {
    for (int y = 0; y < height(); ++y) std::fill_n(row(y, c), width(), value);
  }
}

int bits_of(std::uint32_t white_level) { return white_level == 0 ? 32 : static_cast<int>(std::bit_width(white_level)); }

void copy(const ConstView& from, const View& to) {
  if (from.shape != to.shape) {
    throw InvalidArgument(std::string("copy from ") + text_of(from.shape).text + " to " + text_of(to.shape).text +
                          ": the shapes must be the same");
  }
  if (from.empty()) return;
  require_output_or_same(from, to, from.shape, "copy");
  if (from.data == to.data) return;
  const int width = from.width();
  if (from.row_stride == width && to.row_stride == width && width < 16) {
    // Rows without gaps, and too short to be copied one by one.
    parallel_rows(from.height(), RowCost(width, from.channels()), [&](int first, int last) {
      for (int c = 0; c < from.channels(); ++c)
        std::memcpy(to.row(first, c), from.row(first, c),
                    static_cast<std::size_t>(last - first) * static_cast<std::size_t>(width) * sizeof(float));
    });
    return;
  }
  parallel_rows(from.height() * from.channels(), from.width(), [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const int c = i / from.height(), y = i % from.height();
      rows::copy(from.row(y, c), to.row(y, c), static_cast<std::size_t>(from.width()),
                 rows::streams(to.shape.samples()));
    }
  });
}

void copy_alpha(const ConstView& from, const View& to) {
  if (!from.shape.has_alpha()) return;
  copy(from.channel(from.channels() - 1), to.channel(to.channels() - 1));
}

bool identical(const ConstView& a, const ConstView& b) {
  if (a.shape != b.shape) return false;
  for (int c = 0; c < a.channels(); ++c) {
    for (int y = 0; y < a.height(); ++y) {
      if (std::memcmp(a.row(y, c), b.row(y, c), static_cast<std::size_t>(a.width()) * sizeof(float)) != 0) return false;
    }
  }
  return true;
}

namespace {

// Rows of samples in memory, in bytes, as an address can tell: that of the first one, and the way to the others.
struct Rows {
  explicit Rows(const ConstView& v)
      : first(reinterpret_cast<std::intptr_t>(v.data)),
        row(v.row_stride * kSample),
        plane(v.channels() > 1 ? v.plane_stride * kSample : 0),
        width(v.width() * kSample),
        height(v.height()),
        channels(v.channels()) {}

  static constexpr auto kSample = static_cast<std::ptrdiff_t>(sizeof(float));
  std::intptr_t first;
  std::ptrdiff_t row, plane, width;
  int height, channels;
};

// True where one of `rows` in channel `c` meets the bytes from `at` on, `width` of them. Of the rows that begin before
// and behind `at` the nearest one decides, since those farther off can only meet it if that does.
bool meets(const Rows& rows, int c, std::intptr_t at, std::ptrdiff_t width) {
  const std::ptrdiff_t d = at - (rows.first + c * rows.plane);
  const std::ptrdiff_t before = d / rows.row - ((d % rows.row != 0) && ((d < 0) != (rows.row < 0)) ? 1 : 0);
  for (const std::ptrdiff_t y : {before, before + 1}) {
    const std::ptrdiff_t start = std::clamp<std::ptrdiff_t>(y, 0, rows.height - 1) * rows.row;
    if (start < d + width && d < start + rows.width) return true;
  }
  return false;
}

// The lowest address, and the one behind the highest.
std::pair<std::intptr_t, std::intptr_t> bounds(const Rows& r) {
  const std::ptrdiff_t rows = (r.height - 1) * r.row, planes = (r.channels - 1) * r.plane, none = 0;
  return {r.first + std::min(rows, none) + std::min(planes, none),
          r.first + std::max(rows, none) + std::max(planes, none) + r.width};
}

bool share_samples(const Rows& a, const Rows& b) {
  const auto [a_low, a_high] = bounds(a);
  const auto [b_low, b_high] = bounds(b);
  if (a_high <= b_low || b_high <= a_low) return false;
  for (int c = 0; c < a.channels; ++c) {
    for (int y = 0; y < a.height; ++y) {
      for (int other = 0; other < b.channels; ++other) {
        if (meets(b, other, a.first + c * a.plane + y * a.row, a.width)) return true;
      }
    }
  }
  return false;
}

void check_strides(const ConstView& v, const char* who, const char* which) {
  const auto size = [](std::ptrdiff_t stride) {
    return stride < 0 ? std::size_t{0} - static_cast<std::size_t>(stride) : static_cast<std::size_t>(stride);
  };
  if (size(v.row_stride) < static_cast<std::size_t>(v.width())) {
    throw InvalidArgument(std::string(who) + ": the " + which + " has a row stride of " + std::to_string(v.row_stride) +
                          " samples and is " + std::to_string(v.width()) +
                          " wide: its rows would share samples; give a stride of the width or more");
  }
  // Beyond this no address could be worked out, nor could there be such a buffer.
  constexpr auto kFarthest = static_cast<std::size_t>(std::numeric_limits<std::ptrdiff_t>::max()) / 16;
  if (size(v.row_stride) > kFarthest / static_cast<std::size_t>(v.height()) ||
      (v.channels() > 1 && size(v.plane_stride) > kFarthest / static_cast<std::size_t>(v.channels()))) {
    throw InvalidArgument(std::string(who) + ": the " + which + " has strides of " + std::to_string(v.row_stride) +
                          " and " + std::to_string(v.plane_stride) +
                          " samples from row to row and from channel to channel: no memory is as large");
  }
  const Rows rows(v);
  for (int c = 1; c < v.channels(); ++c) {
    for (const int y : {0, v.height() - 1}) {
      if (!meets(rows, 0, rows.first + c * rows.plane + y * rows.row, rows.width)) continue;
      throw InvalidArgument(std::string(who) + ": the " + which + " has a plane stride of " +
                            std::to_string(v.plane_stride) + " samples and " + text_of(v.shape).text + ", with rows " +
                            std::to_string(v.row_stride) +
                            " apart: its channels would share samples; give row stride * height or more");
    }
  }
}

enum class SamePlace { refused, allowed };

void check_output(const ConstView& in, const View& out, const Shape& needed, const char* who, SamePlace same) {
  require_input(in, who);
  if (out.shape != needed || out.data == nullptr) {
    throw InvalidArgument(std::string(who) + ": the output is " + text_of(out.shape).text + ", needed is " +
                          text_of(needed).text);
  }
  check_strides(out, who, "output");
  if (same == SamePlace::allowed && out.data == in.data && out.shape == in.shape && out.row_stride == in.row_stride &&
      (out.plane_stride == in.plane_stride || in.channels() == 1))
    return;
  if (share_samples(Rows(in), Rows(out))) {
    throw InvalidArgument(std::string(who) + ": output and input share memory; " +
                          (same == SamePlace::allowed ? "give the input itself or another buffer"
                                                      : "nothing here changes its input, so give another buffer"));
  }
}

}  // namespace

void require_input(const ConstView& in, const char* who) {
  if (in.empty() || in.data == nullptr) throw InvalidArgument(std::string(who) + ": the input has no pixel");
  check_strides(in, who, "input");
}

void require_output(const ConstView& in, const View& out, const Shape& needed, const char* who) {
  check_output(in, out, needed, who, SamePlace::refused);
}

void require_output_or_same(const ConstView& in, const View& out, const Shape& needed, const char* who) {
  check_output(in, out, needed, who, SamePlace::allowed);
}

ShapeText text_of(const Shape& shape) {
  ShapeText t{};
  std::snprintf(t.text, sizeof t.text, "%dx%d, %d channel%s", shape.width, shape.height, shape.channels,
                shape.channels == 1 ? "" : "s");
  return t;
}

}  // namespace sieve
