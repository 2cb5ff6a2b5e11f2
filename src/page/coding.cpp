#include "page/coding.hpp"

#include <zlib.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <limits>
#include <optional>
#include <type_traits>
#include <vector>

#include "sieve/core/error.hpp"

namespace sieve::internal::page {

using nlohmann::ordered_json;

namespace {

// Samples as whole numbers of one width; signed ones by two's complement.
template <class Word>
using Words = std::vector<Word>;

template <class Word, class Of>
std::optional<Words<Word>> words_of(const ConstView& image, Of of) {
  Words<Word> all;
  all.reserve(image.shape.samples());
  for (int c = 0; c < image.channels(); ++c) {
    for (int y = 0; y < image.height(); ++y) {
      const float* row = image.row(y, c);
      for (int x = 0; x < image.width(); ++x) {
        const std::optional<Word> w = of(row[x]);
        if (!w) return std::nullopt;
        all.push_back(*w);
      }
    }
  }
  return all;
}

std::string deflated(const std::string& bytes) {
  uLongf size = compressBound(static_cast<uLong>(bytes.size()));
  std::string out(size, '\0');
  if (compress2(reinterpret_cast<Bytef*>(out.data()), &size, reinterpret_cast<const Bytef*>(bytes.data()),
                static_cast<uLong>(bytes.size()), 5) != Z_OK)
    throw Error("page: zlib could not compress a picture");
  out.resize(size);
  return out;
}

// The neighbor that is between the two others, or the plane through them: the median edge detector of the JPEG-LS
// standard (ISO/IEC 14495-1). `Order` is the type by which words are compared.
template <class Order, class Word>
Word predicted(const Word* at, std::size_t x, std::size_t y, std::size_t row) {
  if (y == 0) return x == 0 ? Word(0) : at[-1];
  const Word* above = at - row;
  if (x == 0) return above[0];
  const auto left = static_cast<Order>(at[-1]), up = static_cast<Order>(above[0]),
             corner = static_cast<Order>(above[-1]);
  if (corner >= std::max(left, up)) return static_cast<Word>(std::min(left, up));
  if (corner <= std::min(left, up)) return static_cast<Word>(std::max(left, up));
  return static_cast<Word>(at[-1] + above[0] - above[-1]);
}

template <class Order, class Word>
std::string bytes_of(const Words<Word>& words, const ConstView& image, bool packed) {
  std::string out(words.size() * sizeof(Word), '\0');
  if (!packed) {
    std::memcpy(out.data(), words.data(), out.size());
    return out;
  }
  const std::size_t n = words.size(), row = static_cast<std::size_t>(image.width()),
                    rows = static_cast<std::size_t>(image.height());
  for (std::size_t i = 0; i < n; ++i) {
    const Word* at = words.data() + i;
    const auto rest = static_cast<Word>(*at - predicted<Order>(at, i % row, i / row % rows, row));
    for (std::size_t b = 0; b < sizeof(Word); ++b) out[b * n + i] = static_cast<char>(rest >> (8 * b));
  }
  return deflated(out);
}

template <class Word>
std::optional<std::string> levels(const ConstView& image, bool packed) {
  const double white = image.white_level;
  auto words = words_of<Word>(image, [white](float v) -> std::optional<Word> {
    const double n = std::round(static_cast<double>(v) * white);
    if (!(n >= 0 && n <= white) || static_cast<float>(n / white) != v) return std::nullopt;
    return static_cast<Word>(n);
  });
  if (!words) return std::nullopt;
  return bytes_of<Word>(*words, image, packed);
}

template <class Word>
std::optional<std::string> rounded(const ConstView& image, int bits, bool packed) {
  using Signed = std::make_signed_t<Word>;
  constexpr double kMost = std::numeric_limits<Signed>::max();
  auto words = words_of<Word>(image, [bits](float v) -> std::optional<Word> {
    const double n = std::round(std::ldexp(static_cast<double>(v), bits));
    if (!(std::fabs(n) <= kMost)) return std::nullopt;  // NaN, too
    return static_cast<Word>(static_cast<Signed>(n));
  });
  if (!words) return std::nullopt;
  return bytes_of<Signed>(*words, image, packed);
}

// Floats as they are: what a page waits for while a slider moves.
std::string plain(const ConstView& image) {
  std::string out(image.shape.samples() * sizeof(float), '\0');
  char* to = out.data();
  const std::size_t row = static_cast<std::size_t>(image.width()) * sizeof(float);
  for (int c = 0; c < image.channels(); ++c) {
    for (int y = 0; y < image.height(); ++y, to += row) std::memcpy(to, image.row(y, c), row);
  }
  return out;
}

ordered_json head_of(const ConstView& image, const char* samples, bool packed) {
  return {{"width", image.width()},     {"height", image.height()}, {"channels", image.channels()},
          {"white", image.white_level}, {"samples", samples},       {"packed", packed}};
}

}  // namespace

Coded glimpse(const ConstView& image) {
  constexpr int kBits = 13, kMost = 32767;
  Coded c;
  c.head = head_of(image, "glimpse", false);
  c.head["bits"] = kBits;
  c.exact = false;
  c.bytes.resize(image.shape.samples() * sizeof(std::int16_t));
  auto* to = reinterpret_cast<std::int16_t*>(c.bytes.data());
  for (int channel = 0; channel < image.channels(); ++channel) {
    for (int y = 0; y < image.height(); ++y, to += image.width()) {
      const float* row = image.row(y, channel);
      for (int x = 0; x < image.width(); ++x) {
        const float v = row[x] * (1 << kBits) + 0.5F;
        // NaN fails the first comparison.
        const float least = v >= -kMost ? v : -kMost, most = least > kMost ? kMost : least;
        // Offset, so that the cut to whole numbers rounds down everywhere.
        const int whole = static_cast<int>(most + kMost) - kMost;
        to[x] = static_cast<std::int16_t>(v == v ? whole : -kMost - 1);
      }
    }
  }
  return c;
}

Coded coded(const ConstView& image, int bits, bool packed) {
  static_assert(std::endian::native == std::endian::little, "samples travel as they lie in memory");
  Coded c;
  const auto done = [&](const char* samples, std::string bytes) {
    c.head = head_of(image, samples, packed);
    c.bytes = std::move(bytes);
  };
  if (image.white_level > 0 && image.white_level <= 255) {
    if (auto b = levels<std::uint8_t>(image, packed)) return done("levels8", std::move(*b)), c;
  } else if (image.white_level > 0 && image.white_level <= 65535) {
    if (auto b = levels<std::uint16_t>(image, packed)) return done("levels16", std::move(*b)), c;
  }
  if (bits != kExact) {
    c.exact = false;
    auto b = rounded<std::uint16_t>(image, bits, packed);
    if (b) {
      done("rounded16", std::move(*b));
    } else if ((b = rounded<std::uint32_t>(image, bits, packed))) {
      done("rounded32", std::move(*b));
    }
    if (b) return c.head["bits"] = bits, c;
    c.exact = true;
  }
  if (!packed) return done("float", plain(image)), c;
  auto words = words_of<std::uint32_t>(
      image, [](float v) -> std::optional<std::uint32_t> { return std::bit_cast<std::uint32_t>(v); });
  done("float", bytes_of<std::uint32_t>(*words, image, packed));
  return c;
}

}  // namespace sieve::internal::page
