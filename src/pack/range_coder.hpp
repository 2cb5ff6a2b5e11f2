#pragma once
// Binary range coding with adaptive probabilities. Encoder and decoder have the same calls, so that one template describes
// a format for both. Source: Martin, "Range encoding", 1979; carries go back into the bytes that are out.

#include <algorithm>
#include <array>
#include <bit>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace sieve::pack_detail {

// How fast a probability learns after so many bits: the first ones count most.
inline constexpr std::array<std::uint8_t, 128> kPace = [] {
  std::array<std::uint8_t, 128> t{};
  for (unsigned n = 0; n < t.size(); ++n) t[n] = static_cast<std::uint8_t>(std::bit_width((2 * n + 3) * 3 / 4));
  for (auto& v : t) v = v < 1 ? 1 : v;
  return t;
}();

// The probability of a 1.
struct Bit {
  std::uint16_t level = 1 << 15;
  std::uint16_t seen = 0;
  // In 1/32768.
  std::uint32_t one() const { return level >> 1; }
  void learn(bool b) {
    const int pace = kPace[seen];
    const int toward = b ? 65535 - 31 : 31;
    level = static_cast<std::uint16_t>(level + ((toward - level) >> pace));
    seen = static_cast<std::uint16_t>(seen + (seen < 40));
  }
};

// The range is a number of 33 to 48 bits; sixteen bits leave at a time.
inline constexpr std::uint64_t kLeastRange = std::uint64_t{1} << 32, kFullRange = std::uint64_t{1} << 48;

class RangeEncoder {
 public:
  static constexpr bool kDecodes = false;
  bool bit(Bit& m, bool b) {
    const std::uint64_t bound = (range_ >> 15) * m.one();
    low_ += b ? 0 : bound;
    range_ = b ? bound : range_ - bound;
    m.learn(b);
    if (range_ < kLeastRange) shift();
    return b;
  }
  // The lowest `count` bits of a value, all equally likely; 16 at most.
  std::uint32_t raw(std::uint32_t value, int count) {
    range_ >>= count;
    low_ += range_ * (value & ((1U << count) - 1));
    if (range_ < kLeastRange) shift();
    return value;
  }
  bool ended() const { return false; }
  bool ended_long() const { return false; }
  // Bytes so far; a decoder needs up to six more to know the last bits.
  std::size_t size() const { return out_.size(); }
  std::vector<std::uint8_t> finish() {
    // As few bytes as name a number within the range; the decoder reads zeros beyond.
    const std::uint64_t high = low_ + range_ - 1;
    for (int drop = 40; drop >= 0; drop -= 8) {
      const std::uint64_t rounded = (high >> drop) << drop;
      if (rounded >= low_) {
        low_ = rounded;
        break;
      }
    }
    for (int i = 0; i < 3; ++i) shift();
    while (!out_.empty() && out_.back() == 0) out_.pop_back();
    return std::move(out_);
  }

 private:
  void shift() {
    if (low_ >= kFullRange) {
      low_ -= kFullRange;
      for (std::size_t i = out_.size(); i > 0 && ++out_[i - 1] == 0;) --i;
    }
    out_.push_back(static_cast<std::uint8_t>(low_ >> 40));
    out_.push_back(static_cast<std::uint8_t>(low_ >> 32));
    low_ = (low_ & (kLeastRange - 1)) << 16;
    range_ <<= 16;
  }
  std::vector<std::uint8_t> out_;
  std::uint64_t low_ = 0, range_ = kFullRange - 1;
};

class RangeDecoder {
 public:
  static constexpr bool kDecodes = true;
  explicit RangeDecoder(std::span<const std::uint8_t> bytes) : bytes_(bytes) {
    for (int i = 0; i < 3; ++i) code_ = code_ << 16 | next();
  }
  bool bit(Bit& m, bool) {
    const std::uint64_t bound = (range_ >> 15) * m.one();
    const bool b = code_ < bound;
    code_ -= b ? 0 : bound;
    range_ = b ? bound : range_ - bound;
    m.learn(b);
    if (range_ < kLeastRange) shift();
    return b;
  }
  std::uint32_t raw(std::uint32_t, int count) {
    range_ >>= count;
    const std::uint64_t value = std::min<std::uint64_t>(code_ / range_, (1U << count) - 1);
    code_ -= value * range_;
    if (range_ < kLeastRange) shift();
    return static_cast<std::uint32_t>(value);
  }
  // Whether bits have been read that no byte stands for; a whole stream is read a few bytes beyond its end.
  bool ended() const { return at_ > bytes_.size(); }
  // Far beyond any end that a whole stream has.
  bool ended_long() const { return at_ > bytes_.size() + 64; }

 private:
  std::uint64_t next() {
    const std::uint64_t high = at_ < bytes_.size() ? bytes_[at_] : 0U, low = at_ + 1 < bytes_.size() ? bytes_[at_ + 1] : 0U;
    at_ += 2;
    return high << 8 | low;
  }
  void shift() {
    range_ <<= 16;
    code_ = code_ << 16 | next();
  }
  std::span<const std::uint8_t> bytes_;
  std::size_t at_ = 0;
  std::uint64_t range_ = kFullRange - 1, code_ = 0;
};

// Whole numbers from 0 on, small ones likely: a 1 for each step up to N, then an Elias gamma code.
template <int N>
struct Count {
  std::array<Bit, N> steps;
  std::array<Bit, 28> lengths;
  template <class Coder>
  std::uint32_t code(Coder& c, std::uint32_t value) {
    for (std::uint32_t i = 0; i < N; ++i) {
      if (!c.bit(steps[i], value > i)) return i;
    }
    const std::uint32_t rest = value - N + 1;
    int length = 0;
    const int wanted = Coder::kDecodes ? 0 : static_cast<int>(std::bit_width(rest)) - 1;
    while (length < 28 && c.bit(lengths[static_cast<std::size_t>(length)], length < wanted)) ++length;
    std::uint32_t low = 0;
    if (length > 16) low = c.raw(rest >> 16 & ((1U << (length - 16)) - 1), length - 16) << 16;
    const int last = std::min(length, 16);
    if (last > 0) low |= c.raw(rest & ((1U << last) - 1), last);
    return ((1U << length) | low) + N - 1;
  }
};

}  // namespace sieve::pack_detail
