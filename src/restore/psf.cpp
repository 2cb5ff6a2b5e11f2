#include "sieve/restore/psf.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

#include "restore/deconvolution.hpp"
#include "restore/told_noise.hpp"

namespace sieve {

using namespace internal;

DoubleSpectrum transfer_function(const Kernel& psf, int width, int height) {
  const Transfer2d h = transfer_of(psf, width, height);
  DoubleSpectrum s(width, height);
  for (int v = 0; v < height; ++v) {
    for (int u = 0; u < s.columns(); ++u) s.row(v)[u] = h.at(u, v);
  }
  return s;
}

std::span<const std::pair<const char*, PsfVerdict>> ChoiceNames<PsfVerdict>::all() {
  static constexpr std::pair<const char*, PsfVerdict> names[] = {
      {"safe", PsfVerdict::safe},
      {"needs regularization", PsfVerdict::needs_regularization},
      {"information lost", PsfVerdict::information_lost}};
  return names;
}

Invertibility invertibility(const Kernel& psf, int width, int height) {
  return invertibility_of(transfer_of(psf, width, height));
}

Invertibility internal::invertibility_of(const Transfer2d& h) {
  struct Sums {
    double all = 0, tenth = 0, hundredth = 0, thousandth = 0, zero = 0, gain = 0, counted = 0,
           smallest = std::numeric_limits<double>::infinity();
  };
  const Grid& grid = h.grid;
  std::vector<Sums> columns(static_cast<std::size_t>(grid.columns));
  parallel_rows(grid.columns, RowCost(grid.rows, 4), [&](int first, int last) {
    for (int u = first; u < last; ++u) {
      Sums s;
      for (int v = 0; v < grid.rows; ++v) {
        const double times = grid.times(u, v), power = std::norm(h.at(u, v));
        if (times == 0) continue;
        s.all += times;
        s.smallest = std::min(s.smallest, power);
        s.tenth += times * (power < 1e-2);
        s.hundredth += times * (power < 1e-4);
        s.thousandth += times * (power < 1e-6);
        if (power < kZero * kZero) {
          s.zero += times;
        } else {
          s.gain += times / power;
          s.counted += times;
        }
      }
      columns[static_cast<std::size_t>(u)] = s;
    }
  });
  Sums sum;
  for (const Sums& s : columns) {
    sum.all += s.all, sum.tenth += s.tenth, sum.hundredth += s.hundredth, sum.thousandth += s.thousandth,
        sum.zero += s.zero, sum.gain += s.gain, sum.counted += s.counted;
    sum.smallest = std::min(sum.smallest, s.smallest);
  }
  Invertibility d;
  d.smallest = std::sqrt(sum.smallest);
  d.below_tenth = sum.tenth / sum.all;
  d.below_hundredth = sum.hundredth / sum.all;
  d.below_thousandth = sum.thousandth / sum.all;
  d.zero = sum.zero / sum.all;
  d.noise_gain = sum.counted > 0 ? std::sqrt(sum.gain / sum.counted) : 0;
  d.verdict = d.zero > 0           ? PsfVerdict::information_lost
              : d.noise_gain <= 10 ? PsfVerdict::safe
                                   : PsfVerdict::needs_regularization;
  const std::string left = fmt::format("|H| is below 0.1 at {:.1f} %, below 0.01 at {:.1f} %, below 0.001 at {:.1f} %",
                                       100 * d.below_tenth, 100 * d.below_hundredth, 100 * d.below_thousandth);
  if (d.zero > 0) {
    d.reason = fmt::format(
        "nothing is left of {:.0f} of {:.0f} frequencies (|H| below {:g}), and no division brings back what the "
        "picture "
        "had there; {}",
        sum.zero, sum.all, kZero, left);
    return d;
  }
  // Of a picture within 0..1.
  const double of_file = Rounding{1.0 / 255, true}.deviation() * d.noise_gain,
               of_floats = Rounding{0x1p-24}.deviation() * d.noise_gain;
  d.reason = fmt::format(
      "smallest |H| {:.3g}; {}; division raises white noise {:.3g} times: rounding to 8 bits to {:.2g}, that of 32-bit "
      "floats to {:.2g}",
      d.smallest, left, d.noise_gain, of_file, of_floats);
  return d;
}

}  // namespace sieve
