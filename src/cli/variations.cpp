#include "cli/variations.hpp"

#include <fmt/format.h>

#include <cmath>

namespace sieve::internal::cli {

namespace {

[[noreturn]] void wrong(const std::string& word, const std::string& why) {
  throw InvalidArgument(word + ": " + why + "; a range is LOW..HIGH:STEPS or LOW..HIGH:STEPS:log, a list is A|B|C");
}

Varied varied_of(std::size_t at, const std::string& word) {
  const std::size_t eq = word.find('=');
  Varied v{at, word.substr(0, eq), {}, false};
  const std::string text = word.substr(eq + 1);
  if (text.find('|') != std::string::npos) {
    for (std::size_t start = 0; start <= text.size();) {
      const std::size_t end = std::min(text.find('|', start), text.size());
      if (end == start) wrong(word, "an empty value");
      v.values.push_back(text.substr(start, end - start));
      start = end + 1;
    }
    return v;
  }
  const std::size_t dots = text.find(".."), colon = text.find(':', dots);
  if (colon == std::string::npos) wrong(word, "how many steps?");
  const std::size_t second = text.find(':', colon + 1);
  const std::string tail = second == std::string::npos ? "" : text.substr(second + 1);
  const auto low = internal::parse_number(text.substr(0, dots)),
             high = internal::parse_number(text.substr(dots + 2, colon - dots - 2));
  const auto steps = internal::parse_whole(
      text.substr(colon + 1, second == std::string::npos ? std::string::npos : second - colon - 1));
  if (!low || !high) wrong(word, "an end of the range is no number");
  if (!steps || *steps < 2 || *steps > 200) wrong(word, "the steps are a whole number from 2 to 200");
  if (!tail.empty() && tail != "log") wrong(word, "only :log may follow the steps");
  v.logarithmic = tail == "log";
  if (v.logarithmic && (*low <= 0 || *high <= 0)) wrong(word, "a logarithmic range lies above 0");
  for (long long i = 0; i < *steps; ++i) {
    const double t = static_cast<double>(i) / static_cast<double>(*steps - 1);
    const double value = v.logarithmic ? *low * std::pow(*high / *low, t) : *low + (*high - *low) * t;
    v.values.push_back(fmt::format("{:.6g}", value));
  }
  return v;
}

}  // namespace

std::size_t Variations::size() const {
  std::size_t n = 1;
  for (const Varied& v : varied) n *= v.values.size();
  return n;
}

std::vector<std::string> Variations::values(std::size_t i) const {
  std::vector<std::string> all;
  for (const Varied& v : varied) {
    all.push_back(v.values[i % v.values.size()]);
    i /= v.values.size();
  }
  return all;
}

std::vector<std::string> Variations::chain(std::size_t i) const {
  std::vector<std::string> w = words;
  const auto v = values(i);
  for (std::size_t k = 0; k < varied.size(); ++k) w[varied[k].word] = varied[k].key + "=" + v[k];
  return w;
}

std::string Variations::label(std::size_t i) const {
  std::string s;
  const auto v = values(i);
  for (std::size_t k = 0; k < varied.size(); ++k) s += (k ? " " : "") + varied[k].key + "=" + v[k];
  return s;
}

Variations variations_of(const Session& session, std::vector<std::string> words) {
  Variations p;
  p.words = std::move(words);
  for (std::size_t i = 0; i < p.words.size(); ++i) {
    const std::size_t eq = p.words[i].find('=');
    if (eq == std::string::npos || !holds_range(p.words[i].substr(eq + 1))) continue;
    // Names of files and kernels may hold dots: a range begins with a number.
    const std::string value = p.words[i].substr(eq + 1);
    if (value.find('|') == std::string::npos && value.find_first_of("0123456789") != 0 && value[0] != '-' &&
        value[0] != '+' && value[0] != '.')
      continue;
    p.varied.push_back(varied_of(i, p.words[i]));
  }
  if (p.varied.size() > 2) throw InvalidArgument(fmt::format("{} values vary; one or two may", p.varied.size()));
  if (p.size() > 400) throw InvalidArgument(fmt::format("{} runs; at most 400 in one sweep", p.size()));
  for (std::size_t i = 0; i < p.size(); ++i)
    (void)Chain::parse(p.chain(i), session.catalogue, session.resources());  // all are checked before the first runs
  return p;
}

}  // namespace sieve::internal::cli
