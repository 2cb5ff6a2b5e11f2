#pragma once
// The last few source rows of a strip, extended beyond the border, in cache.

#include <vector>

#include "core/rows.hpp"
#include "core/workspace.hpp"
#include "sieve/core/image.hpp"

namespace sieve::internal {

class RowRing {
 public:
  // Holds `count` rows of width + left + right samples of one channel.
  RowRing(const ConstView& channel, int count, int left, int right, Border border, float fill)
      : channel_(channel),
        count_(count),
        left_(left),
        right_(right),
        border_(border),
        fill_(fill),
        stride_((channel.width() + left + right + 31) / 16 * 16),
        buffer_(static_cast<std::size_t>(stride_) * static_cast<std::size_t>(count)) {}

  // Makes row y the newest; rows are asked for in rising order without gaps.
  void load(int y) { rows::extend(channel_, y, -left_, channel_.width() + left_ + right_, border_, fill_, slot(y)); }
  // Row y, which was loaded not more than `count` rows ago; index 0 is the first sample at the left.
  const float* row(int y) const { return const_cast<RowRing*>(this)->slot(y); }

 private:
  float* slot(int y) {
    int i = y % count_;
    if (i < 0) i += count_;
    return buffer_.data() + static_cast<std::ptrdiff_t>(i) * stride_;
  }
  ConstView channel_;
  int count_, left_, right_;
  Border border_;
  float fill_;
  std::ptrdiff_t stride_;
  Scratch<float> buffer_;
};

}  // namespace sieve::internal
