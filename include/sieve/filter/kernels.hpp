#pragma once
/// The kernels that a filter holds, for those who want to see them.

#include <string>
#include <utility>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/filter/filter.hpp"
#include "sieve/spatial/kernel.hpp"

namespace SIEVE_EXPORT sieve {

/// The parameters of a filter whose values are kernels (weights, point spread functions), with those. `resources` opens
/// the files that they name. O(parameters).
[[nodiscard]] std::vector<std::pair<std::string, Kernel>> kernels_in(const Filter& filter,
                                                                     const Resources& resources = {});
/// True for a parameter whose value is a kernel.
[[nodiscard]] bool holds_kernel(const Parameter& parameter);

}  // namespace sieve
