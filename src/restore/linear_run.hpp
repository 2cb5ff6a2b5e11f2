#pragma once
// The parts that every linear restoration writes the same way.

#include <fmt/format.h>

#include "restore/deconvolution.hpp"
#include "run/validate.hpp"

namespace sieve::internal {

using Complex = std::complex<double>;
using Factor = ChannelSpectrum::Factor;

// division(filter, picture) gives what restore_linear asks for. A note tells where noise rules the result.
template <class F>
void run_linear(const F& f, const ConstView& in, const View& out, Measures measures) {
  validate(f, in, out);
  checked_psf(f.psf, description_of<F>().name.c_str());
  restore_linear(in, out, f.psf, f.border, division(f, in), measures);
  tell_of_noise(in, out);
}

template <class F>
std::string psf_meaning(const F& f) {
  return fmt::format("PSF {}x{}, scaled to sum 1", f.psf.width(), f.psf.height());
}

template <class F>
void describe_psf(Description<F>& d) {
  d.field("psf", &F::psf, "", kPsfHelp);
}
template <class F>
void describe_border(Description<F>& d) {
  d.border(&F::border, nullptr, {Border::taper, Border::mirror, Border::wrap},
           "what blurred into the picture from beyond; not the edge repeated, which no blur makes: taper finds what "
           "may have been there, mirror takes mirror images");
}

inline Prepare always(Factor f) {
  return [f = std::move(f)](const Grid&, const std::function<Measured()>&) { return f; };
}

}  // namespace sieve::internal
