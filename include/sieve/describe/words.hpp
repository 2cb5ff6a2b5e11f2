#pragma once
/// Lines of words: how values with blanks stand in them, and what a misspelled word may have meant.

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "sieve/core/attributes.hpp"

namespace SIEVE_EXPORT sieve {

/// `value` as it stands in a line of words: blanks, other white space and backslashes get a backslash before them.
[[nodiscard]] std::string one_word(std::string_view value);

/// The words of a line, split at white space that has no backslash before it; the backslashes of one_word() are taken
/// off.
[[nodiscard]] std::vector<std::string> words_of(std::string_view line);

/// The nearest of `names` to what was given, for "did you mean"; empty where none is near. Nearness is the edit
/// distance with adjacent swaps counted as one (optimal string alignment); a name that begins with what was given is
/// near.
[[nodiscard]] std::string nearest_name(std::string_view given, std::span<const std::string> names);

/// "a, b, c".
[[nodiscard]] std::string listed(std::span<const std::string> names);

namespace internal {
// "1 sample is", "5 samples are": a number with the words that go with it.
std::string counted(unsigned long long n, const char* one, const char* many);
std::string number_text(double value, bool single);
[[nodiscard]] std::optional<double> parse_number(std::string_view text);
[[nodiscard]] std::optional<long long> parse_whole(std::string_view text);
}  // namespace internal

}  // namespace sieve
