#include "sieve/describe/words.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

namespace sieve {

namespace {

bool is_white(char c) { return std::string_view(" \t\n\v\f\r").find(c) != std::string_view::npos; }

// Edit distance with adjacent swaps counted as one.
std::size_t distance(std::string_view a, std::string_view b) {
  std::vector<std::vector<std::size_t>> d(a.size() + 1, std::vector<std::size_t>(b.size() + 1));
  for (std::size_t i = 0; i <= a.size(); ++i) d[i][0] = i;
  for (std::size_t j = 0; j <= b.size(); ++j) d[0][j] = j;
  for (std::size_t i = 1; i <= a.size(); ++i) {
    for (std::size_t j = 1; j <= b.size(); ++j) {
      d[i][j] = std::min({d[i - 1][j] + 1, d[i][j - 1] + 1, d[i - 1][j - 1] + (a[i - 1] != b[j - 1])});
      if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1]) {
        d[i][j] = std::min(d[i][j], d[i - 2][j - 2] + 1);
      }
    }
  }
  return d[a.size()][b.size()];
}

}  // namespace

std::string nearest_name(std::string_view given, std::span<const std::string> names) {
  std::string best;
  std::size_t least = std::max<std::size_t>(2, given.size() / 2);
  if (given.size() > 100) return best;
  for (const std::string& n : names) {
    const bool starts = given.size() >= 3 && n.starts_with(given);
    const std::size_t d = starts ? 1 : distance(given, n);
    if (d < least || (d == least && best.empty())) {
      least = d;
      best = n;
    }
  }
  return best;
}

std::string listed(std::span<const std::string> names) {
  std::string s;
  for (const std::string& n : names) s += (s.empty() ? "" : ", ") + n;
  return s;
}

std::string one_word(std::string_view value) {
  std::string s;
  for (const char c : value) {
    if (c == '\\' || is_white(c)) s += '\\';
    s += c;
  }
  return s;
}

std::vector<std::string> words_of(std::string_view line) {
  std::vector<std::string> words;
  bool within = false;
  for (std::size_t i = 0; i < line.size(); ++i) {
    if (is_white(line[i])) {
      within = false;
      continue;
    }
    if (!within) words.emplace_back();
    within = true;
    if (line[i] == '\\' && i + 1 < line.size()) ++i;
    words.back() += line[i];
  }
  return words;
}

namespace internal {

std::string counted(unsigned long long n, const char* one, const char* many) {
  return fmt::format("{} {}", n, n == 1 ? one : many);
}

std::string number_text(double value, bool single) {
  std::array<char, 64> buffer{};
  const auto r = single ? std::to_chars(buffer.data(), buffer.data() + buffer.size(), static_cast<float>(value))
                        : std::to_chars(buffer.data(), buffer.data() + buffer.size(), value);
  return std::string(buffer.data(), r.ptr);
}

std::optional<double> parse_number(std::string_view text) {
  if (text.starts_with('+')) text.remove_prefix(1);
  double v = 0;
  const auto r = std::from_chars(text.data(), text.data() + text.size(), v);
  if (r.ec != std::errc() || r.ptr != text.data() + text.size() || !std::isfinite(v)) return std::nullopt;
  return v;
}

std::optional<long long> parse_whole(std::string_view text) {
  if (text.starts_with('+')) text.remove_prefix(1);
  long long v = 0;
  const auto r = std::from_chars(text.data(), text.data() + text.size(), v);
  if (r.ec != std::errc() || r.ptr != text.data() + text.size()) return std::nullopt;
  return v;
}

}  // namespace internal

}  // namespace sieve
