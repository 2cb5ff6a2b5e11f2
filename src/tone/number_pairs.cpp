#include "tone/number_pairs.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>

#include "sieve/describe/description.hpp"

namespace sieve {

using namespace internal;

std::string internal::read_number_pairs(std::string_view text, bool heading, NumberPairs& into) {
  std::string rows(text);
  std::replace(rows.begin(), rows.end(), '\n', '/');
  rows += '/';
  for (std::size_t at = 0; at < rows.size();) {
    const std::size_t end = rows.find('/', at);
    std::string row = rows.substr(at, end - at);
    at = end + 1;
    row = row.substr(0, row.find('#'));
    while (!row.empty() && std::isspace(static_cast<unsigned char>(row.back())) != 0) row.pop_back();
    if (row.empty()) continue;
    const std::size_t comma = row.find(',');
    const auto a = internal::parse_number(row.substr(0, comma)),
               b = comma == std::string::npos ? std::nullopt : internal::parse_number(row.substr(comma + 1));
    if (std::exchange(heading, false) && comma != std::string::npos && !a && !b) continue;
    if (!a || !b || !std::isfinite(*a) || !std::isfinite(*b)) return fmt::format("row '{}' is not two numbers", row);
    if (!into.pairs.empty() && *a <= into.pairs.back().first)
      return fmt::format("at row '{}' the first numbers do not rise", row);
    into.pairs.emplace_back(*a, *b);
    into.text += (into.text.empty() ? "" : "/") + row;
  }
  return {};
}

}  // namespace sieve
