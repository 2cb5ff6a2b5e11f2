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
  // `settings` says all that the results depend on beside the inputs. With `resume` the entries of the file are read;
  // else it begins anew. InvalidArgument where the file is no journal of ours (it is then left as it is) or one of
  // other settings; Error where it cannot be written or another run writes it. A symbolic link is not followed.
  BatchJournal(std::string path, const std::string& settings, bool resume);
  ~BatchJournal();
  BatchJournal(const BatchJournal&) = delete;
  BatchJournal& operator=(const BatchJournal&) = delete;

  // True where the result is a regular file with the bytes that were written, and was made of an input at that path
  // with the bytes that it has now. O(bytes of both).
  bool done(const BatchFile& file) const;
  // Writes down that the result has been written: the hashes (XXH3, 64 bits) are those of the bytes that were decoded
  // and of those that were written. Safe from many threads.
  void add(const BatchFile& file, std::uint64_t in_hash, std::uint64_t out_hash);

 private:
  struct Entry {
    std::string in;
    std::uint64_t in_hash = 0, out_hash = 0;
  };
  explicit BatchJournal(std::string path);
  std::string text() const;
  void read_entries(const std::string& text, const std::string& settings);
  void append(const std::string& line);
  [[noreturn]] void cannot_be_written() const;
  std::string path_;
  int file_;
  std::mutex mutex_;
  std::map<std::string, Entry> entries_;  // by result
};

}  // namespace sieve::internal::cli
