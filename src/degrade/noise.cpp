#include "sieve/degrade/noise.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/workspace.hpp"
#include "run/validate.hpp"
#include "sieve/core/random.hpp"

namespace sieve {

using namespace internal;

namespace {

// f(sample, stream, position) for every color sample; the position is its place in the channel.
template <class Work>
auto by_random(std::uint64_t seed, Work work) {
  return [seed, work](const float* in, float* out, std::size_t n, const RowPlace& place) {
    const RandomStream random(seed, static_cast<std::uint64_t>(place.channel));
    const std::uint64_t start = (static_cast<std::uint64_t>(place.y) << 32) + static_cast<std::uint64_t>(place.x);
    for (std::size_t x = 0; x < n; ++x)
      out[x] = static_cast<float>(work(static_cast<double>(in[x]), random, start + x));
  };
}

// Normal noise of mean 0 and variance 1 blurred by a Gaussian and made as strong again: work(v, noise) for every
// sample. What lies beyond the picture is noise as well.
template <class Work>
auto by_grain(std::uint64_t seed, double sigma, Work work) {
  const int radius = static_cast<int>(std::ceil(4 * sigma));
  std::vector<double> taps;
  double squares = 0;
  for (int i = -radius; i <= radius; ++i) {
    taps.push_back(std::exp(-i * i / (2 * sigma * sigma)));
    squares += taps.back() * taps.back();
  }
  for (double& t : taps) t /= std::sqrt(squares);
  return [=](const float* in, float* out, std::size_t n, const RowPlace& place) {
    const RandomStream random(seed, static_cast<std::uint64_t>(place.channel));
    Scratch<double> down(n + 2 * static_cast<std::size_t>(radius), 0.0);
    for (std::size_t j = 0; j < taps.size(); ++j) {
      // A stream of places that begins `radius` before the picture.
      const std::uint64_t start =
          ((static_cast<std::uint64_t>(place.y) + j) << 32) + static_cast<std::uint64_t>(place.x);
      for (std::size_t x = 0; x < down.size(); ++x) down[x] += taps[j] * random.normal(start + x);
    }
    for (std::size_t x = 0; x < n; ++x) {
      double sum = 0;
      for (std::size_t i = 0; i < taps.size(); ++i) sum += taps[i] * down[x + i];
      out[x] = static_cast<float>(work(static_cast<double>(in[x]), sum));
    }
  };
}

// log(k!) in plain operations, by Stirling's series from 10 on: std::lgamma writes a variable that all threads share.
double log_factorial(double k) {
  static constexpr double small[] = {1, 1, 2, 6, 24, 120, 720, 5040, 40320, 362880};
  if (k < 10) return std::log(small[static_cast<std::size_t>(k)]);
  const double n = k + 1;
  return (n - 0.5) * std::log(n) - n + 0.91893853320467274178 + 1 / (12 * n) - 1 / (360 * n * n * n) +
         1 / (1260 * n * n * n * n * n);
}

double poisson(double mean, const RandomStream& random, std::uint64_t position) {
  if (!(mean > 0)) return 0;
  if (!std::isfinite(mean)) return mean;
  if (mean < 10) {
    // Inversion: count up until the cumulative probability passes the uniform number.
    const double u = random.uniform(position);
    double p = std::exp(-mean), sum = p;
    int k = 0;
    while (u > sum && k < 200) sum += p *= mean / ++k;
    return k;
  }
  const double b = 0.931 + 2.53 * std::sqrt(mean), a = -0.059 + 0.02483 * b, inverse = 1.1239 + 1.1328 / (b - 3.4),
               v_r = 0.9277 - 3.6224 / (b - 2);
  // Each try has a stream of its own, so that positions stay independent.
  for (std::uint64_t t = 0;; ++t) {
    const auto [u0, v] = random.uniform_pair(position + (t << 56));
    const double u = u0 - 0.5, us = 0.5 - std::abs(u), k = std::floor((2 * a / us + b) * u + mean + 0.43);
    if (us >= 0.07 && v <= v_r) return k;
    if (k < 0 || (us < 0.013 && v > us)) continue;
    if (std::log(v * inverse / (a / (us * us) + b)) <= -mean + k * std::log(mean) - log_factorial(k) || t > 200)
      return k;
  }
}

// A blur of less changes nothing.
constexpr double kLeastGrain = 0.01;

template <class F>
void seed_field(Description<F>& d) {
  d.field("seed", &F::seed, "", "another seed, other noise of the same kind; the same seed, the same noise");
}

}  // namespace

Image GaussianNoise::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void GaussianNoise::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void GaussianNoise::describe(Description<GaussianNoise>& d) {
  d.called("gaussian_noise", "degrade",
           "Adds normal noise of mean 0, the same everywhere: the read noise of a sensor.");
  d.also({"grain", "normal", "awgn", "white noise"});
  d.wrong("the light is low and photons are counted: take poisson_noise, whose variance grows with the light.");
  d.maps_places(
      [](const GaussianNoise& f) {
        const auto k = static_cast<double>(f.deviation);
        const auto white =
            by_random(f.seed, [k](double v, const RandomStream& r, std::uint64_t at) { return v + k * r.normal(at); });
        const auto grain = by_grain(f.seed, std::max(kLeastGrain, static_cast<double>(f.sigma)),
                                    [k](double v, double noise) { return v + k * noise; });
        return [white, grain, even = f.sigma == 0](const float* in, float* out, std::size_t n, const RowPlace& place) {
          even ? white(in, out, n, place) : grain(in, out, n, place);
        };
      },
      16);
  d.field("deviation", &GaussianNoise::deviation, "0..1 scale", "standard deviation; 25 of 255 levels is 0.098",
          {0, 100});
  d.field("sigma", &GaussianNoise::sigma, "pixels", "grain of that size: the noise of a Gaussian blur; 0: white noise",
          {0, 20});
  seed_field(d);
}

Image UniformNoise::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void UniformNoise::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void UniformNoise::describe(Description<UniformNoise>& d) {
  d.called("uniform_noise", "degrade", "Adds noise that is uniform between -amplitude and amplitude.");
  d.also({"white noise"});
  d.wrong("you want the noise of a sensor: that is gaussian_noise or poisson_noise.");
  d.maps_places(
      [](const UniformNoise& f) {
        return by_random(f.seed,
                         [k = static_cast<double>(f.amplitude)](double v, const RandomStream& r, std::uint64_t at) {
                           return v + k * (2 * r.uniform(at) - 1);
                         });
      },
      16);
  d.field("amplitude", &UniformNoise::amplitude, "0..1 scale", "half the width; the deviation is amplitude / sqrt 3",
          {0, 100});
  seed_field(d);
}

Image ImpulseNoise::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void ImpulseNoise::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void ImpulseNoise::describe(Description<ImpulseNoise>& d) {
  d.called("impulse_noise", "degrade", "Salt and pepper: shares of the samples become 0 and 1.");
  d.also({"salt and pepper", "salt", "pepper", "outliers"});
  d.wrong("you want grain on every pixel: take gaussian_noise.");
  d.maps_places(
      [](const ImpulseNoise& f) {
        if (f.dark + f.bright > 1)
          throw InvalidArgument(fmt::format(
              "impulse_noise: dark={} and bright={} are shares of all samples: together at most 1", f.dark, f.bright));
        const double low = f.dark, high = 1 - static_cast<double>(f.bright);
        return by_random(f.seed, [=](double v, const RandomStream& r, std::uint64_t at) {
          const double u = r.uniform(at);
          return u < low ? 0.0 : u >= high ? 1.0 : v;
        });
      },
      16);
  d.field("dark", &ImpulseNoise::dark, "share", "share of samples that become 0", {0, 1});
  d.field("bright", &ImpulseNoise::bright, "share", "share of samples that become 1", {0, 1});
  seed_field(d);
}

Image PoissonNoise::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void PoissonNoise::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void PoissonNoise::describe(Description<PoissonNoise>& d) {
  d.called("poisson_noise", "degrade", "Photon noise: each sample becomes a random count whose mean is its light.");
  d.also({"shot noise", "photon noise"});
  d.wrong("the noise is to be the same in light and shade: take gaussian_noise.");
  d.maps_places(
      [](const PoissonNoise& f) {
        return by_random(f.seed,
                         [n = static_cast<double>(f.photons)](double v, const RandomStream& r, std::uint64_t at) {
                           return std::isnan(v) ? v : poisson(v * n, r, at) / n;
                         });
      },
      16);
  d.field("photons", &PoissonNoise::photons, "photons", "mean count at white; fewer photons, more noise", {0.01, 1e9});
  seed_field(d);
}

Image SpeckleNoise::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void SpeckleNoise::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void SpeckleNoise::describe(Description<SpeckleNoise>& d) {
  d.called("speckle_noise", "degrade",
           "Multiplies by 1 + noise: bright places grow noisier, as in radar and laser pictures.");
  d.also({"multiplicative noise", "coherent"});
  d.wrong("dark places are to be noisy too: take gaussian_noise.");
  d.maps_places(
      [](const SpeckleNoise& f) {
        return by_random(f.seed,
                         [k = static_cast<double>(f.deviation)](double v, const RandomStream& r, std::uint64_t at) {
                           return v * (1 + k * r.normal(at));
                         });
      },
      16);
  d.field("deviation", &SpeckleNoise::deviation, "", "standard deviation of the factor", {0, 100});
  seed_field(d);
}

}  // namespace sieve
