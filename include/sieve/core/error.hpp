#pragma once
/// Errors as types. Every message says what was given, what is allowed and how to mend it.

#include <stdexcept>
#include <string>

namespace sieve {

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

/// The work was stopped on request (see Watch::stop); nothing was kept.
class Canceled : public Error {
 public:
  Canceled() : Error("stopped on request: nothing was written") {}
};

}  // namespace sieve
