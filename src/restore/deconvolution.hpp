#pragma once
// What all restorations share: the frame around a picture, its spectrum, and the transfer function of the PSF.

#include <complex>
#include <functional>
#include <vector>

#include "sieve/restore/linear.hpp"
#include "spectral/plane.hpp"

namespace sieve {

// Below this a transfer function is zero: that is what rounding in double leaves of one.
inline constexpr double kZero = 1e-15;

// H on the grid of a real transform.
HalfPlane<double> transfer_plane(const Kernel& psf, int width, int height);

// The size that a picture is continued to.
struct Frame {
  int width, height;
  Border border;
};
Frame frame_of(const Shape& s, Beyond beyond);

// The channel with its border blended into the blur of the wrapped channel.
Image tapered(const ConstView& channel, const Kernel& psf);

// multiplier(u, v, H, G) for the frequency (u, v) of a transform of the frame: what G becomes. All color channels.
using Multiplier = std::function<std::complex<double>(int u, int v, std::complex<double> h, std::complex<double> g)>;
// `prepare` is called once for each channel with its spectrum and H, and gives the multiplier.
using Prepare = std::function<Multiplier(const Frame& frame, const HalfPlane<double>& h, const HalfPlane<double>& g)>;
void restore_linear(const ConstView& in, const View& out, const Kernel& psf, Beyond beyond, const Prepare& prepare);

// The same by the sums that define the transforms: O(pixels * (width + height)).
Image restore_plainly(const ConstView& in, const Kernel& psf, Beyond beyond, const Prepare& prepare);

// A note where a PSF is not the same mirrored and the picture goes on mirrored.
void tell_of_mirrors(const Kernel& psf, Beyond beyond);

// The PSF of sum 1; BadCall, naming `who`, where there is none.
Kernel checked_psf(const Kernel& psf, const char* who);

}  // namespace sieve
