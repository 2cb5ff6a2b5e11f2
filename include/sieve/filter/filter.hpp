#pragma once
/// Any filter, by value, without its type.

#include <concepts>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// What makes a struct a filter: defaults, a copy, and a description; and a call operator from picture to picture, or a
/// description that gives a function of samples, pairs, pixels or windows instead.
template <class T>
concept FilterStruct = std::default_initializable<T> && std::copyable<T> && requires(Description<T>& d) {
  T::describe(d);
};

/// Holds one filter struct. A value type: changing a copy leaves the others as they are; a filter that was moved from
/// is still the filter that it was.
class Filter {
 public:
  /// From any filter struct: `Filter f = Gaussian{.sigma = 2};` InvalidArgument where it has neither a call operator
  /// nor a description that says what it does.
  template <class T>
  requires(!std::same_as<T, Filter> && FilterStruct<T>) Filter(T filter)
      : description_(&description_of<T>()), held_(std::make_shared<T>(std::move(filter))) {
    description_->require_runnable();
  }
  // Copies alone: moving would leave a filter without a struct.
  Filter(const Filter&) = default;
  Filter& operator=(const Filter&) = default;
  ~Filter() = default;

  /// Runs it. Errors are those of the struct's own call operator; its fields are checked first.
  [[nodiscard]] Image operator()(const ConstView& in) const;
  /// The same into `out`, of result_shape(): checked before anything is worked out. For a filter of Access::point `out`
  /// may be exactly the input; every other shared sample is refused.
  void operator()(const ConstView& in, const View& out) const;
  /// Its description.
  const FilterDescription& about() const { return *description_; }
  /// The struct it holds, where it is a T; else null.
  template <class T>
  const T* as() const {
    return description_->type() == typeid(T) ? static_cast<const T*>(held_.get()) : nullptr;
  }
  /// Sets a parameter from text; InvalidArgument says what is allowed.
  void set(std::string_view parameter, std::string_view text, const Resources& resources = {});
  /// A parameter as text.
  [[nodiscard]] std::string get(std::string_view parameter) const;
  /// The same with every parameter of the filters that it holds, where its value is a chain.
  [[nodiscard]] std::string get_full(std::string_view parameter) const;
  /// "gaussian sigma=2": the name and what differs from the defaults; a group with what it holds, up to its `end`.
  [[nodiscard]] std::string text() const { return text_of(false); }
  /// The same with every parameter, defaults too: what a record needs to stay true when defaults change.
  [[nodiscard]] std::string full_text() const { return text_of(true); }
  /// FilterDescription::reach of the struct: nothing where a sample depends on the whole picture.
  std::optional<int> reach() const { return about().reach(held_.get()); }
  /// FilterDescription::part_margin of the struct: rows that a strip of the picture needs above and below it.
  std::optional<int> part_margin() const { return about().part_margin(held_.get()); }
  /// The same filter with what it would measure in this picture given as parameters; nothing where its description
  /// names no such function.
  [[nodiscard]] std::optional<Filter> measured(const ConstView& in) const;
  /// The same filter told to take away noise of that deviation (0..1 scale), of a group what it acts with; nothing
  /// where no description names such a function.
  [[nodiscard]] std::optional<Filter> with_noise(double deviation) const;
  /// The shape of its result for a picture of shape `in`.
  Shape result_shape(const Shape& in) const { return about().result_shape(held_.get(), in); }
  /// The white level of its result for a picture of white level `white_level`: 0 where that is float data.
  std::uint32_t result_white_level(std::uint32_t white_level) const {
    return about().result_white_level(held_.get(), white_level);
  }
  /// What the parameters mean in pixels ("window 5x5"); empty where there is nothing to say.
  std::string meaning() const { return about().meaning(held_.get()); }
  /// What it computes on the way to its result ("blur", "mask").
  std::vector<Stage> stages(const ConstView& in) const { return about().stages(held_.get(), in); }
  /// The chain that a group acts with; null for a filter that is no group.
  const Chain* group() const { return about().group(held_.get()); }
  /// Gives a group the chain it acts with. InvalidArgument for a filter that is no group.
  void set_group(Chain chain);
  /// The struct without its type: what the engine runs.
  Step step() const { return {description_, held_}; }

 private:
  Filter(const FilterDescription* description, std::shared_ptr<void> held)
      : description_(description), held_(std::move(held)) {}
  std::string text_of(bool full) const;
  // The struct, shared with no other filter: to be changed.
  void* own();

  const FilterDescription* description_;
  std::shared_ptr<void> held_;
};

}  // namespace sieve
