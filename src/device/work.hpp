#pragma once
// What a step is on a device.

#include <functional>
#include <limits>
#include <optional>
#include <vector>

#include "device/pass.hpp"
#include "sieve/describe/step.hpp"

namespace sieve::internal::device {

class Bench;

// A step as points, or as passes at a bench that holds the picture, or a strip of it with so many rows more above and
// below as it reaches.
struct Work {
  static constexpr int kWhole = std::numeric_limits<int>::max();

  std::optional<Point> point = {};
  std::function<void(Bench&)> run = {};
  int reach = 0;                  // rows; kWhole where strips will not do
  double buffers = 1;             // at once beside the picture, of its size
  std::vector<Pass> passes = {};  // of which `run` is made, as far as they are known ahead: their memory is looked at
  // What it gives has other sides or channels than what it gets.
  std::function<Shape(const Shape&)> shape = {};
};

// A work of passes, each of what the one before made.
Work in_turn(std::vector<Pass> passes);

// The work of a step whose fields are set, on a picture of that shape (its color channels); nothing where there is none
// for it.
std::optional<Work> work_of(const Step& step, const Shape& in);

}  // namespace sieve::internal::device
