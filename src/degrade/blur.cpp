#include "sieve/degrade/blur.hpp"

#include <fmt/format.h>

#include "run/validate.hpp"
#include "sieve/spatial/convolve.hpp"
#include "spatial/correlation.hpp"

namespace sieve {

using namespace internal;

namespace {
double sum_of(const Blur& b) {
  const double sum = b.psf.sum();
  if (!(sum > 0))
    throw InvalidArgument(fmt::format("blur: the PSF sums to {:g}; a point spread function has a sum above 0", sum));
  return sum;
}
Convolve as_convolution(const Blur& b) {
  sum_of(b);
  return {.kernel = b.psf.normalized(), .border = b.border, .fill = b.fill};
}
}  // namespace

Image Blur::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Blur::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  if (border == Border::full) return as_convolution(*this)(in, out);
  Taps taps(psf, true);
  taps.divide(sum_of(*this));
  correlate("blur", taps, border, fill, 1, ConvolutionMethod::automatic, in, out);
}
void Blur::describe(Description<Blur>& d) {
  d.called("blur", "degrade", "Blur by a known point spread function, scaled to sum 1: defocus, shake, a lens.");
  d.also({"convolve", "PSF", "defocus", "out of focus", "motion blur", "shake"});
  d.wrong("you want to smooth noise: gaussian is made for that and faster.");
  d.window([](const Blur& f) { return filter_reach(as_convolution(f)); });
  d.reads_around();
  d.undivided([](const Blur& f) {
    const Convolve c = as_convolution(f);
    return !description_of<Convolve>().part_margin(&c);
  });
  d.shape([](const Blur& f, const Shape& in) -> Shape {
    if (f.border != Border::inside && f.border != Border::full) return in;
    const Convolve c = as_convolution(f);
    return description_of<Convolve>().result_shape(&c, in);
  });
  d.meaning([](const Blur& f) { return fmt::format("PSF {}x{}, scaled to sum 1", f.psf.width(), f.psf.height()); });
  d.field("psf", &Blur::psf, "", "gaussian:sigma=, disk:radius=, motion:length=,angle=, any kernel, or @FILE");
  std::vector<Border> borders = window_borders();
  borders.insert(borders.end(), {Border::inside, Border::full});
  d.border(&Blur::border, &Blur::fill, std::move(borders));
}

}  // namespace sieve
