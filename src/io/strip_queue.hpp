#pragma once
// A codec makes rows in order; what follows is done with those that are there, on another thread where there is one.

#include <algorithm>
#include <array>
#include <climits>
#include <condition_variable>
#include <cstdint>
#include <memory>
#include <mutex>

#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::io {

// Two pieces of work side by side, or one after the other.
template <class A, class B>
void side_by_side(A a, B b) {
  parallel_rows(
      2, RowCost(INT_MAX),
      [&](int first, int last) {
        for (int i = first; i < last; ++i) i == 0 ? a() : b();
      },
      1);
}

// Rows on their way from a codec, in a ring of strips: fresh memory for all of them would take as long as the work.
class StripQueue {
 public:
  // `rows` of `bytes` each, `apart` bytes from one to the next.
  StripQueue(int rows, std::size_t apart)
      : rows_(rows),
        strips_((rows + kRows - 1) / kRows),
        apart_(apart),
        memory_(std::make_unique_for_overwrite<std::uint8_t[]>(
            apart * static_cast<std::size_t>(std::min(rows, kRows * kStrips)))) {}

  // make(y, to) makes row y of all, one after the other; the row before stays whole meanwhile. use(first, last, from)
  // is called once for every strip, in any order.
  template <class Make, class Use>
  void run(Make make, Use use) {
    side_by_side([&] { guarded([&] { make_all(make, use); }); }, [&] { guarded([&] { use_all(use); }); });
  }

 private:
  static constexpr int kRows = 32, kStrips = 8;

  std::uint8_t* row(int y) { return memory_.get() + apart_ * static_cast<std::size_t>(y % (kRows * kStrips)); }
  bool& busy(int strip) { return busy_[static_cast<std::size_t>(strip % kStrips)]; }

  // After a failure on one thread the other one ends, too.
  template <class Work>
  void guarded(Work work) {
    try {
      work();
    } catch (...) {
      const std::lock_guard lock(mutex_);
      failed_ = true;
      changed_.notify_all();
      throw;
    }
  }

  template <class Make, class Use>
  void make_all(Make& make, Use& use) {
    for (int s = 0; s < strips_; ++s) {
      {
        // Strip s takes the place of an earlier one, which is used first, on this thread if no other does it.
        std::unique_lock lock(mutex_);
        while (!failed_ && busy(s)) {
          if (!use_one(lock, use)) changed_.wait(lock);
        }
        if (failed_) return;
        busy(s) = true;
      }
      for (int y = s * kRows; y < std::min(rows_, (s + 1) * kRows); ++y) {
        checkpoint();
        make(y, row(y));
      }
      const std::lock_guard lock(mutex_);
      made_ = s + 1;
      changed_.notify_all();
    }
    std::unique_lock lock(mutex_);
    while (use_one(lock, use)) {
    }
  }

  template <class Use>
  void use_all(Use& use) {
    std::unique_lock lock(mutex_);
    while (!failed_ && next_ < strips_) {
      if (!use_one(lock, use)) changed_.wait(lock);
    }
  }

  // Uses the next strip that is made. False where there is none.
  template <class Use>
  bool use_one(std::unique_lock<std::mutex>& lock, Use& use) {
    if (failed_ || next_ == made_) return false;
    const int s = next_++;
    lock.unlock();
    use(s * kRows, std::min(rows_, (s + 1) * kRows), row(s * kRows));
    lock.lock();
    busy(s) = false;
    changed_.notify_all();
    return true;
  }

  const int rows_, strips_;
  const std::size_t apart_;
  const std::unique_ptr<std::uint8_t[]> memory_;
  std::mutex mutex_;
  std::condition_variable changed_;   // with the mutex, all below
  int made_ = 0, next_ = 0;           // strips
  std::array<bool, kStrips> busy_{};  // from before a strip is made until it is used
  bool failed_ = false;
};

}  // namespace sieve::io
