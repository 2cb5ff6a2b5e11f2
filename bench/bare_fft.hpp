#pragma once
// The FFT library's own two-dimensional transform, as a yardstick.

#include <fftw3.h>

#include <complex>
#include <map>
#include <memory>

#include "measure.hpp"

namespace sieve::bench {

// Planned with the same effort as the library under test plans.
class Bare {
 public:
  explicit Bare(int side)
      : samples_(static_cast<std::size_t>(side) * static_cast<std::size_t>(side), 0.5F), spectrum_(samples_.size()) {
    fftwf_init_threads();
    fftwf_plan_with_nthreads(threads());
    auto* s = reinterpret_cast<fftwf_complex*>(spectrum_.data());
    there_ = fftwf_plan_dft_r2c_2d(side, side, samples_.data(), s, FFTW_ESTIMATE);
    back_ = fftwf_plan_dft_c2r_2d(side, side, s, samples_.data(), FFTW_ESTIMATE);
    fftwf_plan_with_nthreads(1);  // for the plans that the library under test makes itself
    forward();
  }
  void forward() const { fftwf_execute(there_); }
  void inverse() const { fftwf_execute(back_); }

  static const Bare& of(int side) {
    static std::map<int, std::unique_ptr<Bare>> all;
    auto& bare = all[side];
    if (!bare) bare = std::make_unique<Bare>(side);
    return *bare;
  }

 private:
  std::vector<float> samples_;
  std::vector<std::complex<float>> spectrum_;
  fftwf_plan there_, back_;
};

}  // namespace sieve::bench
