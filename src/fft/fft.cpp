#include "fft/fft.hpp"

#include <algorithm>
#include <mutex>
#include <type_traits>
#include <utility>

#ifdef SIEVE_FFT_KISS
#include <kissfft/kissfft.hh>
#else
#include <fftw3.h>
#endif

namespace sieve {

using namespace internal;

template <class T>
std::shared_ptr<const LineFft<T>> LineFft<T>::of(int n) {
  return memoize<LineFft<T>>(n, [&] { return std::make_shared<LineFft<T>>(n); });
}
std::shared_ptr<const RealFft2d> RealFft2d::of(int width, int height) {
  return memoize<RealFft2d>(std::pair(width, height), [&] { return std::make_shared<RealFft2d>(width, height); });
}
std::size_t RealFft2d::spectrum_size() const {
  return static_cast<std::size_t>(width_ / 2 + 1) * static_cast<std::size_t>(height_);
}

#ifdef SIEVE_FFT_KISS

template <class T>
struct LineFft<T>::Plans {
  kissfft<double> there, back;
  explicit Plans(int n) : there(static_cast<std::size_t>(n), false), back(static_cast<std::size_t>(n), true) {}
};
template <class T>
LineFft<T>::LineFft(int n) : n_(n), plans_(std::make_unique<Plans>(n)) {}
template <class T>
LineFft<T>::~LineFft() = default;

namespace {

// In double whatever the samples are: KissFFT works out its factors in the precision that it is asked for, and those of
// single precision are off by more than the roundings of a transform. A plan keeps scratch memory inside for large
// factors: each call works on its own.
template <class T>
void transform(const kissfft<double>& plan, int n, std::complex<T>* line) {
  FftArray<std::complex<double>> in(static_cast<std::size_t>(n)), out(static_cast<std::size_t>(n));
  std::copy_n(line, n, in.data());
  kissfft<double>(plan).transform(in.data(), out.data());
  std::transform(out.data(), out.data() + n, line, [](const std::complex<double>& v) { return std::complex<T>(v); });
}

}  // namespace

template <class T>
void LineFft<T>::forward(std::complex<T>* line) const {
  transform(plans_->there, n_, line);
}
template <class T>
void LineFft<T>::inverse(std::complex<T>* line) const {
  transform(plans_->back, n_, line);
}
template <class T>
void LineFft<T>::forward(const T* samples, std::complex<T>* spectrum) const {
  FftArray<std::complex<T>> all(static_cast<std::size_t>(n_));
  std::copy_n(samples, n_, all.data());
  forward(all.data());
  std::copy_n(all.data(), n_ / 2 + 1, spectrum);
}
template <class T>
void LineFft<T>::inverse(std::complex<T>* spectrum, T* samples) const {
  FftArray<std::complex<T>> all(static_cast<std::size_t>(n_));
  std::copy_n(spectrum, n_ / 2 + 1, all.data());
  for (int i = n_ / 2 + 1; i < n_; ++i) all.data()[i] = std::conj(spectrum[n_ - i]);
  inverse(all.data());
  for (int i = 0; i < n_; ++i) samples[i] = all.data()[i].real();
}

void internal::forget_lengths() {}

struct RealFft2d::Plans {};
RealFft2d::RealFft2d(int width, int height) : width_(width), height_(height) {}
RealFft2d::~RealFft2d() = default;

namespace {

template <class Transform>
void columns(std::complex<float>* spectrum, int count, int height, Transform transform) {
  const FftArray<std::complex<float>> line(static_cast<std::size_t>(height));
  const auto plan = LineFft<float>::of(height);
  for (int x = 0; x < count; ++x) {
    for (std::ptrdiff_t y = 0; y < height; ++y) line.data()[y] = spectrum[y * count + x];
    transform(*plan, line.data());
    for (std::ptrdiff_t y = 0; y < height; ++y) spectrum[y * count + x] = line.data()[y];
  }
}

}  // namespace

void RealFft2d::forward(float* samples, std::complex<float>* spectrum) const {
  const auto plan = LineFft<float>::of(width_);
  const LineFft<float>& rows = *plan;
  const int half = width_ / 2 + 1;
  for (std::ptrdiff_t y = 0; y < height_; ++y) rows.forward(samples + y * width_, spectrum + y * half);
  columns(spectrum, half, height_, [](const LineFft<float>& f, std::complex<float>* line) { f.forward(line); });
}

void RealFft2d::inverse(std::complex<float>* spectrum, float* samples) const {
  const auto plan = LineFft<float>::of(width_);
  const LineFft<float>& rows = *plan;
  const int half = width_ / 2 + 1;
  columns(spectrum, half, height_, [](const LineFft<float>& f, std::complex<float>* line) { f.inverse(line); });
  for (std::ptrdiff_t y = 0; y < height_; ++y) rows.inverse(spectrum + y * half, samples + y * width_);
}

#else

namespace {

std::mutex planner;  // FFTW plans under a lock; execution needs none

// The same functions by the names that FFTW gives them for each precision.
template <class T>
struct Fftw;
template <>
struct Fftw<float> {
  using Plan = fftwf_plan;
  using Complex = fftwf_complex;
  static constexpr auto r2c = fftwf_plan_dft_r2c_1d;
  static constexpr auto c2r = fftwf_plan_dft_c2r_1d;
  static constexpr auto c2c = fftwf_plan_dft_1d;
  static constexpr auto run_r2c = fftwf_execute_dft_r2c;
  static constexpr auto run_c2r = fftwf_execute_dft_c2r;
  static constexpr auto run_c2c = fftwf_execute_dft;
  static constexpr auto destroy = fftwf_destroy_plan;
};
template <>
struct Fftw<double> {
  using Plan = fftw_plan;
  using Complex = fftw_complex;
  static constexpr auto r2c = fftw_plan_dft_r2c_1d;
  static constexpr auto c2r = fftw_plan_dft_c2r_1d;
  static constexpr auto c2c = fftw_plan_dft_1d;
  static constexpr auto run_r2c = fftw_execute_dft_r2c;
  static constexpr auto run_c2r = fftw_execute_dft_c2r;
  static constexpr auto run_c2c = fftw_execute_dft;
  static constexpr auto destroy = fftw_destroy_plan;
};

}  // namespace

void internal::forget_lengths() {
  const std::lock_guard lock(planner);
  fftwf_forget_wisdom();
  fftw_forget_wisdom();
}

template <class T>
struct LineFft<T>::Plans {
  typename Fftw<T>::Plan r2c{}, c2r{}, there{}, back{};
};

template <class T>
LineFft<T>::LineFft(int n) : n_(n), plans_(std::make_unique<Plans>()) {
  const std::lock_guard lock(planner);
  const FftArray<T> samples(static_cast<std::size_t>(n));
  const FftArray<std::complex<T>> spectrum(static_cast<std::size_t>(n));
  auto* complex = reinterpret_cast<typename Fftw<T>::Complex*>(spectrum.data());
  plans_->r2c = Fftw<T>::r2c(n, samples.data(), complex, FFTW_ESTIMATE);
  plans_->c2r = Fftw<T>::c2r(n, complex, samples.data(), FFTW_ESTIMATE);
  plans_->there = Fftw<T>::c2c(n, complex, complex, FFTW_FORWARD, FFTW_ESTIMATE);
  plans_->back = Fftw<T>::c2c(n, complex, complex, FFTW_BACKWARD, FFTW_ESTIMATE);
  if (plans_->r2c == nullptr || plans_->c2r == nullptr || plans_->there == nullptr || plans_->back == nullptr)
    throw std::bad_alloc();
}
template <class T>
LineFft<T>::~LineFft() {
  const std::lock_guard lock(planner);
  for (const auto plan : {plans_->r2c, plans_->c2r, plans_->there, plans_->back}) Fftw<T>::destroy(plan);
}
template <class T>
void LineFft<T>::forward(const T* samples, std::complex<T>* spectrum) const {
  // A transform out of place leaves its input alone; FFTW's signature does not say so.
  Fftw<T>::run_r2c(plans_->r2c, const_cast<T*>(samples), reinterpret_cast<typename Fftw<T>::Complex*>(spectrum));
}
template <class T>
void LineFft<T>::inverse(std::complex<T>* spectrum, T* samples) const {
  Fftw<T>::run_c2r(plans_->c2r, reinterpret_cast<typename Fftw<T>::Complex*>(spectrum), samples);
}
template <class T>
void LineFft<T>::forward(std::complex<T>* line) const {
  auto* p = reinterpret_cast<typename Fftw<T>::Complex*>(line);
  Fftw<T>::run_c2c(plans_->there, p, p);
}
template <class T>
void LineFft<T>::inverse(std::complex<T>* line) const {
  auto* p = reinterpret_cast<typename Fftw<T>::Complex*>(line);
  Fftw<T>::run_c2c(plans_->back, p, p);
}

struct RealFft2d::Plans {
  fftwf_plan forward = nullptr;
  fftwf_plan inverse = nullptr;
};

RealFft2d::RealFft2d(int width, int height) : width_(width), height_(height), plans_(std::make_unique<Plans>()) {
  const std::lock_guard lock(planner);
  const FftArray<float> samples(static_cast<std::size_t>(width) * static_cast<std::size_t>(height));
  const FftArray<std::complex<float>> spectrum(spectrum_size());
  auto* complex = reinterpret_cast<fftwf_complex*>(spectrum.data());
  plans_->forward = fftwf_plan_dft_r2c_2d(height, width, samples.data(), complex, FFTW_ESTIMATE);
  plans_->inverse = fftwf_plan_dft_c2r_2d(height, width, complex, samples.data(), FFTW_ESTIMATE);
  if (plans_->forward == nullptr || plans_->inverse == nullptr) throw std::bad_alloc();
}

RealFft2d::~RealFft2d() {
  const std::lock_guard lock(planner);
  fftwf_destroy_plan(plans_->forward);
  fftwf_destroy_plan(plans_->inverse);
}

void RealFft2d::forward(float* samples, std::complex<float>* spectrum) const {
  fftwf_execute_dft_r2c(plans_->forward, samples, reinterpret_cast<fftwf_complex*>(spectrum));
}
void RealFft2d::inverse(std::complex<float>* spectrum, float* samples) const {
  fftwf_execute_dft_c2r(plans_->inverse, reinterpret_cast<fftwf_complex*>(spectrum), samples);
}

#endif

template class internal::LineFft<float>;
template class internal::LineFft<double>;

int internal::good_fft_size(int n) {
  for (int m = n + n % 2;; m += 2) {
    int rest = m;
    for (const int p : {2, 3, 5}) {
      while (rest % p == 0) rest /= p;
    }
    if (rest == 1) return m;
  }
}

}  // namespace sieve
