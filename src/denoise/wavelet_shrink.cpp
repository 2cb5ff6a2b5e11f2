#include "sieve/denoise/wavelet_shrink.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

#include "core/finite.hpp"
#include "core/row_sums.hpp"
#include "core/to_integer.hpp"
#include "run/validate.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/spatial/frame.hpp"
#include "sieve/wavelet/bands.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, ThresholdRule>> ChoiceNames<ThresholdRule>::all() {
  static constexpr std::pair<const char*, ThresholdRule> names[] = {
      {"universal", ThresholdRule::universal}, {"sure", ThresholdRule::sure}, {"bayes", ThresholdRule::bayes}};
  return names;
}
std::span<const std::pair<const char*, Shrinkage>> ChoiceNames<Shrinkage>::all() {
  static constexpr std::pair<const char*, Shrinkage> names[] = {{"soft", Shrinkage::soft}, {"hard", Shrinkage::hard}};
  return names;
}

namespace {

double sum_of_squares(const Image& band) {
  return sum_of_rows(band.height(), band.width(), [&](int y) {
    const float* r = band.row(y);
    double sum = 0;
    for (int x = 0; x < band.width(); ++x) sum += static_cast<double>(r[x]) * static_cast<double>(r[x]);
    return sum;
  });
}

double universal(double n, double s) { return s * std::sqrt(2 * std::log(std::max(2.0, n))); }

// The threshold of the least estimated risk n s^2 - 2 s^2 #(|c| <= T) + sum of min(|c|, T)^2; it is one of the |c|.
// Sorting all of them would take most of the filter's time, so they are counted in bins, and only bins that can hold
// the least are sorted.
double least_risk(const Image& band, double s) {
  constexpr int kBins = 4096, kParts = 16;
  const auto n = static_cast<double>(band.shape().pixels());
  const double most = universal(n, s), noise = s * s;
  const auto top = static_cast<float>(most), per = static_cast<float>(kBins / most);
  if (!std::isfinite(per)) return most;  // denormal noise: no bin can be told from another
  const auto bin_of = [per](float size) { return to_integer<std::size_t>(size * per, 0, kBins - 1); };
  struct Bin {
    double count = 0, squares = 0;
  };
  struct Tally {
    std::vector<Bin> bins = std::vector<Bin>(kBins);
    double energy = 0;
  };
  const int parts = std::min(kParts, band.height());
  const auto begin = [&](int part) { return static_cast<int>(static_cast<long long>(band.height()) * part / parts); };
  std::vector<Tally> tallies(static_cast<std::size_t>(parts));
  parallel_rows(
      parts, band.shape().pixels() / static_cast<std::size_t>(parts),
      [&](int first, int last) {
        for (int p = first; p < last; ++p) {
          Tally& t = tallies[static_cast<std::size_t>(p)];
          for (int y = begin(p); y < begin(p + 1); ++y) {
            for (int x = 0; x < band.width(); ++x) {
              const float size = std::fabs(band.at(x, y));
              const double square = static_cast<double>(size) * static_cast<double>(size);
              t.energy += square;
              if (!(size <= top)) continue;
              Bin& b = t.bins[bin_of(size)];
              ++b.count;
              b.squares += square;
            }
          }
        }
      },
      1);
  Tally all;
  for (const Tally& t : tallies) {
    all.energy += t.energy;
    for (std::size_t i = 0; i < kBins; ++i) {
      all.bins[i].count += t.bins[i].count;
      all.bins[i].squares += t.bins[i].squares;
    }
  }
  // Donoho and Johnstone (1995), section 2.4: in a sparse band the estimate itself is too noisy.
  if (all.energy / (n * noise) - 1 <= std::pow(std::log2(n), 1.5) / std::sqrt(n)) return most;
  // The risk at a bin's largest sample is at most `high`, that at any of its samples at least `low`.
  std::vector<double> low(kBins);
  double best = n * noise, high = best, at = 0;
  Bin before;
  for (std::size_t i = 0; i < kBins; ++i) {
    const double count = before.count + all.bins[i].count, from = static_cast<double>(i) / static_cast<double>(per),
                 to = from + 1 / static_cast<double>(per);
    low[i] = n * noise - 2 * noise * count + before.squares + (n - count) * from * from;
    before = {count, before.squares + all.bins[i].squares};
    if (all.bins[i].count > 0)
      high = std::min(high, n * noise - 2 * noise * count + before.squares + (n - count) * to * to);
  }
  const double margin = 1e-6 * n * noise;
  std::vector<float> sizes;
  for (int y = 0; y < band.height(); ++y) {
    for (int x = 0; x < band.width(); ++x) {
      const float size = std::fabs(band.at(x, y));
      if (size <= top && low[bin_of(size)] <= high + margin) sizes.push_back(size);
    }
  }
  std::sort(sizes.begin(), sizes.end());
  before = {};
  std::size_t next = 0;
  for (std::size_t i = 0; i < kBins; ++i) {
    Bin so_far = before;
    for (; next < sizes.size() && bin_of(sizes[next]) == i; ++next) {
      const double t = sizes[next];
      so_far = {so_far.count + 1, so_far.squares + t * t};
      const double risk = n * noise - 2 * noise * so_far.count + so_far.squares + (n - so_far.count) * t * t;
      if (risk < best) {
        best = risk;
        at = t;
      }
    }
    before = {before.count + all.bins[i].count, before.squares + all.bins[i].squares};
  }
  return at;
}

double threshold_of(const Image& band, ThresholdRule rule, double s) {
  const auto n = static_cast<double>(band.shape().pixels());
  if (rule == ThresholdRule::universal) return universal(n, s);
  if (rule == ThresholdRule::sure) return least_risk(band, s);
  const double detail = sum_of_squares(band) / n - s * s;
  return detail > 0 ? s * s / std::sqrt(detail) : std::numeric_limits<double>::infinity();
}

void shrink_band(Image& band, const WaveletShrink& f, double s) {
  if (band.empty()) return;
  const auto t = static_cast<float>(threshold_of(band, f.rule, s) * static_cast<double>(f.strength));
  parallel_rows(band.height(), band.width(), [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      float* r = band.row(y);
      if (f.shrink == Shrinkage::soft) {
        for (int x = 0; x < band.width(); ++x) r[x] = std::copysign(std::max(0.0F, std::fabs(r[x]) - t), r[x]);
      } else {
        for (int x = 0; x < band.width(); ++x) r[x] = std::fabs(r[x]) > t ? r[x] : 0;
      }
    }
  });
}

// One channel through the transform and back, with either kind of transform.
template <class Forward, class Inverse>
Image shrunk(const ConstView& in, const WaveletShrink& f, double noise, Forward forward, Inverse inverse) {
  WaveletBands b = forward(in, f.wavelet, f.levels, f.undecimated);
  for (int j = 0; j < f.levels; ++j) {
    checkpoint();
    WaveletDetails& d = b.levels[static_cast<std::size_t>(j)];
    shrink_band(d.horizontal, f, noise * wavelet_noise_gain(f.wavelet, j, false, true));
    shrink_band(d.vertical, f, noise * wavelet_noise_gain(f.wavelet, j, true, false));
    shrink_band(d.diagonal, f, noise * wavelet_noise_gain(f.wavelet, j, true, true));
  }
  return inverse(b);
}

template <class Forward, class Inverse>
Image cycle_spin(const ConstView& in, const WaveletShrink& f, double noise, Forward forward, Inverse inverse) {
  const int n = f.shifts;
  if (n == 1) return shrunk(in, f, noise, forward, inverse);
  const Image wide = Pad{.left = n - 1, .top = n - 1, .border = Border::mirror}(in);
  Image sum(in.shape);
  Progress progress(n * n);
  for (int i = 0; i < n * n; ++i) {
    const int dx = i % n, dy = i / n;
    const Image one =
        shrunk(wide.view().part({dx, dy, wide.width() - dx, wide.height() - dy}), f, noise, forward, inverse);
    sum = map_pairs(sum, one.view().part({n - 1 - dx, n - 1 - dy, in.width(), in.height()}),
                    [share = 1.0F / static_cast<float>(n * n)](float a, float b) { return a + share * b; });
    progress.add(1);
  }
  return sum;
}

// Least noise that is reckoned with.
double noise_of(const WaveletShrink& f, const ConstView& in) {
  return std::max(1e-6, f.noise ? static_cast<double>(*f.noise) : noise_level(in));
}

template <class Forward, class Inverse>
void run(const WaveletShrink& f, const ConstView& in, double noise, const View& out, Forward forward, Inverse inverse) {
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    on_finite(in.channel(c), out.channel(c),
              [&](const ConstView& from, const View& to) { copy(cycle_spin(from, f, noise, forward, inverse), to); });
  }
  copy_alpha(in, out);
}

}  // namespace

Image WaveletShrink::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void WaveletShrink::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  if (undecimated && shifts > 1)
    throw InvalidArgument(
        fmt::format("wavelet_shrink: shifts={} with undecimated=yes: the undecimated transform holds all shifts "
                    "already; give undecimated=no to spin",
                    shifts));
  const double s = noise_of(*this, in);
  note(fmt::format("noise deviation {:.4f}{}", s, noise ? "" : ", estimated"));
  run(
      *this, in, s, out,
      [](const ConstView& from, Wavelet w, int n, bool all) { return wavelet_forward(from, w, n, all); },
      [](const WaveletBands& b) { return wavelet_inverse(b); });
}
void WaveletShrink::describe(Description<WaveletShrink>& d) {
  d.called("wavelet_shrink", "denoise",
           "Shrinks wavelet coefficients towards 0: noise is small in all of them, detail large in few.");
  d.also({"denoise", "thresholding", "DWT"});
  d.wrong("there are impulses: they are large coefficients and stay, with rings; take median first.");
  d.meaning([](const WaveletShrink& f) {
    return fmt::format("{} taps, {} levels, {}", taps_of(f.wavelet).low.size(), f.levels,
                       f.undecimated ? "undecimated" : fmt::format("{0}x{0} shifts", f.shifts));
  });
  d.settles([](const WaveletShrink& f, const ConstView& in) {
    WaveletShrink settled = f;
    settled.noise = static_cast<float>(noise_of(f, in));
    return settled;
  });
  d.field("wavelet", &WaveletShrink::wavelet, "", "short ones ring less, long ones follow smooth parts better");
  d.field("levels", &WaveletShrink::levels, "", "how often the picture is halved", {1, 12});
  d.field("rule", &WaveletShrink::rule, "", "how the threshold of a band follows from the noise");
  d.field("shrink", &WaveletShrink::shrink, "", "soft lowers what is kept as well, hard leaves it");
  d.field("undecimated", &WaveletShrink::undecimated, "", "no dependence on where the grid falls; no: faster");
  d.field("shifts", &WaveletShrink::shifts, "pixels", "with undecimated=no: averages shifts x shifts shifted runs",
          {1, 16});
  d.field("strength", &WaveletShrink::strength, "", "times every threshold", {0, 10});
  d.takes_noise([](WaveletShrink& f, float deviation) { f.noise = deviation; });
  d.field("noise", &WaveletShrink::noise, "0..1 scale", "standard deviation of the noise", {0, 1});
}

}  // namespace sieve
