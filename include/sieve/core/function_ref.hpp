#pragma once
/// A function that is called while the call it was handed to lasts.

#include <concepts>
#include <functional>
#include <memory>
#include <type_traits>
#include <utility>

#include "sieve/core/attributes.hpp"

namespace SIEVE_EXPORT sieve {

/// See the one form that there is, FunctionRef<Result(Arguments...)>.
template <class Signature>
class FunctionRef;

/// Refers to any callable without copying it and without memory of its own, where std::function would take some for
/// all but the smallest. For parameters alone: the callable must outlive it.
template <class Result, class... Arguments>
class FunctionRef<Result(Arguments...)> {
 public:
  /// To `f`, which is not copied.
  template <class F>
  requires(!std::same_as<std::remove_cvref_t<F>, FunctionRef> && std::is_invocable_r_v<Result, F&, Arguments...>)
      FunctionRef(F&& f)
      : callable_(const_cast<void*>(static_cast<const volatile void*>(std::addressof(f)))),
        call_([](void* callable, Arguments... arguments) -> Result {
          return std::invoke(*static_cast<std::remove_reference_t<F>*>(callable),
                             std::forward<Arguments>(arguments)...);
        }) {}
  /// Calls it.
  Result operator()(Arguments... arguments) const { return call_(callable_, std::forward<Arguments>(arguments)...); }

 private:
  void* callable_;
  Result (*call_)(void*, Arguments...);
};

}  // namespace sieve
