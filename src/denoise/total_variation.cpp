#include "sieve/denoise/total_variation.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/finite.hpp"
#include "core/memory.hpp"
#include "core/row_sums.hpp"
#include "core/rows.hpp"
#include "core/workspace.hpp"
#include "denoise/least_risk.hpp"
#include "denoise/total_variation_lanes.hpp"
#include "denoise/total_variation_steps.hpp"
#include "run/validate.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/estimate.hpp"

namespace sieve {

using namespace internal;

namespace {

// What the iterations carry from one to the next, of all channels: the picture, where its momentum takes it, and the
// dual variables' two components.
struct State {
  std::vector<Image> u, ahead, x, y;
  State(const Shape& shape, std::size_t channels) {
    for (std::size_t c = 0; c < channels; ++c) {
      for (auto* part : {&u, &ahead, &x, &y}) part->push_back(unfilled(shape, 0));
    }
  }
};

// Runs several iterations over a part of the picture and its surroundings in one go down the rows: each iteration
// follows a row behind the one before, so that only the rows between the first and the last are held.
class Sweep {
 public:
  // Reads the rectangle `wide` of picture and state (null: the beginning) and stores what comes of its part `inner`.
  void run(const std::vector<ConstView>& f, const State* from, const Rectangle& wide, const Rectangle& inner,
           float weight, std::span<const TvStep> steps, State& to) {
    channels_ = f.size();
    n_ = static_cast<std::size_t>(wide.width);
    weight_ = weight;
    height_ = wide.height;
    const int turns = static_cast<int>(steps.size());
    held_ = static_cast<std::size_t>(turns) + 2;
    // A zero stands before each row, room for a vector behind.
    spacing_ = (n_ + 47) / 16 * 16;
    rows_.assign(kKinds * channels_ * held_ * spacing_ + 16, 0);
    first_ = rows_.data() + (64 - reinterpret_cast<std::uintptr_t>(rows_.data()) % 64) % 64 / sizeof(float);
    const bool stream = rows::streams(f[0].shape.samples());
    for (int front = 0; front < height_ + turns; ++front) {
      if (front < height_) load(f, from, wide, front);
      for (int t = 0; t < turns; ++t) {
        if (const int y = front - 1 - t; y >= 0 && y < height_) step(steps[static_cast<std::size_t>(t)], y);
      }
      if (const int y = front - turns, row = wide.y + y; row >= inner.y && row < inner.y + inner.height)
        store(y, row, inner, inner.x - wide.x, stream, to);
    }
  }

 private:
  enum Kind : std::size_t { kPicture, kU, kAhead, kX, kY, kKinds };
  float* held(Kind kind, std::size_t c, int y) {
    return first_ + ((kind * channels_ + c) * held_ + static_cast<std::size_t>(y) % held_) * spacing_ + 16;
  }

  void load(const std::vector<ConstView>& f, const State* from, const Rectangle& wide, int y) {
    for (std::size_t c = 0; c < channels_; ++c) {
      const auto part = [&](const ConstView& v) { return v.row(wide.y + y) + wide.x; };
      std::copy_n(part(f[c]), n_, held(kPicture, c, y));
      std::copy_n(part(from ? from->u[c] : f[c]), n_, held(kU, c, y));
      std::copy_n(part(from ? from->ahead[c] : f[c]), n_, held(kAhead, c, y));
      for (const Kind kind : {kX, kY}) {
        if (from) {
          std::copy_n(part((kind == kX ? from->x : from->y)[c]), n_, held(kind, c, y));
        } else {
          std::fill_n(held(kind, c, y), n_, 0.0F);
        }
      }
      held(kAhead, c, y)[n_] = held(kAhead, c, y)[n_ - 1];
      held(kX, c, y)[-1] = 0;
    }
  }

  void store(int y, int row, const Rectangle& inner, int skipped, bool stream, State& to) {
    for (std::size_t c = 0; c < channels_; ++c) {
      const auto put = [&](Kind kind, Image& image) {
        rows::copy(held(kind, c, y) + skipped, image.row(row) + inner.x, static_cast<std::size_t>(inner.width), stream);
      };
      put(kU, to.u[c]);
      put(kAhead, to.ahead[c]);
      put(kX, to.x[c]);
      put(kY, to.y[c]);
    }
  }

  // One row of one iteration. The sweep goes down the rows, so the row above has finished this iteration while the row
  // below is still one behind: the differences to the row below are to be taken from that older state.
  void step(const TvStep& s, int y) {
    const bool last = y + 1 == height_;
    lanes::DualRows r{};
    for (std::size_t c = 0; c < channels_; ++c) {
      r.ahead[c] = held(kAhead, c, y);
      r.below[c] = held(kAhead, c, last ? y : y + 1);
      r.x[c] = held(kX, c, y);
      r.y[c] = held(kY, c, y);
    }
    lanes::dual_step(r, static_cast<int>(channels_), s.dual, n_);
    for (std::size_t c = 0; c < channels_; ++c) {
      float* ahead = held(kAhead, c, y);
      r.x[c][-1] = 0;  // vectors go over the end of the row before
      lanes::primal_step(
          {held(kPicture, c, y), r.x[c], r.y[c], y > 0 ? held(kY, c, y - 1) : nullptr, held(kU, c, y), ahead}, weight_,
          s.share, s.momentum, n_);
      ahead[n_] = ahead[n_ - 1];
    }
  }

  std::size_t channels_ = 1, n_ = 0, held_ = 0, spacing_ = 0;
  int height_ = 0;
  float weight_ = 0;
  Scratch<float> rows_;
  float* first_ = nullptr;
};

void iterate(const std::vector<ConstView>& f, const State* from, float weight, std::span<const TvStep> steps,
             State& to) {
  const int w = f[0].width(), h = f[0].height(), halo = static_cast<int>(steps.size());
  // What one iteration touches of a row stays in the first cache, all that is held in the second.
  const int wide_side = f.size() == 1 ? 640 : 192, high_side = 1088;
  const int columns = (w + wide_side - 1) / wide_side, rows = (h + high_side - 1) / high_side;
  parallel_rows(
      columns * rows, RowCost(static_cast<std::size_t>(wide_side) * static_cast<std::size_t>(high_side), 16),
      [&](int first, int last) {
        Sweep sweep;
        for (int t = first; t < last; ++t) {
          checkpoint();
          const int x0 = t % columns * wide_side, y0 = t / columns * high_side;
          const Rectangle inner{x0, y0, std::min(wide_side, w - x0), std::min(high_side, h - y0)};
          const int left = std::max(0, x0 - halo), top = std::max(0, y0 - halo);
          const Rectangle wide{left, top, std::min(w, x0 + inner.width + halo) - left,
                               std::min(h, y0 + inner.height + halo) - top};
          sweep.run(f, from, wide, inner, weight, steps, to);
        }
      },
      1);
}

// The sums that tell the objective and the gap.
lanes::Sums account(const std::vector<ConstView>& f, const State& s, float weight) {
  const auto n = static_cast<std::size_t>(f[0].width());
  const int h = f[0].height(), channels = static_cast<int>(f.size());
  std::vector<lanes::Sums> sums(static_cast<std::size_t>(h));
  parallel_rows(h, n * f.size(), [&](int first, int last) {
    // Copies with a zero before and room for whole vectors behind, where the rows themselves have none.
    constexpr std::size_t kCopies = 6;
    const std::size_t room = n + 48;
    std::vector<float> buffer(f.size() * kCopies * room);
    const auto row = [&](std::size_t c, std::size_t k, const ConstView& v, int y) -> const float* {
      float* to = buffer.data() + (c * kCopies + k) * room + 16;
      std::copy_n(v.row(y), n, to);
      to[n] = to[n - 1];
      return to;
    };
    for (int y = first; y < last; ++y) {
      lanes::ResultRows r{};
      for (std::size_t c = 0; c < f.size(); ++c) {
        r.f[c] = row(c, 0, f[c], y);
        r.u[c] = row(c, 1, s.u[c], y);
        r.below[c] = row(c, 2, s.u[c], std::min(y + 1, h - 1));
        r.x[c] = row(c, 3, s.x[c], y);
        r.y[c] = row(c, 4, s.y[c], y);
        r.above[c] = y > 0 ? row(c, 5, s.y[c], y - 1) : nullptr;
      }
      sums[static_cast<std::size_t>(y)] = lanes::account(r, channels, weight, n);
    }
  });
  lanes::Sums all;
  for (const lanes::Sums& one : sums) {
    all.length += one.length;
    all.slack += one.slack;
    all.squares += one.squares;
    all.apart += one.apart;
  }
  return all;
}

void solve_group(const std::vector<ConstView>& f, const std::vector<View>& out, const TotalVariation& t, float weight,
                 TotalVariationReport& report) {
  const Shape plane{f[0].width(), f[0].height(), 1};
  State now(plane, f.size()), next(plane, f.size());
  TvSteps steps(static_cast<double>(weight));
  Progress progress(t.iterations);
  int done = 0;
  double gap = 0;
  for (;;) {
    std::array<TvStep, kTurns> some{};
    const auto turns = static_cast<std::size_t>(
        std::min(turns_ahead(done, report.gap, static_cast<double>(t.tolerance)), t.iterations - done));
    for (std::size_t i = 0; i < turns; ++i) some[i] = steps.next();
    iterate(f, done == 0 ? nullptr : &now, weight, std::span(some).first(turns), next);
    std::swap(now, next);
    done += static_cast<int>(turns);
    progress.add(static_cast<double>(turns));
    const lanes::Sums s = account(f, now, weight);
    const double twice = 2 * static_cast<double>(weight), before = gap;
    gap = std::max(0.0, s.slack + s.apart / twice);
    report.objective = s.length + s.squares / twice;
    report.history.push_back(report.objective);
    report.gap = report.objective > 0 ? gap / report.objective : 0;
    if (done >= t.iterations || report.gap <= static_cast<double>(t.tolerance)) break;
    if (done > static_cast<int>(turns) && gap > before) steps.be_careful();
  }
  for (std::size_t c = 0; c < f.size(); ++c) copy(now.u[c], out[c]);
  report.iterations = done;
}

constexpr double kTrialTolerance = 1e-4;
// Weights in noise deviations of which the best is chosen.
constexpr float kWeights[] = {0.4F, 0.55F, 0.75F, 1, 1.35F, 1.8F, 2.4F};

ChosenSetting chosen_weight(const TotalVariation& f, const ConstView& in) {
  return {f, &TotalVariation::weight, in, kWeights, 1e-4F, [](TotalVariation& trial, const Rectangle&) {
            // What comes through of a small change is more delicate than the result.
            if (trial.tolerance > kTrialTolerance) trial.tolerance = kTrialTolerance;
          }};
}

}  // namespace

Image TotalVariation::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void TotalVariation::operator()(const ConstView& in, const View& out) const {
  TotalVariationReport report;
  solve(in, out, report);
}

void TotalVariation::solve(const ConstView& in, const View& out, TotalVariationReport& report) const {
  validate(*this, in, out);
  const ChosenSetting chosen = chosen_weight(*this, in);
  const float strength = chosen.value();
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
  note(fmt::format("weight {:.4f}{}: {} iterations, objective {:.6g}, within {:.2g} % of the optimum", strength,
                   weight ? "" : ", of the least estimated error", report.iterations, report.objective,
                   100 * report.gap));
}

double total_variation_objective(const ConstView& u, const ConstView& f, double weight, bool together) {
  const int color = u.shape.color_channels(), w = u.width(), h = u.height();
  return sum_of_rows(h, RowCost(static_cast<std::size_t>(w) * static_cast<std::size_t>(color), 4), [&](int y) {
    double sum = 0;
    for (int x = 0; x < w; ++x) {
      double squares = 0;
      for (int c = 0; c < color; ++c) {
        const double v = u.at(x, y, c), off = v - static_cast<double>(f.at(x, y, c)),
                     gx = x + 1 < w ? static_cast<double>(u.at(x + 1, y, c)) - v : 0,
                     gy = y + 1 < h ? static_cast<double>(u.at(x, y + 1, c)) - v : 0;
        sum += off * off / (2 * weight);
        squares += gx * gx + gy * gy;
        if (together && c + 1 < color) continue;
        sum += std::sqrt(squares);
        squares = 0;
      }
    }
    return sum;
  });
}

void TotalVariation::describe(Description<TotalVariation>& d) {
  d.called("total_variation", "denoise",
           "Even areas with sharp edges between them: the least variation near the input.");
  d.also({"TV", "ROF", "denoise", "cartoon"});
  d.wrong(
      "fine texture and smooth slopes matter: texture goes with the noise, and slopes turn into steps; take "
      "nonlocal_means.");
  d.settles([](const TotalVariation& f, const ConstView& in) {
    TotalVariation settled = f;
    settled.weight = chosen_weight(f, in).value();
    return settled;
  });
  // What has the least error at the usual deviations.
  d.takes_noise([](TotalVariation& f, float deviation) { f.weight = 0.8F * std::max(1e-6F, deviation); });
  d.field("weight", &TotalVariation::weight, "0..1 scale",
          "strength; auto: of the least estimated error, 0.4 to 2.4 noise deviations", {1e-5, 100});
  d.field("tolerance", &TotalVariation::tolerance, "share", "by which the objective may miss the optimum", {1e-6, 1});
  d.field("iterations", &TotalVariation::iterations, "", "at most", {1, 100000});
  d.field("together", &TotalVariation::together, "", "color channels share their edges");
}

}  // namespace sieve
