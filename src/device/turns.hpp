#pragma once
// One run at a time on a device; a stop may come while others are waited for.

#include <chrono>
#include <condition_variable>
#include <mutex>

#include "sieve/core/watch.hpp"

namespace sieve::internal::device {

// For std::unique_lock. Not std::timed_mutex, whose waiting thread sanitizers of today do not see.
class Turns {
 public:
  void lock() {
    for (;; checkpoint()) {
      std::unique_lock held(guard_);
      if (!given_.wait_for(held, std::chrono::milliseconds(20), [this] { return !taken_; })) continue;
      taken_ = true;
      return;
    }
  }
  void unlock() {
    {
      const std::lock_guard held(guard_);
      taken_ = false;
    }
    given_.notify_one();
  }

 private:
  std::mutex guard_;
  std::condition_variable given_;
  bool taken_ = false;
};

}  // namespace sieve::internal::device
