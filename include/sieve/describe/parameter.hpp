#pragma once
/// One parameter of a filter, without its type, and how a field of a filter struct becomes one.

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <functional>
#include <limits>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <type_traits>
#include <utility>
#include <vector>

#include "sieve/core/border.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/describe/numbers.hpp"
#include "sieve/describe/resources.hpp"
#include "sieve/describe/words.hpp"

namespace sieve {

/// What kind of value a parameter takes.
enum class ParameterKind { flag, whole, number, choice, text };

/// Allowed numbers, both ends included.
struct ParameterRange {
  double low = -std::numeric_limits<double>::infinity();
  double high = std::numeric_limits<double>::infinity();
};

/// The names of an enumeration's values; specialize it for an enum of one's own to use it as a parameter.
template <class E>
struct ChoiceNames;  // static std::span<const std::pair<const char*, E>> all();

template <>
struct ChoiceNames<Border> {
  static std::span<const std::pair<const char*, Border>> all();
};
template <>
struct ChoiceNames<GrayBy> {
  static std::span<const std::pair<const char*, GrayBy>> all();
};

/// The name of an enumeration's value.
template <class E>
const char* name_of(E value) {
  for (const auto& [name, v] : ChoiceNames<E>::all()) {
    if (v == value) return name;
  }
  return "?";
}

/// How a type of one's own stands as a parameter's text: specialize with `static std::string text(const T&)`,
/// `static T parse(std::string_view, const Resources&)` (throws InvalidArgument) and `static const char* allowed()`.
template <class T>
struct TextValue;

/// A rectangle that may be missing, as a parameter: "X,Y,WIDTH,HEIGHT" or "all".
template <>
struct TextValue<std::optional<Rectangle>> {
  static std::string text(const std::optional<Rectangle>& r);
  static std::optional<Rectangle> parse(std::string_view s, const Resources&);
  static const char* allowed() { return "X,Y,WIDTH,HEIGHT in pixels, or all"; }
};

/// One parameter of a filter, without its type: what the tool, the catalogue and recipes see.
struct Parameter {
  std::string name;
  std::string unit;  ///< "pixels", "samples 0..1", empty where there is none
  std::string help;  ///< one line
  ParameterKind kind = ParameterKind::number;
  ParameterRange range;              ///< for whole and number
  bool may_be_auto = false;          ///< the text `auto` leaves the choice to the filter
  std::vector<std::string> choices;  ///< for choice
  std::string standard;              ///< the default, as text
  std::string allowed;               ///< what may be given, in words
  std::function<std::string(const void* filter)> get;
  /// Sets the field from text; false where the text is no such value (InvalidArgument where the type says more itself).
  std::function<bool(void* filter, std::string_view text, const Resources&)> set;
  std::function<bool(const void* filter)> in_range;
};

namespace internal {

std::string range_text(const ParameterRange& range, ParameterKind kind, const std::string& unit);

template <class T>
concept HasTextValue = requires {
  TextValue<T>::allowed();
};
template <class T>
constexpr bool is_optional_v = false;
template <class T>
constexpr bool is_optional_v<std::optional<T>> = true;

// The arithmetic type that a numeric field holds; void where it is none.
template <class V>
struct NumberOf {
  using type = std::conditional_t<std::is_arithmetic_v<V>, V, void>;
};
template <>
struct NumberOf<Real> {
  using type = float;
};
template <>
struct NumberOf<Seed> {
  using type = std::uint64_t;
};

// The accessors of a parameter that is a number; `get` and `set` move an optional of it, which is nothing for `auto`.
template <class N, class Get, class Set>
void describe_number(Parameter& p, bool whole, Get get, Set set) {
  constexpr bool integral = std::is_integral_v<N>;
  p.kind = integral || whole ? ParameterKind::whole : ParameterKind::number;
  if constexpr (integral) {
    // Beyond 2^53 a double no longer tells whole numbers apart; seeds are checked as whole numbers below.
    p.range.low = std::max(p.range.low, static_cast<double>(std::numeric_limits<N>::lowest()));
    p.range.high = std::min(p.range.high, static_cast<double>(std::numeric_limits<N>::max()));
  }
  const bool automatic = p.may_be_auto;
  const ParameterRange range = p.range;
  p.get = [get](const void* f) {
    const std::optional<N> v = get(f);
    if (!v) return std::string("auto");
    if constexpr (integral) return std::to_string(*v);
    return number_text(static_cast<double>(*v), sizeof(N) == 4);
  };
  p.set = [set, automatic, whole](void* f, std::string_view s, const Resources&) {
    if (automatic && s == "auto") {
      set(f, std::optional<N>());
      return true;
    }
    if (integral || whole) {
      const auto v = parse_whole(s);
      if (!v) return false;
      if constexpr (integral) {
        if (!std::in_range<N>(*v)) return false;
      }
      set(f, std::optional<N>(static_cast<N>(*v)));
    } else {
      const auto v = parse_number(s);
      if (!v) return false;
      set(f, std::optional<N>(static_cast<N>(*v)));
    }
    return true;
  };
  p.in_range = [get, range, whole](const void* f) {
    const std::optional<N> v = get(f);
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
  if (automatic) p.allowed += ", or auto";
}

// The accessors of a parameter that is one of an enumeration's values, of which `allowed` may name some; empty: all.
template <class T, class E>
void describe_choice(Parameter& p, E T::*member, const std::vector<E>& allowed) {
  p.kind = ParameterKind::choice;
  std::vector<std::pair<const char*, E>> choices;
  for (const auto& c : ChoiceNames<E>::all()) {
    if (allowed.empty() || std::find(allowed.begin(), allowed.end(), c.second) != allowed.end()) choices.push_back(c);
  }
  for (const auto& c : choices) p.choices.emplace_back(c.first);
  p.get = [member](const void* f) { return std::string(name_of(static_cast<const T*>(f)->*member)); };
  p.set = [member, choices](void* f, std::string_view s, const Resources&) {
    for (const auto& [n, v] : choices) {
      if (s != n) continue;
      static_cast<T*>(f)->*member = v;
      return true;
    }
    return false;
  };
  p.in_range = [member, choices](const void* f) {
    return std::any_of(choices.begin(), choices.end(),
                       [v = static_cast<const T*>(f)->*member](const auto& c) { return c.second == v; });
  };
  p.allowed = "one of " + listed(p.choices);
}

// The accessors of a field of struct T, by its type. `whole`: a real number of which whole values alone are allowed.
template <class T, class V>
void describe_field(Parameter& p, V T::*member, bool whole) {
  const auto value_of = [member](const void* f) -> const V& { return static_cast<const T*>(f)->*member; };
  if constexpr (std::is_same_v<V, bool>) {
    p.kind = ParameterKind::flag;
    p.choices = {"no", "yes"};
    p.get = [value_of](const void* f) { return std::string(value_of(f) ? "yes" : "no"); };
    p.set = [member](void* f, std::string_view s, const Resources&) {
      if (s != "yes" && s != "no") return false;
      static_cast<T*>(f)->*member = s == "yes";
      return true;
    };
    p.in_range = [](const void*) { return true; };
    p.allowed = "yes or no";
  } else if constexpr (std::is_enum_v<V>) {
    describe_choice<T, V>(p, member, {});
  } else if constexpr (HasTextValue<V>) {
    p.kind = ParameterKind::text;
    p.get = [value_of](const void* f) { return TextValue<V>::text(value_of(f)); };
    p.set = [member](void* f, std::string_view s, const Resources& r) {
      static_cast<T*>(f)->*member = TextValue<V>::parse(s, r);
      return true;
    };
    p.in_range = [](const void*) { return true; };
    p.allowed = TextValue<V>::allowed();
  } else if constexpr (is_optional_v<V>) {
    p.may_be_auto = true;
    describe_number<typename V::value_type>(p, whole, value_of,
                                            [member](void* f, const V& v) { static_cast<T*>(f)->*member = v; });
  } else {
    using N = typename NumberOf<V>::type;
    static_assert(!std::is_void_v<N>,
                  "a field is a bool, a number, an enumeration with ChoiceNames, or a type with TextValue");
    describe_number<N>(
        p, whole, [value_of](const void* f) { return std::optional<N>(static_cast<N>(value_of(f))); },
        [member](void* f, const std::optional<N>& v) { static_cast<T*>(f)->*member = *v; });
  }
}

}  // namespace internal

}  // namespace sieve
