#include "sieve/wavelet/bands.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "sieve/core/error.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/spatial/frame.hpp"
#include "wavelet/bank.hpp"

namespace sieve {

namespace {

Shape low_shape(const Shape& s, const WaveletTaps& t) {
  if (t.symmetric) return {(s.width + 1) / 2, (s.height + 1) / 2, s.channels};
  return {bank_size(s.width, t), bank_size(s.height, t), s.channels};
}

// A side of one sample has no high half.
Image band(int width, int height, int channels) { return width < 1 || height < 1 ? Image() : Image(width, height, channels); }

WaveletDetails details_of(const Shape& s, const WaveletTaps& t) {
  if (!t.symmetric) {
    const Shape b = low_shape(s, t);
    return {Image(b), Image(b), Image(b)};
  }
  const int wide = (s.width + 1) / 2, narrow = s.width / 2, high = (s.height + 1) / 2, less = s.height / 2;
  return {band(wide, less, s.channels), band(narrow, high, s.channels), band(narrow, less, s.channels)};
}

template <class V, class Details, class Low>
Level<V> views_of(Low& low, Details& d, int channel) {
  const auto one = [channel](auto& image) { return image.empty() ? V{} : V(image.view().channel(channel)); };
  return {one(low), one(d.horizontal), one(d.vertical), one(d.diagonal)};
}

ConstView color_part(const ConstView& in) {
  ConstView v = in;
  v.shape.channels = in.shape.color_channels();
  return v;
}

void check_levels(int levels) {
  if (levels < 1 || levels > 16) throw BadCall(fmt::format("wavelet: levels={}: give 1 to 16", levels));
}

// The largest sides that the bands can have.
Shape expected(const WaveletBands& b, std::size_t level) {
  Shape s = b.shape;
  if (b.undecimated) return {s.width + 2 * b.margin, s.height + 2 * b.margin, s.channels};
  for (std::size_t i = 0; i <= level; ++i) s = low_shape(s, taps_of(b.wavelet));
  return s;
}

}  // namespace

WaveletBands wavelet_forward(const ConstView& in, Wavelet wavelet, int levels, bool undecimated) {
  require_input(in, "wavelet_forward");
  check_levels(levels);
  const WaveletTaps& t = taps_of(wavelet);
  const ConstView color = color_part(in);
  WaveletBands b{wavelet, undecimated, color.shape, 0, {}, {}};
  Image now;
  if (undecimated && !t.symmetric) {
    // Far enough that what is wrapped around does not meet the picture, but not beyond its mirror image.
    const int reach = static_cast<int>(t.low.size()) << (levels - 1);
    b.margin = std::min(reach, std::max(in.width(), in.height()));
    now = Pad{.left = b.margin, .right = b.margin, .top = b.margin, .bottom = b.margin, .border = Border::mirror}(color);
  }
  ConstView from = now.empty() ? color : ConstView(now);
  for (int j = 0; j < levels; ++j) {
    WaveletDetails d = undecimated ? WaveletDetails{Image(from.shape), Image(from.shape), Image(from.shape)} : details_of(from.shape, t);
    Image low(undecimated ? from.shape : low_shape(from.shape, t));
    for (int c = 0; c < from.channels(); ++c) {
      const Level<View> out = views_of<View>(low, d, c);
      if (undecimated) {
        undecimated_forward(from.channel(c), t, 1 << j, out);
      } else if (t.symmetric) {
        lift_forward(from.channel(c), lifting_of(wavelet), out);
      } else {
        bank_forward(from.channel(c), t, out);
      }
    }
    b.levels.push_back(std::move(d));
    b.approximation = std::move(low);
    from = b.approximation;
  }
  return b;
}

Image wavelet_inverse(const WaveletBands& b) {
  const WaveletTaps& t = taps_of(b.wavelet);
  const int levels = static_cast<int>(b.levels.size());
  check_levels(levels);
  if (b.approximation.empty() || b.approximation.shape() != expected(b, b.levels.size() - 1)) throw BadCall("wavelet_inverse: the approximation has not the size that the picture's shape asks for; hand over what wavelet_forward gave");
  Image low = b.approximation;
  for (int j = levels - 1; j >= 0; --j) {
    const WaveletDetails& d = b.levels[static_cast<std::size_t>(j)];
    const Shape s = j == 0 || b.undecimated ? (b.undecimated ? low.shape() : b.shape) : expected(b, static_cast<std::size_t>(j - 1));
    const WaveletDetails sizes = b.undecimated ? WaveletDetails{Image(s), Image(s), Image(s)} : details_of(s, t);
    for (const auto& [have, want] : {std::pair{&d.horizontal, &sizes.horizontal}, std::pair{&d.vertical, &sizes.vertical}, std::pair{&d.diagonal, &sizes.diagonal}}) {
      if (have->shape() != want->shape()) throw BadCall(fmt::format("wavelet_inverse: a band of level {} is {}, and {} fits: hand over what wavelet_forward gave", j + 1, text_of(have->shape()).text, text_of(want->shape()).text));
    }
    Image out(s);
    for (int c = 0; c < s.channels; ++c) {
      const Level<ConstView> in = views_of<ConstView>(low, d, c);
      if (b.undecimated) {
        undecimated_inverse(in, t, 1 << j, out.view().channel(c));
      } else if (t.symmetric) {
        lift_inverse(in, lifting_of(b.wavelet), out.view().channel(c));
      } else {
        bank_inverse(in, t, out.view().channel(c));
      }
    }
    low = std::move(out);
  }
  if (b.margin == 0) return low;
  return Image(low.view().part({b.margin, b.margin, b.shape.width, b.shape.height}));
}

double wavelet_noise_gain(Wavelet wavelet, int level, bool high_x, bool high_y) {
  const WaveletTaps& t = taps_of(wavelet);
  if (!t.symmetric) return 1;
  // The filter that leads from the picture to the band, along one side.
  const auto norm = [&](bool high) {
    std::vector<double> f{1};
    for (int j = 0; j <= level; ++j) {
      const auto& taps = j == level && high ? t.high : t.low;
      std::vector<double> next(f.size() + ((taps.size() - 1) << j));
      for (std::size_t i = 0; i < f.size(); ++i) {
        for (std::size_t k = 0; k < taps.size(); ++k) next[i + (k << j)] += f[i] * taps[k];
      }
      f = std::move(next);
    }
    double sum = 0;
    for (const double v : f) sum += v * v;
    return std::sqrt(sum);
  };
  return norm(high_x) * norm(high_y);
}

std::vector<BandEnergy> band_energies(const WaveletBands& b) {
  std::vector<BandEnergy> all;
  double total = 0;
  const auto add = [&](std::string name, const Image& band) {
    double e = 0;
    for (int c = 0; c < band.channels(); ++c) {
      for (int y = 0; y < band.height(); ++y) {
        for (int x = 0; x < band.width(); ++x) e += static_cast<double>(band.at(x, y, c)) * static_cast<double>(band.at(x, y, c));
      }
    }
    total += e;
    all.push_back({std::move(name), e, 0});
  };
  for (std::size_t j = 0; j < b.levels.size(); ++j) {
    add(fmt::format("{} horizontal", j + 1), b.levels[j].horizontal);
    add(fmt::format("{} vertical", j + 1), b.levels[j].vertical);
    add(fmt::format("{} diagonal", j + 1), b.levels[j].diagonal);
  }
  add(fmt::format("approximation {}", b.levels.size()), b.approximation);
  for (BandEnergy& e : all) e.share = total > 0 ? e.energy / total : 0;
  return all;
}

Image nested_bands(const WaveletBands& b, bool per_band) {
  if (b.undecimated) throw BadCall("nested_bands: undecimated bands all have the picture's size and cannot be nested; take the decimated transform");
  if (b.levels.empty() || b.approximation.empty()) throw BadCall("nested_bands: there are no bands");
  // Sizes grow from the coarsest; each level takes the larger of what its own and its neighbors' bands need.
  std::vector<Shape> box(b.levels.size());
  Shape at = b.approximation.shape();
  for (std::size_t j = b.levels.size(); j-- > 0;) {
    const WaveletDetails& d = b.levels[j];
    box[j] = {std::max(at.width, d.horizontal.width()), std::max(at.height, d.vertical.height()), at.channels};
    at = {box[j].width + std::max(d.vertical.width(), d.diagonal.width()), box[j].height + std::max(d.horizontal.height(), d.diagonal.height()), at.channels};
  }
  Image out(at);
  const auto put = [&](const Image& band, int x0, int y0, bool approximation) {
    if (band.empty()) return;
    float low = band.at(0, 0), high = low;
    for (int c = 0; c < band.channels(); ++c) {
      for (int y = 0; y < band.height(); ++y) {
        for (int x = 0; x < band.width(); ++x) {
          const float v = band.at(x, y, c);
          if (!std::isfinite(v)) continue;
          low = std::min(low, v);
          high = std::max(high, v);
        }
      }
    }
    const float largest = std::max(std::fabs(low), std::fabs(high));
    float scale = 1, offset = 0;
    if (per_band && approximation) {
      scale = high > low ? 1 / (high - low) : 0;
      offset = -low * scale;
    } else if (per_band) {
      scale = largest > 0 ? 0.5F / largest : 0;
      offset = 0.5F;
    }
    for (int c = 0; c < band.channels(); ++c) {
      for (int y = 0; y < band.height(); ++y) {
        for (int x = 0; x < band.width(); ++x) out.at(x0 + x, y0 + y, c) = band.at(x, y, c) * scale + offset;
      }
    }
  };
  put(b.approximation, 0, 0, true);
  for (std::size_t j = 0; j < b.levels.size(); ++j) {
    put(b.levels[j].horizontal, 0, box[j].height, false);
    put(b.levels[j].vertical, box[j].width, 0, false);
    put(b.levels[j].diagonal, box[j].width, box[j].height, false);
  }
  return out;
}

}  // namespace sieve
