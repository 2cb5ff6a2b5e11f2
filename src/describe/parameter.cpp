#include "sieve/describe/parameter.hpp"

#include <fmt/format.h>

#include <cmath>

#include "sieve/core/error.hpp"

namespace sieve {

namespace {

constexpr std::pair<const char*, Border> kBorders[] = {
    {"edge", Border::edge},   {"mirror", Border::mirror}, {"reflect", Border::reflect},
    {"wrap", Border::wrap},   {"zero", Border::zero},     {"constant", Border::constant},
    {"taper", Border::taper}, {"inside", Border::inside}, {"full", Border::full},
};

constexpr std::pair<const char*, GrayBy> kGrayBy[] = {
    {"rec709", GrayBy::rec709}, {"rec601", GrayBy::rec601}, {"rec2020", GrayBy::rec2020}, {"average", GrayBy::average},
    {"red", GrayBy::red},       {"green", GrayBy::green},   {"blue", GrayBy::blue},
};

}  // namespace

std::span<const std::pair<const char*, Border>> ChoiceNames<Border>::all() { return kBorders; }
std::span<const std::pair<const char*, GrayBy>> ChoiceNames<GrayBy>::all() { return kGrayBy; }

std::string TextValue<std::optional<Rectangle>>::text(const std::optional<Rectangle>& r) {
  return r ? fmt::format("{},{},{},{}", r->x, r->y, r->width, r->height) : "all";
}

std::optional<Rectangle> TextValue<std::optional<Rectangle>>::parse(std::string_view s, const Resources&) {
  if (s == "all") return std::nullopt;
  int v[4];
  std::size_t start = 0;
  for (int i = 0; i < 4; ++i) {
    const std::size_t comma = i < 3 ? s.find(',', start) : s.size();
    const auto n =
        comma == std::string_view::npos ? std::nullopt : internal::parse_whole(s.substr(start, comma - start));
    if (!n || *n < 0 || *n > 1000000000)
      throw InvalidArgument(fmt::format("the rectangle {} is not allowed: give {}", s, allowed()));
    v[i] = static_cast<int>(*n);
    start = comma + 1;
  }
  return Rectangle{v[0], v[1], v[2], v[3]};
}

namespace internal {

std::string range_text(const ParameterRange& range, ParameterKind kind, const std::string& unit) {
  const char* what = kind == ParameterKind::whole ? "a whole number" : "a number";
  const bool low = std::isfinite(range.low) && range.low > -2e9, high = std::isfinite(range.high) && range.high < 2e9;
  const auto end = [kind](double v) {
    return kind == ParameterKind::whole ? fmt::format("{:.0f}", v) : fmt::format("{:g}", v);
  };
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

}  // namespace internal

}  // namespace sieve
