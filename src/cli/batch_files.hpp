#pragma once
// Which pictures a batch takes, and where their results go.

#include <string>
#include <vector>

namespace sieve::internal::cli {

struct BatchFile {
  std::string in;   // as it can be opened
  std::string out;  // below the folder of results, with its folders
};

struct BatchChoice {
  std::vector<std::string> paths;  // files, folders and patterns such as 'night-*.png'
  std::string into;                // the folder of results
  std::string ending;              // of the results ("png"); empty: as the picture's
  bool recursive = false;          // folders within folders, too
};

// All pictures in the order of their paths, each once. InvalidArgument where a path is not there or nothing is found,
// where two results would have one name, or where a result would take a picture's place.
std::vector<BatchFile> batch_files(const BatchChoice& choice);

// Error where a result, or a folder below `into` on the way to it, is a symbolic link.
void refuse_links(const std::string& into, const std::string& out);

// True for the name of the temporary file that io::write() makes beside a result named `out`: out.partPID-NUMBER.
bool is_part_of(const std::string& name, const std::string& out);

// Every N-th from the I-th of "I/N" (I from 1). "auto" takes I, and N where it is not said ("auto/N"), from the
// environment that job arrays set. Tells both; InvalidArgument where they are wrong.
struct Shard {
  int index = 1, count = 1;
};
Shard shard_of(const std::string& text);

}  // namespace sieve::internal::cli
