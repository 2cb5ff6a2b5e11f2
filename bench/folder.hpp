#pragma once
// Folders of pictures that benches measure on.

#include <algorithm>
#include <filesystem>
#include <string>
#include <vector>

namespace sieve::bench {

// Its files, in the order of their names.
inline std::vector<std::filesystem::path> files_of(const std::string& folder) {
  std::vector<std::filesystem::path> files;
  for (const auto& f : std::filesystem::directory_iterator(folder)) {
    if (f.is_regular_file()) files.push_back(f.path());
  }
  std::sort(files.begin(), files.end());
  return files;
}

}  // namespace sieve::bench
