#pragma once
/// The filters that are known by name.

#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "sieve/filter/filter.hpp"

namespace sieve {

/// Filters by name, each with its defaults. `Catalogue::standard()` holds the library's; a copy of it takes one's own.
class Catalogue {
 public:
  /// All filters of the library.
  static const Catalogue& standard();

  /// Adds a filter struct under the name of its description. BadCall where the name is taken.
  template <FilterStruct T>
  void add() {
    add(Filter(T{}));
  }
  void add(Filter filter);

  /// A filter of that name with its defaults. BadCall names the nearest known one.
  const Filter& find(std::string_view name) const;
  /// All names, in order.
  std::vector<std::string> names() const;

 private:
  std::map<std::string, Filter, std::less<>> filters_;
};

}  // namespace sieve
