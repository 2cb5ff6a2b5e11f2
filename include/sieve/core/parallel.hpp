#pragma once
/// Rows in parallel. The cut into strips depends on the size alone, never on the number of threads, so that
/// results are bit-identical for any number of threads.

#include <concepts>
#include <cstddef>

#include "sieve/core/attributes.hpp"
#include "sieve/core/function_ref.hpp"

namespace SIEVE_EXPORT sieve {

/// How many threads calls use that go through no engine of the caller's; 0 (the start value) means one for each
/// processor, and more are never used. The threads of others in the process are not touched. InvalidArgument below 0.
void set_threads(int threads);
/// How many threads a loop in this thread will use: those of the engine that runs it, else those of set_threads().
[[nodiscard]] int threads();

/// How heavy one row of a parallel loop is, in samples copied: what copying one sample takes is the unit in which all
/// loops here say what their rows cost. A row of `samples` samples of which each takes `copies` times as long.
class RowCost {
 public:
  template <std::integral N, std::integral C = int>
  RowCost(N samples, C copies = 1) : copied_(static_cast<std::size_t>(samples) * static_cast<std::size_t>(copies)) {}
  /// The samples that could be copied in the time of a row.
  std::size_t copied_samples() const { return copied_; }

 private:
  std::size_t copied_;
};

/// Calls work(first, last) for strips that together cover rows 0..rows-1, each once, on several threads where
/// that pays (small work stays on the calling thread and starts no pool; so does what runs within a strip). `cost` says
/// how heavy a row is: strips are as heavy as copying about 64 thousand samples, or hold `strip` rows where that is
/// given. An exception of `work` is thrown here; the current Watch is handed to the workers and asked before each strip
/// (Canceled).
void parallel_rows(int rows, RowCost cost, FunctionRef<void(int first, int last)> work, int strip = 0);

}  // namespace sieve
