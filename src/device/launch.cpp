#include "device/launch.hpp"

#include <fmt/format.h>

#include <cmath>
#include <functional>
#include <map>

#include "sieve/core/error.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/sharpen.hpp"
#include "sieve/spatial.hpp"
#include "sieve/tone.hpp"

namespace sieve {

namespace internal::device {

namespace {

using Launches = std::optional<std::vector<Launch>>;

std::vector<float> floats(const std::vector<double>& v) { return {v.begin(), v.end()}; }
float number(const Real& r) { return static_cast<float>(r); }

Launch with_border(Launch l, Border border, const Real& fill) {
  l.border = border;
  l.fill = border == Border::constant ? number(fill) : 0;
  return l;
}

// Correlation as written; along rows and columns where that is the same.
Launches weighed(const sieve::Kernel& k, Border border, const Real& fill) {
  if (border == Border::inside || border == Border::full || border == Border::taper) return std::nullopt;
  if (const auto factors = k.separated()) {
    Launch row{.kernel = "along_row", .numbers = floats(factors->row)}, column{.kernel = "along_column"};
    row.integers = {k.width(), k.anchor_x()};
    row.tile_across = k.width() - 1;
    row.tile_down = 0;
    row.several = column.several = true;
    column.numbers = floats(factors->column);
    column.integers = {k.height(), k.anchor_y()};
    column.reach = std::max(k.anchor_y(), k.height() - 1 - k.anchor_y());
    // The fill has passed the rows when the columns are weighed.
    Real passed = fill;
    if (border == Border::constant) {
      double sum = 0;
      for (const double w : factors->row) sum += w;
      passed = static_cast<float>(static_cast<double>(number(fill)) * sum);
    }
    return std::vector{with_border(std::move(row), border, fill), with_border(std::move(column), border, passed)};
  }
  Launch l{.kernel = "weigh", .numbers = floats(k.taps())};
  l.integers = {k.anchor_x(), k.anchor_y()};
  l.several = true;
  l.options = fmt::format("-DTAPS_ACROSS={} -DTAPS_DOWN={}", k.width(), k.height());
  l.reach = std::max(k.anchor_y(), k.height() - 1 - k.anchor_y());
  l.tile_across = k.width() - 1;
  l.tile_down = k.height() - 1;
  return std::vector{with_border(std::move(l), border, fill)};
}

Launches extremes(int radius, bool most, Border border, const Real& fill) {
  std::vector<Launch> both;
  for (const char* name : {"extreme_along_row", "extreme_along_column"}) {
    const bool along_row = both.empty();
    Launch l{.kernel = name, .integers = {radius, most ? 1 : 0}, .reach = along_row ? 0 : radius, .several = true};
    l.tile_across = along_row ? 2 * radius : 0;
    l.tile_down = along_row ? 0 : 2 * radius;
    both.push_back(with_border(std::move(l), border, fill));
  }
  return both;
}

Launches points(const char* expression, std::vector<float> numbers = {}) {
  return std::vector{Launch{.kernel = "", .form = sieve::device::point(expression, std::move(numbers))}};
}

class Table {
 public:
  Table() {
    tones();
    windows();
  }
  const std::function<Launches(const void*)>* find(const FilterDescription* about) const {
    const auto it = all_.find(about);
    return it == all_.end() ? nullptr : &it->second;
  }

 private:
  template <class F>
  void add(Launches (*make)(const F&)) {
    all_[&description_of<F>()] = [make](const void* f) { return make(*static_cast<const F*>(f)); };
  }
  void tones() {
    add<Brightness>([](const Brightness& f) { return points("v + n[0]", {number(f.amount)}); });
    add<Gain>([](const Gain& f) { return points("v * n[0]", {number(f.factor)}); });
    add<Contrast>([](const Contrast& f) {
      return points("(v - n[1]) * n[0] + n[1]", {number(f.factor), number(f.pivot)});
    });
    add<Stretch>([](const Stretch& f) {
      const float low = f.low.value_or(0), high = f.high.value_or(1);
      const bool flat = !(low != high) || !std::isfinite(low) || !std::isfinite(high);
      const double slope = flat ? 0
                                : (static_cast<double>(number(f.to_high)) - static_cast<double>(number(f.to_low))) /
                                      (static_cast<double>(high) - static_cast<double>(low));
      return points("(v - n[0]) * n[1] + n[2]", {flat ? 0 : low, static_cast<float>(slope), number(f.to_low)});
    });
    add<Invert>([](const Invert&) { return points("1 - v"); });
    add<Absolute>([](const Absolute&) { return points("fabs(v)"); });
    add<Solarize>([](const Solarize& f) { return points("v > n[0] ? 1 - v : v", {number(f.level)}); });
    add<Clip>([](const Clip& f) {
      return points("isnan(v) ? v : clamp(v, n[0], n[1])", {number(f.low), number(f.high)});
    });
    // The curves go on beyond 0 as those of the processors do: mirrored.
    add<Gamma>([](const Gamma& f) { return points("copysign(pow(fabs(v), n[0]), v)", {number(f.exponent)}); });
    add<Logarithm>([](const Logarithm& f) {
      const float k = number(f.strength);
      return points("copysign(log1p(n[0] * fabs(v)) * n[1], v)", {k, 1 / std::log1p(k)});
    });
    add<Sigmoid>([](const Sigmoid& f) {
      const double k = 0.5 * static_cast<double>(number(f.steepness)), m = static_cast<double>(number(f.center)),
                   low = std::tanh(-k * m), high = std::tanh(k * (1 - m));
      return points(
          "isnan(v) ? v : (tanh(clamp((v - n[0]) * n[1], -20.0f, 20.0f)) - n[2]) * n[3]",
          {number(f.center), static_cast<float>(k), static_cast<float>(low), static_cast<float>(1 / (high - low))});
    });
    add<Linearize>([](const Linearize&) {
      return points("copysign(fabs(v) <= 0.04045f ? fabs(v) / 12.92f : pow((fabs(v) + 0.055f) / 1.055f, 2.4f), v)");
    });
    add<Encode>([](const Encode&) {
      return points("copysign(fabs(v) <= 0.0031308f ? fabs(v) * 12.92f : 1.055f * pow(fabs(v), 1 / 2.4f) - 0.055f, v)");
    });
  }
  void windows() {
    add<Convolve>([](const Convolve& f) -> Launches {
      if (f.stride != 1) return std::nullopt;
      return weighed(f.kernel.turned(), f.border, f.fill);
    });
    add<Correlate>([](const Correlate& f) -> Launches {
      if (f.stride != 1) return std::nullopt;
      return weighed(f.kernel, f.border, f.fill);
    });
    add<Gaussian>([](const Gaussian& f) {
      return weighed(f.sigma == 0 ? sieve::Kernel() : sieve::Kernel::gaussian(static_cast<double>(f.sigma)), f.border,
                     f.fill);
    });
    add<Box>([](const Box& f) -> Launches {
      if (f.radius > 128) return std::nullopt;  // a running sum is faster on any processor
      return weighed(sieve::Kernel::box(static_cast<int>(f.radius)), f.border, f.fill);
    });
    add<Binomial>([](const Binomial& f) {
      // Rows of Pascal's triangle, each the means of the one before.
      std::vector<double> row = {1};
      for (int i = 0; i < 2 * static_cast<int>(f.radius); ++i) {
        row.push_back(0);
        for (std::size_t j = row.size(); j-- > 1;) row[j] = 0.5 * (row[j] + row[j - 1]);
        row[0] *= 0.5;
      }
      return weighed(sieve::Kernel::outer(row, row), f.border, f.fill);
    });
    add<DiskMean>([](const DiskMean& f) -> Launches {
      if (f.radius > kFarthest) return std::nullopt;
      return weighed(sieve::Kernel::disk(static_cast<double>(number(f.radius))), f.border, f.fill);
    });
    add<Minimum>([](const Minimum& f) -> Launches { return extreme(f, false); });
    add<Maximum>([](const Maximum& f) -> Launches { return extreme(f, true); });
    add<Opening>([](const Opening& f) { return twice(f, false); });
    add<Closing>([](const Closing& f) { return twice(f, true); });
    add<Median>([](const Median& f) -> Launches {
      if (f.radius != 1 || f.shape != WindowShape::square || !f.footprint.empty()) return std::nullopt;
      const Launch l{.kernel = "median_of_nine", .reach = 1, .tile_across = 2, .tile_down = 2, .several = true};
      return std::vector{with_border(l, f.border, f.fill)};
    });
    add<LaplacianSharpen>([](const LaplacianSharpen& f) {
      const float a = number(f.amount);
      sieve::Kernel k = sieve::Kernel::laplacian(f.diagonals ? 8 : 4);
      std::vector<double> taps = k.taps();
      for (double& t : taps) t *= -static_cast<double>(a);
      taps[4] += 1;
      return weighed(sieve::Kernel(3, 3, taps), f.border, 0);
    });
  }
  // Farther ones take longer than a running extreme on any processor.
  static constexpr int kFarthest = 32;
  template <class F>
  static Launches extreme(const F& f, bool most) {
    if (f.shape != WindowShape::square || !f.footprint.empty() || f.radius > kFarthest) return std::nullopt;
    return extremes(static_cast<int>(f.radius), most, f.border, f.fill);
  }
  template <class F>
  static Launches twice(const F& f, bool most_first) {
    if (f.radius > kFarthest) return std::nullopt;
    Launches all = extremes(static_cast<int>(f.radius), most_first, f.border, f.fill);
    const Launches then = extremes(static_cast<int>(f.radius), !most_first, f.border, f.fill);
    all->insert(all->end(), then->begin(), then->end());
    return all;
  }

  std::map<const FilterDescription*, std::function<Launches(const void*)>> all_;
};

}  // namespace

std::optional<std::vector<Launch>> launches_of(const Step& step) {
  static const Table table;
  const void* fields = step.fields.get();
  if (const auto* make = table.find(step.about)) return (*make)(fields);
  DeviceForm form = step.about->device_form(fields);
  if (form.kind == DeviceForm::Kind::none) return std::nullopt;
  Launch l;
  l.reach = form.radius;
  l.border = step.about->border_of(fields).value_or(Border::edge);
  l.form = std::move(form);
  return std::vector{std::move(l)};
}

std::string source_of(const DeviceForm& window) {
  // The text twice: where the whole window lies in the picture, samples are fetched as they lie.
  const auto function = [&](const char* name, const char* at) {
    return fmt::format(
        "float {}(global const float* own_plane, int own_x, int own_y, Place own_place, constant float* n) {{\n#define "
        "at(dx, dy) {}\n"
        "#line 1\n{}\n#undef at\n}}\n",
        name, at, window.text);
  };
  return fmt::format(
      "{}\n{}{}kernel void own(global const float* in, global float* out, Place p, constant float* n) {{\n"
      "  if (X >= p.width || Y >= p.rows) return;\n"
      "  bool within = X >= {r} && X + {r} < p.width && Y >= {r} && Y + {r} < p.rows;\n"
      "  out[PLANE + (size_t)Y * p.width + X] = within ? own_within(in + PLANE, X, Y + p.first, p, n)\n"
      "                                                : own_at_border(in + PLANE, X, Y + p.first, p, n);\n}}\n",
      window_source(),
      function("own_within", "own_plane[(size_t)(own_y - own_place.first + (dy)) * own_place.width + own_x + (dx)]"),
      function("own_at_border", "sample(own_plane, own_x + (dx), own_y + (dy), own_place)"),
      fmt::arg("r", window.radius));
}

std::string source_of_points(std::span<const Launch> points) {
  std::string source =
      "#pragma OPENCL FP_CONTRACT OFF\n"
      "float chain_of_points(float v, constant float* numbers) {\n";
  std::size_t at = 0;
  for (const Launch& p : points) {
    source += fmt::format("  {{\n    constant float* n = numbers + {};\n#line 1\nv = ({});\n  }}\n", at, p.form.text);
    at += p.form.numbers.size();
  }
  // A loop of a fixed length over neighbors, which compilers for processors make vectors of.
  return source +
         "  return v;\n}\n"
         "kernel void points(global const float* restrict in, global float* restrict out, ulong count, constant float* "
         "numbers) {\n"
         "  size_t first = get_global_id(0) * WIDE;\n"
         "  if (first + WIDE <= count) {\n"
         "    for (int i = 0; i < WIDE; ++i) out[first + i] = chain_of_points(in[first + i], numbers);\n"
         "    return;\n  }\n"
         "  for (size_t i = first; i < count; ++i) out[i] = chain_of_points(in[i], numbers);\n}\n";
}

}  // namespace internal::device
}  // namespace sieve
