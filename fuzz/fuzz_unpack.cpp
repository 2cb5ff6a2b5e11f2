// Packed pictures. In a fuzzing build checksums are not looked at, so that the coders behind them are reached. Bytes
// that are no packed picture become a small one and options, packed, cut off and unpacked.

#include <cmath>
#include <cstdlib>

#include "random_steps.hpp"
#include "sieve/pack.hpp"

namespace {

using namespace sieve;

void require(bool holds) {
  if (!holds) std::abort();
}

PackOptions random_options(fuzz::Bytes& bytes) {
  constexpr PackBy kAll[] = {PackBy::cosine, PackBy::wavelet, PackBy::svd, PackBy::pca};
  PackOptions o{.by = bytes.one_of(kAll)};
  switch (bytes.below(7)) {
    case 0:
      o.quality = 100 * bytes.share();
      break;
    case 1:
      o.psnr = 10 + 90 * bytes.share();
      break;
    case 2:
      o.bytes = 64 + bytes.below(5000);
      break;
    case 3:
      o.rate = 0.001 + 8 * bytes.share();
      break;
    case 4:
      o.keep = 1 + bytes.below(40);
      break;
    case 5:
      o.lossless = true;
      break;
    default:
      o.perceptual = true;
  }
  return o;
}

// A picture of float samples, or one whose samples lie on whole levels.
Image random_source(fuzz::Bytes& bytes) {
  const Image in = fuzz::random_picture(bytes, 70, bytes.below(8) == 0 ? fuzz::Samples::odd : fuzz::Samples::usual);
  constexpr std::uint32_t kWhites[] = {0, 1, 100, 255, 1023, 65535};
  const std::uint32_t white = bytes.one_of(kWhites);
  if (white == 0) return in;
  Image out(in.shape(), white);
  for (int c = 0; c < in.channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        const float v = in.at(x, y, c);
        const double level = std::isfinite(v) ? std::round(std::clamp(static_cast<double>(v), 0.0, 1.0) * white) : 0;
        out.at(x, y, c) = static_cast<float>(level / white);
      }
    }
  }
  return out;
}

void pack_and_unpack(fuzz::Bytes& bytes) {
  const Image in = random_source(bytes);
  const PackOptions options = random_options(bytes);
  Packed packed;
  try {
    packed = pack(in, options);
  } catch (const InvalidArgument&) {
    return;  // options that do not go together, or with this picture
  }
  require(packed.bytes == pack(in, options).bytes);
  if (options.bytes && packed.note.empty())
    require(static_cast<double>(packed.bytes.size()) <= 1.02 * static_cast<double>(*options.bytes) + 1);
  const Unpacked out = unpack(packed.bytes);
  require(out.image.shape() == in.shape() && out.info.complete && out.info.lossless == options.lossless);
  for (int c = 0; c < in.channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        const float v = out.image.at(x, y, c);
        require(std::isfinite(v));
        if (options.lossless) require(std::abs(v - in.at(x, y, c)) * static_cast<float>(in.white_level()) < 0.25F);
      }
    }
  }
  // A file that is cut off opens at lower quality, or is refused.
  packed.bytes.resize(bytes.below(static_cast<std::uint32_t>(packed.bytes.size())));
  try {
    (void)unpack(packed.bytes);
  } catch (const Error&) {
  }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (!is_packed({data, size})) {
    fuzz::Bytes bytes({data, size});
    pack_and_unpack(bytes);
    return 0;
  }
  try {
    (void)unpack({data, size}, 1 << 16);
  } catch (const Error&) {
  }
  return 0;
}
