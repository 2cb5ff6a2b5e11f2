#include "run/figures.hpp"

#include <algorithm>
#include <cmath>

#include "sieve/core/lanes.hpp"

namespace sieve::internal {

void add_samples(SampleFigures& to, const float* samples, std::size_t n) {
  constexpr float kMost = std::numeric_limits<float>::infinity();
  constexpr auto kCount = static_cast<std::size_t>(Lanes::count);
  // Comparisons with NaN are false: it moves neither end. Infinities are no ends either.
  Lanes low = kMost, high = -kMost, below, above, finite;
  const auto take = [&](const Lanes& v) {
    const LaneMask real = abs(v) < Lanes(kMost);
    low = choose(real & (v < low), v, low);
    high = choose(real & (v > high), v, high);
    below += choose(real & (v < Lanes(0.0F)), 1.0F, 0.0F);
    above += choose(real & (v > Lanes(1.0F)), 1.0F, 0.0F);
    finite += choose(real, 1.0F, 0.0F);
  };
  const std::size_t before = to.samples - to.not_finite;
  std::size_t x = 0;
  for (; x + kCount <= n; x += kCount) take(Lanes::load(samples + x));
  if (x < n) {
    float rest[kCount];
    std::fill_n(rest, kCount, std::numeric_limits<float>::quiet_NaN());
    std::copy_n(samples + x, n - x, rest);
    take(Lanes::load(rest));
  }
  float ends[4][kCount], good[kCount];
  low.store(ends[0]);
  high.store(ends[1]);
  below.store(ends[2]);
  above.store(ends[3]);
  finite.store(good);
  float least = before > 0 ? to.low : kMost, most = before > 0 ? to.high : -kMost;
  std::size_t real = 0;
  for (std::size_t i = 0; i < kCount; ++i) {
    least = std::min(least, ends[0][i]);
    most = std::max(most, ends[1][i]);
    to.below += static_cast<std::size_t>(ends[2][i]);
    to.above += static_cast<std::size_t>(ends[3][i]);
    real += static_cast<std::size_t>(good[i]);
  }
  to.samples += n;
  to.not_finite += n - real;
  if (before + real == 0) return;
  to.low = least;
  to.high = most;
}

void add_range(SampleFigures& to, const float* samples, std::size_t n) {
  constexpr float kMost = std::numeric_limits<float>::infinity();
  constexpr auto kCount = static_cast<std::size_t>(Lanes::count);
  Lanes low = kMost, high = -kMost;
  std::size_t x = 0;
  for (; x + kCount <= n; x += kCount) {
    const Lanes v = Lanes::load(samples + x);
    const LaneMask real = abs(v) < Lanes(kMost);
    low = choose(real & (v < low), v, low);
    high = choose(real & (v > high), v, high);
  }
  float ends[2][kCount];
  low.store(ends[0]);
  high.store(ends[1]);
  float least = to.samples > 0 ? to.low : kMost, most = to.samples > 0 ? to.high : -kMost;
  for (std::size_t i = 0; i < kCount; ++i) {
    least = std::min(least, ends[0][i]);
    most = std::max(most, ends[1][i]);
  }
  for (; x < n; ++x) {
    if (!std::isfinite(samples[x])) continue;
    least = std::min(least, samples[x]);
    most = std::max(most, samples[x]);
  }
  to.samples += n;
  to.low = least;
  to.high = most;
}

void add_samples(SampleFigures& to, const ConstView& view) {
  for (int c = 0; c < view.shape.color_channels(); ++c) {
    for (int y = 0; y < view.height(); ++y) add_samples(to, view.row(y, c), static_cast<std::size_t>(view.width()));
  }
}

Range range_of(const SampleFigures& figures) {
  return figures.samples > figures.not_finite ? Range{figures.low, figures.high} : Range();
}

void add_figures(StepFigures& to, const StepFigures& other) {
  SampleFigures& a = to.samples;
  const SampleFigures& b = other.samples;
  to.seconds += other.seconds;
  if (b.samples > b.not_finite) {
    const bool first = a.samples == a.not_finite;
    a.low = first ? b.low : std::min(a.low, b.low);
    a.high = first ? b.high : std::max(a.high, b.high);
  }
  a.samples += b.samples;
  a.below += b.below;
  a.above += b.above;
  a.not_finite += b.not_finite;
}

void FigureBook::add(std::span<const StepFigures> steps) {
  const std::lock_guard lock(mutex_);
  for (std::size_t i = 0; i < steps.size(); ++i) add_figures(steps_[i], steps[i]);
}

void PieceFigures::hear(std::size_t operation, const float* samples, std::size_t n, int x, int y) {
  StepFigures& step = steps_[first_ + operation];
  if (range_alone_ && &step != &steps_.back()) return;
  if (!range_alone_) step.seconds += std::chrono::duration<double>(Clock::now() - since_).count();
  if (y >= piece_.y && y < piece_.y + piece_.height) {
    const int from = std::max(x, piece_.x), to = std::min(x + static_cast<int>(n), piece_.x + piece_.width);
    const auto count = static_cast<std::size_t>(std::max(0, to - from));
    if (count > 0 && range_alone_) add_range(step.samples, samples + (from - x), count);
    if (count > 0 && !range_alone_) add_samples(step.samples, samples + (from - x), count);
  }
  begin();
}

void PieceFigures::hear(const ConstView& result, int x, int y) {
  if (range_alone_) {
    if (first_ + 1 < steps_.size()) return;
    for (int c = 0; c < result.shape.color_channels(); ++c) {
      for (int i = 0; i < result.height(); ++i)
        hear(0, result.row(i, c), static_cast<std::size_t>(result.width()), x, y + i);
    }
    return;
  }
  steps_[first_].seconds += std::chrono::duration<double>(Clock::now() - since_).count();
  const int left = std::max(x, piece_.x), right = std::min(x + result.width(), piece_.x + piece_.width),
            top = std::max(y, piece_.y), bottom = std::min(y + result.height(), piece_.y + piece_.height);
  if (left < right && top < bottom)
    add_samples(steps_[first_].samples, result.part({left - x, top - y, right - left, bottom - top}));
}

}  // namespace sieve::internal
