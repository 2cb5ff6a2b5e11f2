#include "core/rows.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/rows.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>
#include <cstdint>
#include <cstring>

#include "sieve/core/version.hpp"

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::rows::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

void StreamRow(const float* from, float* to, std::size_t n) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  std::size_t x = 0;
  while (x < n && (reinterpret_cast<std::uintptr_t>(to + x) & (N * sizeof(float) - 1)) != 0) {
    to[x] = from[x];
    ++x;
  }
  for (; x + 2 * N <= n; x += 2 * N) {
    const auto a = hn::LoadU(d, from + x), b = hn::LoadU(d, from + x + N);
    hn::Stream(a, d, to + x);
    hn::Stream(b, d, to + x + N);
  }
  for (; x < n; ++x) to[x] = from[x];
}

const char* Target() { return hwy::TargetName(HWY_TARGET); }

}  // namespace sieve::internal::rows::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::rows {

HWY_EXPORT(StreamRow);
HWY_EXPORT(Target);

std::optional<int> row_index(const ConstView& in, int y, Border border) {
  const std::optional<int> i = border_index(in.place.y + y, in.whole_height(), border);
  return i ? std::optional<int>(*i - in.place.y) : std::nullopt;
}

void extend(const ConstView& channel, int y, int from, int count, Border border, float fill, float* out) {
  const int w = channel.whole_width();
  const auto source = row_index(channel, y, border);
  if (!source) {
    std::fill(out, out + count, fill);
    return;
  }
  // From here on in columns of the whole picture.
  const float* row = channel.row(*source) - channel.place.x;
  from += channel.place.x;
  // The samples x0..x1-1, all on one side of the picture.
  const auto beyond = [&](int x0, int x1) {
    float* to = out + (x0 - from);
    switch (border) {
      case Border::edge:
        std::fill(to, to + (x1 - x0), row[x0 < 0 ? 0 : w - 1]);
        break;
      case Border::mirror:
      case Border::reflect:
      case Border::wrap:
        for (int x = x0; x < x1; ++x) *to++ = row[*border_index(x, w, border)];
        break;
      default:
        std::fill(to, to + (x1 - x0), fill);
    }
  };
  const int first = std::clamp(from, 0, w), past = std::clamp(from + count, first, w);
  if (const int left = std::min(first, from + count); from < left) beyond(from, left);
  if (past > first)
    std::memcpy(out + (first - from), row + first, static_cast<std::size_t>(past - first) * sizeof(float));
  if (const int right = std::max(past, from); right < from + count) beyond(right, from + count);
}

bool streams(std::size_t samples) { return samples >= (std::size_t{3} << 20); }

void copy(const float* from, float* to, std::size_t n, bool stream) {
  if (stream) {
    HWY_DYNAMIC_DISPATCH(StreamRow)(from, to, n);
  } else {
    std::memcpy(to, from, n * sizeof(float));
  }
}

const char* target() { return HWY_DYNAMIC_DISPATCH(Target)(); }

}  // namespace sieve::internal::rows

const char* sieve::simd_target() { return internal::rows::target(); }
#endif
