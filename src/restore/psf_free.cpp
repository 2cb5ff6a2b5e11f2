#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <vector>

#include "core/at_share.hpp"
#include "core/index.hpp"
#include "restore/blur_model.hpp"
#include "restore/deconvolution.hpp"
#include "restore/free_weights.hpp"
#include "restore/middle_in_reach.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/restore/find_psf.hpp"
#include "sieve/spatial/convolve.hpp"
#include "spectral/plane.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr double kPi = std::numbers::pi;

// A plane in another size, each sample by a tent as wide as the larger of the two pixels.
Image resized(const ConstView& in, int width, int height) {
  const auto along = [](const auto& read, int from, int to, const auto& write) {
    const double ratio = static_cast<double>(from) / to, reach = std::max(1.0, ratio);
    for (int i = 0; i < to; ++i) {
      const double middle = (i + 0.5) * ratio - 0.5;
      double sum = 0, weights = 0;
      for (int k = static_cast<int>(std::ceil(middle - reach)); k <= middle + reach; ++k) {
        const double w = 1 - std::abs(k - middle) / reach;
        sum += w * static_cast<double>(read(std::clamp(k, 0, from - 1)));
        weights += w;
      }
      write(i, static_cast<float>(sum / weights));
    }
  };
  Image across(width, in.height()), out(width, height);
  for (int y = 0; y < in.height(); ++y) {
    along([&](int x) { return in.at(x, y); }, in.width(), width, [&](int x, float v) { across.at(x, y) = v; });
  }
  for (int x = 0; x < width; ++x) {
    along([&](int y) { return across.at(x, y); }, in.height(), height, [&](int y, float v) { out.at(x, y) = v; });
  }
  return out;
}

// Half a plane of Fourier coefficients, column by column.
using Coefficients = std::vector<std::complex<float>>;

// The picture at one scale, as if it repeated itself, and its edges as they may have been before the blur.
class Scale {
 public:
  explicit Scale(const ConstView& plane)
      : w_(plane.width()),
        h_(plane.height()),
        plane_(plane),
        sharp_(plane),
        across_(w_, h_),
        down_(w_, h_),
        adjoint_(w_, h_) {
    picture_ = transform(plane);
    for (int u = 0; u <= w_ / 2; ++u) slope_across_.push_back(std::polar(1.0F, turn(u, w_)) - 1.0F);
    for (int v = 0; v < h_; ++v) slope_down_.push_back(std::polar(1.0F, turn(v, h_)) - 1.0F);
  }

  // The gradients of the picture that `blur` blurs into this one, if it has but few: the least of the squares that it
  // misses plus `weight` times the number of pixels with a gradient. The gradients are split off and forced ever nearer
  // to those of the picture. Of all, the strongest stay.
  void find_edges(const Weights& blur, double weight) {
    // Forced farther, they would be those of noise that was raised.
    constexpr double kLast = 100;
    // A larger share takes in texture that was guessed, a smaller one sees not all directions.
    constexpr double kStrongest = 0.02;
    const Coefficients passed = transform_of(blur);
    Coefficients own = picture_;
    for (std::size_t i = 0; i < own.size(); ++i) own[i] *= std::conj(passed[i]);
    copy(plane_, sharp_.view());
    for (double force = 2 * weight; force < kLast; force *= 2) {
      checkpoint();
      split(static_cast<float>(weight / force));
      const auto f = static_cast<float>(force);
      filter_fourier(
          adjoint_, w_, h_, Border::wrap,
          [&](int u, std::complex<float>* column) {
            const float along = std::norm(slope_across_[index(u)]);
            for (int v = 0; v < h_; ++v) {
              const auto i = index(u * h_ + v);
              column[v] = (own[i] + f * column[v]) /
                          (std::norm(passed[i]) + f * (along + std::norm(slope_down_[index(v)])) + kTiny);
            }
          },
          sharp_.view());
    }
    keep_strongest(kStrongest);
  }

  // The weights that blur those gradients into the picture's, by least squares.
  Weights fit(int side) const {
    const Coefficients a = transform(across_), d = transform(down_);
    Coefficients own(a.size()), crossed(a.size());
    for (int u = 0; u <= w_ / 2; ++u) {
      for (int v = 0; v < h_; ++v) {
        const auto i = index(u * h_ + v);
        own[i] = std::norm(a[i]) + std::norm(d[i]);
        crossed[i] =
            picture_[i] * (std::conj(a[i]) * slope_across_[index(u)] + std::conj(d[i]) * slope_down_[index(v)]);
      }
    }
    const Image correlation = back(own), to_picture = back(crossed);
    const int lags = 2 * side - 1;
    std::vector<double> equations(index(lags * lags));
    for (int y = 0; y < lags; ++y) {
      for (int x = 0; x < lags; ++x) equations[index(y * lags + x)] = around(correlation, x - side + 1, y - side + 1);
    }
    Weights right(side);
    for (int y = 0; y < side; ++y) {
      for (int x = 0; x < side; ++x) right.at(x, y) = around(to_picture, x - side / 2, y - side / 2);
    }
    return solve(equations, right);
  }

 private:
  static constexpr float kTiny = 1e-12F;
  static float turn(int k, int n) { return static_cast<float>(2 * kPi * k / n); }

  Coefficients transform(const ConstView& plane) const {
    Coefficients c(index(w_ / 2 + 1) * index(h_));
    Image unused(w_, h_);
    filter_fourier(
        plane, w_, h_, Border::wrap,
        [&](int u, std::complex<float>* column) { std::copy_n(column, h_, &c[index(u * h_)]); }, unused.view());
    return c;
  }
  Image back(const Coefficients& c) const {
    Image plane(w_, h_);
    filter_fourier(
        plane, w_, h_, Border::wrap,
        [&](int u, std::complex<float>* column) { std::copy_n(&c[index(u * h_)], h_, column); }, plane.view());
    return plane;
  }
  Coefficients transform_of(const Weights& k) const {
    Image plane(w_, h_);
    for (int y = 0; y < k.side; ++y) {
      for (int x = 0; x < k.side; ++x)
        plane.at((x - k.side / 2 + w_) % w_, (y - k.side / 2 + h_) % h_) = static_cast<float>(k.at(x, y));
    }
    return transform(plane);
  }
  double around(const Image& plane, int x, int y) const {
    return static_cast<double>(plane.at((x + w_) % w_, (y + h_) % h_));
  }

  // The gradients of the sharp picture, those with a square of at most `least` as 0, and what the gradient's adjoint
  // makes of them.
  void split(float least) {
    const auto rows = [&](auto work) {
      parallel_rows(h_, RowCost(w_, 4), [&](int first, int last) {
        for (int y = first; y < last; ++y) work(y);
      });
    };
    rows([&](int y) {
      const float *p = sharp_.row(y), *under = sharp_.row(y + 1 < h_ ? y + 1 : 0);
      float *a = across_.row(y), *d = down_.row(y);
      for (int x = 0; x < w_; ++x) {
        const float dx = p[x + 1 < w_ ? x + 1 : 0] - p[x], dy = under[x] - p[x];
        const bool keeps = dx * dx + dy * dy > least;
        a[x] = keeps ? dx : 0;
        d[x] = keeps ? dy : 0;
      }
    });
    rows([&](int y) {
      const float *a = across_.row(y), *d = down_.row(y), *over = down_.row(y > 0 ? y - 1 : h_ - 1);
      float* p = adjoint_.row(y);
      p[0] = a[w_ - 1] - a[0] + over[0] - d[0];
      for (int x = 1; x < w_; ++x) p[x] = a[x - 1] - a[x] + over[x] - d[x];
    });
  }

  void keep_strongest(double share) {
    std::vector<float> squares;
    squares.reserve(index(w_) * index(h_));
    const auto square = [&](int x, int y) {
      return across_.at(x, y) * across_.at(x, y) + down_.at(x, y) * down_.at(x, y);
    };
    for (int y = 0; y < h_; ++y) {
      for (int x = 0; x < w_; ++x) squares.push_back(square(x, y));
    }
    const float least = at_share(squares, 1 - share);
    for (int y = 0; y < h_; ++y) {
      for (int x = 0; x < w_; ++x) {
        if (square(x, y) < least) across_.at(x, y) = down_.at(x, y) = 0;
      }
    }
  }

  int w_, h_;
  Coefficients picture_, slope_across_, slope_down_;
  Image plane_, sharp_, across_, down_, adjoint_;
};

// The picture with its rim blended into a blur of it that repeats itself, over the size of the PSF: so opposite sides
// meet, and no edge stands where the picture ends.
Image with_soft_rim(const Image& plane, int size) {
  const Image blurred = Convolve{.kernel = Kernel::gaussian(size / 4.0, size), .border = Border::wrap}(plane);
  const auto weights = [size](int n) {
    const int rim = std::min(size, n / 2);
    std::vector<double> w;
    for (int i = 0; i < n; ++i) {
      const double d = (std::min(i, n - 1 - i) + 0.5) / rim;
      w.push_back(d >= 1 ? 1 : 0.5 - 0.5 * std::cos(kPi * d));
    }
    return w;
  };
  const std::vector<double> across = weights(plane.width()), down = weights(plane.height());
  Image out(plane.shape());
  for (int y = 0; y < out.height(); ++y) {
    for (int x = 0; x < out.width(); ++x) {
      const auto t = static_cast<float>(across[index(x)] * down[index(y)]);
      out.at(x, y) = t * plane.at(x, y) + (1 - t) * blurred.at(x, y);
    }
  }
  return out;
}

Weights from_coarse_to_fine(const Image& plane, int size) {
  constexpr double kStep = std::numbers::sqrt2;  // from scale to scale: half the area
  constexpr int kSmallest = 3, kRounds = 5;
  // Few edges at first, which are surely edges; more and more as the weights become right.
  constexpr double kFirstWeight = 4e-3, kLastWeight = 1e-4, kFall = 1.1;
  int scales = 1;
  while (size / std::pow(kStep, scales) >= kSmallest) ++scales;
  // Half the area, half the work.
  Progress progress(2 * kRounds * (1 - std::pow(0.5, scales)));
  Weights k(kSmallest);
  k.at(1, 1) = k.at(2, 1) = 0.5;
  double weight = kFirstWeight;
  for (int s = scales - 1; s >= 0; --s) {
    const double by = std::pow(kStep, s);
    const int side = std::max(kSmallest, static_cast<int>(std::lround(size / by)) / 2 * 2 + 1);
    const Image small = resized(plane, good_fft_size(static_cast<int>(plane.width() / by)),
                                good_fft_size(static_cast<int>(plane.height() / by)));
    Scale scale(with_soft_rim(small, side));
    k = s == scales - 1 ? enlarged(k, side, 1) : enlarged(k, side, kStep);
    for (int round = 0; round < kRounds; ++round) {
      scale.find_edges(k, weight);
      k = tidied(scale.fit(side));
      weight = std::max(kLastWeight, weight / kFall);
      progress.add(1 / (by * by));
    }
  }
  return k;
}

}  // namespace

FoundPsf psf_free(const ConstView& in, int size) {
  require_input(in, "psf_free");
  constexpr int kLeast = 3, kMost = 99, kTimes = 3;
  if (size < kLeast || size > kMost || size % 2 == 0)
    throw InvalidArgument(fmt::format("psf_free: size={}: allowed are odd numbers of {} to {}", size, kLeast, kMost));
  if (const int least = std::max(64, kTimes * size); std::min(in.width(), in.height()) < least) {
    throw InvalidArgument(fmt::format("psf_free: the picture is {}x{}: {}x{} pixels are needed for size={}", in.width(),
                                      in.height(), least, least, size));
  }
  const Weights weights = from_coarse_to_fine(middle_in_reach(in, 512), size);
  FoundPsf f;
  f.family = "free";
  f.size = size;
  f.psf = Kernel(size, size, weights.values);
  // Judged by what it was not made from: whether it explains the spectrum.
  const BlurModel model(middle_in_reach(in, 1024), 2);
  const BlurModel::Fit none = model.fit(BlurResponse::none(), model.start(), 12);
  const double better = model.fit(BlurResponse::of(f.psf), none, 12).score - none.score;
  // Over fifteen photographs, two shakes each, and as they are, four of five above the middle were right, none below.
  constexpr double kMiddle = 0.012, kWidth = 0.2, kSurest = 0.85;
  f.confidence = better > 0 ? kSurest / (1 + std::exp(-std::log(better / kMiddle) / kWidth)) : 0;
  f.reason = fmt::format("the log likelihood of its spectrum is {:+.4f} a frequency against no blur", better);
  return f;
}

}  // namespace sieve
