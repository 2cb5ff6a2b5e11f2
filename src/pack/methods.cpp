#include "pack/methods.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>

#include "sieve/core/error.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/spectral/cosine.hpp"
#include "sieve/wavelet.hpp"

namespace sieve::pack_detail {

namespace {

[[noreturn]] void wrong_sections() { throw Error("packed picture: its sections do not fit its header; the file is damaged: fetch it again"); }

CosineCoding coding_of(const Shape& s, float step, bool perceptual) { return {(s.width + 7) / 8, (s.height + 7) / 8, static_cast<std::size_t>(s.channels), step, perceptual}; }

// Room for the samples of a row of blocks, one for each thread.
BlockRow& pixels_like(const BlockRow& row) {
  thread_local BlockRow pixels;
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

// Added before magnitudes are cut to whole steps: 0.5 would be to the nearest.
constexpr float kRound = 0.12F;
// Where a value lies within the interval that is known of it: smaller ones are likelier.
constexpr float kWithin = 0.45F;

// The bands of a nested plane, in the places that reversible_forward gives them.
template <class Bands, class Work>
void each_band(Bands& b, const BandPlane& to, Work work) {
  int w = to.width, h = to.height;
  for (auto& d : b.levels) {
    const int lw = (w + 1) / 2, lh = (h + 1) / 2;
    work(d.vertical, lw, 0);
    work(d.horizontal, 0, lh);
    work(d.diagonal, lw, lh);
    w = lw, h = lh;
  }
  work(b.approximation, 0, 0);
}

class WaveletMethod : public Method {
 public:
  explicit WaveletMethod(const ConstView& in) : levels_(levels_for(in.width(), in.height())), turn_(turn_of(in)) {
    for (Image& plane : split_colors(in, turn_)) {
      bands_.push_back(wavelet_forward(plane, Wavelet::nine_seven, levels_));
      plane = {};
      whole_.push_back({in.width(), in.height(), levels_, std::vector<std::int32_t>(in.shape.pixels())});
    }
  }
  Coded code(float step) override {
    const float per = 1 / step;
    for (std::size_t p = 0; p < bands_.size(); ++p) {
      BandPlane& to = whole_[p];
      each_band(bands_[p], to, [&](const Image& band, int x0, int y0) {
        if (band.empty()) return;
        parallel_rows(band.height(), static_cast<std::size_t>(band.width()) * 2, [&](int first, int last) {
          for (int y = first; y < last; ++y) {
            const float* f = band.row(y);
            std::int32_t* q = to.values.data() + static_cast<std::size_t>(y0 + y) * static_cast<std::size_t>(to.width) + static_cast<std::size_t>(x0);
            for (int x = 0; x < band.width(); ++x) {
              const float m = std::min(std::fabs(f[x]) * per + kRound, 1e9F);
              const auto whole = static_cast<std::int32_t>(m);
              q[x] = f[x] < 0 ? -whole : whole;
            }
          }
        });
      });
    }
    PlanesPacked packed = encode_planes(whole_);
    Header h;
    h.info.by = PackBy::wavelet;
    h.turn = turn_;
    h.step = step;
    h.levels = levels_;
    h.planes = packed.planes;
    return {h, std::move(packed.sections), packed.nonzero};
  }

 private:
  int levels_;
  ColorTurn turn_;
  std::vector<WaveletBands> bands_;
  std::vector<BandPlane> whole_;
};

// Levels of the samples as whole numbers, color turned without loss: luma (r + 2 g + b) / 4 rounded down, b - g, r - g.
std::vector<BandPlane> whole_planes(const ConstView& in, int levels) {
  const auto maximum = static_cast<float>(in.maximum);
  std::vector<BandPlane> planes;
  for (int c = 0; c < in.shape.channels; ++c) {
    BandPlane p{in.width(), in.height(), levels, std::vector<std::int32_t>(in.shape.pixels())};
    for (int y = 0; y < in.height(); ++y) {
      const float* r = in.row(y, c);
      for (int x = 0; x < in.width(); ++x) {
        const float v = r[x] * maximum, n = std::nearbyint(v);
        if (!(std::fabs(v - n) < 0.01F) || n < 0 || n > maximum) {
          throw BadCall(fmt::format("pack: the sample {:g} at {},{} is no whole level of 0..{}: only pictures as they come from integer files can be packed without loss", r[x], x, y, in.maximum));
        }
        p.values[static_cast<std::size_t>(y) * static_cast<std::size_t>(in.width()) + static_cast<std::size_t>(x)] = static_cast<std::int32_t>(n);
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
  for (int c = 0; c < h.info.shape.channels; ++c) planes.push_back({h.info.shape.width, h.info.shape.height, h.levels, {}});
  return planes;
}

}  // namespace

std::unique_ptr<Method> cosine_method(const ConstView& in, bool perceptual) { return std::make_unique<CosineMethod>(in, perceptual); }
std::unique_ptr<Method> wavelet_method(const ConstView& in) { return std::make_unique<WaveletMethod>(in); }

namespace {

// Bits of the samples above 8.
int bits_above_8(std::uint32_t maximum) { return std::max(0, static_cast<int>(std::bit_width(maximum)) - 8); }

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
  std::vector<Bytes> predicted = encode_predicted(planes, bits_above_8(in.maximum));
  parallel_rows(
      static_cast<int>(planes.size()), in.shape.pixels() * 8,
      [&](int first, int last) {
        for (int c = first; c < last; ++c) reversible_forward(planes[static_cast<std::size_t>(c)].values, in.width(), in.height(), levels);
      },
      1);
  PlanesPacked packed = encode_planes(planes);
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
  const bool whole = decode_cosine(o.sections, coding_of(out.shape, o.header.step, o.header.perceptual), [&](int y, const BlockRow& row) {
    BlockRow& pixels = pixels_like(row);
    std::vector<ConstView> views;
    for (std::size_t p = 0; p < row.size(); ++p) {
      cosine_inverse(row[p], 8, pixels[p].view());
      views.push_back(pixels[p]);
    }
    join_rows(o.header.turn, views, 8 * y, o.header.info.maximum != 0, out);
  });
  if (!whole) wrong_sections();
}

void decode_wavelet_picture(const Opened& o, const View& out) {
  std::vector<BandPlane> planes = empty_planes(o.header);
  std::vector<std::vector<std::uint8_t>> left;
  if (o.header.levels < 1 || !decode_planes(o.sections, o.header.planes, planes, left)) wrong_sections();
  std::vector<Image> pictures;
  // Bands of the right sizes; what they hold is written over.
  WaveletBands bands = wavelet_forward(Image(out.width(), out.height()), Wavelet::nine_seven, o.header.levels);
  for (std::size_t p = 0; p < planes.size(); ++p) {
    const BandPlane& from = planes[p];
    Image picture(from.width, from.height);
    each_band(bands, from, [&](Image& band, int x0, int y0) {
      if (band.empty()) return;
      parallel_rows(band.height(), static_cast<std::size_t>(band.width()) * 2, [&](int first, int last) {
        for (int y = first; y < last; ++y) {
          const std::size_t row = static_cast<std::size_t>(y0 + y) * static_cast<std::size_t>(from.width) + static_cast<std::size_t>(x0);
          float* f = band.row(y);
          for (int x = 0; x < band.width(); ++x) {
            const std::int32_t v = from.values[row + static_cast<std::size_t>(x)];
            const auto open = static_cast<float>(1U << left[p][row + static_cast<std::size_t>(x)]);
            const float m = static_cast<float>(std::abs(v)) + kWithin * open - kRound;
            f[x] = v == 0 ? 0 : (v < 0 ? -m : m) * o.header.step;
          }
        }
      });
    });
    wavelet_inverse(bands, picture.view());
    pictures.push_back(std::move(picture));
  }
  join_colors(o.header.turn, pictures, o.header.info.maximum != 0, out);
}

void decode_lossless_picture(const Opened& o, const View& out) {
  std::vector<BandPlane> planes = empty_planes(o.header);
  if (o.header.predicted) {
    if (!decode_predicted(o.sections, bits_above_8(o.header.info.maximum), planes)) wrong_sections();
  } else {
    std::vector<std::vector<std::uint8_t>> left;
    if (!decode_planes(o.sections, o.header.planes, planes, left)) wrong_sections();
    for (std::size_t p = 0; p < planes.size(); ++p) {
      for (std::size_t i = 0; i < planes[p].values.size(); ++i) {
        std::int32_t& v = planes[p].values[i];
        if (v != 0 && left[p][i] > 0) v += (v < 0 ? -1 : 1) * (1 << (left[p][i] - 1));
      }
      reversible_inverse(planes[p].values, planes[p].width, planes[p].height, o.header.levels);
    }
  }
  if (out.shape.color_channels() == 3) {
    for (std::size_t i = 0; i < planes[0].values.size(); ++i) {
      const std::int32_t y = planes[0].values[i], u = planes[1].values[i], v = planes[2].values[i], g = y - ((u + v) >> 2);
      planes[0].values[i] = v + g;
      planes[1].values[i] = g;
      planes[2].values[i] = u + g;
    }
  }
  const double per = 1.0 / o.header.info.maximum;
  for (int c = 0; c < out.shape.channels; ++c) {
    const BandPlane& p = planes[static_cast<std::size_t>(c)];
    for (int y = 0; y < out.height(); ++y) {
      float* r = out.row(y, c);
      for (int x = 0; x < out.width(); ++x) r[x] = static_cast<float>(p.values[static_cast<std::size_t>(y) * static_cast<std::size_t>(p.width) + static_cast<std::size_t>(x)] * per);
    }
  }
}

}  // namespace sieve::pack_detail
