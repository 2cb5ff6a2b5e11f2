#include "spatial/stacked_gaussian.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "core/index.hpp"
#include "core/rows.hpp"
#include "sieve/core/parallel.hpp"
#include "spatial/lanes.hpp"

namespace sieve {

using namespace internal;

namespace {

// sigma^2 = fine^2 + (step * coarse)^2 + fine^2, fine = 0.8 step: blur and sample every step-th place, blur on that
// coarse grid, and come back to the fine one by Gaussian interpolation. At 0.8 step the aliases of both samplings
// are damped to exp(-2 (0.8 pi)^2) = 3e-6.
struct Stack {
  int step;
  int fine_radius;
  int coarse_radius;
  Scratch<float> fine;
  Scratch<float> coarse;
  int up_radius;               // coarse samples to either side that interpolation uses
  Scratch<Scratch<float>> up;  // weights for each phase 0..step-1

  explicit Stack(double sigma) {
    step = 2;
    while (2 * step <= sigma / 1.51) step *= 2;
    const double s = 0.8 * step, c = std::sqrt(sigma * sigma - 2 * s * s) / step;
    fine_radius = static_cast<int>(std::ceil(4.5 * s));
    coarse_radius = static_cast<int>(std::ceil(4.5 * c));
    fine = gaussian_weights(s, 0, fine_radius);
    coarse = gaussian_weights(c, 0, coarse_radius);
    up_radius = static_cast<int>(std::ceil(4.5 * 0.8)) + 1;
    for (int p = 0; p < step; ++p) up.push_back(gaussian_weights(0.8, static_cast<double>(p) / step, up_radius));
  }

  // The coarse places that n fine ones need: count, and the coarse index of the first.
  int first() const { return -up_radius - coarse_radius; }
  int count(int n) const { return (n - 1) / step + 1 + 2 * (up_radius + coarse_radius); }
};

}  // namespace

Scratch<float> internal::gaussian_weights(double sigma, double center, int radius) {
  Scratch<double> w;
  for (int i = -radius; i <= radius; ++i) w.push_back(std::exp(-0.5 * (i - center) * (i - center) / (sigma * sigma)));
  const double sum = std::accumulate(w.begin(), w.end(), 0.0);
  Scratch<float> f;
  for (const double v : w) f.push_back(static_cast<float>(v / sum));
  return f;
}

int internal::stacked_reach(double sigma) {
  const Stack s(sigma);
  return s.fine_radius + (s.coarse_radius + s.up_radius) * s.step;
}

void internal::stacked_gaussian(const ConstView& in, double sigma, Border border, float fill, const View& out) {
  const Stack s(sigma);
  const int w = in.width(), h = in.height(), cw = s.count(w), ch = s.count(h), from = s.first();
  const int blurred_w = cw - 2 * s.coarse_radius, blurred_h = ch - 2 * s.coarse_radius;
  const Scratch<float> outside(index(w), fill);

  // Down: columns first (rows of weights, all lanes busy), then along the row, then the coarse blur along the row.
  Image small(cw, ch), blurred(blurred_w, ch), coarse(blurred_w, blurred_h);
  parallel_rows(
      ch, index(w) * index(s.step),
      [&](int first, int last) {
        Scratch<const float*> sources(s.fine.size());
        const int left = -(from * s.step - s.fine_radius);
        const int right = (from + cw - 1) * s.step + s.fine_radius - (w - 1);
        Scratch<float> sum(index(w)), extended(index(w + left + std::max(right, 0)));
        Scratch<float> every(index((cw - 1) * s.step + 1));
        const ConstView line{sum.data(), {w, 1, 1}, w, w, 0};
        for (int v = first; v < last; ++v) {
          for (int t = 0; t <= 2 * s.fine_radius; ++t) {
            const auto y = border_index((from + v) * s.step + t - s.fine_radius, h, border);
            sources[index(t)] = y ? in.row(*y) : outside.data();
          }
          lanes::weighted_sum(sources.data(), s.fine.data(), s.fine.size(), sum.data(), index(w), false);
          rows::extend(line, 0, -left, w + left + std::max(right, 0), border, fill, extended.data());
          float* row = small.row(v);
          if (s.step >= 8) {
            for (int u = 0; u < cw; ++u)
              row[u] = lanes::dot(s.fine.data(), extended.data() + u * s.step, s.fine.size());
          } else {
            // Few taps: all places at once are faster than one scalar product for each that is kept.
            lanes::along_row(extended.data(), s.fine.data(), s.fine.size(), every.data(), every.size());
            for (int u = 0; u < cw; ++u) row[u] = every[index(u * s.step)];
          }
          lanes::along_row(row, s.coarse.data(), s.coarse.size(), blurred.row(v), index(blurred_w));
        }
      },
      4);
  parallel_rows(blurred_h, index(blurred_w) * s.coarse.size(), [&](int first, int last) {
    Scratch<const float*> down(s.coarse.size());
    for (int v = first; v < last; ++v) {
      for (std::size_t t = 0; t < down.size(); ++t) down[t] = blurred.row(v + static_cast<int>(t));
      lanes::weighted_sum(down.data(), s.coarse.data(), s.coarse.size(), coarse.row(v), index(blurred_w), false);
    }
  });

  // Up: along the rows for the few coarse rows of a strip, phase by phase, then down the columns.
  const bool stream = rows::streams(out.shape.samples());
  const int strip = 16 * s.step, taps = 2 * s.up_radius + 1;
  parallel_rows(
      h, w,
      [&](int first, int last) {
        const int top = first / s.step, rows_needed = (last - 1) / s.step - top + taps;
        const int places = (w - 1) / s.step + 1;
        Scratch<const float*> sources(index(taps));
        Scratch<float> phase(index(places));
        Image wide(w, rows_needed);
        for (int r = 0; r < rows_needed; ++r) {
          float* row = wide.row(r);
          for (int p = 0; p < s.step && p < w; ++p) {
            const int n = (w - 1 - p) / s.step + 1;
            lanes::along_row(coarse.row(top + r), s.up[index(p)].data(), index(taps), phase.data(), index(n));
            for (int q = 0; q < n; ++q) row[q * s.step + p] = phase[index(q)];
          }
        }
        for (int y = first; y < last; ++y) {
          for (int t = 0; t < taps; ++t) sources[index(t)] = wide.row(y / s.step - top + t);
          lanes::weighted_sum(sources.data(), s.up[index(y % s.step)].data(), index(taps), out.row(y), index(w),
                              stream);
        }
      },
      strip);
}

}  // namespace sieve
