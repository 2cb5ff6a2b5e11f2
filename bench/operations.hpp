#pragma once
// What is measured, and how fast it is wanted.

#include <functional>
#include <string>
#include <vector>

#include "yardsticks.hpp"

namespace sieve::bench {

struct Operation {
  enum class Goal {
    at_most,
    at_least,
    faster
  };  // times the yardstick; units a second; times faster than the yardstick
  std::string name;
  By against = By::copy;
  Goal kind = Goal::at_most;
  double goal = 0;                                 // 0: none was named
  std::function<std::function<void()>()> prepare;  // makes what is run; done once, before the clock starts
  double megapixels = 8.2944;                      // for Goal::at_least
  bool slow = false;                               // left out of a quick run
  double yardsticks = 1;                           // how many of it what is held against the operation takes
};

// On 3840x2160, the transforms on 2048x2048, restoration on 1024x1024 unless the name says otherwise.
std::vector<Operation> operations();

// The same operation at any size, for how the cost grows with pixels and falls with threads.
struct Growing {
  std::string name;
  std::function<std::function<void()>(const Image& in)> prepare;
  bool bound_by_memory = false;
};
std::vector<Growing> growing();

// Nested loops that a developer writes first, and what the library has instead.
struct Pair {
  std::string name;
  std::function<void()> loops, ours;
};
std::vector<Pair> against_loops(int width, int height);

}  // namespace sieve::bench
