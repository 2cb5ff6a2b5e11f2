#pragma once
// A thin layer over the FFT library: it alone knows which one was chosen at configure time.

#include <algorithm>
#include <complex>
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <map>
#include <memory>
#include <mutex>
#include <new>

namespace sieve::internal {

// Memory aligned to 64 bytes, as the FFT libraries and the SIMD loops want it.
template <class T>
class FftArray {
 public:
  explicit FftArray(std::size_t count)
      : data_(static_cast<T*>(std::aligned_alloc(64, (count * sizeof(T) + 127) / 64 * 64))) {
    if (!data_) throw std::bad_alloc();
  }
  T* data() const { return data_.get(); }
  T& operator[](std::size_t i) const { return data_.get()[i]; }

 private:
  struct Free {
    void operator()(T* p) const { std::free(p); }
  };
  std::unique_ptr<T, Free> data_;
};

// Frees what the FFT library itself remembers of lengths that are no longer planned.
void forget_lengths();

// A value that is computed once for each key (a plan for a length, a table), made under a lock. The kMemoized that were
// asked for last are kept: pictures of ever other sizes must not fill the memory. Whoever holds one keeps it alive.
constexpr std::size_t kMemoized = 64;
template <class Plan, class Key, class Make>
std::shared_ptr<const Plan> memoize(const Key& key, Make make) {
  struct Kept {
    std::shared_ptr<const Plan> plan;
    std::uint64_t asked = 0;
  };
  static std::mutex mutex;
  static auto& plans = *new std::map<Key, Kept>();  // never destroyed, as Engine::standard()
  static std::uint64_t asked = 0;
  const std::lock_guard lock(mutex);
  const auto found = plans.find(key);
  if (found != plans.end()) {
    found->second.asked = ++asked;
    return found->second.plan;
  }
  std::shared_ptr<const Plan> plan = make();
  if (plans.size() >= kMemoized) {
    plans.erase(std::min_element(plans.begin(), plans.end(),
                                 [](const auto& a, const auto& b) { return a.second.asked < b.second.asked; }));
    forget_lengths();
  }
  plans.emplace(key, Kept{plan, ++asked});
  return plan;
}

// Transforms of one line of n numbers, any n, not normalized: there and back again multiplies by n. Safe to use from
// many threads. All arrays are FftArrays, from their start. For float and double.
template <class T>
class LineFft {
 public:
  // The plan for a length; see memoize().
  static std::shared_ptr<const LineFft> of(int n);

  // Real numbers to their n / 2 + 1 first coefficients, and back; back spoils its input.
  void forward(const T* samples, std::complex<T>* spectrum) const;
  void inverse(std::complex<T>* spectrum, T* samples) const;
  // Complex numbers, in place.
  void forward(std::complex<T>* line) const;
  void inverse(std::complex<T>* line) const;

  explicit LineFft(int n);
  ~LineFft();
  LineFft(const LineFft&) = delete;
  LineFft& operator=(const LineFft&) = delete;

 private:
  int n_;
  struct Plans;
  std::unique_ptr<Plans> plans_;
};

// Real two-dimensional transform of a fixed size that runs on one thread, not normalized. Spectra hold height rows of
// width / 2 + 1 complex numbers. Safe to use from many threads.
class RealFft2d {
 public:
  // The plan for a size; see memoize(). `width` must be even.
  static std::shared_ptr<const RealFft2d> of(int width, int height);

  int width() const { return width_; }
  int height() const { return height_; }
  std::size_t spectrum_size() const;
  // `samples` holds height rows of width floats; both are FftArrays. Inverse spoils its input.
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

}  // namespace sieve::internal
