// Total variation deconvolution by another way than the library's: the primal-dual method of Chambolle and Pock, "A
// first-order primal-dual algorithm for convex problems", J. Math. Imaging and Vision 40, 2011, algorithm 1, with the
// gradient and the blur as its operator and every blur a sum over the PSF.

#include <algorithm>
#include <cmath>
#include <vector>

#include "sieve/core/border.hpp"
#include "sieve/reference/restore.hpp"

namespace sieve {

namespace {

using Numbers = std::vector<double>;

class Variation {
 public:
  // All channels of one size; `border` is mirror or wrap.
  Variation(const std::vector<Image>& channels, const Kernel& psf, Border border)
      : width_(channels[0].width()), height_(channels[0].height()), border_(border), psf_(psf.normalized()) {
    for (const Image& channel : channels) {
      Numbers g;
      for (int y = 0; y < height_; ++y) {
        for (int x = 0; x < width_; ++x) g.push_back(static_cast<double>(channel.at(x, y)));
      }
      g_.push_back(std::move(g));
    }
    u_ = ahead_ = g_;
    px_ = py_ = q_ = std::vector<Numbers>(g_.size(), Numbers(g_[0].size()));
  }

  // The product of both steps is 1 / 9: the operator's norm is at most the root of 8 + 1. Small weights have large
  // duals.
  void iterate(double weight, int times) {
    const double ratio = std::clamp(std::sqrt(weight), 0.01, 1.0), primal = ratio / 3, dual = 1 / (3 * ratio);
    for (int i = 0; i < times; ++i) {
      for (std::size_t c = 0; c < g_.size(); ++c) {
        const Numbers blurred = blur(ahead_[c], 1);
        for (std::size_t k = 0; k < blurred.size(); ++k)
          q_[c][k] = (q_[c][k] + dual * (blurred[k] - g_[c][k])) / (1 + dual * weight);
      }
      for (int y = 0; y < height_; ++y) {
        for (int x = 0; x < width_; ++x) raise_gradient(x, y, dual);
      }
      for (std::size_t c = 0; c < g_.size(); ++c) {
        const Numbers back = blur(q_[c], -1), before = u_[c];
        for (int y = 0; y < height_; ++y) {
          for (int x = 0; x < width_; ++x) u_[c][place(x, y)] += primal * (divergence(c, x, y) - back[place(x, y)]);
        }
        for (std::size_t k = 0; k < before.size(); ++k) ahead_[c][k] = 2 * u_[c][k] - before[k];
      }
    }
  }

  double at(std::size_t channel, int x, int y) const { return u_[channel][place(x, y)]; }

 private:
  std::size_t place(int x, int y) const {
    return static_cast<std::size_t>(y) * static_cast<std::size_t>(width_) + static_cast<std::size_t>(x);
  }
  // Convolution with the PSF; its adjoint with side -1, which is the correlation, as border and PSF go together here.
  Numbers blur(const Numbers& v, int side) const {
    Numbers out(v.size());
    for (int y = 0; y < height_; ++y) {
      for (int x = 0; x < width_; ++x) {
        double sum = 0;
        for (int j = 0; j < psf_.height(); ++j) {
          for (int i = 0; i < psf_.width(); ++i) {
            sum += psf_.at(i, j) * v[place(*border_index(x - side * (i - psf_.anchor_x()), width_, border_),
                                           *border_index(y - side * (j - psf_.anchor_y()), height_, border_))];
          }
        }
        out[place(x, y)] = sum;
      }
    }
    return out;
  }
  // Forward differences: 0 at the last sample before a mirror, round the corner where the frame repeats.
  int next(int i, int n) const { return i + 1 < n ? i + 1 : border_ == Border::wrap ? 0 : i; }
  void raise_gradient(int x, int y, double step) {
    double length = 0;
    for (std::size_t c = 0; c < g_.size(); ++c) {
      const Numbers& v = ahead_[c];
      px_[c][place(x, y)] += step * (v[place(next(x, width_), y)] - v[place(x, y)]);
      py_[c][place(x, y)] += step * (v[place(x, next(y, height_))] - v[place(x, y)]);
      length += std::pow(px_[c][place(x, y)], 2) + std::pow(py_[c][place(x, y)], 2);
    }
    const double by = std::max(1.0, std::sqrt(length));
    for (std::size_t c = 0; c < g_.size(); ++c) px_[c][place(x, y)] /= by, py_[c][place(x, y)] /= by;
  }
  // The negative adjoint of the forward differences.
  double divergence(std::size_t c, int x, int y) const {
    const bool wraps = border_ == Border::wrap;
    const auto along = [&](const Numbers& p, int i, int n, auto at) {
      const double here = wraps || i + 1 < n ? p[at(i)] : 0;
      return here - (i > 0 ? p[at(i - 1)] : wraps ? p[at(n - 1)] : 0);
    };
    return along(px_[c], x, width_, [&](int i) { return place(i, y); }) +
           along(py_[c], y, height_, [&](int i) { return place(x, i); });
  }

  int width_, height_;
  Border border_;
  Kernel psf_;
  std::vector<Numbers> g_, u_, ahead_, px_, py_, q_;
};

bool same_in_mirrors(const Kernel& k) {
  if (2 * k.anchor_x() + 1 != k.width() || 2 * k.anchor_y() + 1 != k.height()) return false;
  for (int y = 0; y < k.height(); ++y) {
    for (int x = 0; x < k.width(); ++x) {
      const double here = k.at(x, y), most = 1e-12 * (1 + std::abs(here));
      if (std::abs(here - k.at(k.width() - 1 - x, y)) > most || std::abs(here - k.at(x, k.height() - 1 - y)) > most)
        return false;
    }
  }
  return true;
}

}  // namespace

Image reference::total_variation_deconvolution(const ConstView& in, const Kernel& psf, double weight, Border border,
                                               int iterations) {
  // A PSF that a mirror changes is solved on the picture with its mirror images, which repeats.
  const bool doubled = border == Border::mirror && !same_in_mirrors(psf);
  std::vector<Image> channels;
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const Image source = border == Border::taper ? tapered(in.channel(c), psf) : Image(in.channel(c));
    const int times = doubled ? 2 : 1;
    Image framed(times * source.width(), times * source.height());
    for (int y = 0; y < framed.height(); ++y) {
      for (int x = 0; x < framed.width(); ++x)
        framed.at(x, y) = source.at(*border_index(x, source.width(), Border::mirror),
                                    *border_index(y, source.height(), Border::mirror));
    }
    channels.push_back(std::move(framed));
  }
  Variation problem(channels, psf, border == Border::mirror && !doubled ? Border::mirror : Border::wrap);
  problem.iterate(weight, iterations);
  Image out(in);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x)
        out.at(x, y, c) = static_cast<float>(problem.at(static_cast<std::size_t>(c), x, y));
    }
  }
  return out;
}

}  // namespace sieve
