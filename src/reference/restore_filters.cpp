// Restorations by the sums that define the transforms, every frequency of the frame by itself, and by blurs that are
// sums over the PSF.

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <vector>

#include "reference/families.hpp"
#include "reference/frame.hpp"
#include "reference/plain_signal.hpp"
#include "sieve/core/border.hpp"
#include "sieve/reference/quality.hpp"
#include "sieve/reference/restore.hpp"
#include "sieve/reference/spatial.hpp"
#include "sieve/reference/spectral.hpp"
#include "sieve/restore.hpp"

namespace sieve {

using namespace internal;

namespace {

using internal::Complex;
using internal::Frame;
using internal::Plane;

// The sum of three channels over the root of 3, and the differences of the outer ones and of both to the middle one;
// turned: back.
Image in_planes(const ConstView& in, bool turned) {
  const double rows[3][3] = {{std::sqrt(1 / 3.0), std::sqrt(1 / 3.0), std::sqrt(1 / 3.0)},
                             {std::sqrt(0.5), 0, -std::sqrt(0.5)},
                             {std::sqrt(1 / 6.0), -std::sqrt(2 / 3.0), std::sqrt(1 / 6.0)}};
  Image out(Shape{in.width(), in.height(), 3});
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) {
      for (int c = 0; c < 3; ++c) {
        double sum = 0;
        for (int k = 0; k < 3; ++k) sum += (turned ? rows[k][c] : rows[c][k]) * static_cast<double>(in.at(x, y, k));
        out.at(x, y, c) = static_cast<float>(sum);
      }
    }
  }
  return out;
}

// solve(frame of the channel) for every color channel, or for their mean and differences.
template <class F, class Solve>
Image each_channel(const F& f, const ConstView& in, Solve solve, bool by_planes = false) {
  const bool planes = by_planes && in.shape.color_channels() == 3;
  return internal::of_finite(in, [&](Image all) {
    Image work = planes ? in_planes(all, false) : all;
    for (int c = 0; c < in.shape.color_channels(); ++c) {
      const Frame frame(Image(work.view().channel(c)), f.psf, f.border);
      const Image solved = solve(frame);
      copy(solved.view().part({0, 0, in.width(), in.height()}), work.view().channel(c));
    }
    if (!planes) return work;
    const Image colors = in_planes(work, true);
    for (int c = 0; c < 3; ++c) copy(colors.view().channel(c), all.view().channel(c));
    return all;
  });
}

// G times factor(u, v, H) for every frequency, where prepare(frame, H, G) gives the factor.
template <class F, class Prepare>
Image multiplied(const F& f, const ConstView& in, Prepare prepare, bool by_planes = false) {
  const auto solve = [&](const Frame& frame) {
    const Plane h = frame.transfer(), g = frame.spectrum();
    const auto factor = prepare(frame, h, g);
    Plane result(g.size());
    for (int v = 0; v < frame.height(); ++v) {
      for (int u = 0; u < frame.width(); ++u)
        result[frame.place(u, v)] = g[frame.place(u, v)] * factor(u, v, h[frame.place(u, v)]);
    }
    return frame.back(std::move(result));
  };
  return each_channel(f, in, solve, by_planes);
}

// conj(H) / (|H|^2 + k).
Complex damped(Complex h, double k) {
  const double power = std::norm(h) + k;
  return power > 0 ? std::conj(h) / power : Complex(0);
}

double deviation_of(const std::optional<float>& noise, const ConstView& in) {
  return noise ? static_cast<double>(*noise) : std::max(plain_rounding(in, in.white_level), reference::noise_level(in));
}

// Beyond a tapered picture there is no noise: its power in the picture over that in the frame.
double noise_share(const ConstView& in, Border border, const Frame& frame) {
  return border == Border::taper ? static_cast<double>(in.shape.pixels()) / frame.pixels() : 1;
}

Image inverse(const Inverse& f, const ConstView& in) {
  return multiplied(f, in, [](const Frame&, const Plane&, const Plane&) {
    return [](int, int, Complex h) { return std::abs(h) > 1e-15 ? 1.0 / h : Complex(0); };
  });
}

Image pseudo_inverse(const PseudoInverse& f, const ConstView& in) {
  const double least = f.threshold, constant = f.constant;
  return multiplied(f, in, [=](const Frame&, const Plane&, const Plane&) {
    return [=](int, int, Complex h) {
      const double size = std::abs(h);
      if (size >= least) return 1.0 / h;
      if (f.below == PseudoInverse::Below::drop) return Complex(0);
      if (f.below == PseudoInverse::Below::constant) return Complex(constant);
      // H of the size of the threshold, with its phase; of what rounding leaves of a zero the phase says nothing.
      return size > 1e-15 ? std::conj(h) / (size * least) : Complex(1 / least);
    };
  });
}

// The ratio of the noise's power to the picture's over 96 rings of frequencies, as struct Wiener says.
std::vector<double> ratios_by_rings(const Frame& frame, const Plane& h, const Plane& g, double noise_deviation,
                                    double noise_share, const std::function<std::size_t(int, int)>& ring) {
  constexpr std::size_t kRings = 96;
  std::vector<double> power(kRings), transfer(kRings), count(kRings), signal(kRings), ratio(kRings);
  for (int v = 0; v < frame.height(); ++v) {
    for (int u = 0; u < frame.width(); ++u) {
      if ((u == 0 && v == 0) || !frame.possible(u, v)) continue;
      const std::size_t i = ring(u, v), at = frame.place(u, v);
      power[i] += std::norm(g[at]);
      transfer[i] += std::norm(h[at]);
      count[i] += 1;
    }
  }
  const double noise = noise_deviation * noise_deviation * frame.pixels() * noise_share;
  for (std::size_t i = 1; i < kRings; ++i) {
    if (count[i] == 0) continue;
    power[i] /= count[i];
    transfer[i] /= count[i];
    signal[i] = std::max(0.0, power[i] - noise) / std::max(1e-12, transfer[i]);
  }
  // The line of log power over log frequency, by least squares, through the rings where blur and noise leave enough.
  const auto log_frequency = [](std::size_t i) { return std::log(static_cast<double>(i) + 0.5); };
  double n = 0, sx = 0, sy = 0, sxx = 0, sxy = 0;
  for (std::size_t i = 1; i < kRings; ++i) {
    if (count[i] == 0 || transfer[i] < 0.1 || power[i] < 4 * noise || signal[i] <= 0) continue;
    const double x = log_frequency(i), y = std::log(signal[i]);
    n += 1, sx += x, sy += y, sxx += x * x, sxy += x * y;
  }
  const double det = n * sxx - sx * sx;
  const double slope = n >= 3 && det > 0 ? std::clamp((n * sxy - sx * sy) / det, -5.0, -1.0) : -2;
  const auto line = [&](std::size_t i) {
    return n > 0 ? std::exp(sy / n + slope * (log_frequency(i) - sx / n)) : signal[i];
  };
  // What there is where the blur leaves less than a tenth of the noise.
  double alone = 0, places = 0;
  for (std::size_t i = 1; i < kRings; ++i) {
    if (count[i] > 0 && transfer[i] * line(i) <= 0.1 * noise) alone += power[i] * count[i], places += count[i];
  }
  const bool more_noise = alone > 1.5 * noise * places;
  const auto comes_back = [&](std::size_t i) {
    return std::any_of(transfer.begin() + static_cast<std::ptrdiff_t>(i), transfer.end(),
                       [&](double later) { return later > 1.2 * transfer[i]; });
  };
  const double floor = places > 0 ? std::max(noise, alone / places) : noise;
  double last = 1e-12;
  for (std::size_t i = 0; i < kRings; ++i) {
    if (i > 0 && count[i] > 0) {
      const double bound = more_noise || comes_back(i) ? 2 * line(i) : 20 * line(i),
                   there = transfer[i] < 0.1 ? std::min(signal[i], bound) : signal[i];
      const double disturbed = std::max(noise, power[i] - there * transfer[i]);
      const double by_chance = std::max(0.3, 4 * std::sqrt(2 / count[i]));
      const bool drowned = there <= 0 || power[i] <= (1 + by_chance) * floor;
      last = drowned ? std::max(last * (1 + 2.0 / static_cast<double>(i)), transfer[i] / by_chance) : disturbed / there;
    }
    ratio[i] = std::max(1e-15, last);
  }
  return ratio;
}

Image wiener(const Wiener& f, const ConstView& in) {
  const bool measured = f.ratios.empty() && !f.ratio;
  const auto prepare = [&](const Frame& frame, const Plane& h, const Plane& g) {
    const auto ring = [&frame](int u, int v) {
      // Not by hypot: on the edge of a ring its rounding is another.
      const double d = std::sqrt(std::pow(frame.frequency_across(u), 2) + std::pow(frame.frequency_down(v), 2));
      return std::min<std::size_t>(95, static_cast<std::size_t>(d / 0.7072 * 96));
    };
    const std::vector<double> ratios =
        measured ? ratios_by_rings(frame, h, g, deviation_of(f.noise, in), noise_share(in, f.border, frame), ring)
                 : std::vector<double>();
    return [&f, &frame, ratios, ring](int u, int v, Complex value) {
      if (!f.ratios.empty()) {
        // Between its own samples the picture of ratios is read linearly, as the filter `transfer` reads one. Of a real
        // picture the half of the frequencies with v in order and u up to the middle says all.
        const bool other = 2 * u > frame.width();
        const int su = other ? frame.width() - u : u, sv = other ? (frame.height() - v) % frame.height() : v;
        return damped(
            value, reference::transfer_gain(f.ratios.image("wiener", "ratios"), static_cast<double>(su) / frame.width(),
                                            frame.frequency_down(sv)));
      }
      return damped(value, f.ratio ? static_cast<double>(*f.ratio) : ratios[ring(u, v)]);
    };
  };
  return multiplied(f, in, prepare, measured);
}

// Constrained least squares: what a weight leads to, by sums over all frequencies.
class Balance {
 public:
  Balance(const Frame& frame, const Plane& h, const Plane& g, bool smooth) {
    for (int v = 0; v < frame.height(); ++v) {
      for (int u = 0; u < frame.width(); ++u) {
        const double l = penalty(frame, u, v, smooth);
        if (l <= 0 || !frame.possible(u, v)) continue;
        const double n = frame.pixels();
        all_.push_back({std::norm(h[frame.place(u, v)]), std::norm(g[frame.place(u, v)]) / (n * n), l});
      }
    }
  }
  // |L|^2 of the 4-neighbor Laplacian, or 1.
  static double penalty(const Frame& frame, int u, int v, bool smooth) {
    if (!smooth) return 1;
    const double l = 4 - 2 * std::cos(2 * std::numbers::pi * u / frame.width()) -
                     2 * std::cos(2 * std::numbers::pi * v / frame.height());
    return l * l;
  }

  struct At {
    double residual, roughness, score, growth;  // growth: of the result's power over the blurred picture's
  };
  At at(double log_weight) const {
    const double w = std::exp(log_weight);
    At r{};
    double left = 0, power = 0;
    for (const Frequency& f : all_) {
      const double sum = f.h2 + w * f.l2, t = sum > 0 ? w * f.l2 / sum : 1;
      r.residual += f.g2 * t * t;
      if (sum > 0) r.roughness += f.l2 * f.g2 * f.h2 / (sum * sum), r.growth += f.g2 * f.h2 / (sum * sum);
      left += t;
      power += f.g2;
    }
    left /= static_cast<double>(all_.size());
    r.score = r.residual / (left * left);
    r.growth /= std::max(1e-300, power);
    return r;
  }

 private:
  struct Frequency {
    double h2, g2, l2;
  };
  std::vector<Frequency> all_;
};

// The logarithm of the weight that a rule finds between -30 and 15.
double weight_by(const Balance& b, WeightBy by, double noise) {
  constexpr double kLow = -30, kHigh = 15;
  if (by == WeightBy::discrepancy) {
    double low = kLow, high = kHigh;  // the residual rises with the weight
    while (high - low > 0.01) {
      const double middle = (low + high) / 2;
      (b.at(middle).residual < noise * noise ? low : high) = middle;
    }
    return (low + high) / 2;
  }
  if (by == WeightBy::validation) {
    double best = kLow;
    for (double at = kLow; at <= kHigh; at += 1) best = b.at(at).score < b.at(best).score ? at : best;
    double low = best - 1, high = best + 1;
    while (high - low > 0.02) {
      const double p = low + 0.382 * (high - low), q = low + 0.618 * (high - low);
      (b.at(p).score < b.at(q).score ? high : low) = b.at(p).score < b.at(q).score ? q : p;
    }
    return (low + high) / 2;
  }
  // The largest curvature of log roughness over log residual, by central differences.
  constexpr double kStep = 0.25;
  std::vector<double> x, y;
  for (double at = kLow; at <= kHigh; at += kStep) {
    x.push_back(std::log(std::max(1e-300, b.at(at).residual)));
    y.push_back(std::log(std::max(1e-300, b.at(at).roughness)));
  }
  std::size_t best = 1;
  double most = -1;
  for (std::size_t i = 1; i + 1 < x.size(); ++i) {
    const double dx = (x[i + 1] - x[i - 1]) / 2, dy = (y[i + 1] - y[i - 1]) / 2, ddx = x[i + 1] - 2 * x[i] + x[i - 1],
                 ddy = y[i + 1] - 2 * y[i] + y[i - 1];
    const double curvature = (dx * ddy - dy * ddx) / std::pow(dx * dx + dy * dy + 1e-12, 1.5);
    if (curvature > most) most = curvature, best = i;
  }
  return kLow + kStep * static_cast<double>(best);
}

Image constrained_least_squares(const ConstrainedLeastSquares& f, const ConstView& in) {
  const auto prepare = [&](const Frame& frame, const Plane& h, const Plane& g) {
    double weight = f.weight ? static_cast<double>(*f.weight) : 0;
    if (!f.weight) {
      const Balance balance(frame, h, g, f.smooth);
      const double share = std::sqrt(noise_share(in, f.border, frame));
      double at = weight_by(balance, f.by, f.by == WeightBy::discrepancy ? share * deviation_of(f.noise, in) : 0);
      // A result with half as much power again as the blurred picture is noise: more weight.
      while (at < 15 && balance.at(at).growth > 1.5) at += 0.1;
      weight = std::exp(at);
    }
    return [&frame, weight, smooth = f.smooth](int u, int v, Complex value) {
      return damped(value, weight * Balance::penalty(frame, u, v, smooth));
    };
  };
  return multiplied(f, in, prepare, !f.weight);
}

double mean_of(const ConstView& v) {
  double sum = 0;
  for (int y = 0; y < v.height(); ++y) {
    for (int x = 0; x < v.width(); ++x) sum += static_cast<double>(v.at(x, y));
  }
  return sum / static_cast<double>(v.shape.pixels());
}

double mean_square(const Image& v) {
  double sum = 0;
  for (int y = 0; y < v.height(); ++y) {
    for (int x = 0; x < v.width(); ++x) sum += static_cast<double>(v.at(x, y)) * static_cast<double>(v.at(x, y));
  }
  return sum / static_cast<double>(v.shape().pixels());
}

Image less(const Image& a, const Image& b) {
  return map_pairs(a, b, [](float p, float q) { return p - q; });
}

// The iteration itself, on the whole frame, which repeats.
Image landweber(const Landweber& f, const ConstView& in) {
  const auto solve = [&](const Frame& frame) {
    const double noise = deviation_of(f.noise, in) * std::sqrt(noise_share(in, f.border, frame));
    double most = 1e-15;
    for (const Complex& h : frame.transfer()) most = std::max(most, std::norm(h));
    const auto rate = static_cast<float>(static_cast<double>(f.step) / most);
    Image g(frame.width(), frame.height()), u(g.shape());
    for (int y = 0; y < g.height(); ++y) {
      for (int x = 0; x < g.width(); ++x) g.at(x, y) = static_cast<float>(frame.at(x, y));
    }
    for (int i = 0; i < f.iterations; ++i) {
      const Image rest = less(g, reference::convolve(u, frame.psf(), Border::wrap, 0, 1));
      if (i > 0 && noise > 0 && std::sqrt(mean_square(rest)) <= noise) break;
      u = map_pairs(u, reference::correlate(rest, frame.psf(), Border::wrap, 0, 1),
                    [rate](float a, float b) { return a + rate * b; });
    }
    return u;
  };
  return each_channel(f, in, solve, !f.noise || *f.noise != 0);
}

// u / (1 - s div (grad u / |grad u|)), by forward differences and their adjoint, with `soft` in the square of the
// length.
Image less_variation(const Image& u, double s) {
  const int w = u.width(), h = u.height();
  const auto at = [&](int x, int y) { return static_cast<double>(u.at(std::min(x, w - 1), std::min(y, h - 1))); };
  // The unit vector of the gradient; nothing outside.
  const auto unit = [&](int x, int y) {
    if (x < 0 || y < 0) return std::pair(0.0, 0.0);
    const double dx = at(x + 1, y) - at(x, y), dy = at(x, y + 1) - at(x, y),
                 size = std::sqrt(dx * dx + dy * dy + std::pow(5 * s * at(x, y), 2) + 1e-8);
    return std::pair(dx / size, dy / size);
  };
  Image out(w, h);
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) {
      const double divergence = unit(x, y).first - unit(x - 1, y).first + unit(x, y).second - unit(x, y - 1).second;
      out.at(x, y) = static_cast<float>(at(x, y) / std::max(0.1, 1 - s * divergence));
    }
  }
  return out;
}

// Richardson (1972) and Lucy (1974): u times h correlated with g / (h * u), as struct RichardsonLucy says.
Image richardson_lucy(const RichardsonLucy& f, const ConstView& in) {
  const double noise = deviation_of(f.noise, in);
  const Border border = f.border == Border::mirror ? Border::mirror : Border::wrap;
  return each_channel(f, in, [&](const Frame& frame) {
    const ConstView picture = frame.picture().view().part({0, 0, in.width(), in.height()});
    double smooth = f.smoothness ? static_cast<double>(*f.smoothness) : 0;
    if (!f.smoothness && noise > 0) {
      const double error = std::sqrt(PlainSignal(frame, noise).squared_error()),
                   mean = std::max(0.02, mean_of(picture));
      smooth =
          std::min(0.1, noise * std::clamp(0.13 * std::pow(std::max(1e-6, error / noise), -0.2) / mean, 0.03, 1.0));
    }
    const Image g = map_samples(frame.picture(), [](float v) { return std::max(0.0F, v); });
    const double enough = static_cast<double>(f.tolerance) * std::sqrt(mean_square(g) - mean_of(g) * mean_of(g));
    Image u = g;
    if (smooth > 0 && noise > 0) {
      const auto at_least = static_cast<float>(std::max(0.3 / 255, noise));
      u = map_samples(wiener({.psf = f.psf, .noise = at_least, .border = border}, frame.picture()),
                      [](float v) { return std::max(1e-3F, v); });
    }
    Image before = u;
    for (int i = 0; i < f.iterations; ++i) {
      const auto ahead = static_cast<float>(f.accelerate && i > 0 ? (i - 1.0) / (i + 2.0) : 0);
      Image start =
          map_pairs(u, before, [ahead](float now, float then) { return std::max(0.0F, now + ahead * (now - then)); });
      const Image blurred = reference::convolve(start, frame.psf(), border, 0, 1), rest = less(g, blurred);
      const double residual = std::sqrt(mean_square(Image(rest.view().part({0, 0, in.width(), in.height()}))));
      if (smooth == 0 && noise > 0 && residual <= noise) return start;
      const Image ratio = map_pairs(g, blurred, [](float a, float b) { return b > 1e-9F ? a / b : 0; });
      before = u;
      u = map_pairs(start, reference::correlate(ratio, frame.psf(), border, 0, 1),
                    [](float a, float b) { return std::max(0.0F, a * b); });
      if (smooth > 0) u = less_variation(less_variation(u, smooth / 2), smooth / 2);
      if (smooth > 0 && i >= 10 && std::sqrt(mean_square(less(u, before))) <= enough) break;
    }
    return u;
  });
}

}  // namespace

void internal::define_restore(reference::Definitions& d) {
  d.add<Inverse>(kSummed, inverse);
  d.add<PseudoInverse>(kSummed, pseudo_inverse);
  d.add<Wiener>(kSummed, wiener);
  // A weight that is searched ends within 0.017 of the best in its logarithm: the search stops at 0.01, and the
  // filter's classes of ln(|H|^2 / |L|^2) are 120 / 16384 = 0.0073 wide. A result moves by that times what the penalty
  // takes off it, which is under 0.3 for samples of 0..1.
  d.add<ConstrainedLeastSquares>(5e-3, constrained_least_squares);
  d.add<Landweber>(kSummed, landweber);
  // Without smoothness 3.2e-6 after 20 iterations (tests/restore.cpp holds that). With it the direction of the gradient
  // where the picture is flat is that of its rounding, and each iteration starts from there: 0.017 measured on
  // photographs.
  d.add<RichardsonLucy>(3e-2, richardson_lucy);
}

}  // namespace sieve
