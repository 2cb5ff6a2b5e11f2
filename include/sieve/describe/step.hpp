#pragma once
/// One step of a chain without its type: what the engine runs.

#include <memory>

#include "sieve/core/attributes.hpp"
#include "sieve/core/function_ref.hpp"

namespace SIEVE_EXPORT sieve {

class FilterDescription;

/// A filter struct and its description.
struct Step {
  const FilterDescription* about = nullptr;  ///< what it says of itself
  std::shared_ptr<const void> fields = {};   ///< the struct
};

/// Hears steps one after the other.
using StepVisitor = FunctionRef<void(const Step&)>;

}  // namespace sieve
