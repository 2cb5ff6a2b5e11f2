#include "spatial/mean_rows.hpp"

#include <algorithm>

#include "sieve/core/parallel.hpp"
#include "spatial/lanes.hpp"

namespace sieve {

using namespace internal;

namespace {
// Rows of pictures are counted from so many windows before the first one, so that none has a negative number.
constexpr std::size_t kBefore = 8;
}  // namespace

MeanRows::MeanRows(int radius, int count, int first)
    : side_(2 * static_cast<std::size_t>(radius) + 1),
      count_(static_cast<std::size_t>(count)),
      wide_(count_ + side_ - 1),
      row_(kBefore * side_ + static_cast<std::size_t>(first)),
      first_(row_),
      scale_(1.0 / (static_cast<double>(side_) * static_cast<double>(side_))),
      ring_(side_ * wide_),
      line_(wide_ + lanes::kSlack),
      means_(count_ + lanes::kSlack),
      sums_(wide_) {}

void MeanRows::push() {
  const std::size_t place = row_ % side_, block = row_ - place;
  float* row = slot(row_);
  ++row_;
  const bool complete = place + 1 == side_;
  // The window begins in the row behind this one of the block before; at the block's end it is the block itself.
  const float* before = complete || row_ - first_ < side_ ? nullptr : slot(row_);
  if (place == 0) std::fill(sums_.begin(), sums_.end(), 0.0);
  finite_ = lanes::add_window_row(sums_.data(), row, before, scale_, line_.data(), wide_);
  if (!complete) return;
  // From now on each row of the block holds its sum with all below it.
  std::fill(sums_.begin(), sums_.end(), 0.0);
  for (std::size_t y = row_; y-- > std::max(block, first_);) lanes::add_into_row(sums_.data(), slot(y), wide_);
}

void MeanRows::repeat() {
  // The last row of a complete block is still itself.
  std::copy_n(slot(row_ - 1), wide_, next());
  push();
}

const float* MeanRows::means() {
  std::fill(line_.begin() + static_cast<std::ptrdiff_t>(wide_), line_.end(), 0.0F);
  if (finite_ && side_ > 2 * kSteadyMeanRadius + 1) {
    lanes::running_sums(line_.data(), count_, side_, means_.data(), false);
  } else {
    lanes::window_sums(line_.data(), count_, side_, means_.data());
  }
  return means_.data();
}

void internal::each_window_tile(int width, int height, int radius, FunctionRef<void(const Rectangle&)> work) {
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
