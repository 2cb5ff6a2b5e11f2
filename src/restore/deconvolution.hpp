#pragma once
// What all restorations share: the frame around a picture, the transfer function of the PSF over the coefficients of a
// transform of that frame, and the multiplication of them.

#include <array>
#include <complex>
#include <functional>
#include <memory>
#include <vector>

#include "restore/frame.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/restore/linear.hpp"
#include "sieve/restore/psf.hpp"
#include "spectral/plane.hpp"

namespace sieve::internal {

// Below this a transfer function is zero: that is what rounding in double leaves of one.
inline constexpr double kZero = 1e-15;

// The coefficients of a frame that are kept: half a Fourier transform, or, for a mirrored frame and a PSF that is the
// same in a mirror, the cosine transform of the picture, a quarter as many. (u, v) are periods over the frame.
struct Grid {
  Frame frame;
  bool cosine;
  int columns, rows;
  // How many coefficients of the frame's full Fourier transform this stored one stands for: itself and those that
  // follow from it by symmetry (2 in a half plane, up to 4 for a cosine transform). 0 for the highest frequency of a
  // mirrored frame, where a mirrored picture has nothing.
  double times(int u, int v) const {
    if (frame.border == Border::mirror && (2 * u == frame.width || 2 * v == frame.height)) return 0;
    const double across = u == 0 || 2 * u == frame.width ? 1 : 2;
    return cosine ? across * (v == 0 ? 1 : 2) : across;
  }
  std::size_t place(int u, int v) const {
    return static_cast<std::size_t>(u) * static_cast<std::size_t>(rows) + static_cast<std::size_t>(v);
  }
  std::size_t size() const { return place(columns, 0); }
};

// The transfer function H of the PSF scaled to sum 1, stored column by column.
struct Transfer2d {
  Grid grid;
  FftArray<std::complex<double>> fourier;  // one of the two is filled
  FftArray<double> cosine;
  std::complex<double> at(int u, int v) const {
    return grid.cosine ? cosine[grid.place(u, v)] : fourier[grid.place(u, v)];
  }
  // From here on pictures are given in the whole frame (see in_frame), which repeats itself.
  void repeat() {
    if (!grid.cosine) grid.frame.border = Border::wrap;
  }
};
Transfer2d transfer_of(const Kernel& psf, const Shape& shape, Border border);
// The same for a picture of that size that wraps around, as half a Fourier plane.
Transfer2d transfer_of(const Kernel& psf, int width, int height);
// How far it can be divided by: zeros, weak frequencies, how much it raises noise.
Invertibility invertibility_of(const Transfer2d& transfer);

// |H|^2 and |G|^2 over the grid, both as the frame's Fourier transform, not normalized, has them.
struct Measured {
  Grid grid;
  double noise_share;  // of the frame's white noise, see there
  std::vector<double> transfer, picture;
  // The sums of what term(u, v, times, |H|^2, |G|^2, sums) adds, the same for any number of threads.
  template <std::size_t N, class Term>
  std::array<double, N> sum(Term term) const {
    std::vector<std::array<double, N>> columns(static_cast<std::size_t>(grid.columns));
    parallel_rows(grid.columns, RowCost(grid.rows, 4), [&](int first, int last) {
      for (int u = first; u < last; ++u) {
        checkpoint();
        std::array<double, N> s{};
        for (int v = 0; v < grid.rows; ++v)
          term(u, v, grid.times(u, v), transfer[grid.place(u, v)], picture[grid.place(u, v)], s);
        columns[static_cast<std::size_t>(u)] = s;
      }
    });
    std::array<double, N> all{};
    for (const auto& s : columns) {
      for (std::size_t i = 0; i < N; ++i) all[i] += s[i];
    }
    return all;
  }
};

// The spectrum of one channel over the grid of a transfer function.
class ChannelSpectrum {
 public:
  ChannelSpectrum(const ConstView& channel, const Transfer2d& transfer);
  Measured measure();
  // What factor(u, v, H) makes of it, as a picture. Spoils the spectrum.
  using Factor = std::function<std::complex<double>(int u, int v, std::complex<double> h)>;
  void restore(const Factor& factor, const View& out);

 private:
  const Transfer2d& transfer_;
  double noise_share_;
  bool whole_ = false;  // the columns are transformed too
  std::unique_ptr<CosinePlane> cosine_;
  std::unique_ptr<HalfPlane<double>> fourier_;
};

// Called for each channel; measure() gives the squared sizes where the factor depends on them.
using Prepare = std::function<ChannelSpectrum::Factor(const Grid& grid, const std::function<Measured()>& measure)>;
// Whether the factor is found by measuring a channel. Of color the channels' mean and two differences are then
// measured and restored instead: the differences have far less power, and are damped more, for half a dB over
// photographs. With one factor for all it is the same, and takes longer.
enum class Measures { nothing, channels };
void restore_linear(const ConstView& in, const View& out, const Kernel& psf, Border border, const Prepare& prepare,
                    Measures measures);

// change(u, column) on each column of the transform of the channel in its frame, in single precision: the column holds
// complex numbers, or real ones where the grid is that of a cosine transform.
template <class Change>
void filter_in_frame(const Grid& grid, const ConstView& in, const View& out, Change change) {
  if (grid.cosine)
    return filter_cosine(
        in, [&](int u, float* column) { change(u, column); }, out);
  filter_fourier(
      in, grid.frame.width, grid.frame.height, grid.frame.border,
      [&](int u, std::complex<float>* column) { change(u, column); }, out);
}

// The blur and its adjoint, in single precision.
class Blurring {
 public:
  explicit Blurring(const Transfer2d& transfer);
  void blur(const ConstView& in, const View& out) const { filter(in, out, false); }
  // Correlation with the PSF instead of convolution.
  void turned(const ConstView& in, const View& out) const { filter(in, out, true); }
  const Grid& grid() const { return grid_; }

 private:
  void filter(const ConstView& in, const View& out, bool turned) const;
  Grid grid_;
  FftArray<std::complex<float>> fourier_;
  FftArray<float> cosine_;
};

// The same in a mirror, from left to right and from top to bottom.
bool mirrors_alike(const Kernel& psf);

// A note where a PSF is not the same mirrored and the picture goes on mirrored.
void tell_of_mirrors(const Kernel& psf, Border border);
// A note where a result lies far beyond the picture on both sides: noise rules it.
void tell_of_noise(const ConstView& in, const ConstView& result);

// The PSF of sum 1; InvalidArgument, naming `who`, where there is none.
Kernel checked_psf(const Kernel& psf, const char* who);

// The residual before each iteration, as a curve.
Stage iteration_stage(const std::vector<double>& residuals);

// The parameters that all restorations share.
inline constexpr const char* kPsfHelp =
    "gaussian:sigma=, disk:radius=, motion:length=,angle=, airy:radius=, any kernel, or @FILE (weights or a picture)";

}  // namespace sieve::internal
