#include "sieve/core/random.hpp"

#include <cmath>

namespace sieve {

namespace {

double unit(std::uint32_t high, std::uint32_t low) {
  const std::uint64_t bits = ((static_cast<std::uint64_t>(high) << 32) | low) >> 12;
  return (static_cast<double>(bits) + 0.5) * 0x1p-52;
}

// Horner's rule from the highest coefficient down.
template <int N>
double polynomial(const double (&c)[N], double x) {
  double r = c[N - 1];
  for (int i = N - 2; i >= 0; --i) r = r * x + c[i];
  return r;
}

// A logarithm of plain double operations: the system's own may differ in the last bit between machines.
double natural_log(double x) {
  int e = 0;
  double m = std::frexp(x, &e);
  if (m < 0.70710678118654752440) {
    m *= 2;
    --e;
  }
  const double s = (m - 1) / (m + 1), s2 = s * s;
  double sum = 0;
  for (int k = 21; k >= 1; k -= 2) sum = sum * s2 + 1.0 / k;
  return 2 * s * sum + e * 0.69314718055994530942;
}

}  // namespace

std::array<std::uint32_t, 4> RandomStream::words(std::uint64_t position) const {
  constexpr std::uint64_t m0 = 0xD2511F53, m1 = 0xCD9E8D57;
  std::uint32_t c0 = static_cast<std::uint32_t>(position), c1 = static_cast<std::uint32_t>(position >> 32);
  std::uint32_t c2 = static_cast<std::uint32_t>(stream_), c3 = static_cast<std::uint32_t>(stream_ >> 32);
  std::uint32_t k0 = static_cast<std::uint32_t>(seed_), k1 = static_cast<std::uint32_t>(seed_ >> 32);
  for (int round = 0; round < 10; ++round) {
    const std::uint64_t p0 = m0 * c0, p1 = m1 * c2;
    c0 = static_cast<std::uint32_t>(p1 >> 32) ^ c1 ^ k0;
    c1 = static_cast<std::uint32_t>(p1);
    c2 = static_cast<std::uint32_t>(p0 >> 32) ^ c3 ^ k1;
    c3 = static_cast<std::uint32_t>(p0);
    k0 += 0x9E3779B9;
    k1 += 0xBB67AE85;
  }
  return {c0, c1, c2, c3};
}

double RandomStream::uniform(std::uint64_t position) const { return uniform_pair(position)[0]; }

std::array<double, 2> RandomStream::uniform_pair(std::uint64_t position) const {
  const auto w = words(position);
  return {unit(w[0], w[1]), unit(w[2], w[3])};
}

double RandomStream::normal(std::uint64_t position) const { return inverse_normal(uniform(position)); }

double inverse_normal(double p) {
  static constexpr double a[] = {3.3871328727963666080e0,  1.3314166789178437745e+2, 1.9715909503065514427e+3,
                                 1.3731693765509461125e+4, 4.5921953931549871457e+4, 6.7265770927008700853e+4,
                                 3.3430575583588128105e+4, 2.5090809287301226727e+3};
  static constexpr double b[] = {1.0,
                                 4.2313330701600911252e+1,
                                 6.8718700749205790830e+2,
                                 5.3941960214247511077e+3,
                                 2.1213794301586595867e+4,
                                 3.9307895800092710610e+4,
                                 2.8729085735721942674e+4,
                                 5.2264952788528545610e+3};
  static constexpr double c[] = {1.42343711074968357734e0,  4.63033784615654529590e0, 5.76949722146069140550e0,
                                 3.64784832476320460504e0,  1.27045825245236838258e0, 2.41780725177450611770e-1,
                                 2.27238449892691845833e-2, 7.74545014278341407640e-4};
  static constexpr double d[] = {1.0,
                                 2.05319162663775882187e0,
                                 1.67638483018380384940e0,
                                 6.89767334985100004550e-1,
                                 1.48103976427480074590e-1,
                                 1.51986665636164571966e-2,
                                 5.47593808499534494600e-4,
                                 1.05075007164441684324e-9};
  static constexpr double e[] = {6.65790464350110377720e0,  5.46378491116411436990e0,  1.78482653991729133580e0,
                                 2.96560571828504891230e-1, 2.65321895265761230930e-2, 1.24266094738807843860e-3,
                                 2.71155556874348757815e-5, 2.01033439929228813265e-7};
  static constexpr double f[] = {1.0,
                                 5.99832206555887937690e-1,
                                 1.36929880922735805310e-1,
                                 1.48753612908506148525e-2,
                                 7.86869131145613259100e-4,
                                 1.84631831751005468180e-5,
                                 1.42151175831644588870e-7,
                                 2.04426310338993978564e-15};
  const double q = p - 0.5;
  if (std::abs(q) <= 0.425) {
    const double r = 0.180625 - q * q;
    return q * polynomial(a, r) / polynomial(b, r);
  }
  double r = std::sqrt(-natural_log(q < 0 ? p : 1 - p));
  double value;
  if (r <= 5) {
    r -= 1.6;
    value = polynomial(c, r) / polynomial(d, r);
  } else {
    r -= 5;
    value = polynomial(e, r) / polynomial(f, r);
  }
  return q < 0 ? -value : value;
}

}  // namespace sieve
