#pragma once
// Chains whose values vary: ranges and lists.

#include <string>
#include <vector>

#include "cli/session.hpp"

namespace sieve::internal::cli {

// A word of the chain with several values.
struct Varied {
  std::size_t word;
  std::string key;                  // as it stands in the chain
  std::vector<std::string> values;  // as text
  bool logarithmic = false;
};

// A chain whose values vary.
struct Variations {
  std::vector<std::string> words;
  std::vector<Varied> varied;  // two at most

  std::size_t size() const;
  // The values of run i: the first varied runs fastest.
  std::vector<std::string> values(std::size_t i) const;
  std::vector<std::string> chain(std::size_t i) const;
  std::string label(std::size_t i) const;
};

// Every chain of it is checked. InvalidArgument where more than two values vary, or they give more than 400 runs.
Variations variations_of(const Session& session, std::vector<std::string> words);

}  // namespace sieve::internal::cli
