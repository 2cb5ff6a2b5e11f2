#pragma once
// The longest beginning of a chain that can run strip by strip: every strip goes through all its steps while it is in
// the cache, and nothing of the picture's size lies between them.

#include <span>
#include <vector>

#include "sieve/filter/filter.hpp"

namespace sieve {

class StripRun {
 public:
  // Looks how far it gets; `in` is what the first of the steps gets.
  StripRun(std::span<const Filter> steps, const ConstView& in);
  // How many steps; 0 where the first cannot, or the picture is too small to gain anything.
  std::size_t count() const { return steps_.size(); }
  // Of the result.
  const Shape& shape() const { return shapes_.back(); }
  // True where every sample of the result comes from the same place alone, so that the result may take the input's
  // room.
  bool alone(const Shape& in) const { return margins_.front() == 0 && shape() == in; }
  // The result; `out` may be the input where alone() is true.
  void operator()(const ConstView& in, const View& out) const;

 private:
  std::vector<Filter> steps_;
  std::vector<Shape> shapes_;    // of each step's result
  std::vector<int> margins_{0};  // rows that are needed around a strip before each step, and behind the last
};

}  // namespace sieve
