#include "spatial/mean_rows.hpp"

#include <algorithm>

#include "sieve/core/parallel.hpp"
#include "spatial/lanes.hpp"

namespace sieve {

using namespace internal;

MeanRows::MeanRows(int radius, int count)
    : side_(2 * static_cast<std::size_t>(radius) + 1),
      count_(static_cast<std::size_t>(count)),
      wide_(count_ + side_ - 1),
      scale_(1.0 / (static_cast<double>(side_) * static_cast<double>(side_))),
      ring_((side_ + 1) * wide_),
      line_(wide_ + lanes::kSlack),
      means_(count_ + lanes::kSlack),
      sums_(wide_) {}

void MeanRows::push() {
  const float* row = slot(rows_++);
  if (rows_ < side_) return;
  if (finite_ && rows_ > side_) {
    finite_ = lanes::slide(sums_.data(), row, slot(rows_ - 1 - side_), scale_, line_.data(), wide_);
    if (finite_) return;
  }
  // The first window; and a running sum cannot let go of a NaN: while one is in the window, each row is summed anew.
  std::fill(sums_.begin(), sums_.end(), 0.0);
  finite_ = true;
  for (std::size_t i = rows_ - side_; i < rows_; ++i)
    finite_ = lanes::accumulate(sums_.data(), slot(i), 1, wide_) && finite_;
  for (std::size_t x = 0; x < wide_; ++x) line_[x] = static_cast<float>(sums_[x] * scale_);
}

void MeanRows::repeat() {
  std::copy_n(slot(rows_ - 1), wide_, next());
  push();
}

const float* MeanRows::means() {
  std::fill(line_.begin() + static_cast<std::ptrdiff_t>(wide_), line_.end(), 0.0F);
  lanes::window_sums(line_.data(), count_, side_, means_.data(), finite_);
  return means_.data();
}

void internal::each_window_tile(int width, int height, int radius, const std::function<void(const Rectangle&)>& work) {
  const int wide = std::max(1024, 16 * radius),
            high = std::clamp((height + 3) / 4, std::min(height, std::max(64, 8 * radius)), std::max(512, 8 * radius));
  const int columns = (width + wide - 1) / wide, rows = (height + high - 1) / high;
  parallel_rows(
      columns * rows, static_cast<std::size_t>(std::min(width, wide)) * static_cast<std::size_t>(high),
      [&](int first, int last) {
        for (int t = first; t < last; ++t) {
          const int x = t % columns * wide, y = t / columns * high;
          work({x, y, std::min(wide, width - x), std::min(high, height - y)});
        }
      },
      1);
}

}  // namespace sieve
