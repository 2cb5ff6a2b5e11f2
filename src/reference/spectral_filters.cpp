#include <algorithm>
#include <numbers>

#include "reference/families.hpp"
#include "sieve/reference/quality.hpp"
#include "sieve/reference/spatial.hpp"
#include "sieve/reference/spectral.hpp"
#include "sieve/spectral.hpp"

namespace sieve {

using namespace internal;

namespace {

// Gonzalez and Woods, tables 4.5 and 4.7: the low-pass at distance d of its middle, cutoff c; the band-stop with the
// middle c0 and the width w of its band.
double low_pass(double d, double c, PassForm form, int order) {
  if (form == PassForm::ideal) return d <= c ? 1 : 0;
  if (form == PassForm::gaussian) return std::exp(-d * d / (2 * c * c));
  return 1 / (1 + std::pow(d / c, 2 * order));
}
double band_stop(double d, double low, double high, PassForm form, int order) {
  const double c0 = (low + high) / 2, w = high - low, off = d * d - c0 * c0;
  if (form == PassForm::ideal) return d >= low && d <= high ? 0 : 1;
  if (form == PassForm::gaussian) return d == 0 ? 1 : 1 - std::exp(-(off / (d * w)) * (off / (d * w)));
  return off == 0 ? 0 : 1 / (1 + std::pow(std::abs(d * w / off), 2 * order));
}

// The transfer function of each filter, as its header states it.
double gain_of(const LowPass& f, double fx, double fy) {
  return low_pass(std::hypot(fx, fy), number(f.cutoff), f.form, f.order);
}
double gain_of(const HighPass& f, double fx, double fy) {
  return 1 - low_pass(std::hypot(fx, fy), number(f.cutoff), f.form, f.order);
}
double gain_of(const HighEmphasis& f, double fx, double fy) {
  return number(f.keep) + number(f.boost) * (1 - low_pass(std::hypot(fx, fy), number(f.cutoff), f.form, f.order));
}
double gain_of(const BandStop& f, double fx, double fy) {
  return band_stop(std::hypot(fx, fy), number(f.low), number(f.high), f.form, f.order);
}
double gain_of(const BandPass& f, double fx, double fy) {
  return 1 - band_stop(std::hypot(fx, fy), number(f.low), number(f.high), f.form, f.order);
}
double gain_of(const Notch& f, double fx, double fy) {
  double all = 1;
  for (const auto& [px, py] : f.points.points) {
    for (const double side : {1.0, -1.0}) {
      if (side < 0 && px == 0 && py == 0) continue;
      all *= 1 - low_pass(std::hypot(fx - side * px, fy - side * py), number(f.width), f.form, f.order);
    }
  }
  return f.pass ? 1 - all : all;
}
double gain_of(const Transfer& f, double fx, double fy) {
  return reference::transfer_gain(f.with.image("transfer", "with"), fx, fy);
}

template <class F>
void define_gain(reference::Definitions& d) {
  d.add<F>(kSummed, [](const F& f, const ConstView& in) {
    return reference::filter_frequencies(
        in, [&f](double fx, double fy) { return gain_of(f, fx, fy); }, f.border);
  });
}

// Sets all but side x side coefficients of a block to 0: those of the lowest frequencies, or the largest ones, the
// first of equals.
void truncate(const View& block, const CosineTruncation& f) {
  const int w = block.width(), n = w * block.height();
  if (f.which == CosineTruncation::Which::corner) {
    for (int i = 0; i < n; ++i) {
      if (i % w >= f.side || i / w >= f.side) block.at(i % w, i / w) = 0;
    }
    return;
  }
  std::vector<int> places;
  for (int i = 0; i < n; ++i) places.push_back(i);
  std::stable_sort(places.begin(), places.end(),
                   [&](int a, int b) { return std::abs(block.at(a % w, a / w)) > std::abs(block.at(b % w, b / w)); });
  const auto kept = static_cast<long long>(f.side) * f.side;
  for (long long k = kept; k < n; ++k) {
    const int i = places[static_cast<std::size_t>(k)];
    block.at(i % w, i / w) = 0;
  }
}

Image cosine_truncation(const CosineTruncation& f, const ConstView& in) {
  return internal::of_finite(in, [&](const Image& finite) {
    Image c = reference::cosine_forward(finite, f.block);
    const int bw = f.block == 0 ? in.width() : f.block, bh = f.block == 0 ? in.height() : f.block;
    for (int channel = 0; channel < in.shape.color_channels(); ++channel) {
      for (int y = 0; y < in.height(); y += bh) {
        for (int x = 0; x < in.width(); x += bw)
          truncate(c.view().channel(channel).part({x, y, std::min(bw, in.width() - x), std::min(bh, in.height() - y)}),
                   f);
      }
    }
    return reference::cosine_inverse(c, f.block);
  });
}

// One wave off a channel: brought to frequency 0, averaged with a Gaussian about each place, brought back, subtracted.
void remove(Image& f, const PeriodicWave& wave, double sigma) {
  const int w = f.width(), h = f.height();
  const Image slow = reference::gaussian(f, wave.period, Border::mirror, 0);
  const auto turn = [&](int x, int y) { return 2 * std::numbers::pi * (wave.fx * x + wave.fy * y); };
  Image cosine(w, h), sine(w, h), one(w, h);
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) {
      const double v = static_cast<double>(f.at(x, y)) - static_cast<double>(slow.at(x, y));
      cosine.at(x, y) = static_cast<float>(v * std::cos(turn(x, y)));
      sine.at(x, y) = static_cast<float>(v * std::sin(turn(x, y)));
      one.at(x, y) = 1;
    }
  }
  const Image c = reference::gaussian(cosine, sigma, Border::zero, 0),
              s = reference::gaussian(sine, sigma, Border::zero, 0),
              n = reference::gaussian(one, sigma, Border::zero, 0);
  // A Gaussian of sigma one period leaves exp(-2 pi^2) of the wave in the slow part.
  const double left = 1 - std::exp(-2 * std::numbers::pi * std::numbers::pi);
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) {
      const double here = 2 * (static_cast<double>(c.at(x, y)) * std::cos(turn(x, y)) +
                               static_cast<double>(s.at(x, y)) * std::sin(turn(x, y)));
      f.at(x, y) -= static_cast<float>(here / static_cast<double>(n.at(x, y)) / left);
    }
  }
}

Image remove_periodic_noise(const RemovePeriodicNoise& f, const ConstView& in) {
  const std::vector<PeriodicWave> waves = reference::find_periodic_noise(in, f.most);
  const double sigma =
      f.blur ? static_cast<double>(*f.blur) : std::clamp(std::min(in.width(), in.height()) / 4.0, 2.0, 500.0);
  return internal::of_finite(in, [&](Image out) {
    for (int c = 0; c < in.shape.color_channels(); ++c) {
      Image channel(out.view().channel(c));
      for (const PeriodicWave& wave : waves) remove(channel, wave, sigma);
      copy(channel, out.view().channel(c));
    }
    return out;
  });
}

}  // namespace

void internal::define_spectral(reference::Definitions& d) {
  define_gain<LowPass>(d);
  define_gain<HighPass>(d);
  define_gain<HighEmphasis>(d);
  define_gain<BandStop>(d);
  define_gain<BandPass>(d);
  define_gain<Notch>(d);
  define_gain<Transfer>(d);
  d.add<CosineTruncation>(kSummed, cosine_truncation);
  d.add<RemovePeriodicNoise>(2e-3, remove_periodic_noise);
}

}  // namespace sieve
