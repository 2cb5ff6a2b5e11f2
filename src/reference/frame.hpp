#pragma once
// A channel as the transforms of restorations see it.

#include <complex>
#include <vector>

#include "reference/plain_fourier.hpp"
#include "sieve/core/border.hpp"
#include "sieve/reference/restore.hpp"
#include "sieve/spatial/kernel.hpp"

namespace sieve::internal {

using Complex = std::complex<double>;
using Plane = std::vector<Complex>;

// A channel in the frame that the transform repeats: the picture itself, with its mirror images, or tapered.
class Frame {
 public:
  Frame(const ConstView& channel, const Kernel& psf, Border border)
      : picture_(border == Border::taper ? reference::tapered(channel, psf) : Image(channel)),
        psf_(psf.normalized()),
        border_(border == Border::mirror ? Border::mirror : Border::wrap),
        width_(border == Border::mirror ? 2 * picture_.width() : picture_.width()),
        height_(border == Border::mirror ? 2 * picture_.height() : picture_.height()) {}

  int width() const { return width_; }
  int height() const { return height_; }
  double pixels() const { return static_cast<double>(width_) * height_; }
  const Image& picture() const { return picture_; }
  const Kernel& psf() const { return psf_; }
  std::size_t place(int u, int v) const { return static_cast<std::size_t>(v * width_ + u); }

  // The sample at a place of the frame.
  double at(int x, int y) const {
    return static_cast<double>(
        picture_.at(*border_index(x, picture_.width(), border_), *border_index(y, picture_.height(), border_)));
  }
  Plane spectrum() const {
    Plane g(place(0, height_));
    for (int y = 0; y < height_; ++y) {
      for (int x = 0; x < width_; ++x) g[place(x, y)] = at(x, y);
    }
    internal::fourier_by_sums(g, width_, height_, -1);
    return g;
  }
  // H, with the anchor of the PSF at the origin.
  Plane transfer() const {
    Plane h(place(0, height_));
    for (int y = 0; y < psf_.height(); ++y) {
      for (int x = 0; x < psf_.width(); ++x)
        h[place(*border_index(x - psf_.anchor_x(), width_, Border::wrap),
                *border_index(y - psf_.anchor_y(), height_, Border::wrap))] += psf_.at(x, y);
    }
    internal::fourier_by_sums(h, width_, height_, -1);
    return h;
  }
  // Cycles per pixel, the nearest to 0.
  double frequency_across(int u) const { return static_cast<double>(2 * u > width_ ? u - width_ : u) / width_; }
  double frequency_down(int v) const { return static_cast<double>(2 * v > height_ ? v - height_ : v) / height_; }
  // No mirrored picture has the highest frequency of a frame.
  bool possible(int u, int v) const { return border_ != Border::mirror || (2 * u != width_ && 2 * v != height_); }

  // The picture, of the spectrum of the frame; tapered, all of the frame.
  Image back(Plane spectrum) const {
    internal::fourier_by_sums(spectrum, width_, height_, 1);
    Image out(picture_.shape());
    for (int y = 0; y < out.height(); ++y) {
      for (int x = 0; x < out.width(); ++x) out.at(x, y) = static_cast<float>(spectrum[place(x, y)].real() / pixels());
    }
    return out;
  }

 private:
  Image picture_;
  Kernel psf_;
  Border border_;
  int width_, height_;
};

}  // namespace sieve::internal
