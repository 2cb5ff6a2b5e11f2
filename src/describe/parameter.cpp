#include "sieve/describe/parameter.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <type_traits>

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

namespace {

// The arithmetic type that a numeric field holds.
template <class V>
struct NumberOf {
  using type = V;
};
template <>
struct NumberOf<Real> {
  using type = float;
};
template <>
struct NumberOf<Seed> {
  using type = std::uint64_t;
};
template <class V>
struct NumberOf<std::optional<V>> : NumberOf<V> {};

template <class V>
constexpr bool is_optional_v = false;
template <class V>
constexpr bool is_optional_v<std::optional<V>> = true;

const void* read_place(const internal::FieldPlace& place, const void* f) { return place(const_cast<void*>(f)); }

}  // namespace

// GCC hides instantiations by the block they stand in, whatever the header says.
namespace SIEVE_EXPORT internal {

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

template <class V>
void describe_number(Parameter& p, const FieldPlace& place, bool whole) {
  using N = typename NumberOf<V>::type;
  constexpr bool integral = std::is_integral_v<N>;
  p.kind = integral || whole ? ParameterKind::whole : ParameterKind::number;
  p.may_be_auto = is_optional_v<V>;
  if constexpr (integral) {
    // Beyond 2^53 a double no longer tells whole numbers apart; seeds are checked as whole numbers below.
    p.range.low = std::max(p.range.low, static_cast<double>(std::numeric_limits<N>::lowest()));
    p.range.high = std::min(p.range.high, static_cast<double>(std::numeric_limits<N>::max()));
  }
  const ParameterRange range = p.range;
  // Nothing for `auto`.
  const auto value = [place](const void* f) -> std::optional<N> {
    const V& v = *static_cast<const V*>(read_place(place, f));
    if constexpr (is_optional_v<V>) {
      if (!v) return std::nullopt;
      return static_cast<N>(*v);
    } else {
      return static_cast<N>(v);
    }
  };
  p.get = [value](const void* f) {
    const std::optional<N> v = value(f);
    if (!v) return std::string("auto");
    if constexpr (integral) return std::to_string(*v);
    return number_text(static_cast<double>(*v), sizeof(N) == 4);
  };
  p.set = [place, whole](void* f, std::string_view s, const Resources&) {
    V& field = *static_cast<V*>(place(f));
    if constexpr (is_optional_v<V>) {
      if (s == "auto") {
        field = std::nullopt;
        return true;
      }
    }
    if (integral || whole) {
      const auto v = parse_whole(s);
      if (!v) return false;
      if constexpr (integral) {
        if (!std::in_range<N>(*v)) return false;
      }
      field = static_cast<N>(*v);
    } else {
      const auto v = parse_number(s);
      if (!v) return false;
      field = static_cast<N>(*v);
    }
    return true;
  };
  p.in_range = [value, range, whole](const void* f) {
    const std::optional<N> v = value(f);
    if (!v) return true;
    const auto d = static_cast<double>(*v);
    if (whole && d != std::floor(d)) return false;
    // The ends as the field's own type holds them: 0.001 as a float lies below 0.001 as a double.
    if constexpr (std::is_floating_point_v<N>)
      return d >= static_cast<double>(static_cast<N>(range.low)) &&
             d <= static_cast<double>(static_cast<N>(range.high));
    return d >= range.low && d <= range.high;
  };
  p.allowed = range_text(p.range, p.kind, p.unit);
  if (p.may_be_auto) p.allowed += ", or auto";
}

// All that is_number_v names.
template void describe_number<Real>(Parameter&, const FieldPlace&, bool);
template void describe_number<Seed>(Parameter&, const FieldPlace&, bool);
template void describe_number<float>(Parameter&, const FieldPlace&, bool);
template void describe_number<double>(Parameter&, const FieldPlace&, bool);
template void describe_number<short>(Parameter&, const FieldPlace&, bool);
template void describe_number<int>(Parameter&, const FieldPlace&, bool);
template void describe_number<long>(Parameter&, const FieldPlace&, bool);
template void describe_number<long long>(Parameter&, const FieldPlace&, bool);
template void describe_number<unsigned short>(Parameter&, const FieldPlace&, bool);
template void describe_number<unsigned>(Parameter&, const FieldPlace&, bool);
template void describe_number<unsigned long>(Parameter&, const FieldPlace&, bool);
template void describe_number<unsigned long long>(Parameter&, const FieldPlace&, bool);
template void describe_number<std::optional<Real>>(Parameter&, const FieldPlace&, bool);
template void describe_number<std::optional<Seed>>(Parameter&, const FieldPlace&, bool);
template void describe_number<std::optional<float>>(Parameter&, const FieldPlace&, bool);
template void describe_number<std::optional<double>>(Parameter&, const FieldPlace&, bool);
template void describe_number<std::optional<short>>(Parameter&, const FieldPlace&, bool);
template void describe_number<std::optional<int>>(Parameter&, const FieldPlace&, bool);
template void describe_number<std::optional<long>>(Parameter&, const FieldPlace&, bool);
template void describe_number<std::optional<long long>>(Parameter&, const FieldPlace&, bool);
template void describe_number<std::optional<unsigned short>>(Parameter&, const FieldPlace&, bool);
template void describe_number<std::optional<unsigned>>(Parameter&, const FieldPlace&, bool);
template void describe_number<std::optional<unsigned long>>(Parameter&, const FieldPlace&, bool);
template void describe_number<std::optional<unsigned long long>>(Parameter&, const FieldPlace&, bool);

void describe_flag(Parameter& p, const FieldPlace& place) {
  p.kind = ParameterKind::flag;
  p.choices = {"no", "yes"};
  p.get = [place](const void* f) { return *static_cast<const bool*>(read_place(place, f)) ? "yes" : "no"; };
  p.set = [place](void* f, std::string_view s, const Resources&) {
    if (s != "yes" && s != "no") return false;
    *static_cast<bool*>(place(f)) = s == "yes";
    return true;
  };
  p.in_range = [](const void*) { return true; };
  p.allowed = "yes or no";
}

void describe_choice(Parameter& p, const FieldPlace& place, const Choices& choices) {
  p.kind = ParameterKind::choice;
  for (const auto& value : choices.values) p.choices.emplace_back(value.first);
  p.get = [place, choices](const void* f) { return std::string(choices.name(read_place(place, f))); };
  p.set = [place, choices](void* f, std::string_view s, const Resources&) {
    for (const auto& [n, value] : choices.values) {
      if (s != n) continue;
      choices.write(place(f), value);
      return true;
    }
    return false;
  };
  p.in_range = [place, choices](const void* f) {
    return std::any_of(choices.values.begin(), choices.values.end(),
                       [v = choices.read(read_place(place, f))](const auto& c) { return c.second == v; });
  };
  p.allowed = "one of " + listed(p.choices);
}

}  // namespace internal

}  // namespace sieve
