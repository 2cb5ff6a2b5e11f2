#pragma once
// What all restorations share: the frame around a picture, the transfer function of the PSF over the coefficients of a
// transform of that frame, and the multiplication of them.

#include <array>
#include <complex>
#include <functional>
#include <memory>
#include <vector>

#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/restore/linear.hpp"
#include "sieve/restore/psf.hpp"
#include "spectral/plane.hpp"

namespace sieve {

// Below this a transfer function is zero: that is what rounding in double leaves of one.
inline constexpr double kZero = 1e-15;

// The size that a picture is continued to.
struct Frame {
  int width, height;
  Border border;
};
Frame frame_of(const Shape& s, Beyond beyond);

// The coefficients of a frame that are kept: half a Fourier transform, or, for a mirrored frame and a PSF that is the
// same in a mirror, the cosine transform of the picture, a quarter as many. (u, v) are periods over the frame.
struct Grid {
  Frame frame;
  bool cosine;
  int columns, rows;
  // For how many coefficients of the frame's Fourier transform this one stands; none for those that no mirrored picture
  // has.
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

// H of the PSF scaled to sum 1, column by column.
struct Transfer2d {
  Grid grid;
  FftArray<std::complex<double>> fourier;  // one of the two is filled
  FftArray<double> cosine;
  std::complex<double> at(int u, int v) const {
    return grid.cosine ? cosine[grid.place(u, v)] : fourier[grid.place(u, v)];
  }
};
Transfer2d transfer_of(const Kernel& psf, const Shape& shape, Beyond beyond);
// On the half plane of a picture of that size, wrapped.
Transfer2d transfer_of(const Kernel& psf, int width, int height);
// What division by it would meet.
PsfDiagnosis diagnosis_of(const Transfer2d& transfer);

// |H|^2 and |G|^2 over the grid, both as the frame's Fourier transform, not normalized, has them.
struct Measured {
  Grid grid;
  std::vector<double> transfer, picture;
  // The sums of what term(u, v, times, |H|^2, |G|^2, sums) adds, the same for any number of threads.
  template <std::size_t N, class Term>
  std::array<double, N> sum(Term term) const {
    std::vector<std::array<double, N>> columns(static_cast<std::size_t>(grid.columns));
    parallel_rows(grid.columns, static_cast<std::size_t>(grid.rows) * 4, [&](int first, int last) {
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
  bool whole_ = false;  // the columns are transformed too
  std::unique_ptr<CosinePlane> cosine_;
  std::unique_ptr<HalfPlane<double>> fourier_;
};

// Called for each channel; measure() gives the squared sizes where the factor depends on them.
using Prepare = std::function<ChannelSpectrum::Factor(const Grid& grid, const std::function<Measured()>& measure)>;
void restore_linear(const ConstView& in, const View& out, const Kernel& psf, Beyond beyond, const Prepare& prepare);

// The same by the sums that define the transforms: O(pixels * (width + height)).
Image restore_plainly(const ConstView& in, const Kernel& psf, Beyond beyond, const Prepare& prepare);

// h * u, or with `turned` h correlated with u, for one channel in its frame, by the sums that define it.
class PlainBlur {
 public:
  PlainBlur(const Kernel& psf, const Frame& frame) : psf_(psf), frame_(frame) {}
  Image operator()(const Image& u, bool turned) const;
  // |H|^2 of every frequency of the frame.
  void each_gain(const std::function<void(double h2)>& visit) const;

 private:
  Kernel psf_;
  Frame frame_;
};
// solve(g, blur) for every color channel, its border tapered where asked for, what is not finite as 0 and kept. With
// `framed` g is the channel continued to its frame, which repeats; else the channel, and each blur continues it anew.
Image iterate_plainly(const ConstView& in, const Kernel& psf, Beyond beyond, bool framed,
                      const std::function<Image(const Image& g, const PlainBlur& blur)>& solve);

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

// The channel continued to its frame.
Image extended(const Image& channel, const Frame& frame);

// The channel with its border blended into the blur of the wrapped channel.
Image tapered(const ConstView& channel, const Kernel& psf);

// The same in a mirror, from left to right and from top to bottom.
bool mirrors_alike(const Kernel& psf);

// A note where a PSF is not the same mirrored and the picture goes on mirrored.
void tell_of_mirrors(const Kernel& psf, Beyond beyond);
// A note where a result lies far beyond the picture on both sides: noise rules it.
void tell_of_noise(const ConstView& in, const ConstView& result);

// The PSF of sum 1; BadCall, naming `who`, where there is none.
Kernel checked_psf(const Kernel& psf, const char* who);

// The residual before each iteration, as a curve.
Stage iteration_stage(const std::vector<double>& residuals);

// The parameters that all restorations share.
inline constexpr const char* kPsfHelp =
    "gaussian:sigma=, disk:radius=, motion:length=,angle=, airy:radius=, any kernel, or @FILE (weights or a picture)";
inline constexpr const char* kBeyondHelp = "how the blurred picture goes on beyond its border";

}  // namespace sieve
