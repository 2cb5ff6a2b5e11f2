#pragma once
// Text on its way to a terminal. File names, records and other text from files may hold control sequences that would
// change the terminal, or order marks that would show a name as another one: they are printed escaped.

#include <fmt/format.h>

#include <cstdio>
#include <string>
#include <string_view>

namespace sieve::internal::cli {

enum class LineBreaks { keep, escape };

// The text with control characters (C0 other than tab, C1, DEL) and bidirectional controls as \x1b or \u202e, and bytes
// that are not UTF-8 as \xff.
std::string visible(std::string_view text, LineBreaks breaks = LineBreaks::keep);

bool is_utf8(std::string_view text);

// The same on one line.
std::string on_one_line(std::string_view text);

// A message whose words of more than 200 characters are cut in their middle, and itself where it has more than 2000.
std::string shortened(const std::string& message);

// fmt::print() of visible text.
void print_text(std::FILE* to, std::string_view text);
template <class... Arguments>
void say(std::FILE* to, fmt::format_string<Arguments...> format, Arguments&&... arguments) {
  print_text(to, fmt::format(format, std::forward<Arguments>(arguments)...));
}
template <class... Arguments>
void say(fmt::format_string<Arguments...> format, Arguments&&... arguments) {
  print_text(stdout, fmt::format(format, std::forward<Arguments>(arguments)...));
}

}  // namespace sieve::internal::cli
