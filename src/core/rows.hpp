#pragma once
// Work on single rows that several rooms need: extension beyond the border, copies that bypass the cache.

#include <cstddef>
#include <optional>

#include "sieve/core/border.hpp"
#include "sieve/core/image.hpp"

namespace sieve::internal::rows {

// border_index() for the rows of a view: where it lies in a larger picture, of that one, counted from the view's own
// first row.
std::optional<int> row_index(const ConstView& in, int y, Border border);

// Writes the samples `from`..`from + count - 1` of row `y` of a one-channel view, both any integers: what lies beyond
// the picture (the larger one, for a view with a place) is filled in as the border says, with `fill` where the border
// is a fixed value.
void extend(const ConstView& channel, int y, int from, int count, Border border, float fill, float* out);

// True where a result of so many samples is too large to stay in the cache: then stores that bypass it are faster.
bool streams(std::size_t samples);

// Copies n samples; with `stream` past the cache where the alignment allows it.
void copy(const float* from, float* to, std::size_t n, bool stream);

// f(run, count) for the samples of rows first..last-1 of a channel: row by row, or at once where they lie behind each
// other without gaps, so that narrow images do not pay for a call each row.
template <class F>
void each_run(const ConstView& channel, int first, int last, F f) {
  const auto width = static_cast<std::size_t>(channel.width());
  if (channel.row_stride == channel.width())
    return f(channel.row(first), width * static_cast<std::size_t>(last - first));
  for (int y = first; y < last; ++y) f(channel.row(y), width);
}

}  // namespace sieve::internal::rows
