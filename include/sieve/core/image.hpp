#pragma once
/// The picture type: planar 32-bit float samples, and non-owning views of such samples.

#include <cstddef>
#include <cstdint>

#include "sieve/core/attributes.hpp"

namespace SIEVE_EXPORT sieve {

/// Width and height in pixels, and the number of channels: 1 gray, 2 gray+alpha, 3 RGB, 4 RGBA.
struct Shape {
  int width = 0;
  int height = 0;
  int channels = 1;

  friend bool operator==(const Shape&, const Shape&) = default;
  /// Number of pixels of one channel.
  std::size_t pixels() const { return static_cast<std::size_t>(width) * static_cast<std::size_t>(height); }
  /// Number of samples of all channels.
  std::size_t samples() const { return pixels() * static_cast<std::size_t>(channels); }
  /// True where there is no sample at all.
  bool empty() const { return width <= 0 || height <= 0 || channels <= 0; }
  /// True where the last channel is alpha, which every filter passes through untouched.
  bool has_alpha() const { return channels == 2 || channels == 4; }
  /// Number of channels without alpha: the ones that filters work on.
  int color_channels() const { return has_alpha() ? channels - 1 : channels; }
};

/// A rectangle in pixels: left, top, width, height.
struct Rectangle {
  int x = 0;
  int y = 0;
  int width = 0;
  int height = 0;
  friend bool operator==(const Rectangle&, const Rectangle&) = default;
};

/// Where a view lies in a larger picture that goes on around it in memory: its left top pixel, and the size of that
/// picture; a width of 0 for a view that is a picture by itself. The engine hands such views to filters that read what
/// lies around them (see Description::reads_around) instead of a border.
struct ViewPlace {
  int x = 0;       ///< column of the view's first pixel
  int y = 0;       ///< row of the view's first pixel
  int width = 0;   ///< of the larger picture
  int height = 0;  ///< of the larger picture
  friend bool operator==(const ViewPlace&, const ViewPlace&) = default;
};

/// A read-only look at samples that somebody else owns. Strides are counted in samples, so that a caller's own
/// planar float buffer, or a part of one, is filtered without a copy. Every filter refuses a row stride whose size is
/// below the width and strides that let two samples share a place; a negative stride is allowed (rows stored from the
/// bottom up: `data` is then the first sample of the top row). Clang warns where a view is made of a temporary Image
/// that ends before it.
struct SIEVE_POINTER ConstView {
  const float* data = nullptr;
  Shape shape;
  std::ptrdiff_t row_stride = 0;    ///< samples from one row to the next
  std::ptrdiff_t plane_stride = 0;  ///< samples from one channel to the next
  std::uint32_t white_level = 0;    ///< largest level of the integer source (255 for 8 bits); 0 for float data
  ViewPlace place = {};             ///< nothing for a picture by itself

  int width() const { return shape.width; }
  int height() const { return shape.height; }
  /// Width and height of the whole picture that it is a view of.
  int whole_width() const { return place.width > 0 ? place.width : shape.width; }
  int whole_height() const { return place.width > 0 ? place.height : shape.height; }
  int channels() const { return shape.channels; }
  bool empty() const { return shape.empty(); }
  /// First sample of row `y` of channel `c`.
  const float* row(int y, int c = 0) const { return data + c * plane_stride + y * row_stride; }
  /// The sample at (x, y) of channel `c`. No check of the position.
  float at(int x, int y, int c = 0) const { return row(y, c)[x]; }
  /// One channel alone, as a gray view. InvalidArgument where there is no such channel.
  ConstView channel(int c) const;
  /// A part of the picture as a picture by itself, without a copy. InvalidArgument where the rectangle is not inside.
  ConstView part(const Rectangle& r) const;
};

/// A writable look at samples that somebody else owns; strides as in ConstView.
struct SIEVE_POINTER View {
  float* data = nullptr;
  Shape shape;
  std::ptrdiff_t row_stride = 0;    ///< samples from one row to the next
  std::ptrdiff_t plane_stride = 0;  ///< samples from one channel to the next
  std::uint32_t white_level = 0;    ///< as in ConstView

  int width() const { return shape.width; }
  int height() const { return shape.height; }
  int channels() const { return shape.channels; }
  /// True where there is no sample at all.
  bool empty() const { return shape.empty(); }
  /// First sample of row `y` of channel `c`.
  float* row(int y, int c = 0) const { return data + c * plane_stride + y * row_stride; }
  /// The sample at (x, y) of channel `c`. No check of the position.
  float& at(int x, int y, int c = 0) const { return row(y, c)[x]; }
  /// One channel alone, as a gray view. InvalidArgument where there is no such channel.
  View channel(int c) const;
  /// A part of the picture, without a copy. InvalidArgument where the rectangle is not inside.
  View part(const Rectangle& r) const;
  /// The same samples, read-only.
  operator ConstView() const { return {data, shape, row_stride, plane_stride, white_level, {}}; }
};

class Image;
namespace internal {
Image unfilled(const Shape& shape, std::uint32_t white_level);
}  // namespace internal

/// Owns a picture: channel planes of float samples, every row aligned to 64 bytes and padded to a multiple of
/// that, except in images of fewer than 16 columns, whose rows follow each other without gaps. Nominal black is 0 and
/// nominal white 1; nothing clips or rescales unless an operation is named for it. A value type: a copy copies the
/// samples. An Image stands wherever a ConstView or, unless it is const or a temporary, a View is wanted.
class SIEVE_OWNER Image {
 public:
  /// No picture: width, height and channels are 0.
  Image() = default;
  /// A black picture. InvalidArgument where a size is below 1 or channels is not 1..4, Error where memory is short.
  /// Large pictures come as fresh zero pages from the system, so that nothing is filled twice.
  Image(int width, int height, int channels = 1);
  /// The same from a shape; `white_level` is the largest level of the integer source, 0 for float data.
  explicit Image(const Shape& shape, std::uint32_t white_level = 0);
  /// A copy of the samples that a view shows.
  explicit Image(const ConstView& view);
  Image(const Image& other);
  Image(Image&& other) noexcept;
  Image& operator=(const Image& other);
  Image& operator=(Image&& other) noexcept;
  ~Image();

  const Shape& shape() const { return shape_; }
  int width() const { return shape_.width; }
  int height() const { return shape_.height; }
  int channels() const { return shape_.channels; }
  bool empty() const { return shape_.empty(); }
  /// Largest level of the integer file or buffer the picture came from (7 for 3 bits, 255 for 8); 0 for float.
  /// Filters hand it on, so that the depth of the source is the default when the result is written.
  std::uint32_t white_level() const { return white_level_; }
  void set_white_level(std::uint32_t white_level) { white_level_ = white_level; }

  /// The sample at (x, y) of channel `c`. No check of the position.
  float at(int x, int y, int c = 0) const { return view().at(x, y, c); }
  float& at(int x, int y, int c = 0) { return view().at(x, y, c); }
  /// First sample of row `y` of channel `c`. No check of the position.
  const float* row(int y, int c = 0) const SIEVE_LOOKS_INTO { return view().row(y, c); }
  float* row(int y, int c = 0) SIEVE_LOOKS_INTO { return view().row(y, c); }

  /// Its samples, to be changed or read-only.
  View view() SIEVE_LOOKS_INTO { return {data_, shape_, row_stride_, plane_stride_, white_level_}; }
  ConstView view() const SIEVE_LOOKS_INTO { return {data_, shape_, row_stride_, plane_stride_, white_level_, {}}; }
  /// One channel alone, as a gray view. InvalidArgument where there is no such channel.
  View channel(int c) SIEVE_LOOKS_INTO { return view().channel(c); }
  ConstView channel(int c) const SIEVE_LOOKS_INTO { return view().channel(c); }
  /// A part of the picture, without a copy. InvalidArgument where the rectangle is not inside.
  View part(const Rectangle& r) SIEVE_LOOKS_INTO { return view().part(r); }
  ConstView part(const Rectangle& r) const SIEVE_LOOKS_INTO { return view().part(r); }
  /// Sets every sample of every channel. O(samples).
  void fill(float value);
  /// Stands for a view where one is wanted; a temporary may be handed straight to a function.
  operator ConstView() const { return {data_, shape_, row_stride_, plane_stride_, white_level_, {}}; }
  operator View() & { return view(); }

 private:
  friend Image internal::unfilled(const Shape& shape, std::uint32_t white_level);
  Image(const Shape& shape, std::uint32_t white_level, bool black);
  float* data_ = nullptr;
  std::size_t bytes_ = 0;
  Shape shape_{0, 0, 0};
  std::ptrdiff_t row_stride_ = 0;
  std::ptrdiff_t plane_stride_ = 0;
  std::uint32_t white_level_ = 0;
};

/// Number of bits that hold the levels 0..white_level; 32 (float) for 0.
[[nodiscard]] int bits_of(std::uint32_t white_level);

/// Copies the samples of `from` to `to` in parallel. InvalidArgument where the shapes differ. This is the yardstick
/// that all speeds are measured against.
void copy(const ConstView& from, const View& to);

/// Copies the alpha channel, where there is one, from `from` to `to` (same shape).
void copy_alpha(const ConstView& from, const View& to);

/// True where the two views show the same samples, bit for bit, in the same shape.
[[nodiscard]] bool identical(const ConstView& a, const ConstView& b);

/// Checks of the picture that a call gets: it has a pixel and strides that give every sample a place of its own (see
/// ConstView). `who` is named in the InvalidArgument.
void require_input(const ConstView& in, const char* who);

/// Checks that every call into a buffer makes before it works: those of the input; the output has the shape that is
/// needed and such strides; and the two share no sample, since nothing changes its input. Rows of two views that lie
/// in each other's gaps (two halves of one picture) share none. `who` is named in the InvalidArgument. O(1) where the
/// memory of one begins behind the other's, else O(height * channels of both).
void require_output(const ConstView& in, const View& out, const Shape& needed, const char* who);

/// The same for an operation on single pixels, whose output may also be exactly its input.
void require_output_or_same(const ConstView& in, const View& out, const Shape& needed, const char* who);

/// A shape in words.
struct ShapeText {
  char text[64];  ///< the words
};
/// "768x512, 3 channels", for messages.
[[nodiscard]] ShapeText text_of(const Shape& shape);

}  // namespace sieve
