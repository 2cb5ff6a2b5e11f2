#include "sieve/filter/kernels.hpp"

namespace sieve {

bool holds_kernel(const Parameter& parameter) {
  return parameter.kind == ParameterKind::text && parameter.allowed == TextValue<Kernel>::allowed();
}

std::vector<std::pair<std::string, Kernel>> kernels_in(const Filter& filter, const Resources& resources) {
  std::vector<std::pair<std::string, Kernel>> all;
  for (const Parameter& p : filter.about().parameters) {
    if (holds_kernel(p)) all.emplace_back(p.name, Kernel::parse(filter.get(p.name), resources));
  }
  return all;
}

}  // namespace sieve
