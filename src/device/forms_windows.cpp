// Windows: spatial filters, ranks, sharpeners.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "device/forms.hpp"
#include "sieve/sharpen.hpp"
#include "sieve/spatial.hpp"

namespace sieve::internal::device {

namespace {

Pass with_border(Pass p, Border border, const Real& fill) {
  p.border = border;
  p.fill = border == Border::constant ? number(fill) : 0;
  return p;
}

// One item a sample, from the device's memory: strides, and borders that change the size.
Made weighed_apart(const FilterDescription& about, const void* f, const sieve::Kernel& k, int stride, Border border,
                   const Real& fill, const Shape& in) {
  if (border == Border::taper) return std::nullopt;
  Pass p{.file = "windows", .kernel = "weigh_apart", .numbers = floats(k.taps())};
  // Where the window of the first result begins.
  const bool inner = border == Border::inside;
  const int left = inner                    ? 0
                   : border == Border::full ? 1 - k.width()
                                            : -k.anchor_x(),
            top = inner                    ? 0
                  : border == Border::full ? 1 - k.height()
                                           : -k.anchor_y();
  p.integers = {k.width(), k.height(), left, top, stride};
  p.resizes = true;
  p.operations = 4.0 * k.width() * k.height();
  p = with_border(std::move(p), border, fill);
  const Shape out = about.result_shape(f, in);
  if (out.empty()) return std::nullopt;
  Work w;
  w.reach = Work::kWhole;
  w.passes = {p};
  w.shape = [out](const Shape& s) { return Shape{out.width, out.height, s.channels}; };
  w.run = [p, out](Bench& bench) {
    Planes to = bench.spare(out.width, out.height, bench.picture().count());
    bench.run(p, {&bench.picture()}, {&to});
    bench.become(std::move(to));
  };
  return w;
}

template <class F>
Made convolved(const F& f, const sieve::Kernel& kernel, const Shape& in) {
  if (f.stride == 1) {
    if (auto passes = weighed(kernel, f.border, f.fill)) return in_turn(std::move(*passes));
  }
  return weighed_apart(description_of<F>(), &f, kernel, f.stride, f.border, f.fill, in);
}

Made in_turn_of(std::optional<std::vector<Pass>> passes) {
  return passes ? Made(in_turn(std::move(*passes))) : std::nullopt;
}

std::vector<Pass> blur(const Real& sigma, Border border) {
  return weighed(sigma == 0 ? sieve::Kernel() : sieve::Kernel::gaussian(static_cast<double>(number(sigma))), border, 0)
      .value();
}

void add_smoothing(Forms& forms) {
  forms.add<Convolve>([](const Convolve& f, const Shape& in) { return convolved(f, f.kernel.turned(), in); });
  forms.add<Correlate>([](const Correlate& f, const Shape& in) { return convolved(f, f.kernel, in); });
  forms.add<Gaussian>([](const Gaussian& f, const Shape&) {
    return in_turn_of(
        weighed(f.sigma == 0 ? sieve::Kernel() : sieve::Kernel::gaussian(static_cast<double>(number(f.sigma))),
                f.border, f.fill));
  });
  forms.add<Box>([](const Box& f, const Shape&) -> Made {
    if (f.radius > kFarthestMean) return std::nullopt;
    return in_turn_of(weighed(sieve::Kernel::box(static_cast<int>(f.radius)), f.border, f.fill));
  });
  forms.add<Binomial>([](const Binomial& f, const Shape&) {
    // Rows of Pascal's triangle, each the means of the one before.
    std::vector<double> row = {1};
    for (int i = 0; i < 2 * static_cast<int>(f.radius); ++i) {
      row.push_back(0);
      for (std::size_t j = row.size(); j-- > 1;) row[j] = 0.5 * (row[j] + row[j - 1]);
      row[0] *= 0.5;
    }
    return in_turn_of(weighed(sieve::Kernel::outer(row, row), f.border, f.fill));
  });
  forms.add<DiskMean>([](const DiskMean& f, const Shape&) -> Made {
    if (f.radius > kFarthestExtreme) return std::nullopt;
    return in_turn_of(weighed(sieve::Kernel::disk(static_cast<double>(number(f.radius))), f.border, f.fill));
  });
}

// The weights along the edge, then which of the two is wanted.
Made gradient(GradientBy by, Border border, bool direction) {
  const sieve::Kernel k = by == GradientBy::sobel     ? sieve::Kernel::sobel_x()
                          : by == GradientBy::prewitt ? sieve::Kernel::prewitt_x()
                                                      : sieve::Kernel::scharr_x();
  Pass p{.file = "windows", .kernel = "gradient"};
  p.reals = {static_cast<float>(k.at(2, 0)), static_cast<float>(k.at(2, 1))};
  p.integers = {direction ? 1 : 0};
  p.reach = 1;
  p.tile_across = p.tile_down = 2;
  p.several = true;
  p.operations = direction ? 60 : 20;
  return in_turn({with_border(std::move(p), border, 0)});
}

void add_gradients(Forms& forms) {
  forms.add<GradientMagnitude>(
      [](const GradientMagnitude& f, const Shape&) { return gradient(f.by, f.border, false); });
  forms.add<GradientDirection>([](const GradientDirection& f, const Shape&) { return gradient(f.by, f.border, true); });
}

template <class F>
Made extreme(const F& f, bool most) {
  if (f.shape != WindowShape::square || !f.footprint.empty() || f.radius > kFarthestExtreme) return std::nullopt;
  return in_turn(extremes(static_cast<int>(f.radius), most, f.border, f.fill));
}
template <class F>
Made twice(const F& f, bool most_first) {
  if (f.radius > kFarthestExtreme) return std::nullopt;
  std::vector<Pass> all = extremes(static_cast<int>(f.radius), most_first, f.border, f.fill);
  const std::vector<Pass> then = extremes(static_cast<int>(f.radius), !most_first, f.border, f.fill);
  all.insert(all.end(), then.begin(), then.end());
  return in_turn(std::move(all));
}

void add_ranks(Forms& forms) {
  forms.add<Minimum>([](const Minimum& f, const Shape&) { return extreme(f, false); });
  forms.add<Maximum>([](const Maximum& f, const Shape&) { return extreme(f, true); });
  forms.add<Opening>([](const Opening& f, const Shape&) { return twice(f, false); });
  forms.add<Closing>([](const Closing& f, const Shape&) { return twice(f, true); });
  forms.add<Midpoint>([](const Midpoint& f, const Shape&) -> Made {
    if (f.radius > kFarthestExtreme || f.shape != WindowShape::square || !f.footprint.empty()) return std::nullopt;
    const int r = static_cast<int>(f.radius);
    Work w = in_turn(extremes(r, false, f.border, f.fill));
    w.buffers = 3;
    w.run = [low = w.passes, high = extremes(r, true, f.border, f.fill)](Bench& bench) {
      Planes least = bench.spare(), most = bench.spare(), middle = bench.spare();
      run_in_turn(bench, low, bench.picture(), least);
      run_in_turn(bench, high, bench.picture(), most);
      bench.combine("0.5f * (v + w)", {}, least, most, middle);
      bench.become(std::move(middle));
    };
    return w;
  });
  forms.add<Median>([](const Median& f, const Shape&) -> Made {
    if (f.radius > 3 || f.shape != WindowShape::square || !f.footprint.empty()) return std::nullopt;
    const int r = static_cast<int>(f.radius);
    Pass p{.file = "rank", .kernel = r == 1 ? "median_of_nine" : "median"};
    if (r > 1) p.options = fmt::format("-DMEDIAN_RADIUS={}", r);
    p.reach = r;
    p.tile_across = p.tile_down = 2 * r;
    p.several = true;
    p.operations = r == 1 ? 38 : r == 2 ? 250 : 1000;
    return in_turn({with_border(std::move(p), f.border, f.fill)});
  });
}

void add_sharpeners(Forms& forms) {
  forms.add<LaplacianSharpen>([](const LaplacianSharpen& f, const Shape&) {
    std::vector<double> taps = sieve::Kernel::laplacian(f.diagonals ? 8 : 4).taps();
    for (double& t : taps) t *= -static_cast<double>(number(f.amount));
    taps[4] += 1;
    return in_turn_of(weighed(sieve::Kernel(3, 3, taps), f.border, 0));
  });
  forms.add<Unsharp>([](const Unsharp& f, const Shape&) -> Made {
    Work w = in_turn(blur(f.sigma, f.border));
    w.buffers = 2;
    w.run = [passes = w.passes, n = std::vector{number(f.amount), number(f.threshold)}](Bench& bench) {
      Planes blurred = bench.spare();
      run_in_turn(bench, passes, bench.picture(), blurred);
      Planes to = bench.spare();
      bench.combine("v + n[0] * (fabs(v - w) <= n[1] ? 0 : (v - w) - copysign(n[1], v - w))", n, bench.picture(),
                    blurred, to);
      bench.become(std::move(to));
    };
    return w;
  });
  forms.add<BoundedUnsharp>([](const BoundedUnsharp& f, const Shape&) -> Made {
    if (f.radius > kFarthestExtreme) return std::nullopt;
    const std::vector<Pass> blurring = blur(f.sigma, f.border),
                            low = extremes(static_cast<int>(f.radius), false, f.border, 0),
                            high = extremes(static_cast<int>(f.radius), true, f.border, 0);
    Work w = in_turn(blurring);
    w.passes.insert(w.passes.end(), low.begin(), low.end());
    w.reach = std::max(reach_of(blurring), reach_of(low));
    w.buffers = 3;
    w.run = [=, n = std::vector{number(f.amount)}](Bench& bench) {
      Planes blurred = bench.spare(), steep = bench.spare();
      run_in_turn(bench, blurring, bench.picture(), blurred);
      bench.combine("v + n[0] * (v - w)", n, bench.picture(), blurred, steep);
      run_in_turn(bench, low, bench.picture(), blurred);
      Planes held = bench.spare();
      bench.combine("v < w ? w : v", {}, steep, blurred, held);
      run_in_turn(bench, high, bench.picture(), blurred);
      bench.combine("v > w ? w : v", {}, held, blurred, steep);
      bench.become(std::move(steep));
    };
    return w;
  });
}

}  // namespace

namespace {

// Which taps are 0, as far as a program can be built for that.
std::string zeros_of(const std::vector<double>& taps) {
  std::uint64_t bits = 0;
  bool any = false;
  for (std::size_t i = 0; i < taps.size(); ++i) {
    if (taps[i] != 0) continue;
    any = true;
    if (i < 64) bits |= std::uint64_t{1} << i;
  }
  return !any ? " -DALL_TAPS" : taps.size() <= 64 ? fmt::format(" -DZEROS={:#x}UL", bits) : "";
}

Pass along(bool row, const std::vector<double>& taps, int anchor) {
  const int length = static_cast<int>(taps.size());
  Pass p{.file = "windows", .kernel = row ? "along_row" : "along_column", .numbers = floats(taps)};
  // Each length is a program of its own, so long ones share one.
  constexpr int kFlat = 41;
  if (length <= kFlat) p.options = fmt::format("-DFIXED_TAPS={}{}", length, zeros_of(taps));
  p.integers = {length, anchor};
  p.several = true;
  p.operations = 8 + 2.0 * length;
  if (row) {
    p.tile_across = length - 1;
    p.tile_down = 0;
  } else {
    p.reach = std::max(anchor, length - 1 - anchor);
  }
  return p;
}

}  // namespace

std::optional<std::vector<Pass>> weighed(const sieve::Kernel& k, Border border, const Real& fill) {
  if (border == Border::inside || border == Border::full || border == Border::taper) return std::nullopt;
  if (const auto factors = k.separated()) {
    // A single weight goes into the others.
    if (k.width() == 1 || k.height() == 1) {
      const bool row = k.height() == 1;
      return std::vector{with_border(along(row, k.taps(), row ? k.anchor_x() : k.anchor_y()), border, fill)};
    }
    double sum = 0;
    for (const double w : factors->row) sum += w;
    // The fill has passed the rows when the columns are weighed.
    const Real passed =
        border == Border::constant ? Real(static_cast<float>(static_cast<double>(number(fill)) * sum)) : fill;
    return std::vector{with_border(along(true, factors->row, k.anchor_x()), border, fill),
                       with_border(along(false, factors->column, k.anchor_y()), border, passed)};
  }
  Pass p{.file = "windows", .kernel = "weigh", .numbers = floats(k.taps())};
  p.integers = {k.anchor_x(), k.anchor_y()};
  p.several = true;
  // As on processors, a kernel with hardly a zero visits all its taps.
  const auto zeros = std::count(k.taps().begin(), k.taps().end(), 0.0);
  p.options =
      fmt::format("-DTAPS_ACROSS={} -DTAPS_DOWN={}{}", k.width(), k.height(),
                  3 * zeros < static_cast<std::ptrdiff_t>(k.taps().size()) ? " -DALL_TAPS" : zeros_of(k.taps()));
  p.reach = std::max(k.anchor_y(), k.height() - 1 - k.anchor_y());
  p.tile_across = k.width() - 1;
  p.tile_down = k.height() - 1;
  p.operations = 8 + 2.0 * k.width() * k.height();
  return std::vector{with_border(std::move(p), border, fill)};
}

std::vector<Pass> extremes(int radius, bool most, Border border, const Real& fill) {
  std::vector<Pass> both;
  for (const char* name : {"extreme_along_row", "extreme_along_column"}) {
    const bool along_row = both.empty();
    Pass p{.file = "rank", .kernel = name, .integers = {radius, most ? 1 : 0}, .reach = along_row ? 0 : radius};
    p.several = true;
    p.tile_across = along_row ? 2 * radius : 0;
    p.tile_down = along_row ? 0 : 2 * radius;
    p.operations = 8 + 2.0 * radius;
    both.push_back(with_border(std::move(p), border, fill));
  }
  return both;
}

void add_windows(Forms& forms) {
  add_smoothing(forms);
  add_gradients(forms);
  add_ranks(forms);
  add_sharpeners(forms);
}

}  // namespace sieve::internal::device
