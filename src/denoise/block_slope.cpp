#include "denoise/block_slope.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace sieve::internal {

GroupSlope::GroupSlope(const lanes::BlockBasis& basis) : side_(basis.side), pitch_(basis.pitch), ramp_{} {
  // Only odd functions rise.
  for (int k = 1; k < side_; k += 2) {
    double sum = 0;
    for (int x = 0; x < side_; ++x) sum += (x - (side_ - 1) / 2.0) * static_cast<double>(basis.rows[k * pitch_ + x]);
    ramp_[k] = static_cast<float>(sum * std::sqrt(static_cast<double>(side_)));
  }
}

void GroupSlope::at(std::span<const Match> blocks) {
  blocks_ = blocks;
  middle_x_ = middle_y_ = squares_across_ = squares_down_ = product_ = 0;
  const auto count = static_cast<double>(blocks.size());
  for (const Match& m : blocks) {
    middle_x_ += m.x / count;
    middle_y_ += m.y / count;
  }
  const int numbers = side_ * side_;
  for (const Match& m : blocks) {
    squares_across_ += numbers * (m.x - middle_x_) * (m.x - middle_x_);
    squares_down_ += numbers * (m.y - middle_y_) * (m.y - middle_y_);
    product_ += numbers * (m.x - middle_x_) * (m.y - middle_y_);
  }
}

GroupSlope::Slope GroupSlope::of(const float* stack, std::size_t n) const {
  constexpr double kInLine = 1e-6;
  const double determinant = squares_across_ * squares_down_ - product_ * product_;
  if (!(determinant > kInLine * squares_across_ * squares_down_)) return {};
  // The first number of a block is its mean times the side. What they have in common falls out.
  double across = 0, down = 0;
  for (const Match& m : blocks_) {
    const double level = side_ * static_cast<double>(*stack);
    across += (m.x - middle_x_) * level;
    down += (m.y - middle_y_) * level;
    stack += n;
  }
  return {(across * squares_down_ - down * product_) / determinant,
          (down * squares_across_ - across * product_) / determinant};
}

void GroupSlope::add(const Slope& slope, float* stack, std::size_t n) const {
  if (slope.across == 0 && slope.down == 0) return;
  const auto across = static_cast<float>(slope.across), down = static_cast<float>(slope.down);
  alignas(64) float form[lanes::kMostBlock * lanes::kMostBlock] = {};
  for (int k = 1; k < side_; k += 2) {
    form[k * pitch_] = across * ramp_[k];
    form[k] = down * ramp_[k];
  }
  std::array<float, lanes::kMostGroup> levels;
  const Match& first = blocks_.front();
  std::transform(blocks_.begin(), blocks_.end(), levels.begin(), [&](const Match& m) {
    return static_cast<float>(side_) *
           (across * static_cast<float>(m.x - first.x) + down * static_cast<float>(m.y - first.y));
  });
  lanes::add_form(stack, static_cast<int>(blocks_.size()), n, form, levels.data());
}

}  // namespace sieve::internal
