#pragma once
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace sieve::internal {

// Rows of two numbers "a,b", split by `/` or line ends, with `#` comments and empty rows; where `heading` allows it the
// first row may be two words. The first numbers rise.
struct NumberPairs {
  std::vector<std::pair<double, double>> pairs;
  std::string text;  // the rows that were read, split by `/`
};
// Returns what is wrong, or an empty text.
std::string read_number_pairs(std::string_view text, bool heading, NumberPairs& into);

}  // namespace sieve::internal
