#include "sieve/quality/compare.hpp"

#include <cmath>
#include <limits>
#include <string>
#include <vector>

#include "sieve/core/error.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/parallel.hpp"
#include "spatial/lanes.hpp"
#include "spatial/row_ring.hpp"
#include "spatial/stacked_gaussian.hpp"

namespace sieve {

using namespace internal;

namespace {

void require_pair(const ConstView& a, const ConstView& b) {
  require_input(a, "compare");
  require_input(b, "compare");
  if (a.width() != b.width() || a.height() != b.height() || a.shape.color_channels() != b.shape.color_channels()) {
    throw InvalidArgument(std::string("compare: ") + text_of(a.shape).text + " against " + text_of(b.shape).text +
                          ": both need one size and the same color channels");
  }
}

struct RowFigures {
  double squares = 0, absolute = 0, most = -1;
  int x = 0;
  std::size_t changed = 0, finite = 0;
};

RowFigures figures(const float* a, const float* b, int n) {
  RowFigures f;
  for (int x = 0; x < n; ++x) {
    if (a[x] - a[x] != 0 || b[x] - b[x] != 0) continue;
    const double d = std::abs(static_cast<double>(a[x]) - static_cast<double>(b[x]));
    ++f.finite;
    f.changed += d != 0;
    f.squares += d * d;
    f.absolute += d;
    if (d > f.most) {
      f.most = d;
      f.x = x;
    }
  }
  return f;
}

constexpr int kRadius = 5, kWindow = 2 * kRadius + 1;

// The similarity at every place of one channel where the window fits, row by row to `put(y, values)`. Sample values
// are taken relative to mid-gray: variances do not change, and little is lost when squares are subtracted.
template <class Put>
void similarity(const ConstView& a, const ConstView& b, double peak, Put put) {
  const int w = a.width() - 2 * kRadius, h = a.height() - 2 * kRadius;
  const auto columns = static_cast<std::size_t>(a.width()), places = static_cast<std::size_t>(w);
  const auto weights = gaussian_weights(1.5, 0, kRadius);
  const float c1 = static_cast<float>(1e-4 * peak * peak), c2 = static_cast<float>(9e-4 * peak * peak),
              middle = static_cast<float>(0.5 * peak);
  parallel_rows(
      h, RowCost(columns, 12),
      [&](int first, int last) {
        // Rows of a, b, aa, bb and ab, smoothed along x, the last eleven of each.
        std::vector<float> ring(5 * kWindow * places), raw(5 * columns), smooth(5 * places), line(places);
        const auto slot = [&](int kind, int y) {
          return ring.data() + (static_cast<std::size_t>(kind * kWindow + y % kWindow)) * places;
        };
        const float* sources[kWindow];
        const auto load = [&](int y) {
          const float *p = a.row(y), *q = b.row(y);
          float *ra = raw.data(), *rb = ra + columns, *raa = rb + columns, *rbb = raa + columns, *rab = rbb + columns;
          for (std::size_t x = 0; x < columns; ++x) {
            const float u = p[x] - middle, v = q[x] - middle;
            ra[x] = u;
            rb[x] = v;
            raa[x] = u * u;
            rbb[x] = v * v;
            rab[x] = u * v;
          }
          for (int kind = 0; kind < 5; ++kind) {
            lanes::along_row(raw.data() + static_cast<std::size_t>(kind) * columns, weights.data(), kWindow,
                             slot(kind, y), places);
          }
        };
        for (int y = first; y < first + kWindow - 1; ++y) load(y);
        for (int y = first; y < last; ++y) {
          load(y + kWindow - 1);
          for (int kind = 0; kind < 5; ++kind) {
            for (int i = 0; i < kWindow; ++i) sources[i] = slot(kind, y + i);
            lanes::weighted_sum(sources, weights.data(), kWindow,
                                smooth.data() + static_cast<std::size_t>(kind) * places, places, false);
          }
          const float *ma = smooth.data(), *mb = ma + places, *aa = mb + places, *bb = aa + places, *ab = bb + places;
          for (std::size_t x = 0; x < places; ++x) {
            const float ua = ma[x] + middle, ub = mb[x] + middle;
            const float va = aa[x] - ma[x] * ma[x], vb = bb[x] - mb[x] * mb[x], cov = ab[x] - ma[x] * mb[x];
            line[x] = (2 * ua * ub + c1) * (2 * cov + c2) / ((ua * ua + ub * ub + c1) * (va + vb + c2));
          }
          put(y, line.data());
        }
      },
      64);
}

// Small pictures are mirrored at their edges, so that the window fits at every pixel.
Image widened(const ConstView& v) {
  Image out(v.width() + 2 * kRadius, v.height() + 2 * kRadius);
  for (int y = 0; y < out.height(); ++y)
    rows::extend(v, y - kRadius, -kRadius, out.width(), Border::mirror, 0, out.row(y));
  return out;
}

template <class Put>
void each_channel(const ConstView& a, const ConstView& b, double peak, Put put) {
  require_pair(a, b);
  if (!(peak > 0)) throw InvalidArgument("ssim: the peak must be above 0");
  const bool small = a.width() < kWindow || a.height() < kWindow;
  for (int c = 0; c < a.shape.color_channels(); ++c) {
    const auto put_row = [&](int y, const float* values) { put(c, y, values); };
    if (small) {
      similarity(widened(a.channel(c)), widened(b.channel(c)), peak, put_row);
    } else {
      similarity(a.channel(c), b.channel(c), peak, put_row);
    }
  }
}

Shape map_shape(const ConstView& a) {
  const bool small = a.width() < kWindow || a.height() < kWindow;
  const int less = small ? 0 : 2 * kRadius;
  return {a.width() - less, a.height() - less, a.shape.color_channels()};
}

}  // namespace

// All but the SSIM.
static Comparison differences(const ConstView& result, const ConstView& truth, double peak, const char* who) {
  require_pair(result, truth);
  if (!(peak > 0)) throw InvalidArgument(std::string(who) + ": the peak must be above 0");
  const int color = result.shape.color_channels(), total = result.height() * color;
  std::vector<RowFigures> rows(static_cast<std::size_t>(total));
  parallel_rows(total, result.width(), [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const int y = i % result.height(), c = i / result.height();
      rows[static_cast<std::size_t>(i)] = figures(result.row(y, c), truth.row(y, c), result.width());
    }
  });
  Comparison q;
  q.peak = peak;
  double squares = 0, absolute = 0, most = -1;
  std::size_t finite = 0, changed = 0;
  for (int i = 0; i < total; ++i) {
    const RowFigures& f = rows[static_cast<std::size_t>(i)];
    squares += f.squares;
    absolute += f.absolute;
    finite += f.finite;
    changed += f.changed;
    if (f.most > most) {
      most = f.most;
      q.x = f.x;
      q.y = i % result.height();
      q.channel = i / result.height();
    }
  }
  const auto n = static_cast<double>(finite);
  q.not_finite = result.shape.pixels() * static_cast<std::size_t>(color) - finite;
  q.mse = finite ? squares / n : std::numeric_limits<double>::quiet_NaN();
  q.mae = finite ? absolute / n : std::numeric_limits<double>::quiet_NaN();
  q.psnr = q.mse == 0 ? std::numeric_limits<double>::infinity() : 10 * std::log10(peak * peak / q.mse);
  q.maximum_deviation = std::max(most, 0.0);
  q.changed = finite ? static_cast<double>(changed) / n : 0;
  return q;
}

Comparison compare(const ConstView& result, const ConstView& truth, double peak) {
  Comparison q = differences(result, truth, peak, "compare");
  q.ssim = ssim(result, truth, peak);
  return q;
}

double psnr(const ConstView& result, const ConstView& truth, double peak) {
  return differences(result, truth, peak, "psnr").psnr;
}

double ssim(const ConstView& result, const ConstView& truth, double peak) {
  const Shape shape = map_shape(result);
  // Sums of each row by itself, added in order: the same for any number of threads.
  std::vector<double> sums(static_cast<std::size_t>(std::max(shape.height, 0)) *
                           static_cast<std::size_t>(shape.channels));
  each_channel(result, truth, peak, [&](int c, int y, const float* values) {
    double sum = 0;
    for (int x = 0; x < shape.width; ++x) sum += values[x];
    sums[static_cast<std::size_t>(c) * static_cast<std::size_t>(shape.height) + static_cast<std::size_t>(y)] = sum;
  });
  double total = 0;
  for (const double s : sums) total += s;
  return total / static_cast<double>(shape.samples());
}

Image ssim_map(const ConstView& result, const ConstView& truth, double peak) {
  require_pair(result, truth);
  const Shape shape = map_shape(result);
  Image out(Shape{shape.width, shape.height, shape.channels == 2 ? 1 : shape.channels});
  const View v = out.view();
  each_channel(result, truth, peak,
               [&](int c, int y, const float* values) { std::copy_n(values, shape.width, v.row(y, c)); });
  return out;
}

Image difference(const ConstView& result, const ConstView& truth) {
  require_pair(result, truth);
  Image out = map_pairs(result, truth, [](float a, float b) { return a - b; });
  out.set_white_level(0);
  return out;
}

}  // namespace sieve
