#include "sieve/degrade/blur.hpp"

#include <fmt/format.h>

#include "core/run.hpp"
#include "sieve/spatial/convolve.hpp"

namespace sieve {

namespace {
Convolve as_convolution(const Blur& b) {
  if (!(b.psf.sum() > 0))
    throw BadCall(fmt::format("blur: the PSF sums to {:g}; a point spread function has a sum above 0", b.psf.sum()));
  return {.kernel = b.psf.normalized(), .border = b.border, .fill = b.fill};
}
}  // namespace

Image Blur::operator()(const ConstView& in) const { return made(*this, in); }
void Blur::operator()(const ConstView& in, const View& out) const {
  sieve::check(*this);
  as_convolution (*this)(in, out);
}
Image Blur::plain(const ConstView& in) const { return as_convolution(*this).plain(in); }
Shape Blur::shape(const Shape& in) const { return as_convolution(*this).shape(in); }
int Blur::reach() const { return as_convolution(*this).reach(); }
std::string Blur::meaning() const { return fmt::format("PSF {}x{}, scaled to sum 1", psf.width(), psf.height()); }
void Blur::describe(Description<Blur>& d) {
  d.called("blur", "degrade", "Blur by a known point spread function, scaled to sum 1: defocus, shake, a lens.");
  d.wrong("you want to smooth noise: gaussian is made for that and faster.");
  d.agrees_within(2e-5);
  d.field("psf", &Blur::psf, "", "gaussian:sigma=, disk:radius=, motion:length=,angle=, any kernel, or @FILE");
  d.field("border", &Blur::border, "", "what lies beyond the picture");
  d.field("fill", &Blur::fill, "0..1 scale", "the sample beyond the picture with border=constant");
}

}  // namespace sieve
