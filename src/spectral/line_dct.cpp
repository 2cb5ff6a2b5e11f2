#include "spectral/line_dct.hpp"

#include <cmath>
#include <numbers>

#include "spectral/spectral_lanes.hpp"

namespace sieve {

const LineDct& LineDct::of(int n) {
  return kept<LineDct>(n, [&] { return std::make_unique<LineDct>(n); });
}

// By a real Fourier transform of the same length: Makhoul, "A fast cosine transform in one and two dimensions", IEEE Trans.
// ASSP 28, 1980.
LineDct::LineDct(int n) : n_(n), fft_(LineFft<float>::of(n)), first_(static_cast<float>(std::sqrt(1.0 / n))), rest_(static_cast<float>(std::sqrt(2.0 / n))) {
  for (int k = 0; k <= n / 2; ++k) {
    const double angle = std::numbers::pi * k / (2.0 * n);
    cos_.push_back(static_cast<float>(std::cos(angle)));
    sin_.push_back(static_cast<float>(std::sin(angle)));
  }
}

void LineDct::forward(const float* in, float* out, const Scratch& s) const {
  float* v = s.line.data();
  const auto n = static_cast<std::size_t>(n_), pairs = n / 2;
  lanes::fold(in, v, n);
  fft_.forward(v, s.half.data());
  out[0] = s.half[0].real() * first_;
  lanes::turn(s.half.data() + 1, cos_.data() + 1, sin_.data() + 1, rest_, out + 1, out + n - 1, (n - 1) / 2);
  if (n % 2 == 0) out[pairs] = (s.half[pairs].real() * cos_[pairs] + s.half[pairs].imag() * sin_[pairs]) * rest_;
}

void LineDct::inverse(const float* in, float* out, const Scratch& s) const {
  const auto n = static_cast<std::size_t>(n_), pairs = n / 2;
  // Half of the scale: the first coefficient stands for itself, each other for two of the real transform.
  const float scale = 0.5F * rest_;
  s.half[0] = {in[0] * first_, 0};
  lanes::turn_back(in + 1, in + n - 1, cos_.data() + 1, sin_.data() + 1, scale, s.half.data() + 1, (n - 1) / 2);
  if (n % 2 == 0) s.half[pairs] = {2 * scale * cos_[pairs] * in[pairs], 0};
  fft_.inverse(s.half.data(), s.line.data());
  lanes::unfold(s.line.data(), out, n);
}

}  // namespace sieve
