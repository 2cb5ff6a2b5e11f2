#include "denoise/block_pass.hpp"

#include <algorithm>
#include <bit>
#include <cmath>

#include "denoise/block_lanes.hpp"

namespace sieve::internal {

namespace {

// Kaiser's window with beta 2, so that blocks end softly.
Scratch<float> soft_window(int side, int pitch) {
  const auto bessel = [](double x) {
    double sum = 1, term = 1;
    for (int k = 1; k < 20; ++k) sum += term *= (x / (2 * k)) * (x / (2 * k));
    return sum;
  };
  constexpr double kBeta = 2;
  Scratch<float> window(static_cast<std::size_t>(side * pitch), 0.0F);
  const auto along = [&](int i) {
    const double t = side > 1 ? 2.0 * i / (side - 1) - 1 : 0;
    return bessel(kBeta * std::sqrt(std::max(0.0, 1 - t * t))) / bessel(kBeta);
  };
  for (int y = 0; y < side; ++y) {
    for (int x = 0; x < side; ++x)
      window[static_cast<std::size_t>(y * pitch + x)] = static_cast<float>(along(y) * along(x));
  }
  return window;
}

class BlockPass {
 public:
  BlockPass(const ConstView& planes, const ConstView* guides, const BlockPassOptions& o)
      : side_(o.groups.side),
        basis_(side_),
        floats_(static_cast<std::size_t>(side_ * basis_.pitch + 15) / 16 * 16),
        window_(soft_window(side_, basis_.pitch)),
        planes_(block_planes(planes)),
        sums_(planes.width(), planes.height(), planes.channels()) {
    if (guides != nullptr) guides_ = block_planes(*guides);
    // Nothing stands behind the end of a row; a power there must only not be 0.
    for (int c = 0; c < planes.channels(); ++c) {
      Scratch<float>& noise = noise_.emplace_back(floats_, 1.0F);
      for (int y = 0; y < side_; ++y) {
        for (int x = 0; x < side_; ++x) {
          const auto power = static_cast<float>(o.noise.power(c, x, y, side_));
          noise[static_cast<std::size_t>(y * basis_.pitch + x)] = guides ? power : o.hard * std::sqrt(power);
        }
      }
    }
  }

  GroupWork work_of_thread() {
    return [this, n = floats_, stack = Scratch<float>(floats_ * lanes::kMostGroup, 0.0F),
            guide = Scratch<float>(floats_ * lanes::kMostGroup, 0.0F)](std::span<const Match> found) mutable {
      const std::span<const Match> matches = found.first(std::bit_floor(found.size()));
      const auto count = static_cast<int>(matches.size());
      for (std::size_t c = 0; c < planes_.size(); ++c) {
        load(planes_[c], matches, n, stack.data());
        float weight = 0;
        if (guides_.empty()) {
          weight = 1 / static_cast<float>(std::max(1, lanes::shrink_hard(stack.data(), count, n, noise_[c].data())));
        } else {
          load(guides_[c], matches, n, guide.data());
          weight = 1 / std::max(1e-3F, lanes::shrink_by_guide(stack.data(), guide.data(), count, n, noise_[c].data()));
        }
        float* block = stack.data();
        for (const Match& m : matches) {
          lanes::block_inverse(basis_, block);
          sums_.add(c, m, block, window_.data(), side_, basis_.pitch, weight);
          block += n;
        }
      }
    };
  }

  Image means() const { return sums_.means(); }

 private:
  void load(const BlockPlane& plane, std::span<const Match> matches, std::size_t n, float* stack) const {
    for (const Match& m : matches) {
      lanes::block_forward(basis_, plane.at(m.x, m.y), plane.stride, stack);
      stack += n;
    }
  }

  int side_;
  lanes::BlockBasis basis_;
  std::size_t floats_;  // to a block
  Scratch<float> window_;
  std::vector<BlockPlane> planes_, guides_;
  std::vector<Scratch<float>> noise_;  // thresholds, or with a guide powers, of each plane
  BlockSums sums_;
};

}  // namespace

Image block_pass(const ConstView& planes, const ConstView& match, const ConstView* guides, const BlockPart& part,
                 const BlockPassOptions& options) {
  BlockPass pass(planes, guides, options);
  each_group(BlockPlane(match), part, options.groups, [&] { return pass.work_of_thread(); });
  return pass.means();
}

}  // namespace sieve::internal
