#pragma once
// Means over square windows of rows that come one after another, so that several can be had in one pass through the
// picture: nothing of the picture's size is kept.
//
// Rows are added up by blocks as high as a window, which begin at fixed rows of the picture. A window is the end of one
// block and the beginning of the next: what comes out depends on the samples of the window and its place alone, not on
// the row where the work began, and a NaN leaves with its row. Source of the scheme: van Herk, "A fast algorithm for
// local minimum and maximum filters on rectangular and octagonal kernels", Pattern Recognition Letters 13, 1992.

#include <cstddef>

#include "core/workspace.hpp"
#include "sieve/core/function_ref.hpp"
#include "sieve/core/image.hpp"

namespace sieve::internal {

// Windows of up to that radius give the same bits wherever the work begins; along the rows of larger ones sums run.
inline constexpr int kSteadyMeanRadius = 31;

class MeanRows {
 public:
  // Windows of 2 radius + 1 pixels a side, `count` means to a row: a row that comes in has `count + 2 radius` samples.
  // `first` is the number of the first of them in the whole picture, which may lie beyond it.
  MeanRows(int radius, int count, int first);
  // Where the samples of the next row go.
  float* next() { return slot(row_); }
  // Takes the row at next().
  void push();
  // Takes the last row once more: the border's edge.
  void repeat();
  // The means over the last 2 radius + 1 rows, once there were so many.
  const float* means();

 private:
  float* slot(std::size_t row) { return ring_.data() + row % side_ * wide_; }
  std::size_t side_, count_, wide_;
  std::size_t row_, first_;  // of the picture, counted from a multiple of the side that lies before all of it
  double scale_;
  bool finite_ = true;
  Scratch<float> ring_;          // the rows of this block, and behind them what the last one has to give to the windows
  Scratch<float> line_, means_;  // by columns, by windows
  Scratch<double> sums_;         // of this block, by columns
};

// work(tile) for tiles of a picture that suit windows of that radius, side by side: large against their surroundings,
// and the same for any number of threads.
void each_window_tile(int width, int height, int radius, FunctionRef<void(const Rectangle&)> work);

}  // namespace sieve::internal
