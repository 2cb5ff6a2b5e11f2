#include "spectral/fft.hpp"

#include <cstdlib>
#include <map>
#include <mutex>
#include <new>
#include <utility>

#ifdef SIEVE_FFT_KISS
#include <kissfft/kiss_fftr.h>

#include <vector>
#else
#include <fftw3.h>
#endif

namespace sieve {

FftBuffer::FftBuffer(std::size_t floats) {
  const std::size_t bytes = (floats * sizeof(float) + 63) / 64 * 64;
  data_.reset(static_cast<float*>(std::aligned_alloc(64, bytes)));
  if (!data_) throw std::bad_alloc();
}

void FftBuffer::Free::operator()(float* p) const { std::free(p); }

std::size_t RealFft2d::spectrum_size() const {
  return static_cast<std::size_t>(width_ / 2 + 1) * static_cast<std::size_t>(height_);
}

const RealFft2d& RealFft2d::of(int width, int height) {
  static std::mutex mutex;
  static std::map<std::pair<int, int>, std::unique_ptr<RealFft2d>> plans;
  const std::lock_guard lock(mutex);
  auto& plan = plans[{width, height}];
  if (!plan) plan = std::make_unique<RealFft2d>(width, height);
  return *plan;
}

#ifdef SIEVE_FFT_KISS

// Rows by the real transform, columns by the complex one. A plan of KissFFT keeps scratch memory inside, so every
// call makes its own.
struct RealFft2d::Plans {};
RealFft2d::RealFft2d(int width, int height) : width_(width), height_(height) {}
RealFft2d::~RealFft2d() = default;

namespace {

struct FreePlan {
  void operator()(void* p) const { kiss_fft_free(p); }
};
template <class State>
std::unique_ptr<State, FreePlan> checked(State* plan) {
  if (plan == nullptr) throw std::bad_alloc();
  return std::unique_ptr<State, FreePlan>(plan);
}

void transform_columns(kiss_fft_cpx* spectrum, int columns, int height, int inverse) {
  const auto plan = checked(kiss_fft_alloc(height, inverse, nullptr, nullptr));
  std::vector<kiss_fft_cpx> in(static_cast<std::size_t>(height)), out(in.size());
  for (int x = 0; x < columns; ++x) {
    for (int y = 0; y < height; ++y) in[static_cast<std::size_t>(y)] = spectrum[static_cast<std::ptrdiff_t>(y) * columns + x];
    kiss_fft(plan.get(), in.data(), out.data());
    for (int y = 0; y < height; ++y) spectrum[static_cast<std::ptrdiff_t>(y) * columns + x] = out[static_cast<std::size_t>(y)];
  }
}

}  // namespace

void RealFft2d::forward(float* samples, std::complex<float>* spectrum) const {
  auto* bins = reinterpret_cast<kiss_fft_cpx*>(spectrum);
  const int columns = width_ / 2 + 1;
  const auto plan = checked(kiss_fftr_alloc(width_, 0, nullptr, nullptr));
  for (std::ptrdiff_t y = 0; y < height_; ++y) kiss_fftr(plan.get(), samples + y * width_, bins + y * columns);
  transform_columns(bins, columns, height_, 0);
}

void RealFft2d::inverse(std::complex<float>* spectrum, float* samples) const {
  auto* bins = reinterpret_cast<kiss_fft_cpx*>(spectrum);
  const int columns = width_ / 2 + 1;
  transform_columns(bins, columns, height_, 1);
  const auto plan = checked(kiss_fftr_alloc(width_, 1, nullptr, nullptr));
  for (std::ptrdiff_t y = 0; y < height_; ++y) kiss_fftri(plan.get(), bins + y * columns, samples + y * width_);
}

#else

namespace {
std::mutex planner;  // FFTW plans under a lock; execution needs none
}

struct RealFft2d::Plans {
  fftwf_plan forward = nullptr;
  fftwf_plan inverse = nullptr;
};

RealFft2d::RealFft2d(int width, int height) : width_(width), height_(height), plans_(std::make_unique<Plans>()) {
  const std::lock_guard lock(planner);
  const FftBuffer samples(static_cast<std::size_t>(width) * static_cast<std::size_t>(height));
  const FftBuffer spectrum(2 * spectrum_size());
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

int good_fft_size(int n) {
  for (int m = n + n % 2;; m += 2) {
    int rest = m;
    for (const int p : {2, 3, 5}) {
      while (rest % p == 0) rest /= p;
    }
    if (rest == 1) return m;
  }
}

}  // namespace sieve
