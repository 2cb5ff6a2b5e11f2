#include "sieve/wavelet/bands.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "sieve/core/error.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/spatial/frame.hpp"
#include "wavelet/bank.hpp"

namespace sieve {

using namespace internal;

namespace {

Shape low_shape(const Shape& s, const WaveletTaps& t) {
  if (t.symmetric) return {(s.width + 1) / 2, (s.height + 1) / 2, s.channels};
  return {bank_size(s.width, t), bank_size(s.height, t), s.channels};
}

// The shapes of the bands of one level; a side of one sample has no high half.
struct BandShapes {
  Shape low, horizontal, vertical, diagonal;
};
BandShapes shapes_of(const Shape& s, const WaveletTaps& t, bool undecimated) {
  if (undecimated) return {s, s, s, s};
  const Shape low = low_shape(s, t);
  if (!t.symmetric) return {low, low, low, low};
  const int narrow = s.width / 2, less = s.height / 2;
  return {low, {low.width, less, s.channels}, {narrow, low.height, s.channels}, {narrow, less, s.channels}};
}

void fit(Image& image, const Shape& s) {
  if (s.empty()) {
    image = Image();
  } else if (image.shape() != s) {
    image = Image(s);
  }
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
  if (levels < 1 || levels > 16) throw InvalidArgument(fmt::format("wavelet: levels={}: give 1 to 16", levels));
}

}  // namespace

WaveletBands wavelet_forward(const ConstView& in, Wavelet wavelet, int levels, bool undecimated) {
  WaveletBands b;
  wavelet_forward(in, wavelet, levels, undecimated, b);
  return b;
}

void wavelet_forward(const ConstView& in, Wavelet wavelet, int levels, bool undecimated, WaveletBands& b) {
  require_input(in, "wavelet_forward");
  check_levels(levels);
  const WaveletTaps& t = taps_of(wavelet);
  const ConstView color = color_part(in);
  b.wavelet = wavelet;
  b.undecimated = undecimated;
  b.shape = color.shape;
  b.margin = 0;
  b.levels.resize(static_cast<std::size_t>(levels));
  Image wide;
  if (undecimated && !t.symmetric) {
    // Far enough that what is wrapped around does not meet the picture, but not beyond its mirror image.
    const long long reach = static_cast<long long>(t.low.size()) << (levels - 1);
    b.margin = static_cast<int>(std::min<long long>(reach, std::max(in.width(), in.height())));
    wide =
        Pad{.left = b.margin, .right = b.margin, .top = b.margin, .bottom = b.margin, .border = Border::mirror}(color);
  }
  // The low bands between the levels, in turns; the last is the approximation.
  Image lows[2];
  ConstView from = wide.empty() ? color : ConstView(wide);
  for (int j = 0; j < levels; ++j) {
    checkpoint();
    const BandShapes s = shapes_of(from.shape, t, undecimated);
    WaveletDetails& d = b.levels[static_cast<std::size_t>(j)];
    Image& low = j + 1 == levels ? b.approximation : lows[j % 2];
    fit(low, s.low), fit(d.horizontal, s.horizontal), fit(d.vertical, s.vertical), fit(d.diagonal, s.diagonal);
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
    from = low;
  }
}

Image wavelet_inverse(const WaveletBands& b) {
  if (b.shape.empty()) throw InvalidArgument("wavelet_inverse: there are no bands");
  Image out(b.shape);
  wavelet_inverse(b, out.view());
  return out;
}

void wavelet_inverse(const WaveletBands& b, const View& out) {
  const WaveletTaps& t = taps_of(b.wavelet);
  const int levels = static_cast<int>(b.levels.size());
  check_levels(levels);
  if (b.margin < 0 || b.margin > (1 << 24))
    throw InvalidArgument("wavelet_inverse: the margin is not one that wavelet_forward gives");
  if (out.shape != b.shape)
    throw InvalidArgument(fmt::format("wavelet_inverse: the buffer is {}, and the bands are of {}",
                                      text_of(out.shape).text, text_of(b.shape).text));
  std::vector<Shape> sizes{{b.shape.width + 2 * b.margin, b.shape.height + 2 * b.margin, b.shape.channels}};
  const auto hold = [](const Image& band, const Shape& want, const std::string& what) {
    if (want.empty() ? !band.empty() : band.shape() != want) {
      throw InvalidArgument(fmt::format("wavelet_inverse: {} is {}, and {} fits: hand over what wavelet_forward gave",
                                        what, text_of(band.shape()).text, text_of(want).text));
    }
  };
  for (int j = 0; j < levels; ++j) {
    const BandShapes s = shapes_of(sizes.back(), t, b.undecimated);
    const WaveletDetails& d = b.levels[static_cast<std::size_t>(j)];
    hold(d.horizontal, s.horizontal, fmt::format("the horizontal band of level {}", j + 1));
    hold(d.vertical, s.vertical, fmt::format("the vertical band of level {}", j + 1));
    hold(d.diagonal, s.diagonal, fmt::format("the diagonal band of level {}", j + 1));
    sizes.push_back(s.low);
  }
  hold(b.approximation, sizes.back(), "the approximation");
  Image lows[2];
  for (int j = levels - 1; j >= 0; --j) {
    checkpoint();
    const WaveletDetails& d = b.levels[static_cast<std::size_t>(j)];
    const bool straight = j == 0 && b.margin == 0;
    Image& next = lows[j % 2];
    if (!straight) fit(next, sizes[static_cast<std::size_t>(j)]);
    const Image& low = j + 1 == levels ? b.approximation : lows[(j + 1) % 2];
    for (int c = 0; c < b.shape.channels; ++c) {
      const Level<ConstView> in = views_of<ConstView>(low, d, c);
      const View to = straight ? out.channel(c) : next.view().channel(c);
      if (b.undecimated) {
        undecimated_inverse(in, t, 1 << j, to);
      } else if (t.symmetric) {
        lift_inverse(in, lifting_of(b.wavelet), to);
      } else {
        bank_inverse(in, t, to);
      }
    }
  }
  if (b.margin > 0) copy(lows[0].view().part({b.margin, b.margin, b.shape.width, b.shape.height}), out);
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
        for (int x = 0; x < band.width(); ++x)
          e += static_cast<double>(band.at(x, y, c)) * static_cast<double>(band.at(x, y, c));
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
  if (b.undecimated)
    throw InvalidArgument(
        "nested_bands: undecimated bands all have the picture's size and cannot be nested; take the decimated "
        "transform");
  if (b.levels.empty() || b.approximation.empty()) throw InvalidArgument("nested_bands: there are no bands");
  // Sizes grow from the coarsest; each level takes the larger of what its own and its neighbors' bands need.
  std::vector<Shape> box(b.levels.size());
  Shape at = b.approximation.shape();
  for (std::size_t j = b.levels.size(); j-- > 0;) {
    const WaveletDetails& d = b.levels[j];
    box[j] = {std::max(at.width, d.horizontal.width()), std::max(at.height, d.vertical.height()), at.channels};
    at = {box[j].width + std::max(d.vertical.width(), d.diagonal.width()),
          box[j].height + std::max(d.horizontal.height(), d.diagonal.height()), at.channels};
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
    float largest = 0;
    if (per_band && !approximation) {
      std::vector<float> sizes;
      for (int c = 0; c < band.channels(); ++c) {
        for (int y = 0; y < band.height(); ++y) {
          for (int x = 0; x < band.width(); ++x) sizes.push_back(std::fabs(band.at(x, y, c)));
        }
      }
      std::erase_if(sizes, [](float v) { return !std::isfinite(v); });
      const auto middle = sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() * 99 / 100);
      if (!sizes.empty()) std::nth_element(sizes.begin(), middle, sizes.end());
      // A band of single coefficients shows its largest.
      largest = sizes.empty() ? 0 : *middle > 0 ? *middle : *std::max_element(sizes.begin(), sizes.end());
    }
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
        if (!per_band) continue;
        for (int x = 0; x < band.width(); ++x)
          out.at(x0 + x, y0 + y, c) = std::clamp(out.at(x0 + x, y0 + y, c), 0.0F, 1.0F);
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
