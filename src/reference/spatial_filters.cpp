#include <numbers>

#include "reference/families.hpp"
#include "sieve/degrade/blur.hpp"
#include "sieve/reference/spatial.hpp"
#include "sieve/spatial.hpp"

namespace sieve {

using namespace internal;

namespace {

// With border=inside: where a window that reaches so far fits, of what was computed with any border.
template <class F>
Image where_it_fits(const F& f, const ConstView& in, int reach, const Image& whole) {
  if (f.border != Border::inside) return whole;
  return Image(whole.view().part({reach, reach, in.width() - 2 * reach, in.height() - 2 * reach}));
}

template <class F>
Border anywhere(const F& f) {
  return f.border == Border::inside ? Border::edge : f.border;
}

// Pascal's triangle over its sum, along both sides.
Kernel pascal(int radius) {
  std::vector<double> row{1};
  for (int i = 0; i < 2 * radius; ++i) {
    std::vector<double> next{row.front() / 2};
    for (std::size_t k = 1; k < row.size(); ++k) next.push_back((row[k - 1] + row[k]) / 2);
    next.push_back(row.back() / 2);
    row = next;
  }
  std::vector<double> taps;
  for (const double a : row) {
    for (const double b : row) taps.push_back(a * b);
  }
  return Kernel(2 * radius + 1, 2 * radius + 1, taps);
}

Kernel derivative(GradientBy by, const char* axis) { return Kernel::parse(std::string(name_of(by)) + axis); }

Rectangle part_of(const Crop& f, const ConstView& in) {
  return {f.x, f.y, f.width == 0 ? in.width() - f.x : f.width, f.height == 0 ? in.height() - f.y : f.height};
}

}  // namespace

void internal::define_spatial(reference::Definitions& d) {
  using namespace reference;
  d.add<Convolve>(kSummed, [](const Convolve& f, const ConstView& in) {
    return convolve(in, f.kernel, f.border, f.fill, f.stride);
  });
  d.add<Correlate>(kSummed, [](const Correlate& f, const ConstView& in) {
    return correlate(in, f.kernel, f.border, f.fill, f.stride);
  });
  d.add<Blur>(kSummed,
              [](const Blur& f, const ConstView& in) { return convolve(in, f.psf.normalized(), f.border, f.fill, 1); });
  // From sigma 5 on a coarse grid stands in for the picture: 4.5e-6 measured there, more at larger ones; see
  // tests/spatial.cpp.
  d.add<Gaussian>(1e-4, [](const Gaussian& f, const ConstView& in) {
    const int reach = *Filter(f).reach();
    return where_it_fits(f, in, reach, gaussian(in, f.sigma, anywhere(f), f.fill));
  });
  d.add<Box>(kRounded, [](const Box& f, const ConstView& in) {
    const int radius = static_cast<int>(f.radius);
    return where_it_fits(f, in, radius, box(in, radius, anywhere(f), f.fill));
  });
  d.add<Binomial>(kRounded, [](const Binomial& f, const ConstView& in) {
    return correlate(in, pascal(static_cast<int>(f.radius)), f.border, f.fill, 1);
  });
  d.add<DiskMean>(kSummed, [](const DiskMean& f, const ConstView& in) {
    return correlate(in, Kernel::disk(f.radius), f.border, f.fill, 1);
  });
  d.add<GradientMagnitude>(kSummed, [](const GradientMagnitude& f, const ConstView& in) {
    return gradient_magnitude(in, derivative(f.by, "_x"), derivative(f.by, "_y"), f.border);
  });
  // A rounding of 5e-7 over the shortest gradient of 8 bits, a level: 1.3e-4.
  d.add<GradientDirection>(
      5e-4,
      [](const GradientDirection& f, const ConstView& in) {
        return gradient_direction(in, derivative(f.by, "_x"), derivative(f.by, "_y"), f.border);
      },
      2 * std::numbers::pi);
  d.add<Crop>(kExact, [](const Crop& f, const ConstView& in) { return crop(in, part_of(f, in)); });
  d.add<Pad>(kExact, [](const Pad& f, const ConstView& in) {
    return pad(in, f.left, f.right, f.top, f.bottom, f.border, f.fill);
  });
  d.add<Shrink>(kRounded, [](const Shrink& f, const ConstView& in) {
    const auto side = [&](int n) {
      return std::max(1, static_cast<int>(std::lround(n / static_cast<double>(f.factor))));
    };
    return shrink(in, side(in.width()), side(in.height()));
  });
}

}  // namespace sieve
