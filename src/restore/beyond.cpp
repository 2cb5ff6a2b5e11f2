#include "restore/beyond.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <utility>
#include <vector>

#include "core/row_sums.hpp"
#include "sieve/core/map.hpp"

namespace sieve::internal {

namespace {

// k and the number of steps are from trial over photographs: more steps gain less than 0.1 dB.
constexpr double kWeight = 0.01;
constexpr int kSteps = 2;

// After X the objective is the sum of |G|^2 k |D|^2 / (|H|^2 + k |D|^2), which is quadratic in what is beyond.
class Beyond {
 public:
  Beyond(const ConstView& channel, const Transfer2d& transfer)
      : width_(channel.width()), height_(channel.height()), grid_(transfer.grid), left_(grid_.size()) {
    grid_.frame.border = Border::wrap;
    const Frame& f = grid_.frame;
    const auto gradient = [](int u, int n) { return 2 - 2 * std::cos(2 * std::numbers::pi * u / n); };
    std::vector<double> down;
    for (int v = 0; v < grid_.rows; ++v) down.push_back(gradient(v, f.height));
    parallel_rows(grid_.columns, RowCost(grid_.rows, 4), [&](int first, int last) {
      for (int u = first; u < last; ++u) {
        const double across = gradient(u, f.width);
        for (int v = 0; v < grid_.rows; ++v) {
          const double penalty = kWeight * (across + down[static_cast<std::size_t>(v)]);
          left_[grid_.place(u, v)] = static_cast<float>(penalty / (std::norm(transfer.at(u, v)) + penalty));
        }
      }
    });
  }

  // From `frame` to the least, changing only what is beyond the picture.
  void find(Image& frame) const {
    Image rest = slope(frame);
    Image direction = map_samples(rest, [](float v) { return -v; });
    double size = product(rest, rest);
    for (int i = 0; i < kSteps && size > 0; ++i) {
      checkpoint();
      const Image bent = slope(direction);
      const double curvature = product(direction, bent);
      if (!(curvature > 0)) return;
      const auto step = static_cast<float>(size / curvature);
      map_pairs(frame, direction, frame.view(), [step](float v, float d) { return v + step * d; });
      map_pairs(rest, bent, rest.view(), [step](float r, float b) { return r + step * b; });
      const double before = std::exchange(size, product(rest, rest));
      const auto keep = static_cast<float>(size / before);
      map_pairs(rest, direction, direction.view(), [keep](float r, float d) { return keep * d - r; });
    }
  }

 private:
  // Half of the derivative of the objective by each sample beyond the picture; 0 in the picture.
  Image slope(const Image& frame) const {
    Image out(frame.shape());
    filter_in_frame(grid_, frame, out.view(), [&](int u, auto* column) {
      const float* left = left_.data() + grid_.place(u, 0);
      for (int v = 0; v < grid_.rows; ++v) column[v] *= left[v];
    });
    for (int y = 0; y < height_; ++y) std::fill_n(out.row(y), width_, 0.0F);
    return out;
  }
  double product(const Image& a, const Image& b) const {
    return sum_of_rows(a.height(), a.width(), [&](int y) {
      const float *p = a.row(y), *q = b.row(y);
      double sum = 0;
      for (int x = y < height_ ? width_ : 0; x < a.width(); ++x)
        sum += static_cast<double>(p[x]) * static_cast<double>(q[x]);
      return sum;
    });
  }

  int width_, height_;
  Grid grid_;
  std::vector<float> left_;
};

}  // namespace

Image in_frame(const ConstView& channel, const Transfer2d& transfer) {
  if (transfer.grid.cosine) return Image(channel);
  Image frame = continued(channel, transfer.grid.frame);
  if (transfer.grid.frame.border == Border::taper) Beyond(channel, transfer).find(frame);
  return frame;
}

}  // namespace sieve::internal
