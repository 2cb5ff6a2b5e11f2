#include "sieve/pack/pack.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>

#include "core/memory.hpp"
#include "pack/methods.hpp"
#include "pack/search.hpp"
#include "sieve/core/map.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, PackBy>> ChoiceNames<PackBy>::all() {
  static constexpr std::pair<const char*, PackBy> names[] = {
      {"cosine", PackBy::cosine}, {"wavelet", PackBy::wavelet}, {"svd", PackBy::svd}, {"pca", PackBy::pca}};
  return names;
}

namespace {

using namespace packing;

// Half of an 8-bit level at 100, the whole range at 0.
float step_of_quality(double quality) {
  return static_cast<float>((0.5 + 255 * std::pow((100 - quality) / 100, 2)) / 255);
}

constexpr double kStandardQuality = 75;

// Where keep says how many terms there are, quality says how fine their numbers are, and both may be given.
bool of_terms(PackBy by) { return by == PackBy::svd || by == PackBy::pca; }

void check(const PackOptions& o) {
  const int goals = (o.quality.has_value() && !(of_terms(o.by) && o.keep)) + o.psnr.has_value() + o.bytes.has_value() +
                    o.rate.has_value() + o.keep.has_value() + o.lossless;
  if (goals > 1)
    throw InvalidArgument(
        "pack: give one of quality, psnr, bytes, rate, keep and lossless; keep and quality together for svd and pca");
  const auto within = [](const char* name, const std::optional<double>& v, double low, double high) {
    if (v && !(*v >= low && *v <= high))
      throw InvalidArgument(fmt::format("pack: {}={:g} is not allowed: give {:g} to {:g}", name, *v, low, high));
  };
  within("quality", o.quality, 0, 100);
  within("psnr", o.psnr, 10, 100);
  within("rate", o.rate, 0.001, 64);
  if (o.bytes && *o.bytes < 64)
    throw InvalidArgument(fmt::format("pack: bytes={} is not allowed: a file has 64 and more", *o.bytes));
  if (o.keep && *o.keep < 1) throw InvalidArgument("pack: keep=0 is not allowed: give 1 and more");
  if (o.lossless && o.by != PackBy::wavelet)
    throw InvalidArgument(fmt::format("pack: {} loses; only wavelet packs without loss", name_of(o.by)));
  if (o.perceptual && o.by != PackBy::cosine)
    throw InvalidArgument(fmt::format("pack: perceptual is for cosine, not for {}", name_of(o.by)));
}

bool all_finite(const ConstView& in) {
  std::vector<char> rows(static_cast<std::size_t>(in.height() * in.shape.channels), 1);
  parallel_rows(in.height() * in.shape.channels, in.width(), [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const float* r = in.row(i % in.height(), i / in.height());
      // All bits of the exponent are set.
      std::uint32_t some = 0;
      for (int x = 0; x < in.width(); ++x)
        some |= (std::bit_cast<std::uint32_t>(r[x]) & 0x7f800000U) == 0x7f800000U ? 1U : 0U;
      rows[static_cast<std::size_t>(i)] = some == 0;
    }
  });
  return std::all_of(rows.begin(), rows.end(), [](char r) { return r != 0; });
}

}  // namespace

Packed pack(const ConstView& given, const PackOptions& o) {
  require_input(given, "pack");
  check(o);
  Image finite;
  ConstView in = given;
  if (!all_finite(given)) {
    finite = map_samples(given, [](float v) { return std::isfinite(v) ? v : 0; });
    finite.set_white_level(given.white_level);
    in = finite;
  }
  if (o.lossless) {
    if (in.white_level == 0)
      throw InvalidArgument(
          "pack: lossless is for pictures of whole levels, of up to 16 bits; this one has float samples: convert it "
          "(apply --depth 16) first");
    Method::Coded coded = code_lossless(in);
    coded.header.info.shape = in.shape;
    coded.header.info.white_level = in.white_level;
    Packed p;
    p.bytes = write_container(coded.header, coded.sections);
    p.kept = coded.nonzero;
    return p;
  }
  const std::unique_ptr<Method> method = o.by == PackBy::cosine    ? cosine_method(in, o.perceptual)
                                         : o.by == PackBy::wavelet ? wavelet_method(in)
                                         : o.by == PackBy::svd     ? svd_method(in, o.keep)
                                                                   : principal_method(in, o.keep);
  Search search(in, *method);
  const auto bytes = [](const Packed& p) { return static_cast<double>(p.bytes.size()); };
  if (o.psnr) return search.least_psnr(*o.psnr);
  if (o.bytes) return search.most(static_cast<double>(*o.bytes), "a size in bytes", bytes);
  if (o.rate) return search.most(*o.rate * static_cast<double>(in.shape.pixels()) / 8, "a size in bytes", bytes);
  if (o.keep && of_terms(o.by)) {
    Packed p = search.at(step_of_quality(o.quality.value_or(kStandardQuality)));
    if (p.kept < *o.keep) p.note = fmt::format("{} terms are asked for, and there are {}", *o.keep, p.kept);
    return p;
  }
  if (o.keep)
    return search.most(static_cast<double>(*o.keep), "a number of coefficients",
                       [](const Packed& p) { return static_cast<double>(p.kept); });
  return search.at(step_of_quality(o.quality.value_or(kStandardQuality)));
}

Unpacked unpack(std::span<const std::uint8_t> bytes, std::uint64_t pixels, std::uint64_t memory) {
  const Opened o = read_container(bytes, pixels);
  const PackInfo& info = o.header.info;
  // The result, and in the order of the methods: rows of blocks; bands and their inverse; factors and their product;
  // coordinates of patches, at most as many as samples.
  constexpr double kWorking[] = {0, 12, 8, 8};
  const double needed = static_cast<double>(image_bytes(static_cast<std::uint64_t>(info.shape.width),
                                                        static_cast<std::uint64_t>(info.shape.height),
                                                        static_cast<std::uint64_t>(info.shape.channels))) +
                        kWorking[static_cast<int>(info.by)] * static_cast<double>(info.shape.samples());
  if (needed > static_cast<double>(memory))
    throw Error(
        fmt::format("packed picture: {} take {:.0f} MiB to unpack, more than the limit of {} MiB: raise "
                    "Limits::memory",
                    text_of(info.shape).text, std::ceil(needed / (1 << 20)), memory >> 20));
  if (!info.complete && (info.by != PackBy::wavelet || o.header.predicted))
    throw Error(fmt::format("packed picture: it is cut off, and {} opens whole files only: fetch it again",
                            o.header.predicted ? "prediction" : name_of(info.by)));
  Unpacked u{Image(info.shape, info.white_level), info};
  if (info.lossless) {
    decode_lossless_picture(o, u.image.view());
  } else if (info.by == PackBy::wavelet) {
    decode_wavelet_picture(o, u.image.view());
  } else if (info.by == PackBy::cosine) {
    decode_cosine_picture(o, u.image.view());
  } else if (info.by == PackBy::svd) {
    decode_svd_picture(o, u.image.view());
  } else {
    decode_principal_picture(o, u.image.view());
  }
  if (info.white_level != 0 && (info.by == PackBy::svd || info.by == PackBy::pca)) {
    const View v = u.image.view();
    parallel_rows(v.height() * v.shape.channels, v.width(), [&](int first, int last) {
      for (int i = first; i < last; ++i) {
        float* r = v.row(i % v.height(), i / v.height());
        for (int x = 0; x < v.width(); ++x) r[x] = std::clamp(r[x], 0.0F, 1.0F);
      }
    });
  }
  return u;
}

}  // namespace sieve
