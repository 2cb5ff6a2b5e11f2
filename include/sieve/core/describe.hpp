#pragma once
/// One description of a filter's parameters, from which range checks, catalogue, chain text, recipes, help and
/// documentation come.

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

#include "sieve/core/border.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/image.hpp"

namespace sieve {

/// The nearest of `names` to what was given, for "did you mean"; empty where none is near.
std::string nearest_name(std::string_view given, std::span<const std::string> names);

/// "a, b, c".
std::string listed(std::span<const std::string> names);

/// `value` as it stands in a line of words: blanks, other white space and backslashes get a backslash before them.
std::string one_word(std::string_view value);

/// The words of a line, split at white space that has no backslash before it; the backslashes of one_word() are taken
/// off.
std::vector<std::string> words_of(std::string_view line);

/// How a parameter's text opens files: the tool fills it in, so that the core itself reads none.
struct Resources {
  /// The picture of a name, for parameters that hold a second picture.
  std::function<Image(const std::string& name)> picture;
  /// The whole text of a file, for kernels and curves (`@FILE`).
  std::function<std::string(const std::string& name)> text;
};

/// What kind of value a parameter takes.
enum class Kind { flag, whole, number, choice, text };

/// Allowed numbers, both ends included.
struct Range {
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
/// `static T parse(std::string_view, const Resources&)` (throws BadCall) and `static const char* allowed()`.
template <class T>
struct TextValue;

namespace detail {
std::string number_text(double value, bool single);
std::optional<double> parse_number(std::string_view text);
std::optional<long long> parse_whole(std::string_view text);
std::string range_text(const Range& range, Kind kind, const std::string& unit);
template <class T>
constexpr bool is_optional_v = false;
template <class T>
constexpr bool is_optional_v<std::optional<T>> = true;
}  // namespace detail

/// One parameter of a filter, without its type: what the tool, the catalogue and recipes see.
struct Parameter {
  std::string name;
  std::string unit;  ///< "pixels", "samples 0..1", empty where there is none
  std::string help;  ///< one line
  Kind kind = Kind::number;
  Range range;                       ///< for whole and number
  bool may_be_auto = false;          ///< the text `auto` leaves the choice to the filter
  std::vector<std::string> choices;  ///< for choice
  std::string standard;              ///< the default, as text
  std::string allowed;               ///< what may be given, in words
  std::function<std::string(const void* filter)> get;
  /// Sets the field from text; false where the text is no such value (BadCall where the type says more itself).
  std::function<bool(void* filter, std::string_view text, const Resources&)> set;
  std::function<bool(const void* filter)> in_range;
};

/// A filter's description without its type.
class About {
 public:
  std::string name;
  std::string family;
  std::string summary;     ///< what it does, one or two lines
  std::string wrong_when;  ///< when it is the wrong choice
  std::vector<Parameter> parameters;
  double tolerance = 0;  ///< largest deviation allowed between the fast way and the plain definition

  /// The parameter of that name; BadCall with the nearest name where there is none.
  const Parameter& parameter(std::string_view parameter_name) const;
  /// Sets one field of `filter` from text. BadCall with what is allowed; the field is then as it was.
  void set(void* filter, std::string_view parameter_name, std::string_view text, const Resources& resources) const;
  /// BadCall for the first field that is out of its range.
  void check(const void* filter) const;
  /// "gaussian sigma=2": the name, and the fields that differ from their defaults; with `full` all of them.
  std::string text(const void* filter, bool full = false) const;
};

/// Builds the description of a filter struct T; see the guide, "Your own filter".
template <class T>
class Description : public About {
 public:
  /// The catalogue name and what the filter does.
  Description& called(const std::string& name_, const std::string& family_, const std::string& summary_) {
    name = name_;
    family = family_;
    summary = summary_;
    return *this;
  }
  /// When it is the wrong choice.
  Description& wrong(const std::string& when) {
    wrong_when = when;
    return *this;
  }
  /// The filter also has `Image plain(ConstView) const`, its plain definition; both agree within this.
  Description& agrees_within(double deviation) {
    tolerance = deviation;
    return *this;
  }
  /// A field with its unit and one line of help; `range` for numbers.
  template <class V>
  Description& field(std::string field_name, V T::*member, std::string unit, std::string help, Range range = {}) {
    Parameter p;
    p.name = std::move(field_name);
    p.unit = std::move(unit);
    p.help = std::move(help);
    p.range = range;
    const auto value_of = [member](const void* f) -> const V& { return static_cast<const T*>(f)->*member; };
    if constexpr (std::is_same_v<V, bool>) {
      p.kind = Kind::flag;
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
      p.kind = Kind::choice;
      for (const auto& c : ChoiceNames<V>::all()) p.choices.emplace_back(c.first);
      p.get = [value_of](const void* f) { return std::string(name_of(value_of(f))); };
      p.set = [member](void* f, std::string_view s, const Resources&) {
        for (const auto& [n, v] : ChoiceNames<V>::all()) {
          if (s == n) {
            static_cast<T*>(f)->*member = v;
            return true;
          }
        }
        return false;
      };
      p.in_range = [](const void*) { return true; };
      p.allowed = "one of " + listed(p.choices);
    } else if constexpr (std::is_arithmetic_v<V>) {
      number<V>(
          p, [value_of](const void* f) { return std::optional<V>(value_of(f)); },
          [member](void* f, std::optional<V> v) { static_cast<T*>(f)->*member = *v; });
    } else if constexpr (detail::is_optional_v<V>) {
      p.may_be_auto = true;
      number<typename V::value_type>(p, value_of, [member](void* f, const V& v) { static_cast<T*>(f)->*member = v; });
    } else {
      p.kind = Kind::text;
      p.get = [value_of](const void* f) { return TextValue<V>::text(value_of(f)); };
      p.set = [member](void* f, std::string_view s, const Resources& r) {
        static_cast<T*>(f)->*member = TextValue<V>::parse(s, r);
        return true;
      };
      p.in_range = [](const void*) { return true; };
      p.allowed = TextValue<V>::allowed();
    }
    const T standard{};
    p.standard = p.get(&standard);
    parameters.push_back(std::move(p));
    return *this;
  }

 private:
  template <class N, class Get, class Set>
  static void number(Parameter& p, Get get, Set set) {
    p.kind = std::is_integral_v<N> ? Kind::whole : Kind::number;
    if constexpr (std::is_integral_v<N>) {
      // Beyond 2^53 a double no longer tells whole numbers apart; seeds are checked as whole numbers below.
      p.range.low = std::max(p.range.low, static_cast<double>(std::numeric_limits<N>::lowest()));
      p.range.high = std::min(p.range.high, static_cast<double>(std::numeric_limits<N>::max()));
    }
    const bool automatic = p.may_be_auto;
    const Range range = p.range;
    p.get = [get](const void* f) {
      const std::optional<N> v = get(f);
      if (!v) return std::string("auto");
      if constexpr (std::is_integral_v<N>) return std::to_string(*v);
      return detail::number_text(static_cast<double>(*v), sizeof(N) == 4);
    };
    p.set = [set, automatic](void* f, std::string_view s, const Resources&) {
      if (automatic && s == "auto") {
        set(f, std::nullopt);
        return true;
      }
      if constexpr (std::is_integral_v<N>) {
        const auto v = detail::parse_whole(s);
        if (!v || !std::in_range<N>(*v)) return false;
        set(f, static_cast<N>(*v));
      } else {
        const auto v = detail::parse_number(s);
        if (!v) return false;
        set(f, static_cast<N>(*v));
      }
      return true;
    };
    p.in_range = [get, range](const void* f) {
      const std::optional<N> v = get(f);
      if (!v) return true;
      const auto d = static_cast<double>(*v);
      // The ends as the field's own type holds them: 0.001 as a float lies below 0.001 as a double.
      if constexpr (std::is_floating_point_v<N>)
        return d >= static_cast<double>(static_cast<N>(range.low)) &&
               d <= static_cast<double>(static_cast<N>(range.high));
      return d >= range.low && d <= range.high;
    };
    p.allowed = detail::range_text(p.range, p.kind, p.unit);
    if (automatic) p.allowed += ", or auto";
  }
};

/// The description of a filter struct, made once. T has `static void describe(Description<T>&)`.
template <class T>
const Description<T>& description_of() {
  static const Description<T> description = [] {
    Description<T> d;
    T::describe(d);
    return d;
  }();
  return description;
}

/// BadCall where a field of the filter is out of its described range: the first line of every call operator.
template <class T>
void check(const T& filter) {
  description_of<T>().check(&filter);
}

}  // namespace sieve
