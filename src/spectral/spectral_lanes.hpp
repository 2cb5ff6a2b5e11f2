#pragma once
// The inner loops around the Fourier transforms.

#include <complex>
#include <cstddef>

namespace sieve::internal::lanes {

// Even places in order, then odd places backwards: out[i] = in[2 i], out[n - 1 - i] = in[2 i + 1]; and back.
void fold(const float* in, float* out, std::size_t n);
void unfold(const float* in, float* out, std::size_t n);

// t = v[i] * (cos[i] - i sin[i]) * scale: up[i] = real part, down[-i] = minus the imaginary part.
void turn(const std::complex<float>* v, const float* cos, const float* sin, float scale, float* up, float* down,
          std::size_t n);
// v[i] = (up[i] - i down[-i]) * (cos[i] + i sin[i]) * scale.
void turn_back(const float* up, const float* down, const float* cos, const float* sin, float scale,
               std::complex<float>* v, std::size_t n);

// line[i] *= gain[i].
void scale_complex(std::complex<float>* line, const float* gain, std::size_t n);

}  // namespace sieve::internal::lanes
