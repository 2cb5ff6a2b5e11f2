#include "sieve/denoise/total_variation.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/finite.hpp"
#include "core/rows.hpp"
#include "core/run.hpp"
#include "denoise/total_variation_lanes.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/reference.hpp"

namespace sieve {

namespace {

// Iterations that a tile goes through before its neighbors are heard again: its surroundings are as wide.
constexpr int kTurns = 16;

// The dual variables of all channels: two components each, now and one iteration before.
struct Dual {
  std::vector<Image> x, y, before_x, before_y;
  Dual(const Shape& shape, int channels) {
    for (int c = 0; c < channels; ++c) {
      for (auto* part : {&x, &y, &before_x, &before_y}) part->emplace_back(shape.width, shape.height);
    }
  }
};

// How far each iteration goes beyond the last one.
class Momentum {
 public:
  float next() {
    const double t = 0.5 * (1 + std::sqrt(1 + 4 * t_ * t_)), beta = (t_ - 1) / t;
    t_ = t;
    return static_cast<float>(beta);
  }
  void restart() { t_ = 1; }

 private:
  double t_ = 1;
};

// Runs several iterations over a part of the picture and its surroundings in one go down the rows: each iteration follows
// a row behind the one before, so that only the rows between the first and the last are held.
class Sweep {
 public:
  // Reads the rectangle `wide` of picture and dual variables and stores what comes of its part `inner`.
  void run(const std::vector<ConstView>& f, const Dual& from, const Rectangle& wide, const Rectangle& inner, float weight, std::span<const float> betas, Dual& to) {
    channels_ = f.size();
    n_ = static_cast<std::size_t>(wide.width);
    weight_ = weight;
    betas_ = betas;
    height_ = wide.height;
    const int turns = static_cast<int>(betas.size());
    held_ = static_cast<std::size_t>(turns) + 2;
    // A zero stands before each row, room for a vector behind.
    spacing_ = (n_ + 47) / 16 * 16;
    held_rows_.assign(5 * channels_ * held_ * spacing_, 0);
    steps_.assign(betas.size() * 6 * channels_ * spacing_, 0);
    const bool stream = rows::streams(f[0].shape.samples());
    const auto load = [&](int y) {
      for (std::size_t c = 0; c < channels_; ++c) {
        const auto part = [&](const ConstView& v) { return v.row(wide.y + y) + wide.x; };
        std::copy_n(part(f[c]), n_, held(0, c, y));
        std::copy_n(part(from.x[c]), n_, held(1, c, y));
        std::copy_n(part(from.y[c]), n_, held(2, c, y));
        std::copy_n(part(from.before_x[c]), n_, held(3, c, y));
        std::copy_n(part(from.before_y[c]), n_, held(4, c, y));
      }
    };
    const auto store = [&](int y) {
      const int row = wide.y + y;
      if (row < inner.y || row >= inner.y + inner.height) return;
      const auto put = [&](std::size_t kind, std::size_t c, Image& image) { rows::copy(held(kind, c, y) + (inner.x - wide.x), image.row(row) + inner.x, static_cast<std::size_t>(inner.width), stream); };
      // The newest are where an even or odd number of iterations leaves them.
      const std::size_t now = turns % 2 == 0 ? 1 : 3, before = 4 - now;
      for (std::size_t c = 0; c < channels_; ++c) {
        put(now, c, to.x[c]);
        put(now + 1, c, to.y[c]);
        put(before, c, to.before_x[c]);
        put(before + 1, c, to.before_y[c]);
      }
    };
    load(0);
    for (int front = 0; front < height_ + turns - 1; ++front) {
      if (front + 1 < height_) load(front + 1);
      for (int t = 0; t < turns && t <= front; ++t) {
        if (front - t < height_) step(t, front - t);
      }
      if (const int done = front - turns + 1; done >= 0) store(done);
    }
  }

 private:
  // The rows held of the picture (0), the dual variables' parts (1, 2) and those of one iteration before (3, 4); the last two
  // pairs change places with each iteration.
  float* held(std::size_t kind, std::size_t c, int y) { return held_rows_.data() + ((kind * channels_ + c) * held_ + static_cast<std::size_t>(y) % held_) * spacing_ + 16; }
  // Two rows for each iteration of the point that its step starts from (0, 1) and of u (2).
  float* slot(int t, std::size_t kind, std::size_t c, int y) {
    return steps_.data() + (((static_cast<std::size_t>(t) * 3 + kind) * 2 + static_cast<std::size_t>(y & 1)) * channels_ + c) * spacing_ + 16;
  }

  void prepare(int t, int y) {
    const float beta = betas_[static_cast<std::size_t>(t)];
    const std::size_t now = t % 2 == 0 ? 1 : 3, before = 4 - now;
    for (std::size_t c = 0; c < channels_; ++c) {
      slot(t, 0, c, y)[-1] = 0;  // vectors go over the end of the row before
      lanes::extrapolate(held(now, c, y), held(before, c, y), beta, slot(t, 0, c, y), n_);
      lanes::extrapolate(held(now + 1, c, y), held(before + 1, c, y), beta, slot(t, 1, c, y), n_);
      float* u = slot(t, 2, c, y);
      lanes::divergence_step(held(0, c, y), slot(t, 0, c, y), slot(t, 1, c, y), y > 0 ? slot(t, 1, c, y - 1) : nullptr, weight_, u, n_);
      u[n_] = u[n_ - 1];
    }
  }

  // One row of one iteration; the start of its step is needed after the next row has been prepared, which uses the other slot.
  void step(int t, int y) {
    const bool last = y + 1 == height_;
    if (y == 0) prepare(t, 0);
    if (!last) prepare(t, y + 1);
    const std::size_t before = t % 2 == 0 ? 3 : 1;
    lanes::DualRows r{};
    for (std::size_t c = 0; c < channels_; ++c) {
      r.u[c] = slot(t, 2, c, y);
      r.below[c] = slot(t, 2, c, last ? y : y + 1);
      r.x[c] = slot(t, 0, c, y);
      r.y[c] = slot(t, 1, c, y);
      r.to_x[c] = held(before, c, y);
      r.to_y[c] = held(before + 1, c, y);
    }
    lanes::project(r, static_cast<int>(channels_), 1 / (8 * weight_), n_);
  }

  std::size_t channels_ = 1, n_ = 0, held_ = 0, spacing_ = 0;
  int height_ = 0;
  float weight_ = 0;
  std::span<const float> betas_;
  std::vector<float> held_rows_, steps_;
};

void iterate(const std::vector<ConstView>& f, const Dual& from, float weight, std::span<const float> betas, Dual& to) {
  const int w = f[0].width(), h = f[0].height(), halo = static_cast<int>(betas.size());
  // What one iteration touches of a row stays in the first cache, all that is held in the second.
  const int wide_side = f.size() == 1 ? 448 : 160, high_side = 544;
  const int columns = (w + wide_side - 1) / wide_side, rows = (h + high_side - 1) / high_side;
  parallel_rows(
      columns * rows, static_cast<std::size_t>(wide_side) * static_cast<std::size_t>(high_side) * 16,
      [&](int first, int last) {
        thread_local Sweep sweep;
        for (int t = first; t < last; ++t) {
          checkpoint();
          const int x0 = t % columns * wide_side, y0 = t / columns * high_side;
          const Rectangle inner{x0, y0, std::min(wide_side, w - x0), std::min(high_side, h - y0)};
          const int left = std::max(0, x0 - halo), top = std::max(0, y0 - halo);
          const Rectangle wide{left, top, std::min(w, x0 + inner.width + halo) - left, std::min(h, y0 + inner.height + halo) - top};
          sweep.run(f, from, wide, inner, weight, betas, to);
        }
      },
      1);
}

// u of the dual variables, written out, with the sums that tell the objective and the gap.
lanes::Sums finish(const std::vector<ConstView>& f, const Dual& p, float weight, const std::vector<View>& out) {
  const auto n = static_cast<std::size_t>(f[0].width());
  const int h = f[0].height(), channels = static_cast<int>(f.size());
  std::vector<lanes::Sums> sums(static_cast<std::size_t>(h));
  const std::size_t room = n + 48;
  parallel_rows(h, n * f.size(), [&](int first, int last) {
    // Rows with a zero before and room behind: both parts of the dual in this row, the one above, u here and below.
    std::vector<float> buffer(f.size() * 8 * room);
    const auto slot = [&](std::size_t c, std::size_t k) { return buffer.data() + (c * 8 + k) * room + 16; };
    const auto u_of = [&](std::size_t c, int y, float* x, float* u) {
      std::copy_n(p.x[c].row(y), n, x);
      std::copy_n(p.y[c].row(y), n, slot(c, 6));
      if (y > 0) std::copy_n(p.y[c].row(y - 1), n, slot(c, 7));
      std::copy_n(f[c].row(y), n, slot(c, 5));
      lanes::divergence_step(slot(c, 5), x, slot(c, 6), y > 0 ? slot(c, 7) : nullptr, weight, u, n);
      u[n] = u[n - 1];
    };
    for (int y = first; y < last; ++y) {
      lanes::DualRows r{};
      const float* source[3] = {};
      for (std::size_t c = 0; c < f.size(); ++c) {
        u_of(c, std::min(y + 1, h - 1), slot(c, 0), slot(c, 1));
        slot(c, 0)[-1] = 0;
        u_of(c, y, slot(c, 0), slot(c, 2));
        std::copy_n(slot(c, 2), n, out[c].row(y));
        r.u[c] = slot(c, 2);
        r.below[c] = slot(c, 1);
        r.x[c] = slot(c, 0);
        r.y[c] = slot(c, 6);
        source[c] = slot(c, 5);
      }
      sums[static_cast<std::size_t>(y)] = lanes::account(r, source, channels, n);
    }
  });
  lanes::Sums all;
  for (const lanes::Sums& s : sums) {
    all.length += s.length;
    all.inner += s.inner;
    all.squares += s.squares;
  }
  return all;
}

void solve_group(const std::vector<ConstView>& f, const std::vector<View>& out, const TotalVariation& t, float weight, TotalVariationReport& report) {
  const int channels = static_cast<int>(f.size());
  const Shape plane{f[0].width(), f[0].height(), 1};
  Dual now(plane, channels), next(plane, channels);
  Momentum momentum;
  Progress progress(t.iterations);
  double dual_before = -1e300;
  int done = 0;
  lanes::Sums s;
  for (;;) {
    const int turns = std::min(kTurns, t.iterations - done);
    std::array<float, kTurns> betas{};
    for (int i = 0; i < turns; ++i) betas[static_cast<std::size_t>(i)] = momentum.next();
    iterate(f, now, weight, std::span(betas).first(static_cast<std::size_t>(turns)), next);
    std::swap(now, next);
    done += turns;
    progress.add(turns);
    s = finish(f, now, weight, out);
    const double primal = s.length + s.squares / (2 * static_cast<double>(weight)), gap = s.length - s.inner, dual = primal - gap;
    report.history.push_back(primal);
    report.objective = primal;
    report.gap = primal > 0 ? std::max(0.0, gap) / primal : 0;
    if (done >= t.iterations || report.gap <= static_cast<double>(t.tolerance)) break;
    // The dual objective fell: the momentum carries the wrong way.
    if (dual < dual_before) momentum.restart();
    dual_before = dual;
  }
  report.iterations = done;
}

float weight_of(const TotalVariation& t, const ConstView& in) { return t.weight ? *t.weight : std::max(1e-4F, static_cast<float>(noise_level(in))); }

}  // namespace

Image TotalVariation::operator()(const ConstView& in) const { return made(*this, in); }
void TotalVariation::operator()(const ConstView& in, const View& out) const {
  TotalVariationReport report;
  solve(in, out, report);
}

void TotalVariation::solve(const ConstView& in, const View& out, TotalVariationReport& report) const {
  ready(*this, in, out);
  const float strength = weight_of(*this, in);
  const int color = in.shape.color_channels();
  const int groups = together ? 1 : color;
  on_finite(in, out, [&](const ConstView& finite, const View& result) {
    for (int g = 0; g < groups; ++g) {
      std::vector<ConstView> from;
      std::vector<View> to;
      for (int c = together ? 0 : g; c < (together ? color : g + 1); ++c) {
        from.push_back(finite.channel(c));
        to.push_back(result.channel(c));
      }
      TotalVariationReport one;
      solve_group(from, to, *this, strength, one);
      report.iterations = std::max(report.iterations, one.iterations);
      report.objective += one.objective;
      report.gap = std::max(report.gap, one.gap);
      report.history.insert(report.history.end(), one.history.begin(), one.history.end());
    }
  });
  copy_alpha(in, out);
  note(fmt::format("weight {:.4f}: {} iterations, objective {:.6g}, within {:.2g} % of the optimum", strength, report.iterations, report.objective, 100 * report.gap));
}

Image TotalVariation::plain(const ConstView& in) const { return reference::total_variation(in, weight_of(*this, in), 5 * iterations, together); }

double total_variation_objective(const ConstView& u, const ConstView& f, double weight, bool together) { return reference::total_variation_objective(u, f, weight, together); }

void TotalVariation::describe(Description<TotalVariation>& d) {
  d.called("total_variation", "denoise", "Even areas with sharp edges between them: the least variation near the input.");
  d.wrong("fine texture and smooth slopes matter: texture goes with the noise, and slopes turn into steps; take nonlocal_means.");
  d.agrees_within(0.03);
  d.field("weight", &TotalVariation::weight, "0..1 scale", "strength; about the noise's standard deviation", {1e-5, 100});
  d.field("tolerance", &TotalVariation::tolerance, "share", "by which the objective may miss the optimum", {1e-6, 1});
  d.field("iterations", &TotalVariation::iterations, "", "at most", {1, 100000});
  d.field("together", &TotalVariation::together, "", "color channels share their edges");
}

}  // namespace sieve
