#include "spatial/correlation.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/context.hpp"
#include "core/index.hpp"
#include "fft/fft.hpp"
#include "sieve/core/parallel.hpp"
#include "spatial/lanes.hpp"
#include "spatial/row_ring.hpp"

namespace sieve {

using namespace internal;

namespace {

// Rows to a strip: enough that the rows read twice at its ends weigh little.
int strip_rows(const ConstView& in, int kernel_height, int stride) {
  const int by_size = 65536 / std::max(in.width(), 1);
  const int tall = std::min(10 * kernel_height, std::max(in.height() / 8, kernel_height));
  return strip_or_all(std::max(1, in.height()),
                      std::clamp(std::max(by_size, tall) / stride, 1, std::max(1, in.height())));
}

void keep_every(const float* from, int stride, float* to, int n) {
  for (int x = 0; x < n; ++x) to[x] = from[static_cast<std::ptrdiff_t>(x) * stride];
}

int first_place(int anchor, Border border) { return border == Border::inside ? anchor : 0; }

struct Tap {
  int x, y;
  float weight;
};

Scratch<Tap> taps_of(const Taps& k) {
  Scratch<Tap> taps;
  for (int j = 0; j < k.height(); ++j) {
    for (int i = 0; i < k.width(); ++i) {
      if (k.at(i, j) != 0) taps.push_back({i, j, static_cast<float>(k.at(i, j))});
    }
  }
  if (taps.empty()) taps.push_back({k.anchor_x(), k.anchor_y(), 0});
  return taps;
}

bool all_finite(const float* v, std::size_t n) {
  float odd = 0;
  for (std::size_t i = 0; i < n; ++i) odd += v[i] - v[i];
  return odd == 0;
}

}  // namespace

Taps::Taps(const Kernel& kernel, bool turned)
    : width_(kernel.width()),
      height_(kernel.height()),
      anchor_x_(turned ? width_ - 1 - kernel.anchor_x() : kernel.anchor_x()),
      anchor_y_(turned ? height_ - 1 - kernel.anchor_y() : kernel.anchor_y()),
      taps_(kernel.taps().begin(), kernel.taps().end()) {
  if (turned) std::reverse(taps_.begin(), taps_.end());
}

void Taps::divide(double by) {
  for (double& t : taps_) t /= by;
}

std::optional<Separated> internal::separated(const Taps& k) {
  // The row and the column through the largest tap; their product must give every other tap.
  const auto largest =
      std::max_element(k.taps().begin(), k.taps().end(), [](double a, double b) { return std::abs(a) < std::abs(b); });
  const double most = std::abs(*largest);
  if (most == 0) return std::nullopt;
  const int at = static_cast<int>(largest - k.taps().begin()), px = at % k.width(), py = at / k.width();
  Separated f;
  for (int y = 0; y < k.height(); ++y) f.column.push_back(k.at(px, y) / *largest);
  for (int x = 0; x < k.width(); ++x) f.row.push_back(k.at(x, py));
  for (int y = 0; y < k.height(); ++y) {
    for (int x = 0; x < k.width(); ++x) {
      if (std::abs(f.column[index(y)] * f.row[index(x)] - k.at(x, y)) > 1e-6 * most) return std::nullopt;
    }
  }
  return f;
}

int internal::result_size(int n, int k, Border border, int stride) {
  if (border == Border::inside) return (n - k + stride) / stride;
  return ((border == Border::full ? n + k - 1 : n) + stride - 1) / stride;
}

Rectangle internal::inside_part(const Shape& in, int reach, const char* who) {
  const int side = 2 * reach + 1;
  if (side > in.width || side > in.height) {
    throw InvalidArgument(fmt::format("{}: a window of {}x{} does not fit inside a picture of {}; take another border",
                                      who, side, side, text_of(in).text));
  }
  return {reach, reach, in.width - 2 * reach, in.height - 2 * reach};
}

void internal::correlate_direct(const ConstView& in, const Correlation& c, const View& out) {
  const Taps& k = c.kernel;
  const Scratch<Tap> taps = taps_of(k);
  const int ax = k.anchor_x(), ay = k.anchor_y(), s = c.stride;
  const int x0 = first_place(ax, c.border), y0 = first_place(ay, c.border);
  const int full = s == 1 ? out.width() : (out.width() - 1) * s + 1;
  const float fill = c.border == Border::constant ? c.fill : 0;
  const bool stream = rows::streams(out.shape.samples()) && s == 1;
  // A kernel with hardly a zero runs on several result rows at once; one with many visits its other taps alone.
  const bool dense = s == 1 && 3 * taps.size() > 2 * k.taps().size();
  const int block = dense ? static_cast<int>(lanes::kBlockRows) : 1;
  const Scratch<float> weights(k.taps().begin(), k.taps().end());
  parallel_rows(
      out.height(), index(in.width()) * index(s),
      [&](int first, int last) {
        const int held = k.height() + block - 1;
        RowRing ring(in, held, ax, k.width() - 1 - ax, c.border, fill);
        Scratch<const float*> sources(dense ? index(held) : taps.size());
        Scratch<float> sparse, line(s == 1 ? 0 : index(full));
        for (const Tap& t : taps) sparse.push_back(t.weight);
        float* to[lanes::kBlockRows];
        int next = y0 + first * s - ay;
        for (int y = first; y < last; y += block) {
          const int count = std::min(block, last - y), top = y0 + y * s - ay;
          for (next = std::max(next, top); next < top + k.height() + count - 1; ++next) ring.load(next);
          if (dense) {
            for (int i = 0; i < k.height() + count - 1; ++i) sources[index(i)] = ring.row(top + i) + x0;
            for (int r = 0; r < count; ++r) to[r] = out.row(y + r);
            lanes::block_sum(sources.data(), weights.data(), index(k.width()), index(k.height()), to, index(count),
                             index(full), stream);
            continue;
          }
          for (std::size_t t = 0; t < taps.size(); ++t) sources[t] = ring.row(top + taps[t].y) + taps[t].x + x0;
          float* row = s == 1 ? out.row(y) : line.data();
          lanes::weighted_sum(sources.data(), sparse.data(), taps.size(), row, index(full), stream);
          if (s > 1) keep_every(line.data(), s, out.row(y), out.width());
        }
      },
      strip_rows(in, k.height(), s));
}

void internal::correlate_separable(const ConstView& in, const SeparablePasses& p, Border border, float fill, int stride,
                                   const View& out) {
  const int kw = static_cast<int>(p.row.size()), kh = static_cast<int>(p.column.size());
  const int x0 = first_place(p.row_anchor, border), y0 = first_place(p.column_anchor, border);
  const int width = out.width(), full = (width - 1) * stride + 1;
  const bool stream = rows::streams(out.shape.samples());
  if (border != Border::constant) fill = 0;
  const int block = static_cast<int>(lanes::kBlockRows), held = kh + (block - 1) * stride;
  parallel_rows(
      out.height(), index(in.width()) * index(stride),
      [&](int first, int last) {
        // The rows between the two passes, the last `held` of them, in cache.
        const std::size_t pitch = (index(width) + 15) / 16 * 16;
        Scratch<float> ring(pitch * index(held)), extended(index(full + kw)), line(stride == 1 ? 0 : index(full));
        Scratch<const float*> down(index(kh + block - 1));
        const auto slot = [&](int y) { return ring.data() + pitch * index(((y % held) + held) % held); };
        float* to[lanes::kBlockRows];
        int next = y0 + first * stride - p.column_anchor;
        for (int y = first; y < last; y += block) {
          const int count = std::min(block, last - y), top = y0 + y * stride - p.column_anchor;
          for (next = std::max(next, top); next < top + (count - 1) * stride + kh; ++next) {
            rows::extend(in, next, x0 - p.row_anchor, full + kw - 1, border, fill, extended.data());
            lanes::along_row(extended.data(), p.row.data(), p.row.size(), stride == 1 ? slot(next) : line.data(),
                             index(full));
            if (stride > 1) keep_every(line.data(), stride, slot(next), width);
          }
          for (int r = 0; r < count; ++r) to[r] = out.row(y + r);
          if (stride == 1) {
            for (int j = 0; j < kh + count - 1; ++j) down[index(j)] = slot(top + j);
            lanes::block_sum(down.data(), p.column.data(), 1, index(kh), to, index(count), index(width), stream);
            continue;
          }
          for (int r = 0; r < count; ++r) {
            for (int j = 0; j < kh; ++j) down[index(j)] = slot(top + r * stride + j);
            lanes::weighted_sum(down.data(), p.column.data(), index(kh), to[r], index(width), stream);
          }
        }
      },
      strip_rows(in, kh, stride));
}

// Overlap and save: a tile of the result needs the samples of the tile and the kernel's width more; the circular
// transform is right for all positions but the first k - 1 of each row and column.
void internal::correlate_fourier(const ConstView& in, const Correlation& c, const View& out) {
  const Taps& k = c.kernel;
  const int kw = k.width(), kh = k.height(), s = c.stride;
  const int x0 = first_place(k.anchor_x(), c.border), y0 = first_place(k.anchor_y(), c.border);
  const int full_w = (out.width() - 1) * s + 1, full_h = (out.height() - 1) * s + 1;
  const float fill = c.border == Border::constant ? c.fill : 0;
  const auto side = [](int n, int taps) { return good_fft_size(std::min(n + taps - 1, std::max(512, 4 * taps))); };
  const auto fft_plan = RealFft2d::of(side(full_w, kw), side(full_h, kh));
  const RealFft2d& fft = *fft_plan;
  const int fw = fft.width(), fh = fft.height(), tw = fw - kw + 1, th = fh - kh + 1;
  const auto size = static_cast<std::size_t>(fw) * static_cast<std::size_t>(fh);

  // The kernel turned to the origin, so that a product of spectra is the correlation shifted by its anchor.
  const FftArray<float> taps(size);
  const FftArray<std::complex<float>> transfer(fft.spectrum_size());
  std::fill(taps.data(), taps.data() + size, 0.0F);
  const float scale = 1 / static_cast<float>(size);
  for (int j = 0; j < kh; ++j) {
    for (int i = 0; i < kw; ++i) {
      taps.data()[(kh - 1 - j) * fw + kw - 1 - i] = static_cast<float>(k.at(i, j)) * scale;
    }
  }
  fft.forward(taps.data(), transfer.data());

  const int across = (full_w + tw - 1) / tw, down = (full_h + th - 1) / th;
  parallel_rows(
      across * down, size,
      [&](int first, int last) {
        const FftArray<float> samples(size);
        const FftArray<std::complex<float>> spectrum(fft.spectrum_size());
        for (int tile = first; tile < last; ++tile) {
          const int tx = tile % across * tw, ty = tile / across * th;
          const int left = x0 + tx - k.anchor_x(), top = y0 + ty - k.anchor_y();
          for (int y = 0; y < fh; ++y) {
            rows::extend(in, top + y, left, fw, c.border, fill, samples.data() + static_cast<std::ptrdiff_t>(y) * fw);
          }
          const int w = std::min(tw, full_w - tx), h = std::min(th, full_h - ty);
          const auto put = [&](int y, const float* row) {  // row y of the tile
            if ((ty + y) % s != 0) return;
            for (int x = (s - tx % s) % s; x < w; x += s) out.row((ty + y) / s)[(tx + x) / s] = row[x];
          };
          if (!all_finite(samples.data(), size)) {
            // A transform would spread one NaN over the tile: this tile is summed directly.
            const ConstView part{samples.data(), {fw, fh, 1}, fw, 0, 0};
            Image result(tw, th);
            correlate_direct(part, {k, Border::inside, 0, 1}, result.view());
            for (int y = 0; y < h; ++y) put(y, result.row(y));
            continue;
          }
          fft.forward(samples.data(), spectrum.data());
          for (std::size_t i = 0; i < fft.spectrum_size(); ++i) {
            const float a = spectrum[i].real(), b = spectrum[i].imag(), p = transfer[i].real(), q = transfer[i].imag();
            spectrum[i] = {a * p - b * q, a * q + b * p};
          }
          fft.inverse(spectrum.data(), samples.data());
          for (int y = 0; y < h; ++y) put(y, samples.data() + static_cast<std::ptrdiff_t>(y + kh - 1) * fw + kw - 1);
        }
      },
      1);
}

void internal::sample_alpha(const ConstView& in, const Correlation& c, const View& out) {
  if (!in.shape.has_alpha()) return;
  const int a = in.channels() - 1;
  const int x0 = first_place(c.kernel.anchor_x(), c.border), y0 = first_place(c.kernel.anchor_y(), c.border);
  for (int y = 0; y < out.height(); ++y) {
    keep_every(in.row(y0 + y * c.stride, a) + x0, c.stride, out.row(y, a), out.width());
  }
}

}  // namespace sieve
