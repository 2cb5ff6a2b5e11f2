#pragma once
// Threads of one's own.

#include <memory>

#include "sieve/core/function_ref.hpp"

namespace sieve::internal {

class Workers {
 public:
  // So many threads, the calling one among them, at most one for each processor, which 0 stands for. They are there
  // from the first run() on.
  explicit Workers(int threads);
  ~Workers();
  Workers(const Workers&) = delete;
  Workers& operator=(const Workers&) = delete;

  int count() const { return count_; }
  // work(i) for i in 0..parts-1, each once, side by side. An exception ends what has not begun and is thrown here.
  void run(int parts, FunctionRef<void(int part)> work);

 private:
  struct Arena;
  int count_;
  std::unique_ptr<Arena> arena_;
};

// The threads of calls that go through no engine; set_threads() says how many.
std::shared_ptr<Workers> standard_workers();

}  // namespace sieve::internal
