#pragma once
/// Filters one after the other, and their text.

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

  /// Runs all steps with the engine of all calls (Engine::standard()). The input is not changed. Neighboring steps that
  /// look no farther than their reach run together, strip by strip: nothing of the picture's size lies between them,
  /// and the result is that of the steps one after the other bit for bit.
  [[nodiscard]] Image operator()(const ConstView& in) const;
  /// The same into `out`, of the last step's shape, which shares no sample with the input. InvalidArgument, before
  /// anything is worked out, where that is not so.
  void operator()(const ConstView& in, const View& out) const;
  const std::vector<Filter>& steps() const { return steps_; }
  /// "gray then gaussian sigma=2", which parse() reads back (blanks within values have a backslash before them); with
  /// `full` every parameter is named.
  [[nodiscard]] std::string text(bool full = false) const;
  /// The same steps, of which those that can be told (Description::takes_noise) take away noise of that deviation, 0..1
  /// scale.
  [[nodiscard]] Chain with_noise(double deviation) const;
  /// True where a step can be told how strong the noise is.
  bool takes_noise() const;
  /// Sum of the steps' reaches; nothing where one of them looks at the whole picture.
  std::optional<int> reach() const;
  static void describe(Description<Chain>& d);

 private:
  std::vector<Filter> steps_;
};

/// A chain as the value of a parameter: its text, of which a chain around it takes the blanks with a backslash before
/// each (Filter::text() does): `plug_and_play with=median\ then\ wavelet_shrink`. A field of the type Chain is
/// described like any other; its default may be any chain of one step or more.
template <>
struct TextValue<Chain> {
  static std::string text(const Chain& chain) { return chain.text(); }
  static std::string full_text(const Chain& chain) { return chain.text(true); }
  static Chain parse(std::string_view s, const Resources& resources);
  static const char* allowed() { return "a chain in one word: 'NAME key=value then NAME ...'"; }
};

}  // namespace sieve
