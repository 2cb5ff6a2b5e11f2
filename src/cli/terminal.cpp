#include "cli/terminal.hpp"

#include <algorithm>
#include <cstdint>

namespace sieve::internal::cli {

namespace {

// A code point and the bytes that it takes; no bytes where the text does not begin with valid UTF-8 (RFC 3629).
struct CodePoint {
  std::uint32_t value = 0;
  std::size_t bytes = 0;
};
CodePoint code_point(std::string_view text) {
  const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(text[i]); };
  const unsigned first = byte(0);
  if (first < 0x80) return {first, 1};
  const std::size_t n = first >= 0xf0 && first < 0xf5 ? 4 : first >= 0xe0 ? 3 : first >= 0xc2 ? 2 : 0;
  if (n == 0 || first >= 0xf5 || text.size() < n) return {};
  std::uint32_t v = first & (0xffU >> (n + 1));
  for (std::size_t i = 1; i < n; ++i) {
    if ((byte(i) & 0xc0U) != 0x80) return {};
    v = v << 6 | (byte(i) & 0x3fU);
  }
  constexpr std::uint32_t kLeast[] = {0, 0, 0x80, 0x800, 0x10000};
  if (v < kLeast[n] || v > 0x10ffff || (v >= 0xd800 && v < 0xe000)) return {};
  return {v, n};
}

// C1 controls, line and paragraph separators, and the controls of bidirectional text (Unicode, annex 9).
bool changes_the_terminal(std::uint32_t v) {
  return (v >= 0x80 && v < 0xa0) || v == 0x61c || v == 0x200e || v == 0x200f || (v >= 0x2028 && v <= 0x202e) ||
         (v >= 0x2066 && v <= 0x2069);
}

}  // namespace

bool is_utf8(std::string_view text) {
  while (!text.empty()) {
    const CodePoint c = code_point(text);
    if (c.bytes == 0) return false;
    text.remove_prefix(c.bytes);
  }
  return true;
}

std::string visible(std::string_view text, LineBreaks breaks) {
  std::string shown;
  shown.reserve(text.size());
  while (!text.empty()) {
    const CodePoint c = code_point(text);
    if (c.value == '\n' && breaks == LineBreaks::escape) {
      shown += "\\n";
    } else if (c.bytes == 0 || c.value == 0x7f || (c.value < 0x20 && c.value != '\n' && c.value != '\t')) {
      shown += fmt::format("\\x{:02x}", static_cast<unsigned>(static_cast<unsigned char>(text[0])));
    } else if (changes_the_terminal(c.value)) {
      shown += fmt::format("\\u{:04x}", c.value);
    } else {
      shown += text.substr(0, c.bytes);
    }
    text.remove_prefix(c.bytes == 0 ? 1 : c.bytes);
  }
  return shown;
}

std::string on_one_line(std::string_view text) { return visible(text, LineBreaks::escape); }

namespace {

std::string cut_in_the_middle(std::string_view text, std::size_t most) {
  if (text.size() <= most) return std::string(text);
  const std::size_t end = most / 3, begin = most - end;
  return fmt::format("{}...({} more)...{}", text.substr(0, begin), text.size() - most, text.substr(text.size() - end));
}

}  // namespace

std::string shortened(const std::string& message) {
  constexpr std::size_t kWord = 200, kMessage = 2000;
  std::string out;
  for (std::size_t at = 0; at < message.size();) {
    const std::size_t end = std::min(message.find(' ', at), message.size());
    out += cut_in_the_middle(std::string_view(message).substr(at, end - at), kWord);
    if (end < message.size()) out += ' ';
    at = end + 1;
  }
  return cut_in_the_middle(out, kMessage);
}

void print_text(std::FILE* to, std::string_view text) { fmt::print(to, "{}", visible(text)); }

}  // namespace sieve::internal::cli
