#pragma once
// The orthonormal cosine transform of one line: type II forward, type III back.

#include <memory>
#include <vector>

#include "fft/fft.hpp"

namespace sieve::internal {

// For float and double.
template <class T>
class LineDct {
 public:
  // The tables for a length; see memoize().
  static std::shared_ptr<const LineDct> of(int n);

  // What one thread needs for its calls.
  struct Scratch {
    explicit Scratch(int n) : line(static_cast<std::size_t>(n)), half(static_cast<std::size_t>(n / 2 + 1)) {}
    FftArray<T> line;
    FftArray<std::complex<T>> half;
  };

  // May work in place.
  void forward(const T* in, T* out, const Scratch& s) const;
  void inverse(const T* in, T* out, const Scratch& s) const;

  explicit LineDct(int n);

 private:
  int n_;
  std::shared_ptr<const LineFft<T>> fft_;
  // cos and sin of pi k / (2 n), times the scales of forward and inverse, for k = 0..n / 2.
  std::vector<T> cos_, sin_;
  T first_, rest_;
};

}  // namespace sieve::internal
