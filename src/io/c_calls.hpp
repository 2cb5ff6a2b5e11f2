#pragma once
// Calls into C libraries that report an error by a callback that must not return. Nothing is thrown through their
// frames: the callback jumps back here, and the exception begins here.

#include <csetjmp>
#include <cstdio>
#include <string>

#include "sieve/core/error.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::io {

class CCalls {
 public:
  // `what` is said before the library's own words: "is a damaged or truncated PNG".
  CCalls(std::string name, std::string what) : name_(std::move(name)), what_(std::move(what)) {}

  // Runs call(); it holds nothing that a jump out of it would leave behind (a string, a vector).
  template <class Call>
  void operator()(Call&& call) {
    if (setjmp(back_) != 0) {
      checkpoint();  // a callback gives up on a stop, too
      throw Error(name_ + ": " + what_ + " (" + text_ + ")");
    }
    call();
  }

  // What the library's callback calls.
  [[noreturn]] void give_up(const char* text) noexcept {
    std::snprintf(text_, sizeof text_, "%s", text);
    std::longjmp(back_, 1);
  }

 private:
  std::string name_, what_;
  std::jmp_buf back_;
  char text_[256] = {};
};

}  // namespace sieve::io
