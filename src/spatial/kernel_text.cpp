// Kernels from text and from files.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <map>

#include "sieve/spatial/kernel.hpp"
#include "spatial/kernel_limits.hpp"

namespace sieve {

using namespace internal;

namespace {

std::vector<std::string> cut(std::string_view text, std::string_view separators, bool keep_empty) {
  std::vector<std::string> parts;
  std::size_t start = 0;
  while (start <= text.size()) {
    const std::size_t end = std::min(text.find_first_of(separators, start), text.size());
    if (keep_empty || end > start) parts.emplace_back(text.substr(start, end - start));
    start = end + 1;
  }
  return parts;
}

Kernel from_rows(const std::vector<std::vector<double>>& rows, std::optional<std::pair<int, int>> anchor) {
  if (rows.empty() || rows[0].empty()) throw InvalidArgument("kernel: no numbers in it");
  std::vector<double> taps;
  for (std::size_t y = 0; y < rows.size(); ++y) {
    if (rows[y].size() != rows[0].size()) {
      throw InvalidArgument(fmt::format("kernel: row {} has {} numbers, row 1 has {}; all rows need the same", y + 1,
                                        rows[y].size(), rows[0].size()));
    }
    taps.insert(taps.end(), rows[y].begin(), rows[y].end());
  }
  const int w = static_cast<int>(rows[0].size()), h = static_cast<int>(rows.size());
  return anchor ? Kernel(w, h, std::move(taps), anchor->first, anchor->second) : Kernel(w, h, std::move(taps));
}

double tap_value(const std::string& word, std::size_t row) {
  const std::size_t slash = word.find('|');
  const auto v = internal::parse_number(word);
  if (!v || slash != std::string::npos) {
    throw InvalidArgument(
        fmt::format("kernel: '{}' in row {} is not a number; rows are split by / and numbers by ,", word, row));
  }
  return *v;
}

std::pair<int, int> anchor_of(const std::string& text) {
  const auto parts = cut(text, ", ", true);
  const auto x = parts.size() == 2 ? internal::parse_whole(parts[0]) : std::nullopt;
  const auto y = parts.size() == 2 ? internal::parse_whole(parts[1]) : std::nullopt;
  if (!x || !y || std::abs(*x) > kMostTaps || std::abs(*y) > kMostTaps) {
    throw InvalidArgument("kernel: anchor=" + text + " is not X,Y (from 0,0 at the top left tap)");
  }
  return {static_cast<int>(*x), static_cast<int>(*y)};
}

// What no table of weights begins with: the letters of PNM and PFM, or bytes that are no text.
bool looks_like_picture(std::string_view content) {
  const std::string_view start = content.substr(0, 16);
  return start.starts_with('P') || std::any_of(start.begin(), start.end(), [](char c) { return c >= 0 && c < '\t'; });
}

Kernel from_file_text(const std::string& content) {
  std::vector<std::vector<double>> rows;
  std::optional<std::pair<int, int>> anchor;
  std::size_t number = 0;
  for (std::string line : cut(content, "\n", true)) {
    ++number;
    line = line.substr(0, line.find('#'));
    auto words = cut(line, " \t\r,", false);
    if (words.empty()) continue;
    if (words[0] == "anchor") {
      if (words.size() != 3) throw InvalidArgument(fmt::format("kernel file, line {}: write 'anchor X Y'", number));
      anchor = anchor_of(words[1] + "," + words[2]);
      continue;
    }
    std::vector<double> row;
    for (const std::string& w : words) {
      const auto v = internal::parse_number(w);
      if (!v) throw InvalidArgument(fmt::format("kernel file, line {}: '{}' is not a number", number, w));
      row.push_back(*v);
    }
    rows.push_back(std::move(row));
  }
  return from_rows(rows, anchor);
}

// Parameters of a named kernel: "sigma=2,size=9", with what is allowed.
class Given {
 public:
  Given(std::string name, const std::string& text) : name_(std::move(name)) {
    for (const std::string& part : cut(text, ",", false)) {
      const std::size_t eq = part.find('=');
      if (eq == std::string::npos)
        throw InvalidArgument(fmt::format("kernel {}: '{}' is not parameter=value", name_, part));
      values_[part.substr(0, eq)] = part.substr(eq + 1);
    }
  }
  double number(const std::string& key, double standard, ParameterRange range) {
    known_.push_back(key);
    const auto it = values_.find(key);
    if (it == values_.end()) return standard;
    const auto v = internal::parse_number(it->second);
    if (!v || *v < range.low || *v > range.high) {
      throw InvalidArgument(fmt::format("kernel {}: {}={} is not allowed: give {}", name_, key, it->second,
                                        internal::range_text(range, ParameterKind::number, "pixels")));
    }
    return *v;
  }
  int whole(const std::string& key, int standard, ParameterRange range) {
    const double v = number(key, standard, range);
    if (v != std::floor(v))
      throw InvalidArgument(fmt::format("kernel {}: {}={} must be a whole number", name_, key, v));
    return static_cast<int>(v);
  }
  void done() const {
    for (const auto& [key, value] : values_) {
      if (std::find(known_.begin(), known_.end(), key) == known_.end()) {
        throw InvalidArgument(fmt::format("kernel {}: no parameter '{}'; it has {}", name_, key,
                                          known_.empty() ? "none" : listed(known_)));
      }
    }
  }

 private:
  std::string name_;
  std::map<std::string, std::string> values_;
  std::vector<std::string> known_;
};

}  // namespace

Kernel Kernel::parse(std::string_view text, const Resources& resources) {
  if (text.empty()) throw InvalidArgument("kernel: nothing given; give a name, rows like 0,1,0/1,-4,1/0,1,0, or @FILE");
  if (text[0] == '@') {
    const std::string file(text.substr(1));
    const std::string content = resources.open_text(file);
    if (!looks_like_picture(content)) return from_file_text(content);
    Kernel kernel = of_picture(resources.open_picture(file));
    kernel.text_ = text;
    return kernel;
  }
  const std::size_t colon = text.find(':');
  const std::string head(text.substr(0, colon));
  const std::string rest(colon == std::string_view::npos ? std::string_view{} : text.substr(colon + 1));
  const bool numbers = head.find_first_not_of("0123456789+-.,/eE") == std::string::npos;
  if (numbers) {
    std::vector<std::vector<double>> rows;
    for (const std::string& line : cut(head, "/", true)) {
      std::vector<double> row;
      for (const std::string& word : cut(line, ",", true)) row.push_back(tap_value(word, rows.size() + 1));
      rows.push_back(std::move(row));
    }
    std::optional<std::pair<int, int>> anchor;
    if (!rest.empty()) {
      if (!rest.starts_with("anchor="))
        throw InvalidArgument("kernel: behind the rows only :anchor=X,Y may stand, not ':" + rest + "'");
      anchor = anchor_of(rest.substr(7));
    }
    return from_rows(rows, anchor);
  }
  Given given(head, rest);
  std::optional<Kernel> kernel;
  if (head == "box") {
    kernel = box(given.whole("radius", 1, {0, 2047}));
  } else if (head == "gaussian") {
    const double sigma = given.number("sigma", 1, {0.01, 500});
    kernel = gaussian(sigma, given.whole("size", 0, {0, kMostTaps}));
  } else if (head == "disk") {
    kernel = disk(given.number("radius", 3, {0, 500}));
  } else if (head == "motion") {
    const double length = given.number("length", 9, {1, 1000});
    kernel = motion(length, given.number("angle", 0, {-360, 360}));
  } else if (head == "airy") {
    kernel = airy(given.number("radius", 3, {0.5, 100}));
  } else {
    kernel = fixed(head);
  }
  if (!kernel) {
    std::vector<std::string> all;
    for (const Preset& n : names()) all.push_back(n.name);
    const std::string near = nearest_name(head, all);
    throw InvalidArgument(
        fmt::format("kernel: no kernel is called '{}'{}; known are {}, or give rows like 0,1,0/1,-4,1/0,1,0", head,
                    near.empty() ? "" : fmt::format(" (did you mean '{}'?)", near), listed(all)));
  }
  given.done();
  return *kernel;
}

}  // namespace sieve
