#pragma once
/// Filters one after the other, and their text.

#include <functional>
#include <initializer_list>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/filter/catalogue.hpp"

namespace SIEVE_EXPORT sieve {

/// Any number of filters, run in order: `Chain{Gaussian{.sigma = 1}, Stretch{}}(picture)`. A Chain of none gives the
/// picture back, and so does one that was moved from. A chain is a filter itself; as a step of another chain it stands
/// for its own steps.
class Chain {
 public:
  Chain() = default;
  Chain(const Chain&) = default;
  Chain& operator=(const Chain&) = default;
  Chain(Chain&& other) noexcept : steps_(std::exchange(other.steps_, {})) {}
  Chain& operator=(Chain&& other) noexcept {
    steps_ = std::exchange(other.steps_, {});
    return *this;
  }
  ~Chain() = default;
  /// Of steps; those of a chain among them are put in its place.
  Chain(std::initializer_list<Filter> steps) : Chain(std::vector<Filter>(steps)) {}
  /// The same.
  explicit Chain(const std::vector<Filter>& steps);

  /// The chain that words say: a filter name, then key=value words, then `then` and the next step:
  /// {"gray", "then", "gaussian", "sigma=2"}. A key may stand once a step. A step that is a group, such as `within`,
  /// is closed by the step `end` (or the end of the text); what stands between is the chain it acts with. Groups stand
  /// in each other at most 100 deep. InvalidArgument says what is wrong in which step.
  [[nodiscard]] static Chain parse(std::span<const std::string> words,
                                   const Catalogue& catalogue = Catalogue::standard(), const Resources& resources = {});
  /// The same from one line, split by words_of(): a blank within a value has a backslash before it.
  [[nodiscard]] static Chain parse(const std::string& line, const Catalogue& catalogue = Catalogue::standard(),
                                   const Resources& resources = {});

  /// Runs all steps. The input is not changed. Neighboring steps that look no farther than their reach run strip by
  /// strip, each strip through all of them (see FilterDescription::strip_margin): nothing of the picture's size lies
  /// between them, and the result is that of run() bit for bit. Cost: at most the sum of the steps' and what the
  /// strips' margins take twice.
  [[nodiscard]] Image operator()(const ConstView& in) const;
  /// The same into `out`, of the last step's shape, which shares no sample with the input. InvalidArgument, before
  /// anything is worked out, where that is not so.
  void operator()(const ConstView& in, const View& out) const;
  /// Step by step; hears each step's result as it is there: on_step(index, result, seconds). An empty function hears
  /// nothing.
  [[nodiscard]] Image run(const ConstView& in,
                          const std::function<void(std::size_t, const Image&, double)>& on_step) const;

  const std::vector<Filter>& steps() const { return steps_; }
  /// "gray then gaussian sigma=2", which parse() reads back (blanks within values have a backslash before them); with
  /// `full` every parameter is named.
  [[nodiscard]] std::string text(bool full = false) const;
  /// Sum of the steps' reaches; nothing where one of them looks at the whole picture.
  std::optional<int> reach() const;
  static void describe(Description<Chain>& d);

 private:
  // Runs all steps but those that the last strips take, into a picture; the last ones into `out`, where it is given.
  Image run_into(const ConstView& in, const View* out) const;

  std::vector<Filter> steps_;
};

}  // namespace sieve
