#pragma once
/// What a point filter does to rows of samples, its parameters known: from it the engine makes one pass of many
/// filters.

#include <array>
#include <cstddef>
#include <functional>
#include <type_traits>
#include <utility>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {

/// Where the first sample of a row lies in the whole picture.
struct RowPlace {
  int x = 0;        ///< column
  int y = 0;        ///< row
  int channel = 0;  ///< color channel
  int width = 0;    ///< of the whole picture
  int height = 0;   ///< of the whole picture
};

/// The samples of all color channels of the same pixels of a row.
struct PixelRow {
  std::array<const float*, 3> in;  ///< `colors` rows
  std::array<float*, 3> out;       ///< as many as the result has color channels; may be exactly the rows of `in`
  int colors = 1;                  ///< color channels of the input: 1 or 3
  std::size_t count = 0;           ///< samples of each row
};

/// One of three functions, the one that says most of what it does: a sample by its value alone, by its value and its
/// place, or the colors of a pixel together. Called from many threads at once; `out` may be exactly `in`.
struct RowOperation {
  std::function<void(const float* in, float* out, std::size_t n)> values;                          ///< a curve
  std::function<void(const float* in, float* out, std::size_t n, const RowPlace& place)> samples;  ///< by place, too
  std::function<void(const PixelRow& row)> pixels;                                                 ///< by all colors
  double copies = 1;  ///< its cost, in times of copying the samples

  /// True where there is none.
  bool empty() const { return !values && !samples && !pixels; }
};

namespace internal {

// The loop over a row of a function that is given for one sample; a function of rows as it is.
template <class F>
auto over_values(F f) {
  if constexpr (std::is_invocable_v<const F&, const float*, float*, std::size_t>) {
    return f;
  } else {
    static_assert(std::is_invocable_r_v<float, const F&, float>,
                  "a function of a sample takes and gives a float, or takes rows: const float*, float*, std::size_t");
    return [f](const float* in, float* out, std::size_t n) {
      for (std::size_t x = 0; x < n; ++x) out[x] = f(in[x]);
    };
  }
}
template <class F>
auto over_places(F f) {
  if constexpr (std::is_invocable_v<const F&, const float*, float*, std::size_t, const RowPlace&>) {
    return f;
  } else {
    static_assert(std::is_invocable_r_v<float, const F&, float, const RowPlace&>,
                  "a function of a sample and its place takes a float and a const RowPlace& and gives a float");
    return [f](const float* in, float* out, std::size_t n, const RowPlace& place) {
      RowPlace at = place;
      for (std::size_t x = 0; x < n; ++x, ++at.x) out[x] = f(in[x], at);
    };
  }
}

// f(a, b) of a row and the second picture's at the same place.
template <class F>
auto over_pairs(const Image& second, F f) {
  return [&second, f](const float* in, float* out, std::size_t n, const RowPlace& place) {
    const float* other = second.row(place.y, second.shape().color_channels() == 1 ? 0 : place.channel) + place.x;
    for (std::size_t x = 0; x < n; ++x) out[x] = f(in[x], other[x]);
  };
}

}  // namespace internal
}  // namespace sieve
