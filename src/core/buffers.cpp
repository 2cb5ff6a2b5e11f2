#include "sieve/core/buffers.hpp"

#include <limits>
#include <mutex>
#include <string>
#include <type_traits>

#include "core/interleave_lanes.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve {

namespace {

template <class T>
void check_white_level(std::uint32_t white_level) {
  if constexpr (std::is_integral_v<T>) {
    if (white_level < 1 || white_level > std::numeric_limits<T>::max()) {
      throw InvalidArgument("white_level=" + std::to_string(white_level) + ": the level of white is 1.." +
                            std::to_string(std::numeric_limits<T>::max()) + " for this buffer");
    }
  }
}

// The stride that is meant: 0 stands for rows without a gap; one that lets rows share samples is refused.
std::ptrdiff_t checked_stride(std::ptrdiff_t stride, int width, int channels, const char* who) {
  const auto least = static_cast<std::ptrdiff_t>(width) * channels;
  if (stride == 0) return least;
  // Compared on both sides of 0, since the smallest number has no size of its own type.
  if (stride > -least && stride < least) {
    throw InvalidArgument(std::string(who) + ": row_stride=" + std::to_string(stride) + ", but a row has " +
                          std::to_string(least) + " samples: give that or more, negative for rows from the bottom up");
  }
  return stride;
}

template <class T>
void read(const T* samples, const View& out, std::ptrdiff_t row_stride, std::uint32_t white_level) {
  if (samples == nullptr) throw InvalidArgument("from_interleaved: the buffer is null");
  check_white_level<T>(white_level);
  require_input(out, "from_interleaved");
  const int channels = out.channels(), width = out.width();
  const std::ptrdiff_t stride = checked_stride(row_stride, width, channels, "from_interleaved");
  parallel_rows(out.height(), static_cast<std::size_t>(width) * static_cast<std::size_t>(channels),
                [&](int first, int last) {
                  for (int y = first; y < last; ++y) {
                    float* planes[4];
                    for (int c = 0; c < channels; ++c) planes[c] = out.row(y, c);
                    internal::lanes::split_row(samples + y * stride, planes, channels, static_cast<std::size_t>(width),
                                               static_cast<float>(white_level));
                  }
                });
}

template <class T>
Image read(const T* samples, int width, int height, int channels, std::ptrdiff_t stride, std::uint32_t white_level) {
  if (samples == nullptr) throw InvalidArgument("from_interleaved: the buffer is null");
  check_white_level<T>(white_level);
  checked_stride(stride, width, channels, "from_interleaved");
  Image image(Shape{width, height, channels}, white_level);
  read(samples, image.view(), stride, white_level);
  return image;
}

template <class T>
Saturation write(const ConstView& in, T* samples, std::ptrdiff_t stride, std::uint32_t white_level) {
  require_input(in, "to_interleaved");
  if (samples == nullptr) throw InvalidArgument("to_interleaved: the buffer is null");
  check_white_level<T>(white_level);
  const int channels = in.channels(), width = in.width();
  stride = checked_stride(stride, width, channels, "to_interleaved");
  Saturation all;
  std::mutex mutex;
  parallel_rows(in.height(), static_cast<std::size_t>(width) * static_cast<std::size_t>(channels),
                [&](int first, int last) {
                  Saturation s;
                  for (int y = first; y < last; ++y) {
                    const float* planes[4];
                    for (int c = 0; c < channels; ++c) planes[c] = in.row(y, c);
                    internal::lanes::join_row(planes, samples + y * stride, channels, static_cast<std::size_t>(width),
                                              static_cast<float>(white_level), s);
                  }
                  const std::lock_guard lock(mutex);
                  all += s;
                });
  return all;
}

}  // namespace

Image from_interleaved(const std::uint8_t* samples, int width, int height, int channels, std::ptrdiff_t row_stride,
                       std::uint32_t white_level) {
  return read(samples, width, height, channels, row_stride, white_level);
}
Image from_interleaved(const std::uint16_t* samples, int width, int height, int channels, std::ptrdiff_t row_stride,
                       std::uint32_t white_level) {
  return read(samples, width, height, channels, row_stride, white_level);
}
Image from_interleaved(const float* samples, int width, int height, int channels, std::ptrdiff_t row_stride) {
  return read(samples, width, height, channels, row_stride, 0);
}

void from_interleaved(const std::uint8_t* samples, const View& out, std::ptrdiff_t row_stride,
                      std::uint32_t white_level) {
  read(samples, out, row_stride, white_level);
}
void from_interleaved(const std::uint16_t* samples, const View& out, std::ptrdiff_t row_stride,
                      std::uint32_t white_level) {
  read(samples, out, row_stride, white_level);
}
void from_interleaved(const float* samples, const View& out, std::ptrdiff_t row_stride) {
  read(samples, out, row_stride, 0);
}

Saturation to_interleaved(const ConstView& in, std::uint8_t* samples, std::ptrdiff_t row_stride,
                          std::uint32_t white_level) {
  return write(in, samples, row_stride, white_level);
}
Saturation to_interleaved(const ConstView& in, std::uint16_t* samples, std::ptrdiff_t row_stride,
                          std::uint32_t white_level) {
  return write(in, samples, row_stride, white_level);
}
void to_interleaved(const ConstView& in, float* samples, std::ptrdiff_t row_stride) {
  (void)write(in, samples, row_stride, 0);
}

}  // namespace sieve
