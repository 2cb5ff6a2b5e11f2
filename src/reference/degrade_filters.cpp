// Damage by its formulas. The random numbers themselves are held against published values in the tests.

#include <algorithm>
#include <cmath>
#include <numbers>

#include "reference/families.hpp"
#include "sieve/core/random.hpp"
#include "sieve/degrade.hpp"

namespace sieve {

using namespace internal;

namespace {

// work(v, x, y, c) for every color sample.
template <class Work>
Image at_places(const ConstView& in, Work work) {
  Image out(in);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x)
        out.at(x, y, c) = static_cast<float>(work(static_cast<double>(in.at(x, y, c)), x, y, c));
    }
  }
  return out;
}

// work(v, stream of the channel, position of the pixel) for every color sample.
template <class Work>
Image at_random(const ConstView& in, std::uint64_t seed, Work work) {
  return at_places(in, [&](double v, int x, int y, int c) {
    return work(v, RandomStream(seed, static_cast<std::uint64_t>(c)),
                static_cast<std::uint64_t>(y) * (std::uint64_t{1} << 32) + static_cast<std::uint64_t>(x));
  });
}

Image periodic_noise(const PeriodicNoise& f, const ConstView& in) {
  const double degree = std::numbers::pi / 180;
  return at_places(in, [&](double v, int x, int y, int) {
    const double distance = x * std::cos(number(f.angle) * degree) + y * std::sin(number(f.angle) * degree);
    return v + number(f.amplitude) *
                   std::sin(2 * std::numbers::pi * distance / number(f.period) + number(f.phase) * degree);
  });
}

Image dead_lines(const DeadLines& f, const ConstView& in) {
  return at_places(in, [&](double v, int x, int y, int) {
    const auto line = static_cast<std::uint64_t>(f.along == DeadLines::Along::columns ? x : y);
    return RandomStream(f.seed, 77).uniform(line) < number(f.share) ? number(f.level) : v;
  });
}

Image quantize(const Quantize& f, const ConstView& in) {
  const int steps = (1 << f.bits) - 1;
  return at_places(in, [&](double v, int, int, int) {
    if (std::isnan(v)) return v;
    // The nearest level by trying the two about the sample; the upper one where both are as near.
    const double place = std::max(0.0, std::min(1.0, v)) * steps;
    const int below = static_cast<int>(place), above = std::min(steps, below + 1);
    return static_cast<double>(place - below < above - place ? below : above) / steps;
  });
}

Image vignette(const Vignette& f, const ConstView& in) {
  const double cx = 0.5 * (in.width() - 1), cy = 0.5 * (in.height() - 1), corner = std::hypot(cx, cy);
  return at_places(in, [&](double v, int x, int y, int) {
    const double r = corner > 0 ? std::hypot(x - cx, y - cy) / corner : 0;
    return v * (1 - number(f.strength) * r * r);
  });
}

// White noise, whose places begin before the picture, under a Gaussian window whose squares sum up to 1.
Image grain(const GaussianNoise& f, const ConstView& in) {
  const double sigma = std::max(0.01, number(f.sigma));
  const int radius = static_cast<int>(std::ceil(4 * sigma));
  const auto tap = [&](int i, int j) { return std::exp(-(i * i + j * j) / (2 * sigma * sigma)); };
  double squares = 0;
  for (int j = -radius; j <= radius; ++j) {
    for (int i = -radius; i <= radius; ++i) squares += tap(i, j) * tap(i, j);
  }
  Image out(in);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const RandomStream random(f.seed, static_cast<std::uint64_t>(c));
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        double sum = 0;
        for (int j = -radius; j <= radius; ++j) {
          for (int i = -radius; i <= radius; ++i)
            sum += tap(i, j) * random.normal((static_cast<std::uint64_t>(y + j + radius) << 32) +
                                             static_cast<std::uint64_t>(x + i + radius));
        }
        out.at(x, y, c) =
            static_cast<float>(static_cast<double>(in.at(x, y, c)) + number(f.deviation) * sum / std::sqrt(squares));
      }
    }
  }
  return out;
}

}  // namespace

void internal::define_degrade(reference::Definitions& d) {
  // Both reckon in double: what is left is the rounding of the sum to single precision and that of a sine.
  d.add<PeriodicNoise>(2.5e-7, periodic_noise);
  d.add<DeadLines>(kExact, dead_lines);
  // Half a unit in the last place of 1.
  d.add<Quantize>(6e-8, quantize);
  d.add<Vignette>(1.2e-7, vignette);
  d.add<GaussianNoise>(kExact, [](const GaussianNoise& f, const ConstView& in) {
    if (f.sigma > 0) return grain(f, in);
    return at_random(in, f.seed, [&](double v, const RandomStream& random, std::uint64_t at) {
      return v + number(f.deviation) * random.normal(at);
    });
  });
  d.add<UniformNoise>(kExact, [](const UniformNoise& f, const ConstView& in) {
    return at_random(in, f.seed, [&](double v, const RandomStream& random, std::uint64_t at) {
      return v + number(f.amplitude) * (2 * random.uniform(at) - 1);
    });
  });
  d.add<SpeckleNoise>(kExact, [](const SpeckleNoise& f, const ConstView& in) {
    return at_random(in, f.seed, [&](double v, const RandomStream& random, std::uint64_t at) {
      return v * (1 + number(f.deviation) * random.normal(at));
    });
  });
  d.add<ImpulseNoise>(kExact, [](const ImpulseNoise& f, const ConstView& in) {
    return at_random(in, f.seed, [&](double v, const RandomStream& random, std::uint64_t at) {
      const double u = random.uniform(at);
      if (u < number(f.dark)) return 0.0;
      return u >= 1 - number(f.bright) ? 1.0 : v;
    });
  });
}

}  // namespace sieve
