#pragma once
// Memory that is used again: getting fresh pages from the system takes longer than most work on them.

#include <array>
#include <cstddef>
#include <limits>
#include <mutex>
#include <vector>

namespace sieve::internal {

// Blocks of memory of a hundred or so sizes, a step of an eighth apart, that were used and will be used again.
class Workspace {
 public:
  // Keeps at most so many bytes that nobody uses.
  explicit Workspace(std::size_t most_kept) : most_kept_(most_kept) {}
  Workspace(const Workspace&) = delete;
  Workspace& operator=(const Workspace&) = delete;
  ~Workspace();

  // The size of the blocks that serve for `bytes`.
  static std::size_t block_bytes(std::size_t bytes);
  // A block of block_bytes(bytes), aligned to 64 bytes, with anything in it. Error where memory is short.
  void* take(std::size_t bytes);
  // Gives back what take(bytes) gave.
  void give(void* block, std::size_t bytes) noexcept;
  // One of several pieces of work side by side had `count` blocks of that size at once.
  void needed_at_once(std::size_t bytes, int count) noexcept;
  // Gets so many blocks that `threads` such pieces of work find theirs, however they meet.
  void stock(int threads);

 private:
  static constexpr std::size_t kSizes = 512;
  struct Free {
    Free* next;
  };
  struct Shelf {
    Free* first = nullptr;
    int count = 0, needed = 0;
  };
  static std::size_t shelf_of(std::size_t bytes);
  static std::size_t bytes_of(std::size_t shelf);

  std::mutex mutex_;
  std::array<Shelf, kSizes> shelves_{};
  std::size_t kept_ = 0, most_kept_;
  bool short_ = false;
};

// Takes and gives memory from and to the workspace of the work that goes on in this thread, if there is one.
void* take_memory(std::size_t bytes);
void give_memory(void* block, std::size_t bytes) noexcept;

// For the vectors that work on rows needs for itself.
template <class T>
struct FromWorkspace {
  using value_type = T;
  FromWorkspace() = default;
  template <class U>
  FromWorkspace(const FromWorkspace<U>&) noexcept {}
  T* allocate(std::size_t n) { return static_cast<T*>(take_memory(n * sizeof(T))); }
  void deallocate(T* p, std::size_t n) noexcept { give_memory(p, n * sizeof(T)); }
  friend bool operator==(const FromWorkspace&, const FromWorkspace&) { return true; }
};
template <class T>
using Scratch = std::vector<T, FromWorkspace<T>>;

}  // namespace sieve::internal
