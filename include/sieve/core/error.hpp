#pragma once
/// Errors as types. Every message says what was given, what is allowed and how to mend it.

#include <stdexcept>
#include <string>

#include "sieve/core/attributes.hpp"

namespace SIEVE_EXPORT sieve {

/// The work failed: a file that cannot be read, a disk that is full, a size that does not fit in memory.
class Error : public std::runtime_error {
 public:
  using std::runtime_error::runtime_error;
};

/// The call was wrong: an unknown name, a value out of its range, shapes that do not go together.
class InvalidArgument : public Error {
 public:
  using Error::Error;
};

/// The work was stopped on request or at its deadline (see Watch::stop); its result is none, also where it had a buffer
/// to go to. No Error and no std::exception: it is the caller's own wish, which no general catch on the way to him is
/// to swallow. Whoever may ask for a stop catches it by name.
class Canceled {
 public:
  /// Who ended the work.
  enum class By { request, deadline };
  /// `by` whoever did.
  explicit Canceled(By by = By::request) : by_(by) {}
  /// Who ended it.
  By by() const noexcept { return by_; }
  /// "stopped on request" or "stopped at its deadline".
  const char* what() const noexcept { return by_ == By::request ? "stopped on request" : "stopped at its deadline"; }

 private:
  By by_;
};

}  // namespace sieve
