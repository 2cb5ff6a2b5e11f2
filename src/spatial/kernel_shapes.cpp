// The kernels that have a name.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "core/luma.hpp"
#include "sieve/spatial/kernel.hpp"
#include "spatial/kernel_limits.hpp"

namespace sieve {

using namespace internal;

namespace {

struct Fixed {
  const char* name;
  const char* help;
  std::vector<double> taps;
};

// As written here they are for correlation: positive where the picture grows brighter to the right or downward.
const std::vector<Fixed>& fixed_kernels() {
  static const auto& all = *new std::vector<Fixed>{
      {"identity", "leaves the picture as it is", {0, 0, 0, 0, 1, 0, 0, 0, 0}},
      {"sharpen", "picture minus its 4-neighbor Laplacian, sum 1", {0, -1, 0, -1, 5, -1, 0, -1, 0}},
      {"laplacian", "second differences, 4 neighbors, sum 0", {0, 1, 0, 1, -4, 1, 0, 1, 0}},
      {"laplacian8", "second differences, 8 neighbors, sum 0", {1, 1, 1, 1, -8, 1, 1, 1, 1}},
      {"sobel_x", "Sobel, right minus left", {-1, 0, 1, -2, 0, 2, -1, 0, 1}},
      {"sobel_y", "Sobel, below minus above", {-1, -2, -1, 0, 0, 0, 1, 2, 1}},
      {"prewitt_x", "Prewitt, right minus left", {-1, 0, 1, -1, 0, 1, -1, 0, 1}},
      {"prewitt_y", "Prewitt, below minus above", {-1, -1, -1, 0, 0, 0, 1, 1, 1}},
      {"scharr_x", "Scharr, right minus left: truest direction", {-3, 0, 3, -10, 0, 10, -3, 0, 3}},
      {"scharr_y", "Scharr, below minus above: truest direction", {-3, -10, -3, 0, 0, 0, 3, 10, 3}},
      {"emboss", "relief lit from the top left, sum 1", {-2, -1, 0, -1, 1, 1, 0, 1, 2}},
  };
  return all;
}

}  // namespace

std::optional<Kernel> Kernel::fixed(std::string_view name) {
  for (const Fixed& f : fixed_kernels()) {
    if (name != f.name) continue;
    Kernel kernel(3, 3, f.taps);
    kernel.text_ = f.name;
    return kernel;
  }
  return std::nullopt;
}

Kernel Kernel::identity() { return *fixed("identity"); }
Kernel Kernel::sharpen() { return *fixed("sharpen"); }
Kernel Kernel::sobel_x() { return *fixed("sobel_x"); }
Kernel Kernel::sobel_y() { return *fixed("sobel_y"); }
Kernel Kernel::prewitt_x() { return *fixed("prewitt_x"); }
Kernel Kernel::prewitt_y() { return *fixed("prewitt_y"); }
Kernel Kernel::scharr_x() { return *fixed("scharr_x"); }
Kernel Kernel::scharr_y() { return *fixed("scharr_y"); }
Kernel Kernel::emboss() { return *fixed("emboss"); }
Kernel Kernel::laplacian(int neighbors) {
  if (neighbors != 4 && neighbors != 8)
    throw InvalidArgument(fmt::format("kernel laplacian: neighbors={} is not allowed: give 4 or 8", neighbors));
  return *fixed(neighbors == 4 ? "laplacian" : "laplacian8");
}

Kernel Kernel::box(int radius) {
  if (radius < 0 || radius > kMostTaps / 2 - 1) {
    throw InvalidArgument(fmt::format("kernel box: radius={} is not allowed: give 0 to {} (2 radius + 1 taps a side)",
                                      radius, kMostTaps / 2 - 1));
  }
  const int side = 2 * radius + 1;
  const auto n = static_cast<std::size_t>(side) * static_cast<std::size_t>(side);
  Kernel k(side, side, std::vector<double>(n, 1.0 / static_cast<double>(n)));
  k.text_ = fmt::format("box:radius={}", radius);
  return k;
}

Kernel Kernel::gaussian(double sigma, int size) {
  if (!(sigma > 0) || sigma > 500)
    throw InvalidArgument(fmt::format("kernel gaussian: sigma={} is not allowed: give above 0 to 500", sigma));
  if (size < 0 || size > kMostTaps || (size > 0 && size % 2 == 0)) {
    throw InvalidArgument(
        fmt::format("kernel gaussian: size={} is not allowed: give an odd number, or 0 for 2*ceil(4 sigma)+1", size));
  }
  const int radius = size > 0 ? size / 2 : static_cast<int>(std::ceil(4 * sigma));
  std::vector<double> line;
  for (int i = -radius; i <= radius; ++i) line.push_back(std::exp(-0.5 * i * i / (sigma * sigma)));
  const double total = std::accumulate(line.begin(), line.end(), 0.0);
  for (double& v : line) v /= total;
  std::vector<double> taps;
  for (const double a : line) {
    for (const double b : line) taps.push_back(a * b);
  }
  const int side = 2 * radius + 1;
  Kernel k(side, side, std::move(taps));
  k.text_ = fmt::format("gaussian:sigma={}", internal::number_text(sigma, false)) +
            (size > 0 ? fmt::format(",size={}", size) : "");
  return k;
}

Kernel Kernel::disk(double radius) {
  if (!(radius >= 0) || radius > 500)
    throw InvalidArgument(fmt::format("kernel disk: radius={} is not allowed: give 0 to 500", radius));
  const int r = static_cast<int>(radius);
  std::vector<double> taps;
  double count = 0;
  for (int y = -r; y <= r; ++y) {
    for (int x = -r; x <= r; ++x) count += taps.emplace_back(x * x + y * y <= radius * radius ? 1.0 : 0.0);
  }
  for (double& t : taps) t /= count;
  Kernel k(2 * r + 1, 2 * r + 1, std::move(taps));
  k.text_ = fmt::format("disk:radius={}", internal::number_text(radius, false));
  return k;
}

Kernel Kernel::motion(double length, double angle) {
  if (!(length >= 1) || length > 1000)
    throw InvalidArgument(fmt::format("kernel motion: length={} is not allowed: give 1 to 1000", length));
  if (!(std::abs(angle) <= 360))
    throw InvalidArgument(fmt::format("kernel motion: angle={} is not allowed: give -360 to 360 degrees", angle));
  const double turn = angle * 3.14159265358979323846 / 180, dx = std::cos(turn), dy = -std::sin(turn);
  const int r = static_cast<int>(std::ceil((length - 1) / 2)) + 1, side = 2 * r + 1;
  std::vector<double> taps(static_cast<std::size_t>(side) * static_cast<std::size_t>(side));
  // Points every sixteenth of a pixel, each shared by the four pixels about it.
  const int points = std::max(1, static_cast<int>(std::lround((length - 1) * 16)) + 1);
  for (int i = 0; i < points; ++i) {
    const double t = points == 1 ? 0 : (length - 1) * (static_cast<double>(i) / (points - 1) - 0.5), x = r + t * dx,
                 y = r + t * dy;
    const int x0 = std::min(static_cast<int>(x), side - 2), y0 = std::min(static_cast<int>(y), side - 2);
    for (int j = 0; j < 2; ++j) {
      for (int k = 0; k < 2; ++k) {
        taps[static_cast<std::size_t>((y0 + j) * side + x0 + k)] +=
            (k ? x - x0 : 1 - x + x0) * (j ? y - y0 : 1 - y + y0) / points;
      }
    }
  }
  Kernel kernel(side, side, std::move(taps));
  kernel.text_ = fmt::format("motion:length={},angle={}", internal::number_text(length, false),
                             internal::number_text(angle, false));
  return kernel;
}

Kernel Kernel::airy(double radius) {
  if (!(radius >= 0.5) || radius > 100)
    throw InvalidArgument(fmt::format("kernel airy: radius={} is not allowed: give 0.5 to 100", radius));
  const int r = static_cast<int>(std::ceil(4 * radius));
  std::vector<double> taps;
  for (int y = -r; y <= r; ++y) {
    for (int x = -r; x <= r; ++x) {
      const double t = 3.8317059702 * std::hypot(x, y) / radius, a = t == 0 ? 1 : 2 * std::cyl_bessel_j(1, t) / t;
      taps.push_back(a * a);
    }
  }
  Kernel k = Kernel(2 * r + 1, 2 * r + 1, std::move(taps)).normalized();
  k.text_ = fmt::format("airy:radius={}", internal::number_text(radius, false));
  return k;
}

Kernel Kernel::of_picture(const ConstView& in) {
  require_input(in, "kernel");
  const Image gray = luma_of(in);
  std::vector<double> taps;
  double sum = 0;
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) sum += taps.emplace_back(static_cast<double>(gray.at(x, y)));
  }
  if (!(sum > 0) || !std::isfinite(sum))
    throw InvalidArgument(fmt::format(
        "kernel: the samples of the picture sum to {:g}; a picture of a kernel has a finite sum above 0", sum));
  return Kernel(in.width(), in.height(), std::move(taps), in.width() / 2, in.height() / 2).normalized();
}

const std::vector<Kernel::Preset>& Kernel::names() {
  static const std::vector<Preset>& all = *new std::vector<Preset>([] {
    std::vector<Preset> v = {
        {"box", "radius=1", "equal taps, 2 radius + 1 a side, sum 1"},
        {"gaussian", "sigma=1, size=0", "Gaussian of sum 1; size 0 means 2 ceil(4 sigma) + 1"},
        {"disk", "radius=3", "equal taps within a radius, sum 1: out of focus"},
        {"motion", "length=9, angle=0", "a line, degrees counterclockwise, sum 1: a shaken camera"},
        {"airy", "radius=3", "diffraction at a round opening, sum 1; the radius of the first dark ring"}};
    for (const Fixed& f : fixed_kernels()) v.push_back({f.name, "", f.help});
    return v;
  }());
  return all;
}

}  // namespace sieve
