#pragma once
// For work on a strip of something larger that already runs in parallel.

#include <cstddef>
#include <mutex>
#include <vector>

namespace sieve {

// Keeps the memory of pictures that strips no longer need for those that come: fresh pages from the system would cost
// more than the work on them. Frees it at the end of its own life.
class SpareRoom {
 public:
  SpareRoom() = default;
  SpareRoom(const SpareRoom&) = delete;
  SpareRoom& operator=(const SpareRoom&) = delete;
  ~SpareRoom();

  struct Block {
    float* data = nullptr;
    std::size_t bytes = 0;
  };
  // A block of that size or up to twice as much, with anything in it; none where there is none.
  Block take(std::size_t bytes);
  // False where there is no room for it.
  bool keep(Block block);

 private:
  std::mutex mutex_;
  std::vector<Block> blocks_;
};

// While one lives, parallel_rows() stays on this thread and pictures that it makes come from and go to the room.
class StripScope {
 public:
  explicit StripScope(SpareRoom& room);
  ~StripScope();
  StripScope(const StripScope&) = delete;
  StripScope& operator=(const StripScope&) = delete;
  // The room of this thread's innermost scope, or null outside.
  static SpareRoom* room();

 private:
  SpareRoom* before_;
};

}  // namespace sieve
