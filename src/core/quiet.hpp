#pragma once
// For filters that call other filters.

#include "sieve/core/watch.hpp"

namespace sieve::internal {

// While it lives, nobody hears what the filters called in this thread tell of themselves; their progress and a stop
// go through.
class Quiet {
 public:
  Quiet() : outer_(current_watch()), active_(watch_) {
    watch_.on_note = [](const std::string&) {};
    watch_.follow(outer_);
  }

 private:
  Watch watch_;
  Watch* outer_;
  Watch::Active active_;
};

}  // namespace sieve::internal
