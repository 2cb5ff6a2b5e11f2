#include "sieve/restore/psf.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/lightness.hpp"
#include "restore/deconvolution.hpp"

namespace sieve {

Kernel psf_of_picture(const ConstView& in) {
  require_input(in, "psf_of_picture");
  const Image gray = lightness(in);
  std::vector<double> taps;
  double sum = 0;
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) sum += taps.emplace_back(static_cast<double>(gray.at(x, y)));
  }
  if (!(sum > 0) || !std::isfinite(sum)) throw BadCall(fmt::format("psf_of_picture: the samples sum to {:g}; a point spread function has a finite sum above 0", sum));
  return Kernel(in.width(), in.height(), std::move(taps), in.width() / 2, in.height() / 2).normalized();
}

DoubleSpectrum transfer_function(const Kernel& psf, int width, int height) {
  const HalfPlane<double> h = transfer_plane(psf, width, height);
  DoubleSpectrum s(width, height);
  for (int v = 0; v < height; ++v) std::copy_n(h.row(v), s.columns(), s.row(v));
  return s;
}

PsfDiagnosis diagnose(const Kernel& psf, int width, int height) {
  const DoubleSpectrum h = transfer_function(psf, width, height);
  PsfDiagnosis d;
  d.smallest = std::numeric_limits<double>::infinity();
  double all = 0, gain = 0, counted = 0;
  for (int v = 0; v < height; ++v) {
    for (int u = 0; u < h.columns(); ++u) {
      const double times = u == 0 || 2 * u == width ? 1 : 2, size = std::abs(h.row(v)[u]);
      all += times;
      d.smallest = std::min(d.smallest, size);
      d.below_tenth += times * (size < 0.1);
      d.below_hundredth += times * (size < 0.01);
      d.below_thousandth += times * (size < 0.001);
      if (size < kZero) {
        d.zero += times;
      } else {
        gain += times / (size * size);
        counted += times;
      }
    }
  }
  for (double* share : {&d.below_tenth, &d.below_hundredth, &d.below_thousandth, &d.zero}) *share /= all;
  d.noise_gain = counted > 0 ? std::sqrt(gain / counted) : 0;
  d.verdict = d.zero > 0 ? "information lost" : d.noise_gain <= 10 ? "safe" : "needs regularization";
  d.reason = fmt::format("smallest |H| {:.3g}; below 0.1: {:.1f} %, below 0.01: {:.1f} %, below 0.001: {:.1f} %, zero: {:.3f} %; division raises white noise {:.3g} times", d.smallest, 100 * d.below_tenth,
                         100 * d.below_hundredth, 100 * d.below_thousandth, 100 * d.zero, d.noise_gain);
  return d;
}

}  // namespace sieve
