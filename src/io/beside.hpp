#pragma once
// A codec makes rows in order; what follows is done with those that are there, on another thread where there is one.

#include <algorithm>
#include <atomic>
#include <climits>

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

// make(done) makes `rows` rows in order and says done(y) when rows 0..y-1 are there; use(first, last) is called for
// strips of them in order.
template <class Make, class Use>
void make_and_use(int rows, Make make, Use use) {
  constexpr int kStrip = 32, kFailed = -1;
  std::atomic<int> there = 0;
  const auto tell = [&](int y) {
    there.store(y, std::memory_order_release);
    there.notify_one();
  };
  side_by_side(
      [&] {
        try {
          make([&](int y) {
            if (y % kStrip == 0 || y == rows) tell(y);
          });
        } catch (...) {
          tell(kFailed);
          throw;
        }
      },
      [&] {
        for (int y = 0; y < rows;) {
          const int last = std::min(rows, y + kStrip);
          for (int seen = there.load(std::memory_order_acquire); seen < last;) {
            if (seen == kFailed) return;
            there.wait(seen, std::memory_order_acquire);
            seen = there.load(std::memory_order_acquire);
          }
          checkpoint();
          use(y, last);
          y = last;
        }
      });
}

}  // namespace sieve::io
