#pragma once
// What work on one strip of a picture needs to know when the strips themselves already run in parallel.

#include <cstddef>
#include <mutex>
#include <vector>

namespace sieve::internal {

// Keeps the memory of the pictures that a strip has finished with, for the pictures of the next strips: getting fresh
// pages from the system would take longer than the work on them. What it holds is freed with it.
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

// While one exists, parallel_rows() runs on the calling thread alone, and pictures made on it take their memory from
// the room and give it back to it.
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

}  // namespace sieve::internal
