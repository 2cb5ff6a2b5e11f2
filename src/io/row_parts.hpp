#pragma once
// The rows of a picture in parts that are compressed side by side.

#include <algorithm>
#include <mutex>

#include "io/deflate.hpp"
#include "sieve/core/buffers.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve::io {

// Parts of about kPieceBytes. How the picture is cut depends on its size alone, and so do the bytes that come of it.
class RowParts {
 public:
  RowParts(int height, std::size_t row_bytes)
      : height_(height),
        row_bytes_(row_bytes),
        rows_(static_cast<int>(std::clamp<std::size_t>(kPieceBytes / row_bytes, 1, static_cast<std::size_t>(height)))) {
  }
  int rows() const { return rows_; }  // of a part but the last
  int count() const { return (height_ - 1) / rows_ + 1; }
  int first(int part) const { return part * rows_; }
  int last(int part) const { return std::min(height_, (part + 1) * rows_); }

  // work(part) for each, on all threads, which gives what was lost in it; gives all that was.
  template <class Work>
  Saturation each(Work work) const {
    Saturation all;
    std::mutex mutex;
    // Compressing a byte takes about as long as copying fifty samples.
    parallel_rows(
        count(), RowCost(row_bytes_ * static_cast<std::size_t>(rows_), 50),
        [&](int from, int to) {
          for (int part = from; part < to; ++part) {
            const Saturation lost = work(part);
            const std::lock_guard lock(mutex);
            all += lost;
          }
        },
        1);
    return all;
  }

 private:
  int height_;
  std::size_t row_bytes_;
  int rows_;
};

}  // namespace sieve::io
