#include "pack/methods.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>

#include "core/of_thread.hpp"
#include "pack/quantize_lanes.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/spectral/cosine.hpp"
#include "sieve/wavelet.hpp"

namespace sieve::internal::packing {

namespace {

[[noreturn]] void wrong_sections() {
  throw Error("packed picture: its sections do not fit its header; the file is damaged: fetch it again");
}

CosineCoding coding_of(const Shape& s, float step, bool perceptual) {
  return {(s.width + 7) / 8, (s.height + 7) / 8, static_cast<std::size_t>(s.channels), step, perceptual};
}

// Room for the samples of a row of blocks, one for each thread.
BlockRow& pixels_like(const BlockRow& row) {
  auto& pixels = of_thread<BlockRow, struct BlockPixels>();
  pixels.resize(row.size());
  for (std::size_t p = 0; p < row.size(); ++p) {
    if (pixels[p].shape() != row[p].shape()) pixels[p] = Image(row[p].shape());
  }
  return pixels;
}

// Colors are turned and blocks transformed row by row while they are coded: nothing of the size of the picture is kept.
class CosineMethod : public Method {
 public:
  CosineMethod(const ConstView& in, bool perceptual) : in_(in), perceptual_(perceptual), turn_(turn_of(in)) {}
  Coded code(float step) override {
    const CosineCoding coding = coding_of(in_.shape, step, perceptual_);
    CosinePacked packed = encode_cosine(coding, [&](int y, BlockRow& row) {
      BlockRow& pixels = pixels_like(row);
      std::vector<View> views;
      for (Image& p : pixels) views.push_back(p.view());
      split_rows(in_, turn_, 8 * y, views);
      for (std::size_t p = 0; p < row.size(); ++p) cosine_forward(pixels[p], 8, row[p].view());
    });
    Header h;
    h.info.by = PackBy::cosine;
    h.turn = turn_;
    h.step = step;
    h.perceptual = perceptual_;
    return {h, std::move(packed.sections), packed.nonzero};
  }

 private:
  ConstView in_;
  bool perceptual_;
  ColorTurn turn_;
};

// As many levels as leave about eight samples a side.
int levels_for(int width, int height) {
  int levels = 1;
  for (int side = std::min(width, height); side >= 32 && levels < 8; side /= 2) ++levels;
  return levels;
}

// One of the bands.
template <class Bands>
auto& band_of(Bands& b, BandKind kind, int level) {
  if (kind == BandKind::low) return b.approximation;
  auto& d = b.levels[static_cast<std::size_t>(level)];
  return kind == BandKind::across ? d.vertical : kind == BandKind::down ? d.horizontal : d.diagonal;
}

class WaveletMethod : public Method {
 public:
  explicit WaveletMethod(const ConstView& in)
      : shape_{in.width(), in.height(), levels_for(in.width(), in.height()),
               static_cast<std::size_t>(in.shape.channels)},
        turn_(turn_of(in)) {
    for (Image& plane : split_colors(in, turn_)) {
      bands_.push_back(wavelet_forward(plane, Wavelet::nine_seven, shape_.levels));
      plane = {};
    }
    for (const WaveletBands& b : bands_) {
      largest_ = std::max(largest_, largest(b.approximation));
      for (const WaveletDetails& d : b.levels)
        largest_ = std::max({largest_, largest(d.vertical), largest(d.horizontal), largest(d.diagonal)});
    }
  }
  Coded code(float step) override {
    const float per = 1 / step;
    PlanesPacked packed =
        encode_planes(shape_, lanes::quantized(largest_, per),
                      [&](const BandPart& from, int n, std::uint32_t* to) { read_quantized(from, n, per, to); });
    Header h;
    h.info.by = PackBy::wavelet;
    h.turn = turn_;
    h.step = step;
    h.levels = shape_.levels;
    h.planes = packed.planes;
    return {h, std::move(packed.sections), packed.nonzero};
  }

 private:
  void read_quantized(const BandPart& from, int n, float per, std::uint32_t* to) const {
    const Image& band = band_of(bands_[from.plane], from.kind, from.level);
    if (from.kind == BandKind::low)
      return lanes::quantize_approximation(band.row(from.y) + from.x, per, to, static_cast<std::size_t>(n));
    const auto row = [&](int y) { return y >= 0 && y < band.height() ? band.row(y) + from.x : nullptr; };
    lanes::quantize_details({row(from.y - 1), row(from.y), row(from.y + 1), from.x > 0, from.x + n < band.width()}, per,
                            to, static_cast<std::size_t>(n));
  }
  static float largest(const Image& band) {
    float most = 0;
    for (int y = 0; !band.empty() && y < band.height(); ++y) {
      // As whole numbers: their order is that of the magnitudes, and they can be compared several at once.
      const float* f = band.row(y);
      std::int32_t bits = 0;
      for (int x = 0; x < band.width(); ++x) bits = std::max(bits, std::bit_cast<std::int32_t>(f[x]) & 0x7FFFFFFF);
      most = std::max(most, std::bit_cast<float>(bits));
    }
    return most;
  }

  BandShape shape_;
  ColorTurn turn_;
  std::vector<WaveletBands> bands_;
  float largest_ = 0;
};

// Levels of the samples as whole numbers, color turned without loss: luma (r + 2 g + b) / 4 rounded down, b - g, r - g.
std::vector<BandPlane> whole_planes(const ConstView& in, int levels) {
  const auto white_level = static_cast<float>(in.white_level);
  std::vector<BandPlane> planes;
  for (int c = 0; c < in.shape.channels; ++c) {
    BandPlane p{in.width(), in.height(), levels, std::vector<std::int32_t>(in.shape.pixels())};
    for (int y = 0; y < in.height(); ++y) {
      const float* r = in.row(y, c);
      for (int x = 0; x < in.width(); ++x) {
        const float v = r[x] * white_level, n = std::nearbyint(v);
        if (!(std::fabs(v - n) < 0.01F) || n < 0 || n > white_level) {
          throw InvalidArgument(
              fmt::format("pack: the sample {:g} at {},{} is no whole level of 0..{}: only pictures as they come from "
                          "integer files can be packed without loss",
                          r[x], x, y, in.white_level));
        }
        p.values[static_cast<std::size_t>(y) * static_cast<std::size_t>(in.width()) + static_cast<std::size_t>(x)] =
            static_cast<std::int32_t>(n);
      }
    }
    planes.push_back(std::move(p));
  }
  if (in.shape.color_channels() == 3) {
    for (std::size_t i = 0; i < planes[0].values.size(); ++i) {
      const std::int32_t r = planes[0].values[i], g = planes[1].values[i], b = planes[2].values[i];
      planes[0].values[i] = (r + 2 * g + b) >> 2;
      planes[1].values[i] = b - g;
      planes[2].values[i] = r - g;
    }
  }
  return planes;
}

std::vector<BandPlane> empty_planes(const Header& h) {
  std::vector<BandPlane> planes;
  for (int c = 0; c < h.info.shape.channels; ++c)
    planes.push_back(
        {h.info.shape.width, h.info.shape.height, h.levels, std::vector<std::int32_t>(h.info.shape.pixels())});
  return planes;
}

BandShape shape_of(const std::vector<BandPlane>& planes) {
  return {planes[0].width, planes[0].height, planes[0].levels, planes.size()};
}

// Bands of the right sizes for the 9/7 transform.
WaveletBands empty_bands(int width, int height, int levels) {
  WaveletBands b;
  b.wavelet = Wavelet::nine_seven;
  b.shape = {width, height, 1};
  int w = width, h = height;
  for (int level = 0; level < levels; ++level) {
    const int lw = (w + 1) / 2, lh = (h + 1) / 2;
    const auto band = [](int bw, int bh) { return bw > 0 && bh > 0 ? Image(bw, bh) : Image(); };
    WaveletDetails& d = b.levels.emplace_back();
    d.vertical = band(w - lw, lh);
    d.horizontal = band(lw, h - lh);
    d.diagonal = band(w - lw, h - lh);
    w = lw, h = lh;
  }
  b.approximation = Image(w, h);
  return b;
}

}  // namespace

std::unique_ptr<Method> cosine_method(const ConstView& in, bool perceptual) {
  return std::make_unique<CosineMethod>(in, perceptual);
}
std::unique_ptr<Method> wavelet_method(const ConstView& in) { return std::make_unique<WaveletMethod>(in); }

namespace {

// Bits of the samples above 8.
int bits_above_8(std::uint32_t white_level) { return std::max(0, static_cast<int>(std::bit_width(white_level)) - 8); }

std::size_t size_of(const std::vector<Bytes>& sections) {
  std::size_t n = 0;
  for (const Bytes& s : sections) n += s.size();
  return n;
}

}  // namespace

Method::Coded code_lossless(const ConstView& in) {
  const int levels = levels_for(in.width(), in.height());
  std::vector<BandPlane> planes = whole_planes(in, levels);
  Header h;
  h.info.by = PackBy::wavelet;
  h.info.lossless = true;
  std::vector<Bytes> predicted = encode_predicted(planes, bits_above_8(in.white_level));
  parallel_rows(
      static_cast<int>(planes.size()), RowCost(in.shape.pixels(), 8),
      [&](int first, int last) {
        for (int c = first; c < last; ++c)
          reversible_forward(planes[static_cast<std::size_t>(c)].values, in.width(), in.height(), levels);
      },
      1);
  std::uint32_t largest = 0;
  for (const BandPlane& p : planes) {
    for (const std::int32_t v : p.values) largest = std::max(largest, static_cast<std::uint32_t>(std::abs(v)));
  }
  PlanesPacked packed = encode_planes(shape_of(planes), largest, [&](const BandPart& from, int n, std::uint32_t* to) {
    const std::int32_t* v = planes[from.plane].values.data() +
                            static_cast<std::size_t>(from.nested_y) * static_cast<std::size_t>(in.width()) +
                            static_cast<std::size_t>(from.nested_x);
    for (int x = 0; x < n; ++x) to[x] = static_cast<std::uint32_t>(std::abs(v[x])) | (v[x] < 0 ? kNegative : 0);
  });
  // Whichever is smaller: prediction for most pictures, bands for what is blurred.
  if (size_of(predicted) < size_of(packed.sections)) {
    h.predicted = true;
    return {h, std::move(predicted), packed.nonzero};
  }
  h.levels = levels;
  h.planes = packed.planes;
  return {h, std::move(packed.sections), packed.nonzero};
}

void decode_cosine_picture(const Opened& o, const View& out) {
  const bool whole = decode_cosine(o.sections, coding_of(out.shape, o.header.step, o.header.perceptual),
                                   [&](int y, const BlockRow& row) {
                                     BlockRow& pixels = pixels_like(row);
                                     std::vector<ConstView> views;
                                     for (std::size_t p = 0; p < row.size(); ++p) {
                                       cosine_inverse(row[p], 8, pixels[p].view());
                                       views.push_back(pixels[p]);
                                     }
                                     join_rows(o.header.turn, views, 8 * y, o.header.info.white_level != 0, out);
                                   });
  if (!whole) wrong_sections();
}

void decode_wavelet_picture(const Opened& o, const View& out) {
  const BandShape shape{out.width(), out.height(), o.header.levels, static_cast<std::size_t>(out.shape.channels)};
  if (shape.levels < 1) wrong_sections();
  std::vector<WaveletBands> bands;
  for (std::size_t p = 0; p < shape.planes; ++p) bands.push_back(empty_bands(out.width(), out.height(), shape.levels));
  const bool whole = decode_planes(
      o.sections, o.header.info.complete, o.header.planes, shape, [&](const BandPart& to, int n, const KnownValues& v) {
        float* f = band_of(bands[to.plane], to.kind, to.level).row(to.y) + to.x;
        lanes::restore_values(v.value, v.left, o.header.step, f, static_cast<std::size_t>(n));
      });
  if (!whole) wrong_sections();
  for (std::size_t p = 0; p < bands.size(); ++p) {
    wavelet_inverse(bands[p], out.channel(static_cast<int>(p)));
    bands[p] = {};
  }
  join_colors(o.header.turn, o.header.info.white_level != 0, out);
}

void decode_lossless_picture(const Opened& o, const View& out) {
  std::vector<BandPlane> planes = empty_planes(o.header);
  if (o.header.predicted) {
    if (!decode_predicted(o.sections, bits_above_8(o.header.info.white_level), planes)) wrong_sections();
  } else {
    const bool whole = decode_planes(
        o.sections, o.header.info.complete, o.header.planes, shape_of(planes),
        [&](const BandPart& to, int n, const KnownValues& v) {
          std::int32_t* q = planes[to.plane].values.data() +
                            static_cast<std::size_t>(to.nested_y) * static_cast<std::size_t>(out.width()) +
                            static_cast<std::size_t>(to.nested_x);
          for (int x = 0; x < n; ++x) {
            const int left = v.left[x / 8];
            const std::uint32_t size = v.value[x] & ~kNegative;
            const auto m = static_cast<std::int32_t>(size == 0 ? 0 : size + (left > 0 ? 1U << (left - 1) : 0));
            q[x] = (v.value[x] & kNegative) != 0 ? -m : m;
          }
        });
    if (!whole) wrong_sections();
    for (BandPlane& p : planes) reversible_inverse(p.values, p.width, p.height, p.levels);
  }
  if (out.shape.color_channels() == 3) {
    for (std::size_t i = 0; i < planes[0].values.size(); ++i) {
      const std::int32_t y = planes[0].values[i], u = planes[1].values[i], v = planes[2].values[i],
                         g = y - ((u + v) >> 2);
      planes[0].values[i] = v + g;
      planes[1].values[i] = g;
      planes[2].values[i] = u + g;
    }
  }
  const double per = 1.0 / o.header.info.white_level;
  for (int c = 0; c < out.shape.channels; ++c) {
    const BandPlane& p = planes[static_cast<std::size_t>(c)];
    for (int y = 0; y < out.height(); ++y) {
      float* r = out.row(y, c);
      for (int x = 0; x < out.width(); ++x)
        r[x] = static_cast<float>(
            p.values[static_cast<std::size_t>(y) * static_cast<std::size_t>(p.width) + static_cast<std::size_t>(x)] *
            per);
    }
  }
}

}  // namespace sieve::internal::packing
