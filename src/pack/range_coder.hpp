#pragma once
// Binary range coding with adaptive probabilities. Encoder and decoder have the same calls, so that one template
// describes a format for both. Source: Martin, "Range encoding", 1979; carries go back into the bytes that are out.

#include <algorithm>
#include <array>
#include <bit>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace sieve::internal::packing {

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

// The same with one pace from the start, for what is known well enough to begin with.
struct SteadyBit {
  std::uint16_t level = 1 << 15;
  std::uint32_t one() const { return level >> 1; }
  void learn(bool b) { level = static_cast<std::uint16_t>(level + (((b ? 65535 - 31 : 31) - level) >> 5)); }
};

// The range is a number of 33 to 48 bits; sixteen bits leave at a time.
inline constexpr std::uint64_t kLeastRange = std::uint64_t{1} << 32, kFullRange = std::uint64_t{1} << 48;

// What a coder carries from bit to bit. Inner loops work on a copy of their own, which stays in registers: see take()
// and put().
struct EncoderState {
  static constexpr bool kDecodes = false;
  std::uint64_t low = 0, range = kFullRange - 1;
  std::uint8_t* at = nullptr;
  template <class Model>
  [[gnu::always_inline]] bool bit(Model& m, bool b) {
    const std::uint64_t bound = (range >> 15) * m.one();
    low += b ? 0 : bound;
    range = b ? bound : range - bound;
    m.learn(b);
    if (range < kLeastRange) shift();
    return b;
  }
  // The lowest `count` bits of a value, all equally likely; 16 at most.
  std::uint32_t raw(std::uint32_t value, int count) {
    range >>= count;
    low += range * (value & ((1U << count) - 1));
    if (range < kLeastRange) shift();
    return value;
  }
  bool ended() const { return false; }
  void shift() {
    if (low >= kFullRange) {
      low -= kFullRange;
      for (std::uint8_t* p = at; ++*--p == 0;) {
      }
    }
    *at++ = static_cast<std::uint8_t>(low >> 40);
    *at++ = static_cast<std::uint8_t>(low >> 32);
    low = (low & (kLeastRange - 1)) << 16;
    range <<= 16;
  }
};

class RangeEncoder {
 public:
  static constexpr bool kDecodes = false;
  // The state, with room for so many bytes; put back when they are coded.
  EncoderState take(std::size_t room) {
    const std::size_t used = size();
    if (out_.size() - used < room) {
      out_.resize(2 * out_.size() + room);
      state_.at = out_.data() + used;
    }
    return state_;
  }
  void put(const EncoderState& state) { state_ = state; }
  template <class Model>
  bool bit(Model& m, bool b) {
    take(2);
    return state_.bit(m, b);
  }
  std::uint32_t raw(std::uint32_t value, int count) {
    take(2);
    return state_.raw(value, count);
  }
  bool ended() const { return false; }
  bool ended_long() const { return false; }
  // Bytes so far; a decoder needs up to six more to know the last bits.
  std::size_t size() const { return out_.empty() ? 0 : static_cast<std::size_t>(state_.at - out_.data()); }
  std::vector<std::uint8_t> finish() {
    take(6);
    // As few bytes as name a number within the range; the decoder reads zeros beyond.
    const std::uint64_t high = state_.low + state_.range - 1;
    for (int drop = 40; drop >= 0; drop -= 8) {
      const std::uint64_t rounded = (high >> drop) << drop;
      if (rounded >= state_.low) {
        state_.low = rounded;
        break;
      }
    }
    for (int i = 0; i < 3; ++i) state_.shift();
    out_.resize(size());
    while (!out_.empty() && out_.back() == 0) out_.pop_back();
    return std::move(out_);
  }

 private:
  EncoderState state_;
  std::vector<std::uint8_t> out_;
};

struct DecoderState {
  static constexpr bool kDecodes = true;
  const std::uint8_t *at = nullptr, *end = nullptr;
  std::size_t beyond = 0;  // bytes read after the end
  std::uint64_t range = kFullRange - 1, code = 0;
  template <class Model>
  [[gnu::always_inline]] bool bit(Model& m, bool) {
    const std::uint64_t bound = (range >> 15) * m.one();
    if (code < bound) {
      range = bound;
      m.learn(true);
      if (range < kLeastRange) shift();
      return true;
    }
    code -= bound;
    range -= bound;
    m.learn(false);
    if (range < kLeastRange) shift();
    return false;
  }
  std::uint32_t raw(std::uint32_t, int count) {
    range >>= count;
    // Most are signs: for them a comparison does what a division would.
    const std::uint64_t value = count == 1 ? code >= range : std::min<std::uint64_t>(code / range, (1U << count) - 1);
    code -= value * range;
    if (range < kLeastRange) shift();
    return static_cast<std::uint32_t>(value);
  }
  bool ended() const { return beyond > 0; }
  std::uint64_t next() {
    if (end - at >= 2) {
      at += 2;
      return static_cast<std::uint64_t>(at[-2]) << 8 | at[-1];
    }
    const std::uint64_t high = at < end ? *at : 0U;
    beyond += at < end ? 1 : 2;
    at = end;
    return high << 8;
  }
  void shift() {
    range <<= 16;
    code = code << 16 | next();
  }
};

class RangeDecoder {
 public:
  static constexpr bool kDecodes = true;
  explicit RangeDecoder(std::span<const std::uint8_t> bytes) {
    state_.at = bytes.data();
    state_.end = bytes.data() + bytes.size();
    for (int i = 0; i < 3; ++i) state_.code = state_.code << 16 | state_.next();
  }
  DecoderState take(std::size_t) const { return state_; }
  void put(const DecoderState& state) { state_ = state; }
  template <class Model>
  bool bit(Model& m, bool b) {
    return state_.bit(m, b);
  }
  std::uint32_t raw(std::uint32_t value, int count) { return state_.raw(value, count); }
  // Whether bits have been read that no byte stands for; a whole stream is read a few bytes beyond its end.
  bool ended() const { return state_.ended(); }
  // Far beyond any end that a whole stream has.
  bool ended_long() const { return state_.beyond > 64; }

 private:
  DecoderState state_;
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

}  // namespace sieve::internal::packing
