#pragma once
// Means over square windows of rows that come one after another, so that several can be had in one pass through the
// picture: nothing of the picture's size is kept.

#include <cstddef>
#include <functional>
#include <vector>

#include "core/workspace.hpp"
#include "sieve/core/image.hpp"

namespace sieve::internal {

class MeanRows {
 public:
  // Windows of 2 radius + 1 pixels a side, `count` means to a row: a row that comes in has `count + 2 radius` samples.
  MeanRows(int radius, int count);
  // Where the samples of the next row go.
  float* next() { return slot(rows_); }
  // Takes the row at next().
  void push();
  // Takes the last row once more: the border's edge.
  void repeat();
  // The means over the last 2 radius + 1 rows, once there were so many.
  const float* means();

 private:
  float* slot(std::size_t row) { return ring_.data() + row % (side_ + 1) * wide_; }
  std::size_t side_, count_, wide_, rows_ = 0;
  double scale_;
  bool finite_ = true;
  Scratch<float> ring_, line_, means_;  // the rows of a window and one more; their means by columns; by windows
  Scratch<double> sums_;                // by columns
};

// work(tile) for tiles of a picture that suit windows of that radius, side by side: large against their surroundings,
// and the same for any number of threads.
void each_window_tile(int width, int height, int radius, const std::function<void(const Rectangle&)>& work);

}  // namespace sieve::internal
