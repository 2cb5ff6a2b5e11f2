#pragma once
// Binary range coding with adaptive probabilities. Encoder and decoder have the same calls, so that one template describes
// a format for both. Source: Martin, "Range encoding", 1979; carries as in Schindler's form of it, 1999.

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

// The probability of a 1: the mean of one that follows fast and one that follows slowly.
struct Bit {
  std::uint16_t fast = 1 << 15, slow = 1 << 15;
  std::uint8_t seen = 0;
  // In 1/32768.
  std::uint32_t one() const { return (static_cast<std::uint32_t>(fast) + slow) >> 2; }
  void learn(bool b) {
    const int pace = kPace[seen], quick = pace < 4 ? pace : 4;
    if (b) {
      fast = static_cast<std::uint16_t>(fast + ((65535 - fast) >> quick));
      slow = static_cast<std::uint16_t>(slow + ((65535 - slow) >> pace));
    } else {
      fast = static_cast<std::uint16_t>(fast - (fast >> quick));
      slow = static_cast<std::uint16_t>(slow - (slow >> pace));
    }
    if (seen < kPace.size() - 1) ++seen;
  }
};

class RangeEncoder {
 public:
  static constexpr bool kDecodes = false;
  bool bit(Bit& m, bool b) {
    const std::uint32_t bound = (range_ >> 15) * m.one();
    if (b) {
      range_ = bound;
    } else {
      low_ += bound;
      range_ -= bound;
    }
    m.learn(b);
    while (range_ < (1U << 24)) shift();
    return b;
  }
  // The lowest `count` bits of a value, all equally likely.
  std::uint32_t raw(std::uint32_t value, int count) {
    for (int i = count - 1; i >= 0; --i) {
      range_ >>= 1;
      if ((value >> i & 1U) == 0) low_ += range_;
      while (range_ < (1U << 24)) shift();
    }
    return value;
  }
  bool ended() const { return false; }
  bool ended_long() const { return false; }
  // Bytes so far; a decoder needs up to five more to know the last bits.
  std::size_t size() const { return out_.size() + pending_; }
  std::vector<std::uint8_t> finish() {
    // As few bytes as name a number within the range; the decoder reads zeros beyond.
    const std::uint64_t high = low_ + range_ - 1;
    for (int drop = 24; drop >= 0; drop -= 8) {
      const std::uint64_t rounded = (high >> drop) << drop;
      if (rounded >= low_) {
        low_ = rounded;
        break;
      }
    }
    for (int i = 0; i < 5; ++i) shift();
    return std::move(out_);
  }

 private:
  void shift() {
    range_ <<= 8;
    if (low_ < 0xff000000U || low_ > 0xffffffffU) {
      const auto carry = static_cast<std::uint8_t>(low_ >> 32);
      if (started_) out_.push_back(static_cast<std::uint8_t>(cache_ + carry));
      started_ = true;
      for (; pending_ > 0; --pending_) out_.push_back(static_cast<std::uint8_t>(0xff + carry));
      cache_ = static_cast<std::uint8_t>(low_ >> 24);
    } else {
      ++pending_;
    }
    low_ = (low_ & 0x00ffffffU) << 8;
  }
  std::vector<std::uint8_t> out_;
  std::uint64_t low_ = 0;
  std::uint32_t range_ = 0xffffffffU;
  std::uint8_t cache_ = 0;
  bool started_ = false;
  std::size_t pending_ = 0;
};

class RangeDecoder {
 public:
  static constexpr bool kDecodes = true;
  explicit RangeDecoder(std::span<const std::uint8_t> bytes) : bytes_(bytes) {
    for (int i = 0; i < 4; ++i) code_ = code_ << 8 | next();
  }
  bool bit(Bit& m, bool) {
    const std::uint32_t bound = (range_ >> 15) * m.one();
    const bool b = code_ < bound;
    if (b) {
      range_ = bound;
    } else {
      code_ -= bound;
      range_ -= bound;
    }
    m.learn(b);
    while (range_ < (1U << 24)) shift();
    return b;
  }
  std::uint32_t raw(std::uint32_t, int count) {
    std::uint32_t value = 0;
    for (int i = 0; i < count; ++i) {
      range_ >>= 1;
      const bool b = code_ < range_;
      if (!b) code_ -= range_;
      value = value << 1 | (b ? 1U : 0U);
      while (range_ < (1U << 24)) shift();
    }
    return value;
  }
  // Whether bits have been read that no byte stands for; a whole stream is read a few bytes beyond its end.
  bool ended() const { return at_ > bytes_.size(); }
  // Far beyond any end that a whole stream has (trailing zeros are left out of it).
  bool ended_long() const { return at_ > bytes_.size() + 64; }

 private:
  std::uint32_t next() { return at_ < bytes_.size() ? bytes_[at_++] : (++at_, 0U); }
  void shift() {
    range_ <<= 8;
    code_ = code_ << 8 | next();
  }
  std::span<const std::uint8_t> bytes_;
  std::size_t at_ = 0;
  std::uint32_t range_ = 0xffffffffU, code_ = 0;
};

// Whole numbers from 0 on, small ones likely: a 1 for each step up to N, then an Elias gamma code.
template <int N>
struct Count {
  std::array<Bit, N> steps;
  std::array<Bit, 32> lengths;
  template <class Coder>
  std::uint32_t code(Coder& c, std::uint32_t value) {
    for (std::uint32_t i = 0; i < N; ++i) {
      if (!c.bit(steps[i], value > i)) return i;
    }
    const std::uint32_t rest = value - N + 1;
    int length = 0;
    const int wanted = Coder::kDecodes ? 0 : static_cast<int>(std::bit_width(rest)) - 1;
    while (length < 31 && c.bit(lengths[static_cast<std::size_t>(length)], length < wanted)) ++length;
    const std::uint32_t low = length > 0 ? c.raw(rest & ((1U << length) - 1), length) : 0;
    return ((1U << length) | low) + N - 1;
  }
};

}  // namespace sieve::pack_detail
