#pragma once
/// The filters that are known by name.

#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/filter/filter.hpp"

namespace SIEVE_EXPORT sieve {

/// Filters by name, each with its defaults. `Catalogue::standard()` holds the library's; a copy of it takes one's own.
class Catalogue {
 public:
  /// All filters of the library.
  static const Catalogue& standard();

  /// Adds a filter struct under the name of its description. InvalidArgument where the name is taken.
  template <FilterStruct T>
  void add() {
    add(Filter(T{}));
  }
  /// The same for a filter with defaults of its own.
  void add(Filter filter);

  /// The names of the filters that a word may mean, the likeliest first: the filter of that name, those that people
  /// look for by it (`erode`, `PCA`, "salt and pepper"), those whose name or other words begin with it or hold it, and
  /// those whose summary does. Case, blanks, hyphens and underscores make no difference. Empty where there is none.
  std::vector<std::string> search(std::string_view word) const;
  /// A filter of that name with its defaults. InvalidArgument names the one that search() or the spelling is nearest
  /// to.
  const Filter& find(std::string_view name) const;
  /// All names, in order.
  std::vector<std::string> names() const;

 private:
  std::map<std::string, Filter, std::less<>> filters_;
};

}  // namespace sieve
