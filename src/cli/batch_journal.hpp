#pragma once
// What of a batch is done, kept beside the results so that a run that was stopped at any moment can go on.

#include <cstdint>
#include <map>
#include <mutex>
#include <string>

#include "cli/batch_files.hpp"

namespace sieve::internal::cli {

class BatchJournal {
 public:
  // `settings` says all that the results depend on. With `resume` what the file holds is believed after a check; else
  // it begins anew. InvalidArgument where it is of other settings, Error where it cannot be written or another run
  // writes it.
  BatchJournal(std::string path, const std::string& settings, bool resume);
  ~BatchJournal();
  BatchJournal(const BatchJournal&) = delete;
  BatchJournal& operator=(const BatchJournal&) = delete;

  // True where the result is there, whole, and of the picture as it is now.
  bool done(const BatchFile& file) const;
  // Writes down that the result has just been written. Safe from many threads.
  void add(const BatchFile& file);

 private:
  struct Entry {
    std::uint64_t in_bytes = 0, out_bytes = 0, out_hash = 0;
    std::int64_t in_time = 0;
  };
  explicit BatchJournal(std::string path);
  void append(const std::string& line);
  [[noreturn]] void cannot_be_written() const;
  std::string path_;
  int file_;
  std::mutex mutex_;
  std::map<std::string, Entry> entries_;  // by result
};

}  // namespace sieve::internal::cli
