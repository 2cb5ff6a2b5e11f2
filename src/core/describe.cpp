#include "sieve/core/describe.hpp"

#include <fmt/format.h>

#include <array>
#include <charconv>
#include <cmath>
#include <iterator>

namespace sieve {

namespace {

constexpr std::pair<const char*, Border> kBorders[] = {
    {"edge", Border::edge}, {"mirror", Border::mirror},     {"reflect", Border::reflect}, {"wrap", Border::wrap},
    {"zero", Border::zero}, {"constant", Border::constant}, {"inside", Border::inside},
};

constexpr std::pair<const char*, GrayBy> kGrayBy[] = {
    {"rec709", GrayBy::rec709}, {"rec601", GrayBy::rec601}, {"rec2020", GrayBy::rec2020}, {"average", GrayBy::average},
    {"red", GrayBy::red},       {"green", GrayBy::green},   {"blue", GrayBy::blue},
};

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

std::span<const std::pair<const char*, Border>> ChoiceNames<Border>::all() { return kBorders; }
std::span<const std::pair<const char*, GrayBy>> ChoiceNames<GrayBy>::all() { return kGrayBy; }

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

namespace detail {

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

std::string range_text(const Range& range, Kind kind, const std::string& unit) {
  const char* what = kind == Kind::whole ? "a whole number" : "a number";
  const bool low = std::isfinite(range.low) && range.low > -2e9, high = std::isfinite(range.high) && range.high < 2e9;
  const auto end = [kind](double v) { return kind == Kind::whole ? fmt::format("{:.0f}", v) : fmt::format("{:g}", v); };
  std::string s = what;
  if (low && high) {
    s += fmt::format(" from {} to {}", end(range.low), end(range.high));
  } else if (low) {
    s += fmt::format(" from {} on", end(range.low));
  } else if (high) {
    s += fmt::format(" up to {}", end(range.high));
  }
  if (!unit.empty()) s += " (" + unit + ")";
  return s;
}

}  // namespace detail

const Parameter& About::parameter(std::string_view parameter_name) const {
  std::vector<std::string> names;
  for (const Parameter& p : parameters) {
    if (p.name == parameter_name) return p;
    names.push_back(p.name);
  }
  if (names.empty()) throw BadCall(fmt::format("{}: no parameter '{}'; it takes none", name, parameter_name));
  const std::string near = nearest_name(parameter_name, names);
  throw BadCall(fmt::format("{}: no parameter '{}'{}; it has {}", name, parameter_name,
                            near.empty() ? "" : fmt::format(", did you mean '{}'", near), listed(names)));
}

void About::set(void* filter, std::string_view parameter_name, std::string_view text,
                const Resources& resources) const {
  const Parameter& p = parameter(parameter_name);
  const std::string before = p.get(filter);
  bool good = false;
  try {
    good = p.set(filter, text, resources);
  } catch (const BadCall& e) {
    throw BadCall(fmt::format("{}: {}", name, e.what()));
  }
  if (!good) {
    const std::string near = nearest_name(text, p.choices);
    throw BadCall(fmt::format("{}: {}={} is not allowed{}: give {}", name, p.name, text,
                              near.empty() ? "" : fmt::format(" (did you mean '{}'?)", near), p.allowed));
  }
  if (!p.in_range(filter)) {
    p.set(filter, before, resources);  // a value that is refused leaves the field as it was
    throw BadCall(fmt::format("{}: {}={} is out of range: give {}", name, p.name, text, p.allowed));
  }
}

void About::check(const void* filter) const {
  for (const Parameter& p : parameters) {
    if (!p.in_range(filter)) {
      throw BadCall(fmt::format("{}: {}={} is out of range: give {}", name, p.name, p.get(filter), p.allowed));
    }
  }
}

std::string About::text(const void* filter, bool full) const {
  std::string s = name;
  for (const Parameter& p : parameters) {
    const std::string v = p.get(filter);
    if (full || v != p.standard) s += " " + p.name + "=" + one_word(v);
  }
  return s;
}

}  // namespace sieve
