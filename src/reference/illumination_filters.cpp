#include <algorithm>
#include <numbers>

#include "reference/families.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/illumination.hpp"
#include "sieve/reference/illumination.hpp"
#include "sieve/reference/spatial.hpp"
#include "sieve/reference/tone.hpp"

namespace sieve {

using namespace internal;

namespace {

// The mean of what is finite; 0 where nothing is.
double mean_of_finite(const ConstView& channel) {
  double sum = 0, n = 0;
  for (int y = 0; y < channel.height(); ++y) {
    for (int x = 0; x < channel.width(); ++x) {
      const auto v = static_cast<double>(channel.at(x, y));
      if (std::isfinite(v)) sum += v, n += 1;
    }
  }
  return n > 0 ? sum / n : 0;
}

Image filled_with_mean(const ConstView& in) {
  Image out(in);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const auto mean = static_cast<float>(mean_of_finite(in.channel(c)));
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        if (!std::isfinite(out.at(x, y, c))) out.at(x, y, c) = mean;
      }
    }
  }
  return out;
}

// The smallest or largest sample of the square window of every pixel, the edge repeated.
Image extreme(const ConstView& in, Real radius, bool largest) {
  return reference::ranked(in, window_offsets("window", WindowShape::square, radius, {}), Border::edge, 0,
                           [largest](const auto& sorted) { return largest ? sorted.back() : sorted.front(); });
}

Image background(const Background& f, const ConstView& in) {
  if (f.by == BackgroundBy::polynomial) return reference::polynomial_background(in, f.degree);
  const Image finite = filled_with_mean(in);
  if (f.by == BackgroundBy::gaussian) return reference::gaussian(finite, f.sigma, f.border, 0);
  const bool dark = f.objects == ObjectTone::dark;
  const Image flat = extreme(extreme(finite, f.radius, dark), f.radius, !dark);
  return reference::gaussian(flat, 0.5 * static_cast<double>(f.radius), f.border, 0);
}

Image flatten(const Flatten& f, const ConstView& in) {
  const Image light = background({f.by, f.sigma, f.radius, f.degree, f.objects, f.border}, in);
  Image out(in);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const double mean = mean_of_finite(light.view().channel(c));
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        const double v = in.at(x, y, c), b = light.at(x, y, c);
        // Under a twentieth of its mean, or of the other sign, the light is held there; of a mean of 0 nothing is
        // divided.
        const double share = mean != 0 ? std::max(0.05, b / mean) : 1;
        out.at(x, y, c) = static_cast<float>(f.how == BackgroundRemoval::subtract ? v - b + mean : v / share);
      }
    }
  }
  return out;
}

// The luma changed to what `changed` says, every color with its hue; what is not finite stays.
Image with_luma(const ConstView& in, const Image& changed) {
  Image out(in);
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) {
      const double to = changed.at(x, y);
      if (in.shape.color_channels() == 1) {
        if (std::isfinite(in.at(x, y))) out.at(x, y) = static_cast<float>(to);
        continue;
      }
      const reference::Triple rgb{in.at(x, y, 0), in.at(x, y, 1), in.at(x, y, 2)};
      const double luma = 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2];
      if (!std::isfinite(luma)) continue;
      const reference::Triple lit = reference::relight(rgb, luma, to);
      for (int c = 0; c < 3; ++c) out.at(x, y, c) = static_cast<float>(lit[static_cast<std::size_t>(c)]);
    }
  }
  return out;
}

Image luma(const ConstView& in) {
  const Image gray = to_gray(in);
  return Image(gray.view().channel(0));
}

Image retinex(const Retinex& f, const ConstView& in) {
  static constexpr double kAdd = 0.01;
  const Image light = map_samples(
      luma(in), [](float v) { return static_cast<float>(kAdd + (std::isfinite(v) ? std::max(0.0F, v) : 0)); });
  Image sum = map_samples(light, [](float) { return 0.0F; });
  for (const float sigma : f.scales.sigmas) {
    const Image around = reference::gaussian(light, static_cast<double>(sigma), f.border, 0);
    const auto n = static_cast<double>(f.scales.sigmas.size());
    const Image ratio = map_pairs(light, around, [n](float v, float g) {
      return static_cast<float>(std::log(static_cast<double>(v) / std::max(static_cast<double>(g), kAdd)) / n);
    });
    sum = map_pairs(sum, ratio, [](float s, float r) { return s + r; });
  }
  return with_luma(in, map_samples(sum, [&f](float s) { return f.level + f.gain * s; }));
}

Image homomorphic(const Homomorphic& f, const ConstView& in) {
  if (f.border == Border::mirror) return reference::homomorphic(in, f.low, f.high, f.cutoff, 0.001);
  // The same transfer function as a blur of the logarithm.
  const Image log = map_samples(luma(in), [](float v) {
    return static_cast<float>(std::log(std::isfinite(v) ? std::max(0.001, static_cast<double>(v)) : 0.001));
  });
  const Image slow = reference::gaussian(log, 0.5 / (std::numbers::pi * static_cast<double>(f.cutoff)), f.border, 0);
  const double low = f.low, high = f.high, level = (1 - low) * mean_of_finite(log);
  return with_luma(in, map_pairs(log, slow, [=](float a, float s) {
                     return static_cast<float>(
                         std::exp(high * static_cast<double>(a) - (high - low) * static_cast<double>(s) + level));
                   }));
}

}  // namespace

void internal::define_illumination(reference::Definitions& d) {
  d.add<FlatField>(kRounded, [](const FlatField& f, const ConstView& in) {
    return reference::flat_field(in, f.with.image("flat_field", "with"),
                                 f.dark.empty() ? ConstView{} : f.dark.image("flat_field", "dark").view(), f.least);
  });
  // A large Gaussian by a coarse grid, a surface by normal equations in double: 4.1e-5 measured.
  d.add<Background>(1e-4, background);
  // The quotient of the picture and its background, which may be a twentieth of its mean: 1.5e-4 measured.
  d.add<Flatten>(4e-4, flatten);
  // A large Gaussian by a coarse grid, in logarithms: 5.7e-5 measured.
  d.add<Homomorphic>(1.5e-4, homomorphic);
  // Large Gaussians by coarse grids, in logarithms: 2.6e-5 measured.
  d.add<Retinex>(5e-5, retinex);
}

}  // namespace sieve
