#pragma once
/// Any filter, by value, without its type.

#include <concepts>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "sieve/core/border.hpp"
#include "sieve/core/describe.hpp"
#include "sieve/core/stage.hpp"

namespace sieve {

/// What makes a struct a filter: defaults, a copy, a description, and a call operator from picture to picture.
template <class T>
concept FilterStruct = std::default_initializable<T> && std::copyable<T> &&
    requires(const T& f, const ConstView& in, Description<T>& d) {
  { f(in) } -> std::convertible_to<Image>;
  T::describe(d);
};

/// Holds one filter struct. A value type: copies are independent.
class Filter {
 public:
  /// From any filter struct: `Filter f = Gaussian{.sigma = 2};`
  template <FilterStruct T>
  Filter(T filter) : held_(std::make_unique<Held<T>>(std::move(filter))) {}
  Filter(const Filter& other) : held_(other.held_->copy()) {}
  Filter(Filter&&) noexcept = default;
  Filter& operator=(const Filter& other) {
    held_ = other.held_->copy();
    return *this;
  }
  Filter& operator=(Filter&&) noexcept = default;
  ~Filter() = default;

  /// Runs it. Errors are those of the struct's own call operator; its fields are checked first.
  Image operator()(const ConstView& in) const;
  /// Its description.
  const About& about() const { return held_->about(); }
  /// Sets a parameter from text; BadCall says what is allowed.
  void set(std::string_view parameter, std::string_view text, const Resources& resources = {});
  /// A parameter as text.
  std::string get(std::string_view parameter) const;
  /// "gaussian sigma=2": the name and what differs from the defaults.
  std::string text() const { return held_->text(false); }
  /// The same with every parameter, defaults too: what a record needs to stay true when defaults change.
  std::string full_text() const { return held_->text(true); }
  /// Half-width in pixels of the neighborhood that a sample depends on; nothing where that is the whole picture.
  std::optional<int> reach() const { return held_->reach(); }
  /// What running the filter on horizontal strips of a picture takes, so that the strips put together are the whole
  /// result, to rounding. A struct allows it by `static constexpr bool in_strips = true;` beside its reach(): its
  /// result then depends on the samples within that reach alone, not on where in the picture they lie.
  struct StripNeeds {
    int margin = 0;  ///< rows that a strip needs above and below
    Shape result;    ///< of the whole picture's result
  };
  /// Nothing where the filter must see the whole picture: no in_strips, a parameter still to be measured, a wrapped or
  /// `inside` border, another height.
  std::optional<StripNeeds> strip_needs(const Shape& in) const;
  /// The same filter with what it would measure in this picture given as parameters, where its struct has
  /// `measured(in)`; else nothing.
  std::optional<Filter> measured(const ConstView& in) const { return held_->measured(in); }
  /// What the parameters mean in pixels ("window 5x5"); empty where there is nothing to say.
  std::string meaning() const { return held_->meaning(); }
  /// The plain definition's result; nothing where the struct has none.
  std::optional<Image> plain(const ConstView& in) const { return held_->plain(in); }
  /// What it computes on the way to its result ("blur", "mask"); none where the struct has no `stages(in)`.
  std::vector<Stage> stages(const ConstView& in) const { return held_->stages(in); }

 private:
  struct Any {
    virtual ~Any() = default;
    virtual std::unique_ptr<Any> copy() const = 0;
    virtual const About& about() const = 0;
    virtual const void* fields() const = 0;
    virtual void* fields() = 0;
    virtual std::string text(bool full) const = 0;
    virtual Image run(const ConstView& in) const = 0;
    virtual std::optional<Image> plain(const ConstView& in) const = 0;
    virtual std::vector<Stage> stages(const ConstView& in) const = 0;
    virtual std::optional<int> reach() const = 0;
    virtual std::string meaning() const = 0;
    virtual bool in_strips() const = 0;
    virtual Shape shape(const Shape& in) const = 0;
    virtual std::optional<Filter> measured(const ConstView& in) const = 0;
  };
  template <class T>
  struct Held final : Any {
    explicit Held(T f) : filter(std::move(f)) {}
    std::unique_ptr<Any> copy() const override { return std::make_unique<Held>(filter); }
    const About& about() const override { return description_of<T>(); }
    const void* fields() const override { return &filter; }
    void* fields() override { return &filter; }
    std::string text(bool full) const override {
      if constexpr (requires { filter.text(full); }) return filter.text(full);
      return about().text(&filter, full);
    }
    Image run(const ConstView& in) const override { return filter(in); }
    std::optional<Image> plain([[maybe_unused]] const ConstView& in) const override {
      if constexpr (requires { filter.plain(in); }) return filter.plain(in);
      return std::nullopt;
    }
    std::vector<Stage> stages([[maybe_unused]] const ConstView& in) const override {
      if constexpr (requires { filter.stages(in); }) return filter.stages(in);
      return {};
    }
    std::optional<int> reach() const override {
      if constexpr (requires { filter.reach(); }) return filter.reach();
      return std::nullopt;
    }
    std::string meaning() const override {
      if constexpr (requires { filter.meaning(); }) return filter.meaning();
      return {};
    }
    bool in_strips() const override {
      if constexpr (requires { T::in_strips; }) {
        if constexpr (requires { filter.border; })
          return T::in_strips && filter.border != Border::wrap && filter.border != Border::inside;
        return T::in_strips;
      }
      return false;
    }
    Shape shape(const Shape& in) const override {
      if constexpr (requires { filter.shape(in); }) return filter.shape(in);
      return in;
    }
    std::optional<Filter> measured([[maybe_unused]] const ConstView& in) const override {
      if constexpr (requires {
                      { filter.measured(in) } -> std::same_as<T>;
                    })
        return Filter(filter.measured(in));
      return std::nullopt;
    }
    T filter;
  };
  std::unique_ptr<Any> held_;
};

}  // namespace sieve
