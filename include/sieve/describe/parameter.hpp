#pragma once
/// One parameter of a filter, without its type, and how a field of a filter struct becomes one.

#include <algorithm>
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

#include "sieve/core/attributes.hpp"
#include "sieve/core/border.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/describe/numbers.hpp"
#include "sieve/describe/resources.hpp"
#include "sieve/describe/words.hpp"

namespace SIEVE_EXPORT sieve {

class SharedImage;  // see sieve/describe/shared_image.hpp

/// What kind of value a parameter takes.
enum class ParameterKind { flag, whole, number, choice, text };

/// Allowed numbers, both ends included.
struct ParameterRange {
  double low = -std::numeric_limits<double>::infinity();  ///< the smallest
  double high = std::numeric_limits<double>::infinity();  ///< the largest
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
/// `static T parse(std::string_view, const Resources&)` (throws InvalidArgument) and `static const char* allowed()`; a
/// type that holds filters also with `static std::string full_text(const T&)`, which names every parameter of them.
template <class T>
struct TextValue;

/// Any text, as it stands.
template <>
struct TextValue<std::string> {
  static std::string text(const std::string& s) { return s; }
  static std::string parse(std::string_view s, const Resources&) { return std::string(s); }
  static const char* allowed() { return "any text"; }
};

/// A rectangle that may be missing, as a parameter: "X,Y,WIDTH,HEIGHT" or "all".
template <>
struct TextValue<std::optional<Rectangle>> {
  static std::string text(const std::optional<Rectangle>& r);
  static std::optional<Rectangle> parse(std::string_view s, const Resources&);
  static const char* allowed() { return "X,Y,WIDTH,HEIGHT in pixels, or all"; }
};

/// One parameter of a filter, without its type: what the tool, the catalogue and recipes see.
struct Parameter {
  std::string name;                            ///< of the field, as chain text gives it
  std::string unit;                            ///< "pixels", "samples 0..1", empty where there is none
  std::string help;                            ///< one line
  ParameterKind kind = ParameterKind::number;  ///< of its value
  ParameterRange range;                        ///< for whole and number
  bool may_be_auto = false;                    ///< the text `auto` leaves the choice to the filter
  bool picture = false;                        ///< the text is the name of a picture, or none
  std::vector<std::string> choices;            ///< for choice
  std::string standard;                        ///< the default, as text
  std::string allowed;                         ///< what may be given, in words
  /// The field as text.
  std::function<std::string(const void* filter)> get;
  /// The same with every parameter of the filters that the field holds; empty where it can hold none.
  std::function<std::string(const void* filter)> get_full;
  /// Sets the field from text; false where the text is no such value (InvalidArgument where the type says more itself).
  std::function<bool(void* filter, std::string_view text, const Resources&)> set;
  /// False where the field is not allowed.
  std::function<bool(const void* filter)> in_range;
};

namespace internal {

std::string range_text(const ParameterRange& range, ParameterKind kind, const std::string& unit);

template <class T>
concept HasTextValue = requires {
  TextValue<T>::allowed();
};

// Where a field lies in a filter, without the types of both. The accessors of a parameter are made from it in one
// place, not anew for each field of each filter: it is what keeps a file of filters quick to compile.
using FieldPlace = std::function<void*(void* filter)>;

template <class V, class... Types>
constexpr bool is_one_of_v = (std::is_same_v<V, Types> || ...);
// The types of numeric fields.
template <class V>
constexpr bool is_number_v = is_one_of_v<V, Real, Seed, float, double, short, int, long, long long, unsigned short,
                                         unsigned, unsigned long, unsigned long long>;
template <class V>
constexpr bool is_number_v<std::optional<V>> = is_number_v<V>;

// A field that is a number; one that is an optional may be left out. `whole`: of a real number whole values alone are
// allowed.
template <class V>
void describe_number(Parameter& p, const FieldPlace& place, bool whole);

// A field that is a bool.
void describe_flag(Parameter& p, const FieldPlace& place);

// The values of an enumeration as whole numbers, and how to read and write a field of it.
struct Choices {
  std::vector<std::pair<const char*, long long>> values;
  const char* (*name)(const void* field);
  long long (*read)(const void* field);
  void (*write)(void* field, long long value);
};
void describe_choice(Parameter& p, const FieldPlace& place, const Choices& choices);

// A field that is one of an enumeration's values, of which `allowed` may name some; empty: all.
template <class E>
void describe_choice(Parameter& p, const FieldPlace& place, const std::vector<E>& allowed) {
  Choices choices;
  for (const auto& [name, value] : ChoiceNames<E>::all()) {
    if (allowed.empty() || std::find(allowed.begin(), allowed.end(), value) != allowed.end())
      choices.values.emplace_back(name, static_cast<long long>(value));
  }
  choices.name = [](const void* field) { return name_of(*static_cast<const E*>(field)); };
  choices.read = [](const void* field) { return static_cast<long long>(*static_cast<const E*>(field)); };
  choices.write = [](void* field, long long value) { *static_cast<E*>(field) = static_cast<E>(value); };
  describe_choice(p, place, choices);
}

// The accessors of a field by its type V.
template <class V>
void describe_value(Parameter& p, const FieldPlace& place, bool whole) {
  if constexpr (std::is_same_v<V, bool>) {
    describe_flag(p, place);
  } else if constexpr (std::is_enum_v<V>) {
    describe_choice<V>(p, place, {});
  } else if constexpr (HasTextValue<V>) {
    p.kind = ParameterKind::text;
    p.picture = std::is_same_v<V, SharedImage>;
    p.get = [place](const void* f) { return TextValue<V>::text(*static_cast<V*>(place(const_cast<void*>(f)))); };
    p.set = [place](void* f, std::string_view s, const Resources& r) {
      *static_cast<V*>(place(f)) = TextValue<V>::parse(s, r);
      return true;
    };
    if constexpr (requires(const V& v) { TextValue<V>::full_text(v); }) {
      p.get_full = [place](const void* f) {
        return TextValue<V>::full_text(*static_cast<V*>(place(const_cast<void*>(f))));
      };
    }
    p.in_range = [](const void*) { return true; };
    p.allowed = TextValue<V>::allowed();
  } else {
    static_assert(is_number_v<V>,
                  "a field is a bool, a number, an enumeration with ChoiceNames, or a type with TextValue");
    describe_number<V>(p, place, whole);
  }
}

}  // namespace internal

}  // namespace sieve
