#pragma once
// A codec makes rows in order; what follows is done with those that are there, on another thread where there is one.

#include <algorithm>
#include <array>
#include <atomic>
#include <climits>
#include <cstdint>
#include <memory>

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
            apart * static_cast<std::size_t>(std::min(rows, kRows * kStrips)))) {
    for (std::atomic<int>& u : used_) u = -1;
  }

  // make(y, to) makes row y of all, one after the other; the row before stays whole meanwhile. use(first, last, from)
  // is called once for every strip, in any order.
  template <class Make, class Use>
  void run(Make make, Use use) {
    side_by_side(
        [&] {
          try {
            for (int s = 0; s < strips_ && !failed_; ++s) {
              make_room(s, use);
              for (int y = s * kRows; y < std::min(rows_, (s + 1) * kRows); ++y) {
                checkpoint();
                make(y, row(y));
              }
              made_.store(s + 1, std::memory_order_release);
              made_.notify_all();
            }
            while (use_one(use)) {
            }
          } catch (...) {
            fail();
            throw;
          }
        },
        [&] {
          try {
            for (;;) {
              if (use_one(use)) continue;
              const int made = made_.load(std::memory_order_acquire);
              if (failed_ || next_ >= strips_) return;
              if (next_ >= made) made_.wait(made, std::memory_order_acquire);
            }
          } catch (...) {
            fail();
            throw;
          }
        });
  }

 private:
  static constexpr int kRows = 32, kStrips = 8, kNever = INT_MAX / 2;

  std::uint8_t* row(int y) { return memory_.get() + apart_ * static_cast<std::size_t>(y % (kRows * kStrips)); }

  // Uses a strip that is there and that nobody has begun.
  template <class Use>
  bool use_one(Use& use) {
    int s = next_.load(std::memory_order_relaxed);
    do {
      if (failed_ || s >= std::min(strips_, made_.load(std::memory_order_acquire))) return false;
    } while (!next_.compare_exchange_weak(s, s + 1, std::memory_order_relaxed));
    use(s * kRows, std::min(rows_, (s + 1) * kRows), row(s * kRows));
    std::atomic<int>& used = used_[static_cast<std::size_t>(s % kStrips)];
    used.store(s, std::memory_order_release);
    used.notify_all();
    return true;
  }

  // Strip s takes the place of one before, which is used first, here if nobody else does.
  template <class Use>
  void make_room(int s, Use& use) {
    if (s < kStrips) return;
    std::atomic<int>& used = used_[static_cast<std::size_t>(s % kStrips)];
    for (int seen = used.load(std::memory_order_acquire); seen < s - kStrips;
         seen = used.load(std::memory_order_acquire)) {
      if (!use_one(use)) used.wait(seen, std::memory_order_acquire);
    }
  }

  // Nobody waits for anything any more.
  void fail() {
    failed_ = true;
    made_.store(kNever, std::memory_order_release);
    made_.notify_all();
    for (std::atomic<int>& u : used_) {
      u.store(kNever, std::memory_order_release);
      u.notify_all();
    }
  }

  int rows_, strips_;
  std::size_t apart_;
  std::unique_ptr<std::uint8_t[]> memory_;
  std::atomic<int> made_ = 0, next_ = 0;
  std::array<std::atomic<int>, kStrips> used_;
  std::atomic<bool> failed_ = false;
};

}  // namespace sieve::io
