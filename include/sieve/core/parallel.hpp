#pragma once
/// Rows in parallel. The cut into strips depends on the size alone, never on the number of threads, so that
/// results are bit-identical for any number of threads.

#include <cstddef>
#include <functional>

namespace sieve {

/// How many threads the library uses; 0 (the start value) means one for each processor. BadCall below 0.
void set_threads(int threads);
/// How many threads will be used.
int threads();

/// Calls work(first, last) for strips that together cover rows 0..rows-1, each once, on several threads where
/// that pays (small work stays on the calling thread and starts no pool). `samples_per_row` says how heavy a row
/// is: strips hold about 64 thousand samples, or `strip` rows where that is given. An exception of `work` is
/// thrown here; the current Watch is handed to the workers and asked before each strip (Stopped).
void parallel_rows(int rows, std::size_t samples_per_row, const std::function<void(int first, int last)>& work,
                   int strip = 0);

}  // namespace sieve
