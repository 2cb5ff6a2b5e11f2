#pragma once
// Whole numbers in as few bytes as they need: seven bits a byte, the lowest first, the eighth says that more follow
// (LEB128).

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace sieve::internal::packing {

inline void put_varint(std::vector<std::uint8_t>& to, std::uint64_t value) {
  for (; value >= 128; value >>= 7) to.push_back(static_cast<std::uint8_t>(value | 128));
  to.push_back(static_cast<std::uint8_t>(value));
}

// Takes it off the front; nothing where the bytes end before it does.
inline std::optional<std::uint64_t> take_varint(std::span<const std::uint8_t>& from) {
  std::uint64_t value = 0;
  for (int shift = 0; shift < 64 && !from.empty(); shift += 7) {
    const std::uint8_t byte = from.front();
    from = from.subspan(1);
    value |= static_cast<std::uint64_t>(byte & 127) << shift;
    if (byte < 128) return value;
  }
  return std::nullopt;
}

}  // namespace sieve::internal::packing
