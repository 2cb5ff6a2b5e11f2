#include "spectral/gains.hpp"

#include <algorithm>
#include <cmath>

#include "core/finite.hpp"
#include "core/of_thread.hpp"
#include "sieve/spectral/spectrum.hpp"
#include "spectral/plane.hpp"
#include "spectral/spectral_lanes.hpp"

namespace sieve {

using namespace internal;

namespace {

// Frequencies of places 0..n-1 of a transform of n: cycles per pixel, the nearest to 0.
std::vector<float> frequencies(int n) {
  std::vector<float> f;
  for (int i = 0; i < n; ++i) f.push_back(static_cast<float>(static_cast<double>(i > n / 2 ? i - n : i) / n));
  return f;
}

}  // namespace

const std::vector<Border>& internal::frequency_borders() {
  static const auto& all = *new std::vector<Border>{Border::mirror, Border::zero, Border::wrap};
  return all;
}

void internal::run_gains(const ConstView& in, const View& out, Border border, bool even, const GainMaker& maker) {
  on_finite(in, out, [&](const ConstView& finite, const View& result) {
    for (int c = 0; c < in.shape.color_channels(); ++c) {
      if (border == Border::mirror && even) {
        std::vector<float> fy;
        for (int k = 0; k < in.height(); ++k) fy.push_back(static_cast<float>(k / (2.0 * in.height())));
        const std::size_t n = fy.size();
        const ColumnGain gain = maker(std::move(fy));
        filter_cosine(
            finite.channel(c),
            [&](int u, float* column) {
              auto& gains = of_thread<std::vector<float>, struct ColumnGains>();
              gains.resize(n);
              gain(u / (2.0 * in.width()), gains.data());
              for (std::size_t i = 0; i < n; ++i) column[i] *= gains[i];
            },
            result.channel(c));
        continue;
      }
      const int times = border == Border::wrap ? 1 : 2, w = times * in.width(), h = times * in.height();
      const ColumnGain gain = maker(frequencies(h));
      filter_fourier(
          finite.channel(c), w, h, border,
          [&](int u, std::complex<float>* column) {
            auto& gains = of_thread<std::vector<float>, struct ColumnGains>();
            gains.resize(static_cast<std::size_t>(h));
            gain(static_cast<double>(u) / w, gains.data());
            lanes::scale_complex(column, gains.data(), gains.size());
          },
          result.channel(c));
    }
  });
  copy_alpha(in, out);
}

GainMaker internal::by_points(std::function<double(double, double)> gain) {
  return [gain = std::move(gain)](std::vector<float> fy) -> ColumnGain {
    return [gain, fy = std::move(fy)](double fx, float* out) {
      for (std::size_t i = 0; i < fy.size(); ++i) {
        const double f = static_cast<double>(fy[i]);
        // The highest frequency is its own mirror: both signs stand there.
        out[i] = static_cast<float>(f == 0.5 ? 0.5 * (gain(fx, f) + gain(fx, -f)) : gain(fx, f));
      }
    };
  };
}

std::vector<Stage> internal::frequency_stages(const ConstView& in, const Image& result,
                                              const std::function<double(double, double)>& gain) {
  std::vector<Stage> stages;
  const auto finite = [](const ConstView& v) {
    return map_samples(v, [](float s) { return std::isfinite(s) ? s : 0; });
  };
  const int w = in.width(), h = in.height(), mid_x = w / 2, mid_y = h / 2;
  Image transfer(w, h);
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x)
      transfer.at(x, y) =
          static_cast<float>(gain(static_cast<double>(x - mid_x) / w, static_cast<double>(y - mid_y) / h));
  }
  stages.push_back(
      {"log spectrum before", spectrum_image(spectrum(finite(in), Taper::periodic)), StageContent::frequencies});
  stages.push_back({"transfer function", std::move(transfer), StageContent::frequencies});
  stages.push_back(
      {"log spectrum after", spectrum_image(spectrum(finite(result), Taper::periodic)), StageContent::frequencies});
  stages.push_back(
      {"what changed", map_pairs(result, in, [](float a, float b) { return a - b; }), StageContent::differences});
  return stages;
}

std::span<const std::pair<const char*, PassForm>> ChoiceNames<PassForm>::all() {
  static constexpr std::pair<const char*, PassForm> names[] = {
      {"ideal", PassForm::ideal}, {"butterworth", PassForm::butterworth}, {"gaussian", PassForm::gaussian}};
  return names;
}

Image filter_frequencies(const ConstView& in, const std::function<double(double fx, double fy)>& gain, Border border) {
  require_input(in, "filter_frequencies");
  const std::vector<Border>& allowed = frequency_borders();
  if (std::find(allowed.begin(), allowed.end(), border) == allowed.end())
    throw InvalidArgument(std::string("filter_frequencies: border=") + name_of(border) +
                          " is not allowed: give mirror, zero or wrap");
  Image out(in.shape, in.white_level);
  run_gains(in, out.view(), border, false, by_points(gain));
  return out;
}

}  // namespace sieve
