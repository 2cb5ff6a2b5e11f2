#pragma once
/// A chain to take, or to leave, and why.

#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/filter/chain.hpp"

namespace SIEVE_EXPORT sieve {

/// One piece of advice.
struct Advice {
  bool take = true;    ///< take the chain, or leave it
  Chain chain;         ///< what to take or to leave
  std::string reason;  ///< one line with the figures
};

}  // namespace sieve
