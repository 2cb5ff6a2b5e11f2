#pragma once
/// The plain definitions of whole filters, by the type of the filter. Target LeanSieve::reference.

#include <functional>
#include <map>
#include <optional>
#include <type_traits>
#include <typeindex>
#include <utility>

#include "sieve/core/attributes.hpp"
#include "sieve/filter/filter.hpp"

namespace SIEVE_EXPORT sieve {
namespace reference {

/// A result held against the plain one.
struct Agreement {
  bool same_shape = true;  ///< else nothing was compared
  double deviation = 0;    ///< largest difference of two samples, alpha too; a NaN against a number is infinite
  int x = 0, y = 0;        ///< where
  int channel = 0;         ///< and in which channel
  double tolerance = 0;    ///< what may be
  /// True where no sample is farther off than it may be.
  bool good() const { return same_shape && deviation <= tolerance; }
};

/// Which plain definition belongs to which filter, and how closely both agree. `Definitions::standard()` holds those of
/// the library's filters; a copy of it takes one's own:
///
///     sieve::reference::Definitions mine = sieve::reference::Definitions::standard();
///     mine.add<Warmer>(1e-6, [](const Warmer& f, const sieve::ConstView& in) { ... return out; });
class Definitions {
 public:
  /// Those of the library's filters.
  static const Definitions& standard();

  /// `definition(filter, in)` is what the filter struct T gives, slowly and by its definition; no sample of the two
  /// differs by more than `tolerance` times the largest sample of the result, or times 1 where that is less: roundings
  /// grow with the samples. Where the samples are angles, `turn` is a whole one: what is that far apart is the same. It
  /// stands in place of an earlier one.
  template <FilterStruct T, class Plain>
  requires std::is_invocable_r_v<Image, Plain, const T&, const ConstView&>
  void add(double tolerance, Plain definition, double turn = 0) {
    const auto of_struct = [definition](const Filter& f, const ConstView& in) -> Image {
      return definition(*f.as<T>(), in);
    };
    definitions_.insert_or_assign(std::type_index(typeid(T)), Definition{tolerance, turn, of_struct});
  }

  /// The plain result; nothing where the filter has no definition. A chain has one where all its steps have.
  /// InvalidArgument where a parameter is out of its range.
  std::optional<Image> plain(const Filter& filter, const ConstView& in) const;
  /// How closely the filter and its definition agree, for samples of size 1; nothing where it has none.
  std::optional<double> tolerance(const Filter& filter) const;
  /// A result of the filter held against the plain one. InvalidArgument where it has no definition.
  Agreement agreement(const Filter& filter, const ConstView& result, const ConstView& plain_result) const;

 private:
  struct Definition {
    double tolerance, turn;
    std::function<Image(const Filter& filter, const ConstView& in)> plain;
  };
  std::map<std::type_index, Definition> definitions_;
};

/// The plain result of one of the library's filters or of a chain of them; InvalidArgument for one that has no
/// definition. Slow: meant for small pictures.
[[nodiscard]] Image plain(const Filter& filter, const ConstView& in);

}  // namespace reference
}  // namespace sieve
