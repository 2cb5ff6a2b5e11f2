// The cosine transform of blocks, and wavelets.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "device/forms.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/denoise.hpp"
#include "sieve/spectral.hpp"
#include "sieve/wavelet.hpp"

namespace sieve::internal::device {

namespace {

// Row u: the weights of coefficient u.
void add_cosines(int n, std::vector<float>& to) {
  for (int u = 0; u < n; ++u) {
    for (int x = 0; x < n; ++x)
      to.push_back(static_cast<float>(std::sqrt((u == 0 ? 1.0 : 2.0) / n) *
                                      std::cos(std::numbers::pi * (2 * x + 1) * u / (2.0 * n))));
  }
  to.resize((to.size() + 63) / 64 * 64);
}

Made cosine_truncation(const CosineTruncation& f, const Shape& in) {
  if (f.block != 8) return std::nullopt;
  Pass p{.file = "cosine", .kernel = "truncate"};
  add_cosines(8, p.numbers);
  add_cosines(std::max(1, in.width % 8), p.numbers);
  add_cosines(std::max(1, in.height % 8), p.numbers);
  p.integers = {f.side, f.which == CosineTruncation::Which::largest ? 1 : 0};
  p.group = 8;
  p.operations = 64 + 150;
  Work w;
  w.reach = Work::kWhole;
  w.buffers = 2;
  w.passes = {p};
  w.run = [p](Bench& bench) {
    on_finite(bench, [&](const Planes& finite) {
      Planes to = bench.spare();
      bench.run(p, {&finite}, {&to});
      return to;
    });
  };
  return w;
}

// Undecimated, an orthogonal wavelet goes around; a margin of mirror images keeps that from the picture.
int margin_of(const WaveletShrink& f, int width, int height) {
  const WaveletTaps& t = taps_of(f.wavelet);
  if (!f.undecimated || t.symmetric) return 0;
  return static_cast<int>(
      std::min<long long>(static_cast<long long>(t.low.size()) << (f.levels - 1), std::max(width, height)));
}

// The bands of one level on a device, and the way there and back.
struct Level {
  Planes low, horizontal, vertical, diagonal;
};

class Wavelets {
 public:
  Wavelets(Bench& bench, Wavelet wavelet, bool undecimated)
      : bench_(bench), t_(taps_of(wavelet)), undecimated_(undecimated) {}

  Level forward(const Planes& in, int level) const {
    const int w = in.place().width, h = in.place().rows;
    const Planes left = split(in, t_.low, low_at(), level, true, half(w, false), h),
                 right = split(in, t_.high, high_at(), level, true, half(w, true), h);
    const auto down = [&](const Planes& side, bool high) {
      return split(side, high ? t_.high : t_.low, high ? high_at() : low_at(), level, false, side.place().width,
                   half(h, high));
    };
    return {down(left, false), down(left, true), down(right, false), down(right, true)};
  }
  Planes inverse(const Level& l, int level, int width, int height) const {
    const Planes left = join(l.low, l.horizontal, level, false, l.low.place().width, height),
                 right = join(l.vertical, l.diagonal, level, false, l.vertical.place().width, height);
    return join(left, right, level, true, width, height);
  }

 private:
  // Without decimation the filters of symmetric wavelets are centered.
  int low_at() const { return undecimated_ && t_.symmetric ? static_cast<int>(t_.low.size() / 2) : t_.low_at; }
  int high_at() const { return undecimated_ && t_.symmetric ? static_cast<int>(t_.high.size() / 2) : t_.high_at; }
  int back_at(const std::vector<double>& taps, int at) const {
    return undecimated_ && t_.symmetric ? static_cast<int>(taps.size() / 2) : undecimated_ ? t_.low_at : at;
  }
  int half(int n, bool high) const {
    if (undecimated_) return n;
    if (!t_.symmetric) return (n + static_cast<int>(t_.low.size()) - 1) / 2;
    return high ? n / 2 : (n + 1) / 2;
  }
  Border border() const { return t_.symmetric ? Border::reflect : undecimated_ ? Border::wrap : Border::mirror; }

  Planes split(const Planes& in, const std::vector<double>& taps, int at, int level, bool along_row, int width,
               int height) const {
    Planes to = bench_.spare(width, height, in.count());
    if (width == 0 || height == 0) return to;
    Pass p{.file = "wavelet", .kernel = "split", .numbers = floats(taps), .border = border()};
    p.integers = {static_cast<int>(taps.size()), at, undecimated_ ? 1 : 2, undecimated_ ? 1 << level : 1,
                  along_row ? 1 : 0};
    p.resizes = true;
    p.operations = 4.0 * static_cast<double>(taps.size());
    bench_.run(p, {&in}, {&to});
    return to;
  }
  Planes join(const Planes& low, const Planes& high, int level, bool along_row, int width, int height) const {
    Planes to = bench_.spare(width, height, low.count());
    if (width == 0 || height == 0) return to;
    Pass p{.file = "wavelet",
           .kernel = undecimated_ ? "join_all" : "join",
           .numbers = floats(t_.low_back),
           .border = border()};
    const std::vector<float> highs = floats(t_.high_back);
    p.numbers.insert(p.numbers.end(), highs.begin(), highs.end());
    p.integers = {static_cast<int>(t_.low_back.size()), back_at(t_.low_back, t_.low_back_at),
                  static_cast<int>(highs.size()), back_at(t_.high_back, t_.high_back_at)};
    if (undecimated_) {
      p.integers.push_back(1 << level);
    } else {
      p.integers.insert(p.integers.end(), {high.place().width, high.place().rows, t_.symmetric ? 1 : 0});
      p.resizes = true;
    }
    p.integers.push_back(along_row ? 1 : 0);
    p.operations = 4.0 * static_cast<double>(p.numbers.size());
    bench_.run(p, {&low, &high}, {&to});
    return to;
  }

  Bench& bench_;
  const WaveletTaps& t_;
  bool undecimated_;
};

double universal(double n, double s) { return s * std::sqrt(2 * std::log(std::max(2.0, n))); }

// The least estimated risk, of sizes counted in fine bins: wavelet_shrink on processors sorts the sizes.
double least_risk(Bench& bench, const Planes& band, int plane, double energy, double s) {
  constexpr std::size_t kBins = 1 << 18;
  const auto n = static_cast<double>(band.samples());
  const double most = universal(n, s), noise = s * s;
  if (energy / (n * noise) - 1 <= std::pow(std::log2(n), 1.5) / std::sqrt(n)) return most;
  const auto top = static_cast<float>(most), scale = static_cast<float>(kBins / most);
  const auto counts = bench.counts(
      {.file = "tables", .kernel = "count_sizes", .integers = {plane, static_cast<int>(kBins)}, .reals = {top, scale}},
      band, kBins);
  double best = n * noise, at = 0, count = 0, squares = 0;
  for (std::size_t i = 0; i < kBins; ++i) {
    if (counts[i] == 0) continue;
    const double t = (static_cast<double>(i) + 0.5) / static_cast<double>(scale);
    count += counts[i];
    squares += counts[i] * t * t;
    const double risk = n * noise - 2 * noise * count + squares + (n - count) * t * t;
    if (risk < best) {
      best = risk;
      at = t;
    }
  }
  return at;
}

void shrink(Bench& bench, const WaveletShrink& f, Planes& band, double s) {
  if (band.samples() == 0) return;
  Pass p{.file = "tables", .kernel = "shrink", .integers = {f.shrink == Shrinkage::hard ? 1 : 0}};
  const auto n = static_cast<double>(band.samples());
  const std::vector<float> rows = bench.of_rows({.file = "figures", .kernel = "squares"}, {&band}, 1);
  const std::size_t height = rows.size() / static_cast<std::size_t>(band.count());
  for (int c = 0; c < band.count(); ++c) {
    double energy = 0;
    for (std::size_t y = 0; y < height; ++y)
      energy += static_cast<double>(rows[static_cast<std::size_t>(c) * height + y]);
    const double detail = energy / n - s * s;
    const double t = f.rule == ThresholdRule::universal ? universal(n, s)
                     : f.rule == ThresholdRule::sure    ? least_risk(bench, band, c, energy, s)
                     : detail > 0                       ? s * s / std::sqrt(detail)
                                                        : std::numeric_limits<double>::infinity();
    p.numbers.push_back(static_cast<float>(t * static_cast<double>(number(f.strength))));
  }
  Planes to = bench.spare(band.place().width, band.place().rows, band.count());
  bench.run(p, {&band}, {&to});
  band = std::move(to);
}

Planes shrunk(Bench& bench, const WaveletShrink& f, const Planes& in) {
  const Wavelets wavelets(bench, f.wavelet, f.undecimated);
  const int w = in.place().width, h = in.place().rows, margin = margin_of(f, w, h);
  Planes wide = bench.spare(w + 2 * margin, h + 2 * margin, in.count());
  bench.run({.file = "wavelet", .kernel = "surround", .integers = {margin}, .resizes = true}, {&in}, {&wide});
  const double noise = std::max(1e-6, static_cast<double>(*f.noise));
  std::vector<Level> levels;
  std::vector<std::pair<int, int>> sides;
  for (int j = 0; j < f.levels; ++j) {
    checkpoint();
    const Planes& from = j == 0 ? wide : levels.back().low;
    sides.push_back({from.place().width, from.place().rows});
    Level l = wavelets.forward(from, j);
    shrink(bench, f, l.horizontal, noise * wavelet_noise_gain(f.wavelet, j, false, true));
    shrink(bench, f, l.vertical, noise * wavelet_noise_gain(f.wavelet, j, true, false));
    shrink(bench, f, l.diagonal, noise * wavelet_noise_gain(f.wavelet, j, true, true));
    levels.push_back(std::move(l));
  }
  for (int j = f.levels - 1; j >= 0; --j) {
    const auto& [width, height] = sides[static_cast<std::size_t>(j)];
    Planes made = wavelets.inverse(levels[static_cast<std::size_t>(j)], j, width, height);
    levels.pop_back();
    (j > 0 ? levels.back().low : wide) = std::move(made);
  }
  Planes out = bench.spare(in.count());
  bench.run({.file = "wavelet", .kernel = "take_middle", .integers = {margin}, .resizes = true}, {&wide}, {&out});
  return out;
}

Made wavelet_shrink(const WaveletShrink& f, const Shape& in) {
  if (!f.noise || f.shifts > 1) return std::nullopt;
  Work w;
  w.reach = Work::kWhole;
  // All bands at once: undecimated each as large as the picture with its margin.
  const double margin = margin_of(f, in.width, in.height);
  const double larger = (1 + 2 * margin / in.width) * (1 + 2 * margin / in.height);
  w.buffers = 3 + larger * (f.undecimated ? 3.0 * f.levels + 4 : 4);
  w.run = [f](Bench& bench) { on_finite(bench, [&](const Planes& finite) { return shrunk(bench, f, finite); }); };
  return w;
}

}  // namespace

void add_transforms(Forms& forms) {
  forms.add<CosineTruncation>(cosine_truncation);
  forms.add<WaveletShrink>(wavelet_shrink);
}

}  // namespace sieve::internal::device
