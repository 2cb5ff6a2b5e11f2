#include "denoise/block_pass.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>

#include "denoise/block_lanes.hpp"
#include "denoise/block_slope.hpp"

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
          noise[static_cast<std::size_t>(x * basis_.pitch + y)] = guides ? power : o.hard * std::sqrt(power);
        }
      }
    }
  }

  GroupWork work_of_thread() {
    return [this, work = Work(floats_, basis_)](const BlockGroup& group) mutable {
      const std::span<const Match> blocks = group.blocks.first(std::bit_floor(group.blocks.size()));
      std::array<std::ptrdiff_t, lanes::kMostGroup> room;
      const std::span<const std::ptrdiff_t> places(room.begin(), blocks.size());
      std::transform(blocks.begin(), blocks.end(), room.begin(), [&](const Match& m) { return planes_[0].place(m); });
      // Three means are on any plane.
      const bool sloping = group.spread && blocks.size() > 3;
      if (sloping) work.slope.at(blocks);
      for (std::size_t c = 0; c < planes_.size(); ++c) {
        load(planes_[c], places, work.stack);
        if (!guides_.empty()) load(guides_[c], places, work.guide);
        GroupSlope::Slope slope;
        if (sloping) slope = taken_out(c, work);
        const float weight = shrunk(c, static_cast<int>(blocks.size()), work);
        if (sloping) work.slope.add(slope, work.stack.data(), floats_);
        lanes::blocks_inverse(basis_, static_cast<int>(blocks.size()), floats_, work.stack.data());
        sums_.add(c, places, work.stack.data(), floats_, window_.data(), side_, basis_.pitch, weight);
      }
    };
  }

  Image means() const { return sums_.means(); }

 private:
  struct Work {
    Work(std::size_t floats, const lanes::BlockBasis& basis)
        : stack(floats * lanes::kMostGroup, 0.0F), guide(stack.size(), 0.0F), slope(basis) {}
    Scratch<float> stack, guide;
    GroupSlope slope;
  };

  void load(const BlockPlane& plane, std::span<const std::ptrdiff_t> places, Scratch<float>& stack) const {
    lanes::blocks_forward(basis_, plane.at(0, 0), plane.stride, places.data(), static_cast<int>(places.size()), floats_,
                          stack.data());
  }

  // Takes the slope of the blocks out of them and gives what is to be put back. It is held against the noise as any
  // other number is, but more strictly: in strong noise it would bring coarse clouds into what is even.
  GroupSlope::Slope taken_out(std::size_t c, Work& w) const {
    constexpr double kHard = 1.5, kPower = 10;
    const GroupSlope& g = w.slope;
    GroupSlope::Slope slope = g.of(w.stack.data(), floats_);
    const auto noise = static_cast<double>(noise_[c][0]);
    const auto remove = [&](const GroupSlope::Slope& s, Scratch<float>& from) {
      g.add({-s.across, -s.down}, from.data(), floats_);
    };
    if (guides_.empty()) {
      const auto kept = [&](double value, double squares) {
        return std::fabs(value) * std::sqrt(squares) > kHard * noise ? value : 0;
      };
      slope = {kept(slope.across, g.across()), kept(slope.down, g.down())};
      remove(slope, w.stack);
      return slope;
    }
    const GroupSlope::Slope guide = g.of(w.guide.data(), floats_);
    remove(slope, w.stack);
    remove(guide, w.guide);
    const auto weighed = [&](double value, double guided, double squares) {
      const double signal = guided * guided * squares;
      return value * signal / (signal + kPower * noise);
    };
    return {weighed(slope.across, guide.across, g.across()), weighed(slope.down, guide.down, g.down())};
  }

  // Gives the weight of the blocks.
  float shrunk(std::size_t c, int count, Work& w) const {
    const float* noise = noise_[c].data();
    if (guides_.empty())
      return 1 / static_cast<float>(std::max(1, lanes::shrink_hard(w.stack.data(), count, floats_, noise)));
    return 1 / std::max(1e-3F, lanes::shrink_by_guide(w.stack.data(), w.guide.data(), count, floats_, noise));
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
