#pragma once
// A thin layer over the FFT library: it alone knows which one was chosen at configure time.

#include <complex>
#include <cstddef>
#include <memory>

namespace sieve {

// Memory that both FFT libraries and the SIMD loops are glad of.
class FftBuffer {
 public:
  explicit FftBuffer(std::size_t floats);
  float* data() const { return data_.get(); }

 private:
  struct Free {
    void operator()(float* p) const;
  };
  std::unique_ptr<float, Free> data_;
};

// Real two-dimensional transform of a fixed size, not normalized: inverse(forward(x)) = width * height * x.
// Spectra hold height rows of width / 2 + 1 complex numbers. Safe to use from many threads.
class RealFft2d {
 public:
  // The plan for a size, made once and kept. `width` must be even.
  static const RealFft2d& of(int width, int height);

  int width() const { return width_; }
  int height() const { return height_; }
  std::size_t spectrum_size() const;
  // `samples` holds height rows of width floats; both buffers come from FftBuffer. Inverse spoils its input.
  void forward(float* samples, std::complex<float>* spectrum) const;
  void inverse(std::complex<float>* spectrum, float* samples) const;

  RealFft2d(int width, int height);
  ~RealFft2d();
  RealFft2d(const RealFft2d&) = delete;
  RealFft2d& operator=(const RealFft2d&) = delete;

 private:
  int width_;
  int height_;
  struct Plans;
  std::unique_ptr<Plans> plans_;
};

// The smallest even size of at least n whose factors are 2, 3 and 5 alone.
int good_fft_size(int n);

}  // namespace sieve
