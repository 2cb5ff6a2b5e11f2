#include "spectral/line_dct.hpp"

#include <cmath>
#include <numbers>

#include "spectral/spectral_lanes.hpp"

namespace sieve {

using namespace internal;

namespace {

// In double there is no hurry: the same loops in plain C++.
void fold(const double* in, double* out, std::size_t n) {
  for (std::size_t i = 0; i < n / 2; ++i) out[i] = in[2 * i], out[n - 1 - i] = in[2 * i + 1];
  if (n % 2 == 1) out[n / 2] = in[n - 1];
}
void unfold(const double* in, double* out, std::size_t n) {
  for (std::size_t i = 0; i < n / 2; ++i) out[2 * i] = in[i], out[2 * i + 1] = in[n - 1 - i];
  if (n % 2 == 1) out[n - 1] = in[n / 2];
}
void turn(const std::complex<double>* v, const double* cos, const double* sin, double scale, double* up, double* down,
          std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) {
    up[i] = (v[i].real() * cos[i] + v[i].imag() * sin[i]) * scale;
    *(down - i) = (v[i].real() * sin[i] - v[i].imag() * cos[i]) * scale;
  }
}
void turn_back(const double* up, const double* down, const double* cos, const double* sin, double scale,
               std::complex<double>* v, std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) {
    const double re = up[i] * scale, im = *(down - i) * scale;
    v[i] = {re * cos[i] + im * sin[i], re * sin[i] - im * cos[i]};
  }
}
using lanes::fold;
using lanes::turn;
using lanes::turn_back;
using lanes::unfold;

}  // namespace

template <class T>
std::shared_ptr<const LineDct<T>> LineDct<T>::of(int n) {
  return memoize<LineDct>(n, [&] { return std::make_shared<LineDct>(n); });
}

// By a real Fourier transform of the same length: Makhoul, "A fast cosine transform in one and two dimensions", IEEE
// Trans. ASSP 28, 1980.
template <class T>
LineDct<T>::LineDct(int n)
    : n_(n),
      fft_(LineFft<T>::of(n)),
      first_(static_cast<T>(std::sqrt(1.0 / n))),
      rest_(static_cast<T>(std::sqrt(2.0 / n))) {
  for (int k = 0; k <= n / 2; ++k) {
    const double angle = std::numbers::pi * k / (2.0 * n);
    cos_.push_back(static_cast<T>(std::cos(angle)));
    sin_.push_back(static_cast<T>(std::sin(angle)));
  }
}

template <class T>
void LineDct<T>::forward(const T* in, T* out, const Scratch& s) const {
  T* v = s.line.data();
  const auto n = static_cast<std::size_t>(n_), pairs = n / 2;
  fold(in, v, n);
  fft_->forward(v, s.half.data());
  out[0] = s.half[0].real() * first_;
  turn(s.half.data() + 1, cos_.data() + 1, sin_.data() + 1, rest_, out + 1, out + n - 1, (n - 1) / 2);
  if (n % 2 == 0) out[pairs] = (s.half[pairs].real() * cos_[pairs] + s.half[pairs].imag() * sin_[pairs]) * rest_;
}

template <class T>
void LineDct<T>::inverse(const T* in, T* out, const Scratch& s) const {
  const auto n = static_cast<std::size_t>(n_), pairs = n / 2;
  // Half of the scale: the first coefficient stands for itself, each other for two of the real transform.
  const T scale = T(0.5) * rest_;
  s.half[0] = {in[0] * first_, 0};
  turn_back(in + 1, in + n - 1, cos_.data() + 1, sin_.data() + 1, scale, s.half.data() + 1, (n - 1) / 2);
  if (n % 2 == 0) s.half[pairs] = {2 * scale * cos_[pairs] * in[pairs], 0};
  fft_->inverse(s.half.data(), s.line.data());
  unfold(s.line.data(), out, n);
}

template class internal::LineDct<float>;
template class internal::LineDct<double>;

}  // namespace sieve
