#include "sieve/reference/wavelet.hpp"

#include <vector>

#include "sieve/core/border.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/reference/spatial.hpp"

namespace sieve::reference {

namespace {

using Signal = std::vector<double>;

Border border_of(const WaveletTaps& t, bool undecimated) {
  return t.symmetric ? Border::reflect : undecimated ? Border::wrap : Border::mirror;
}

// Where a filter's tap 0 lies: as stated, or centered for undecimated symmetric filters.
int anchor(const WaveletTaps& t, bool undecimated, const Signal& taps, int at) {
  return undecimated && t.symmetric ? static_cast<int>(taps.size() / 2) : at;
}

int halves(const WaveletTaps& t, int n, bool high) {
  if (!t.symmetric) return (n + static_cast<int>(t.low.size()) - 1) / 2;
  return high ? n / 2 : (n + 1) / 2;
}

Signal analyze(const Signal& x, const WaveletTaps& t, bool high, int step) {
  const bool undecimated = step > 0;
  const Signal& taps = high ? t.high : t.low;
  const int at = anchor(t, undecimated, taps, high ? t.high_at : t.low_at), n = static_cast<int>(x.size());
  Signal out(static_cast<std::size_t>(undecimated ? n : halves(t, n, high)));
  for (int k = 0; k < static_cast<int>(out.size()); ++k) {
    for (int i = 0; i < static_cast<int>(taps.size()); ++i) {
      const int place = undecimated ? k + (i - at) * step : 2 * k + i - at;
      out[static_cast<std::size_t>(k)] +=
          taps[static_cast<std::size_t>(i)] *
          x[static_cast<std::size_t>(*border_index(place, n, border_of(t, undecimated)))];
    }
  }
  return out;
}

// The coefficients, extended beyond their ends as the extended signal would have them, add their taps.
Signal synthesize(const Signal& low, const Signal& high, const WaveletTaps& t, int n, int step) {
  const bool undecimated = step > 0;
  Signal out(static_cast<std::size_t>(n));
  for (const bool is_high : {false, true}) {
    const Signal &from = is_high ? high : low, &taps = is_high ? t.high_back : t.low_back;
    if (from.empty()) continue;
    const int at = anchor(t, undecimated, taps, is_high ? t.high_back_at : t.low_back_at),
              count = static_cast<int>(from.size());
    for (int y = 0; y < n; ++y) {
      for (int i = 0; i < static_cast<int>(taps.size()); ++i) {
        double c = 0;
        if (undecimated) {
          c = 0.5 * from[static_cast<std::size_t>(*border_index(y - (i - at) * step, n, border_of(t, true)))];
        } else {
          if ((y - i + at) % 2 != 0) continue;
          int k = (y - i + at) / 2;
          if (t.symmetric) k = *border_index(2 * k + is_high, n, Border::reflect) / 2;
          if (k < 0 || k >= count) continue;
          c = from[static_cast<std::size_t>(k)];
        }
        out[static_cast<std::size_t>(y)] += taps[static_cast<std::size_t>(i)] * c;
      }
    }
  }
  return out;
}

Signal line(const ConstView& in, int i, int c, bool along_x) {
  Signal s(static_cast<std::size_t>(along_x ? in.width() : in.height()));
  for (int k = 0; k < static_cast<int>(s.size()); ++k)
    s[static_cast<std::size_t>(k)] = along_x ? in.at(k, i, c) : in.at(i, k, c);
  return s;
}

void put_line(const Signal& s, const View& out, int i, int c, bool along_x) {
  for (int k = 0; k < static_cast<int>(s.size()); ++k)
    (along_x ? out.at(k, i, c) : out.at(i, k, c)) = static_cast<float>(s[static_cast<std::size_t>(k)]);
}

Image analyzed(const ConstView& in, const WaveletTaps& t, bool high, int step, bool along_x) {
  if (in.empty()) return {};
  const int size = static_cast<int>(analyze(line(in, 0, 0, along_x), t, high, step).size());
  if (size == 0) return {};
  Image out(along_x ? size : in.width(), along_x ? in.height() : size, in.channels());
  for (int c = 0; c < in.channels(); ++c) {
    checkpoint();
    for (int i = 0; i < (along_x ? in.height() : in.width()); ++i)
      put_line(analyze(line(in, i, c, along_x), t, high, step), out.view(), i, c, along_x);
  }
  return out;
}

Image synthesized(const Image& low, const Image& high, const WaveletTaps& t, int n, int step, bool along_x) {
  if (low.empty()) return {};
  Image out(along_x ? n : low.width(), along_x ? low.height() : n, low.channels());
  for (int c = 0; c < low.channels(); ++c) {
    checkpoint();
    for (int i = 0; i < (along_x ? low.height() : low.width()); ++i) {
      put_line(synthesize(line(low, i, c, along_x), high.empty() ? Signal() : line(high, i, c, along_x), t, n, step),
               out.view(), i, c, along_x);
    }
  }
  return out;
}

}  // namespace

WaveletBands wavelet_forward(const ConstView& in, Wavelet wavelet, int levels, bool undecimated) {
  const WaveletTaps& t = taps_of(wavelet);
  // Margin and shape are conventions, not mathematics: as in the fast form.
  WaveletBands b = sieve::wavelet_forward(in, wavelet, levels, undecimated);
  ConstView color = in;
  color.shape.channels = in.shape.color_channels();
  Image now = pad(color, b.margin, b.margin, b.margin, b.margin, Border::mirror, 0);
  for (int j = 0; j < levels; ++j) {
    const int step = undecimated ? 1 << j : 0;
    const Image low = analyzed(now, t, false, step, true), high = analyzed(now, t, true, step, true);
    auto& d = b.levels[static_cast<std::size_t>(j)];
    d.horizontal = analyzed(low, t, true, step, false);
    d.vertical = analyzed(high, t, false, step, false);
    d.diagonal = analyzed(high, t, true, step, false);
    now = analyzed(low, t, false, step, false);
  }
  b.approximation = std::move(now);
  return b;
}

Image wavelet_inverse(const WaveletBands& b) {
  const WaveletTaps& t = taps_of(b.wavelet);
  Image now = b.approximation;
  for (int j = static_cast<int>(b.levels.size()) - 1; j >= 0; --j) {
    const auto& d = b.levels[static_cast<std::size_t>(j)];
    const int step = b.undecimated ? 1 << j : 0;
    // The size that gave these bands.
    int w = now.width(), h = now.height();
    if (step == 0) {
      w = b.shape.width;
      h = b.shape.height;
      for (int i = 0; i < j; ++i) w = halves(t, w, false), h = halves(t, h, false);
    }
    const Image low = synthesized(now, d.horizontal, t, h, step, false),
                high = synthesized(d.vertical, d.diagonal, t, h, step, false);
    now = synthesized(low, high, t, w, step, true);
  }
  return b.margin == 0 ? now : crop(now, {b.margin, b.margin, b.shape.width, b.shape.height});
}

}  // namespace sieve::reference
