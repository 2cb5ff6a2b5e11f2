#include "spectral/fft.hpp"

#include <cstdlib>
#include <map>
#include <mutex>
#include <new>
#include <utility>

#ifdef SIEVE_FFT_KISS
#include <kissfft/kiss_fftndr.h>
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

// KissFFT keeps scratch memory inside a plan, so every call makes its own.
struct RealFft2d::Plans {};
RealFft2d::RealFft2d(int width, int height) : width_(width), height_(height) {}
RealFft2d::~RealFft2d() = default;

namespace {
struct FreePlan {
  void operator()(kiss_fftndr_state* p) const { kiss_fftr_free(p); }
};
std::unique_ptr<kiss_fftndr_state, FreePlan> plan(int width, int height, int inverse) {
  const int dims[2] = {height, width};
  std::unique_ptr<kiss_fftndr_state, FreePlan> p(kiss_fftndr_alloc(dims, 2, inverse, nullptr, nullptr));
  if (!p) throw std::bad_alloc();
  return p;
}
}  // namespace

void RealFft2d::forward(float* samples, std::complex<float>* spectrum) const {
  kiss_fftndr(plan(width_, height_, 0).get(), samples, reinterpret_cast<kiss_fft_cpx*>(spectrum));
}
void RealFft2d::inverse(std::complex<float>* spectrum, float* samples) const {
  kiss_fftndri(plan(width_, height_, 1).get(), reinterpret_cast<kiss_fft_cpx*>(spectrum), samples);
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
