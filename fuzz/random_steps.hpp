#pragma once
// Steps and small pictures out of bytes, those of a fuzzer or of a random stream: any filter, any settings that are
// allowed and do not take long, any size from 1x1 on.

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>
#include <span>
#include <string>
#include <vector>

#include "sieve/sieve.hpp"

namespace fuzz {

// Whole numbers out of bytes; 0 where they are used up.
class Bytes {
 public:
  explicit Bytes(std::span<const std::uint8_t> bytes) : bytes_(bytes) {}
  std::uint32_t below(std::uint32_t n) {
    std::uint32_t v = 0;
    for (int i = 0; i < (n > 256 ? 4 : 1); ++i) v = v << 8 | (at_ < bytes_.size() ? bytes_[at_++] : 0U);
    return n > 0 ? v % n : 0;
  }
  double share() { return below(65536) / 65535.0; }
  template <class T, std::size_t N>
  const T& one_of(const T (&all)[N]) {
    return all[below(N)];
  }

 private:
  std::span<const std::uint8_t> bytes_;
  std::size_t at_ = 0;
};

// What is in a picture: grain, flat parts, steps, or samples that are hard to work with.
enum class Samples { usual, odd };

inline sieve::Image random_picture(Bytes& bytes, int largest, Samples samples) {
  constexpr float kOdd[] = {0,
                            -0.0F,
                            1,
                            1e30F,
                            -1e30F,
                            1e-38F,
                            1e-42F,
                            std::numeric_limits<float>::quiet_NaN(),
                            std::numeric_limits<float>::infinity(),
                            -std::numeric_limits<float>::infinity()};
  const auto side = [&] { return 1 + static_cast<int>(bytes.below(static_cast<std::uint32_t>(largest))); };
  const int w = side(), h = side(), channels = 1 + static_cast<int>(bytes.below(4));
  const std::uint32_t kind = bytes.below(4), seed = bytes.below(1000);
  sieve::Image image(w, h, channels);
  for (int c = 0; c < channels; ++c) {
    const sieve::RandomStream grain(seed, static_cast<std::uint64_t>(c));
    for (int y = 0; y < h; ++y) {
      for (int x = 0; x < w; ++x) {
        const auto u =
            static_cast<float>(grain.uniform(static_cast<std::uint64_t>(y) * 4099 + static_cast<std::uint64_t>(x)));
        image.at(x, y, c) = kind == 0   ? 1.5F * u - 0.25F
                            : kind == 1 ? 0.4F
                            : kind == 2 ? (x * 3 < w ? 0.2F : 0.8F) + 0.02F * u
                                        : std::round(7 * u) / 7;
      }
    }
  }
  if (samples == Samples::odd) {
    // Sometimes all of it is of a size that single precision hardly holds.
    constexpr float kSizes[] = {1, 1, 1, 1, 1e30F, 1e-30F, 1e-38F, 1e-42F};
    const float size = bytes.one_of(kSizes);
    image = sieve::map_samples(image, [size](float v) { return v * size; });
    for (std::uint32_t i = 0, n = 1 + bytes.below(8); i < n; ++i)
      image.at(static_cast<int>(bytes.below(static_cast<std::uint32_t>(w))),
               static_cast<int>(bytes.below(static_cast<std::uint32_t>(h))),
               static_cast<int>(bytes.below(static_cast<std::uint32_t>(channels)))) = bytes.one_of(kOdd);
  }
  return image;
}

// A gray picture of the same size, for filters that want a second one.
inline sieve::Image second_of(const sieve::Image& in) {
  sieve::Image second(in.width(), in.height());
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) second.at(x, y) = 0.1F + 0.1F * static_cast<float>((x + 2 * y) % 9);
  }
  return second;
}

// A number between the ends of a parameter, that takes no longer than a moment.
inline std::string random_number(Bytes& bytes, const sieve::Parameter& p) {
  const bool whole = p.kind == sieve::ParameterKind::whole || p.unit == "pixels";
  double most = whole ? 40 : 1e3;
  if (p.name == "iterations") most = 30;
  if (p.name == "search" || p.name == "rounds" || p.name == "sigma") most = 6;
  if (p.name == "patch" || p.name == "shifts") most = 3;
  if (p.name == "levels") most = 300;
  if (p.unit == "0..1 scale") most = 8;  // hundreds of times white, nothing is left but roundings
  const double low = std::max(p.range.low, -most), high = std::min(p.range.high, std::max(most, low));
  double v = low;
  switch (bytes.below(4)) {
    case 0:
      break;
    case 1:
      v = high;
      break;
    case 2:
      v = low + bytes.share() * (high - low);
      break;
    default:  // near the lower end
      v = low + std::pow(bytes.share(), 4) * (high - low);
  }
  return whole ? std::to_string(std::llround(v))
               : sieve::internal::number_text(static_cast<double>(static_cast<float>(v)), true);
}

// A text for a parameter that is none of the others; empty where there is none to try.
inline std::string random_text(Bytes& bytes, const sieve::Parameter& p) {
  constexpr const char* kTexts[][2] = {
      {"kernel", "gaussian:sigma=0.8"},
      {"kernel", "sobel_x"},
      {"kernel", "1,2,3/4,5,6/7,8,1"},
      {"kernel", "1,2/3,4:anchor=1,0"},
      {"kernel", "disk:radius=2.5"},
      {"kernel", "motion:length=5,angle=30"},
      {"kernel", "0,0,0/0,1,0/0,0,0"},
      {"kernel", "1,1,1,1,1"},
      {"kernel", "laplacian"},
      {"kernel", "gaussian:sigma=6"},
      {"kernel", "airy:radius=2"},
      {"kernel", "box:radius=2"},
      {"kernel", "emboss"},
      {"kernel", "scharr_y"},
      {"psf", "gaussian:sigma=1"},
      {"psf", "disk:radius=1.5"},
      {"psf", "motion:length=3,angle=20"},
      {"psf", "box:radius=1"},
      {"psf", "airy:radius=1"},
      {"psf", "0.4,0,0/0,0.3,0.1/0,0,0.2"},
      {"footprint", "0,1,0/1,1,1/0,1,0"},
      {"footprint", "1"},
      {"footprint", "1,0,0,0,1"},
      {"weights", "1,0,1/0,3,0/1,0,1"},
      {"weights", "gaussian:sigma=1"},
      {"to", "normal:mean=0.5,deviation=0.2"},
      {"to", "rayleigh:scale=0.3"},
      {"scales", "1"},
      {"scales", "0.5,3,40"},
      {"spectrum", "white"},
      {"spectrum", "measured"},
      {"part", "0,0,1,1"},
      {"with", "wavelet_shrink"},
      {"with", "total_variation"},
  };
  // Points of a curve, or frequencies.
  if (p.name == "points") return p.standard.find('/') != std::string::npos ? "0,0.1/0.4,0.7/1,0.9" : "0.1,0.2/-0.3,0";
  std::vector<std::string> fitting;
  for (const auto& [name, text] : kTexts) {
    if (p.name == name) fitting.emplace_back(text);
  }
  return fitting.empty() ? std::string() : fitting[bytes.below(static_cast<std::uint32_t>(fitting.size()))];
}

// A filter of the library with some of its settings; one that the settings contradict is thrown as InvalidArgument.
inline sieve::Filter random_filter(Bytes& bytes, const sieve::Image& second) {
  using namespace sieve;
  static const std::vector<std::string> names = Catalogue::standard().names();
  Filter f = Catalogue::standard().find(names[bytes.below(static_cast<std::uint32_t>(names.size()))]);
  const Resources resources{[&](const std::string&) { return second; }, {}};
  for (const Parameter& p : f.about().parameters) {
    if (p.picture && p.name == "with") {
      f.set(p.name, "second.png", resources);
      continue;
    }
    if (bytes.below(2) == 0) continue;
    if (p.picture) {
      f.set(p.name, "second.png", resources);
      continue;
    }
    switch (p.kind) {
      case ParameterKind::flag:
        f.set(p.name, bytes.below(2) == 0 ? "yes" : "no");
        break;
      case ParameterKind::choice:
        f.set(p.name, p.choices[bytes.below(static_cast<std::uint32_t>(p.choices.size()))]);
        break;
      case ParameterKind::number:
      case ParameterKind::whole:
        f.set(p.name, random_number(bytes, p));
        break;
      case ParameterKind::text:
        if (const std::string text = random_text(bytes, p); !text.empty()) f.set(p.name, text);
        break;
    }
  }
  return f;
}

// True where a result can be held against the plain definition: not for the fast bilateral filter, a coarser one by its
// definition; not for the direction of what is flat but for rounding; not for a surface through fewer samples than it
// has terms, of which there are many; and not where division by next to nothing has left no digits.
inline bool comparable(const sieve::Filter& f, const sieve::Image& in, const sieve::Image& result) {
  const std::string& name = f.about().name;
  if (name == "bilateral" && f.get("method") != "exact") return false;
  if (name == "gradient_direction") return false;
  if (f.text().find("by=polynomial") != std::string::npos && std::min(in.width(), in.height()) <= 5) return false;
  for (const sieve::ChannelStatistics& c : sieve::statistics(result)) {
    if (std::max(-c.minimum, c.maximum) > 1e6) return false;
  }
  return true;
}

}  // namespace fuzz
