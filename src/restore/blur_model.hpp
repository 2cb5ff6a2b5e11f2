#pragma once
// The spectrum of a natural picture that a blur has passed and noise was added to, and how well one explains another.

#include <Eigen/Core>
#include <array>
#include <memory>
#include <vector>

#include "sieve/core/image.hpp"
#include "sieve/spatial/kernel.hpp"

namespace sieve::internal {

// The side of the windows of a spectrum.
inline constexpr int kLargestWindow = 128;

// How strongly a blur passes a frequency.
class BlurResponse {
 public:
  static BlurResponse none() { return {Kind::none, 0, 0}; }
  static BlurResponse gaussian(double sigma) { return {Kind::gaussian, sigma, 0}; }
  static BlurResponse disk(double radius) { return {Kind::disk, radius, 0}; }
  // A line of `length` pixels, at an angle in degrees.
  static BlurResponse motion(double length, double angle);
  // Any weights, at the frequencies of windows of up to kLargestWindow.
  static BlurResponse of(const Kernel& psf);

  // The square of it, at a frequency in cycles per pixel.
  double squared(double fx, double fy) const;

 private:
  enum class Kind { none, gaussian, disk, motion, weights };
  BlurResponse(Kind kind, double across, double down) : kind_(kind), across_(across), down_(down) {}
  Kind kind_;
  double across_, down_;                              // the size, or how far a motion reaches
  std::shared_ptr<const std::vector<double>> table_;  // of weights: rows of whole periods over the largest window
};

// The mean power spectrum of overlapping windows, and the model
//   power = exp(b0 + b1 cos 2t + b2 sin 2t + b3 cos 4t + b4 sin 4t + (b5 + b6 cos 2t + b7 sin 2t) log f - b8 4 pi^2
//   f^2)
//           response^2 + noise
// with f and t the size and direction of a frequency: natural pictures fall with a power of the frequency (Field,
// 1987), not alike in all directions, and no lens is perfectly sharp (b8, the square of a Gaussian's sigma). Every
// coefficient is chosen anew for each blur.
class BlurModel {
 public:
  // Of one plane of 64x64 pixels at least; every `stride`-th frequency in both directions is looked at.
  BlurModel(const ConstView& plane, int stride);
  // The same with fewer of its frequencies, for what is to be quick.
  BlurModel thinned(int stride) const;

  static constexpr int kNumbers = 9;
  struct Fit {
    double score = 0;  // the mean log likelihood of a frequency: higher is better
    std::array<double, kNumbers> numbers{};
    double noise = 0;  // power, in those of the plane's highest frequencies
  };
  // From where another fit ended, in a few rounds of Fisher's scoring.
  Fit fit(const BlurResponse& response, const Fit& from, int rounds) const;
  // Where to begin.
  Fit start() const;

  // Of the mean spectrum.
  int windows() const { return windows_; }

  // The share of the frequencies that carry the picture rather than noise, by a fit without blur.
  double informative(const Fit& fit) const;

 private:
  // Places of a window's spectrum that are looked at, and per place its power and its terms of the model.
  struct Frequencies {
    std::vector<std::array<int, 2>> places;
    Eigen::ArrayXf power;
    Eigen::Matrix<float, Eigen::Dynamic, kNumbers> terms;
  };
  // The squared response as the windows show it: Hann's taper mixes each frequency with its neighbors.
  Eigen::ArrayXf passed(const BlurResponse& response) const;
  // What the model says of the picture behind a blur, without the noise.
  Eigen::ArrayXf signal_of(const Fit& fit, const Eigen::ArrayXf& passed) const;
  double score_of(const Fit& fit, const Eigen::ArrayXf& signal) const;

  int side_, windows_;
  Frequencies all_;
};

}  // namespace sieve::internal
