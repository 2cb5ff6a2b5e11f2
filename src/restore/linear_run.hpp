#pragma once
// The parts that every linear restoration writes the same way.

#include <fmt/format.h>

#include "core/run.hpp"
#include "restore/deconvolution.hpp"

namespace sieve {

using Complex = std::complex<double>;
using Factor = ChannelSpectrum::Factor;

// division(filter, picture) gives what restore_linear asks for.
template <class F>
void run_linear(const F& f, const ConstView& in, const View& out) {
  ready(f, in, out);
  checked_psf(f.psf, description_of<F>().name.c_str());
  restore_linear(in, out, f.psf, f.beyond, division(f, in));
}

template <class F>
Image plain_linear(const F& f, const ConstView& in) {
  return restore_plainly(in, f.psf, f.beyond, division(f, in));
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
void describe_beyond(Description<F>& d) {
  d.field("beyond", &F::beyond, "", kBeyondHelp);
}

inline Prepare always(Factor f) {
  return [f = std::move(f)](const Grid&, const std::function<Measured()>&) { return f; };
}

// Cycles per pixel.
inline double frequency_down(int v, const Frame& f) {
  return static_cast<double>(2 * v > f.height ? v - f.height : v) / f.height;
}

}  // namespace sieve
