#include "sieve/restore/find_psf.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/at_share.hpp"
#include "core/luma.hpp"
#include "core/to_integer.hpp"
#include "restore/cepstrum.hpp"
#include "restore/middle_in_reach.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/restore/linear.hpp"
#include "sieve/spectral/spectrum.hpp"

namespace sieve {

using namespace internal;

namespace {

double median_of(std::vector<double> v) { return at_share(v, 0.5); }

// The x in [low, high] at which f is lowest, f falling to it and rising from it.
template <class F>
double lowest_at(double low, double high, double within, F f) {
  constexpr double kGolden = 0.381966;
  double a = low + kGolden * (high - low), b = high - kGolden * (high - low), fa = f(a), fb = f(b);
  while (high - low > within) {
    if (fa < fb) {
      high = b, b = a, fb = fa;
      a = low + kGolden * (high - low), fa = f(a);
    } else {
      low = a, a = b, fa = fb;
      b = high - kGolden * (high - low), fb = f(b);
    }
  }
  return 0.5 * (low + high);
}

}  // namespace

FoundPsf psf_from_point(const ConstView& in, int x, int y, int radius) {
  require_input(in, "psf_from_point");
  if (radius < 1 || radius > 200)
    throw InvalidArgument(fmt::format("psf_from_point: radius={}: allowed is 1..200", radius));
  if (x < radius || y < radius || x >= in.width() - radius || y >= in.height() - radius) {
    throw InvalidArgument(
        fmt::format("psf_from_point: the part of {} pixels about ({}, {}) leaves the picture of {}x{}: give another "
                    "point or a smaller radius",
                    2 * radius + 1, x, y, in.width(), in.height()));
  }
  const Image gray = finite_luma(in);
  std::vector<double> rim;
  for (int j = -radius; j <= radius; ++j) {
    for (int i = -radius; i <= radius; ++i) {
      if (std::max(std::abs(i), std::abs(j)) == radius) rim.push_back(static_cast<double>(gray.at(x + i, y + j)));
    }
  }
  const auto [background, spread] = middle_and_spread(rim);
  double sum = 0, mx = 0, my = 0, peak = 0;
  const auto light = [&, background = background, spread = spread](int i, int j) {
    const double v = i < -radius || j < -radius || i > radius || j > radius
                         ? 0
                         : static_cast<double>(gray.at(x + i, y + j)) - background;
    return v > 2 * spread + 1e-6 ? v : 0.0;
  };
  int at_white = 0;
  for (int j = -radius; j <= radius; ++j) {
    for (int i = -radius; i <= radius; ++i) {
      const double v = light(i, j);
      sum += v, mx += i * v, my += j * v;
      peak = std::max(peak, v);
      at_white += gray.at(x + i, y + j) == 1;
    }
  }
  const bool cut = at_white > 1;
  if (!(sum > 0) || peak < 5 * spread)
    throw InvalidArgument(
        fmt::format("psf_from_point: nothing stands out at ({}, {}): the brightest sample is {:.4f} above a background "
                    "of deviation {:.4f}; give the place of a bright point",
                    x, y, peak, spread));
  const int cx = to_integer<int>(std::round(mx / sum), -radius, radius),
            cy = to_integer<int>(std::round(my / sum), -radius, radius), side = 2 * radius + 1;
  std::vector<double> taps;
  for (int j = -radius; j <= radius; ++j) {
    for (int i = -radius; i <= radius; ++i) taps.push_back(light(i + cx, j + cy));
  }
  FoundPsf f;
  f.psf = Kernel(side, side, std::move(taps)).normalized();
  f.family = "point";
  f.size = radius;
  const double ratio = spread > 0 ? peak / spread : 1e6;
  f.confidence = (1 - 1 / (1 + ratio / 10)) * (cut ? 0.3 : 1);
  f.reason = fmt::format("peak {:.4g} above a background of {:.4g}, {:.3g} times its deviation{}", peak, background,
                         ratio, cut ? "; the point is cut off at white: expose less" : "");
  return f;
}

namespace {

// A unit step blurred by a disk, at a distance from it.
double disk_step(double t, double radius) {
  if (radius < 1e-6) return t < 0 ? 0 : 1;
  const double s = std::clamp(t / radius, -1.0, 1.0);
  return 0.5 + (s * std::sqrt(1 - s * s) + std::asin(s)) / std::numbers::pi;
}
double gaussian_step(double t, double sigma) {
  return 0.5 * (1 + std::erf(t / (std::numbers::sqrt2 * std::max(1e-6, sigma))));
}

// Mean of a step's model over a pixel.
template <class Step>
double over_pixel(double t, Step step) {
  return (step(t - 0.375) + step(t - 0.125) + step(t + 0.125) + step(t + 0.375)) / 4;
}

}  // namespace

FoundPsf psf_from_edge(const ConstView& in, const Rectangle& part) {
  require_input(in, "psf_from_edge");
  if (part.width < 12 || part.height < 12 || part.x < 0 || part.y < 0 || part.x + part.width > in.width() ||
      part.y + part.height > in.height()) {
    throw InvalidArgument(fmt::format(
        "psf_from_edge: the part {},{},{},{} does not lie in the picture of {}x{} with 12x12 pixels at least", part.x,
        part.y, part.width, part.height, in.width(), in.height()));
  }
  Image gray = finite_luma(in.part(part));
  double across = 0, down = 0;
  for (int y = 1; y < gray.height(); ++y) {
    for (int x = 1; x < gray.width(); ++x) {
      across += static_cast<double>(std::fabs(gray.at(x, y) - gray.at(x - 1, y)));
      down += static_cast<double>(std::fabs(gray.at(x, y) - gray.at(x, y - 1)));
    }
  }
  const bool upright = across >= down;
  if (!upright) {
    Image turned(gray.height(), gray.width());
    for (int y = 0; y < gray.height(); ++y) {
      for (int x = 0; x < gray.width(); ++x) turned.at(y, x) = gray.at(x, y);
    }
    gray = std::move(turned);
  }
  // The edge of each row is the center of gravity of its change; then a line through them, by least squares, twice.
  const int w = gray.width(), h = gray.height();
  double offset = 0, slope = 0;
  for (int round = 0; round < 3; ++round) {
    double n = 0, sy = 0, sx = 0, syy = 0, sxy = 0;
    for (int y = 0; y < h; ++y) {
      double sum = 0, at = 0;
      for (int x = 1; x < w; ++x) {
        const double near = round == 0 ? 1 : std::exp(-0.5 * std::pow((x - 0.5 - offset - slope * y) / (0.15 * w), 2));
        const double change = near * static_cast<double>(gray.at(x, y) - gray.at(x - 1, y));
        sum += change, at += change * (x - 0.5);
      }
      if (std::abs(sum) < 1e-4) continue;
      const double place = at / sum;
      if (place < 0 || place > w - 1) continue;
      n += 1, sy += y, sx += place, syy += static_cast<double>(y) * y, sxy += y * place;
    }
    const double det = n * syy - sy * sy;
    if (n < h / 2.0 || det <= 0)
      throw InvalidArgument("psf_from_edge: no edge crosses this part: give a part with one straight edge");
    slope = (n * sxy - sy * sx) / det;
    offset = (sx - slope * sy) / n;
  }
  const double lean = std::cos(std::atan(slope));
  constexpr int kPerPixel = 4;
  const int reach = std::min(static_cast<int>(0.5 * w), 40) * kPerPixel;
  std::vector<double> sum(static_cast<std::size_t>(2 * reach + 1)), count(sum.size());
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) {
      const int bin =
          reach + to_integer<int>(std::round((x - offset - slope * y) * lean * kPerPixel), -reach - 1, reach + 1);
      if (bin < 0 || bin > 2 * reach) continue;
      sum[static_cast<std::size_t>(bin)] += static_cast<double>(gray.at(x, y));
      count[static_cast<std::size_t>(bin)] += 1;
    }
  }
  FoundPsf f;
  std::vector<double> level;
  for (std::size_t i = 0; i < sum.size(); ++i) {
    if (count[i] == 0) continue;
    f.position.push_back((static_cast<double>(i) - reach) / kPerPixel);
    level.push_back(sum[i] / count[i]);
  }
  const std::size_t end = std::max<std::size_t>(3, level.size() / 8);
  if (level.size() < 24)
    throw InvalidArgument(
        "psf_from_edge: the edge lies at the rim of the part: give a part with the edge in its middle");
  const double low = median_of({level.begin(), level.begin() + static_cast<std::ptrdiff_t>(end)}),
               high = median_of({level.end() - static_cast<std::ptrdiff_t>(end), level.end()});
  if (std::abs(high - low) < 0.02)
    throw InvalidArgument(fmt::format(
        "psf_from_edge: the levels on both sides differ by {:.4f} only: give a part with one edge of more contrast",
        std::abs(high - low)));
  for (const double v : level) f.profile.push_back((v - low) / (high - low));
  // The edge may lie a little off the fitted line: both models may move.
  const auto misfit = [&](auto step, double shift) {
    double e = 0;
    for (std::size_t i = 0; i < f.position.size(); ++i)
      e += std::pow(over_pixel(f.position[i] - shift, step) - f.profile[i], 2);
    return e;
  };
  const auto best_shift = [&](auto step) {
    return lowest_at(-1.5, 1.5, 0.01, [&](double s) { return misfit(step, s); });
  };
  const double most = 0.3 * w;
  const auto fit = [&](auto model) {
    return lowest_at(0.05, most, 0.005, [&](double size) {
      const auto step = [&](double t) { return model(t, size); };
      return misfit(step, best_shift(step));
    });
  };
  const double sigma = fit(gaussian_step), radius = fit(disk_step);
  const auto as_gaussian = [&](double t) { return gaussian_step(t, sigma); };
  const auto as_disk = [&](double t) { return disk_step(t, radius); };
  const double shift_g = best_shift(as_gaussian), shift_d = best_shift(as_disk), eg = misfit(as_gaussian, shift_g),
               ed = misfit(as_disk, shift_d);
  const bool disk = ed < eg && radius >= 0.7;
  f.family = disk ? "disk" : "gaussian";
  f.size = disk ? radius : std::max(0.05, sigma);
  f.psf =
      Kernel::parse(disk ? fmt::format("disk:radius={:.2f}", f.size) : fmt::format("gaussian:sigma={:.2f}", f.size));
  f.angle = (upright ? 0 : 90) + std::atan(slope) * 180 / std::numbers::pi;
  for (const double t : f.position)
    f.fitted.push_back(disk ? over_pixel(t - shift_d, as_disk) : over_pixel(t - shift_g, as_gaussian));
  const double misses = std::sqrt(std::min(eg, ed) / static_cast<double>(f.position.size())),
               slant = std::abs(std::atan(slope)) * 180 / std::numbers::pi;
  f.confidence = std::clamp(1 - misses / 0.1, 0.0, 1.0) * (slant < 1 ? 0.7 : 1);
  f.reason = fmt::format(
      "step of {:.3f}, slanted by {:.1f} degrees{}; the {} misses it by {:.4f}, the {} by {:.4f} of the step",
      std::abs(high - low), slant, slant < 1 ? " (2 to 10 are better)" : "", f.family, misses,
      disk ? "gaussian" : "disk", std::sqrt(std::max(eg, ed) / static_cast<double>(f.position.size())));
  return f;
}

FoundPsf psf_from_motion(const ConstView& in) {
  require_input(in, "psf_from_motion");
  if (in.width() < 64 || in.height() < 64)
    throw InvalidArgument(
        fmt::format("psf_from_motion: the picture is {}x{}: 64x64 pixels are needed", in.width(), in.height()));
  const Image gray = middle_in_reach(in, 2048);
  const Cepstrum cepstrum(gray);
  const int reach = cepstrum.reach();
  const auto depth = [&](int x, int y) { return cepstrum.depth(x, y); };
  double deepest = 0, second = 0;
  int bx = 3, by = 0;
  const auto each = [&](auto work) {
    for (int y = 0; y <= reach; ++y) {
      for (int x = -reach; x <= reach; ++x) {
        const double r = std::hypot(x, y);
        if ((y > 0 || x > 0) && r >= 3 && r <= reach) work(x, y);
      }
    }
  };
  each([&](int x, int y) {
    if (const double d = depth(x, y); d > deepest) deepest = d, bx = x, by = y;
  });
  // The best of the rest: not beside it, nor on its line, where the whole multiples lie.
  each([&](int x, int y) {
    if (std::abs(x * by - y * bx) > 2 * std::hypot(bx, by)) second = std::max(second, depth(x, y));
  });
  // A whole multiple may be darker against its ring: the shortest counts.
  for (const int k : {3, 2}) {
    const double x = static_cast<double>(bx) / k, y = static_cast<double>(by) / k;
    if (std::hypot(x, y) < 3) continue;
    double most = 0;
    int mx = bx, my = by;
    for (int j = static_cast<int>(std::floor(y)) - 1; j <= std::ceil(y) + 1; ++j) {
      for (int i = static_cast<int>(std::floor(x)) - 1; i <= std::ceil(x) + 1; ++i) {
        if (const double d = depth(i, j); d > most) most = d, mx = i, my = j;
      }
    }
    if (most > std::max(6.0, 0.3 * deepest)) {
      bx = mx, by = my, deepest = most;
      break;
    }
  }
  double sum = 0, px = 0, py = 0;
  for (int j = -1; j <= 1; ++j) {
    for (int i = -1; i <= 1; ++i) {
      const double d = std::max(0.0, depth(bx + i, by + j) - 0.3 * deepest);
      sum += d, px += d * (bx + i), py += d * (by + j);
    }
  }
  px /= std::max(1e-9, sum), py /= std::max(1e-9, sum);
  // A line of n pixels is n - 1 long between the middles of its ends.
  const double length = std::max(3.0, std::hypot(px, py)) + 15.0 / 16;
  double angle = std::atan2(-py, px) * 180 / std::numbers::pi;
  if (angle < 0) angle += 180;
  if (angle >= 179.95) angle = 0;
  FoundPsf f;
  f.psf = Kernel::parse(fmt::format("motion:length={:.1f},angle={:.1f}", length, angle));
  f.family = "motion";
  f.size = length;
  f.angle = angle;
  f.confidence =
      std::clamp((deepest - 6) / 12, 0.0, 1.0) * std::clamp(2 * (1 - second / std::max(1e-9, deepest)), 0.0, 1.0);
  f.reason = fmt::format(
      "the darkest spot of the cepstrum lies {:.1f} deviations below its ring, the next one elsewhere {:.1f}", deepest,
      second);
  return f;
}

FoundPsf psf_blind(const ConstView& in) {
  require_input(in, "psf_blind");
  if (in.width() < 32 || in.height() < 32)
    throw InvalidArgument(
        fmt::format("psf_blind: the picture is {}x{}: 32x32 pixels are needed", in.width(), in.height()));
  const Image gray = middle_in_reach(in, 1024);
  const int w = gray.width(), h = gray.height();
  const double noise = noise_level(gray);
  constexpr double kSharp = 0.7;  // what the edges of sharp pictures measure
  double sigma = edge_blur(gray), rest = 1e9;
  int rounds = 0;
  while (sigma > 0 && rounds < 10) {
    checkpoint();
    ++rounds;
    const double now = edge_blur(Wiener{.psf = Kernel::gaussian(std::clamp(sigma, 0.3, 20.0)),
                                        .noise = static_cast<float>(std::clamp(noise, 0.001, 1.0))}(gray));
    // The edges have not become steeper than in the round before: what is left is noise, and another round would only
    // sharpen that.
    if (now > rest - 0.03 || now <= kSharp) break;
    rest = now;
    // Only half of the measured rest is added, since the Wiener filter itself leaves a part of the blur.
    sigma = std::min(20.0, std::sqrt(sigma * sigma + 0.5 * (rest * rest - kSharp * kSharp)));
  }
  std::vector<double> quarters;
  for (int i = 0; i < 4; ++i) {
    if (const double q = edge_blur(gray.view().part({i % 2 * (w / 2), i / 2 * (h / 2), w / 2, h / 2})); q > 0)
      quarters.push_back(q);
  }
  FoundPsf f;
  f.psf = Kernel::parse(fmt::format("gaussian:sigma={:.2f}", std::clamp(sigma, 0.01, 20.0)));
  f.family = "gaussian";
  f.size = sigma;
  if (quarters.size() < 2) {
    f.reason = "too few strong edges to tell";
    return f;
  }
  const auto [least, most] = std::minmax_element(quarters.begin(), quarters.end());
  // Below the width of a sharp picture's edges there is nothing to undo, and noise hides widths.
  f.confidence = std::clamp(1.3 - (*most - *least) / sigma, 0.0, 1.0) * std::clamp((sigma - kSharp) / 0.5, 0.0, 1.0) *
                 std::clamp(1 - noise / 0.06, 0.0, 1.0);
  f.reason = fmt::format(
      "{} rounds; {} quarters of the picture say {:.2f} to {:.2f} (sharp pictures: about {:.1f}); noise {:.4f}", rounds,
      quarters.size(), *least, *most, kSharp, noise);
  return f;
}

}  // namespace sieve
