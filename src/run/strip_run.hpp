#pragma once
// The longest beginning of a chain that can run strip by strip: every strip goes through all its steps while it is in
// the cache, and nothing of the picture's size lies between them.

#include <memory>
#include <span>
#include <vector>

#include "sieve/core/watch.hpp"
#include "sieve/describe/description.hpp"

namespace sieve::internal {

// One step of a chain as the engine sees it: a struct without its type, and its description.
struct Step {
  const FilterDescription* description;
  std::shared_ptr<const void> fields;

  Image operator()(const ConstView& in) const {
    description->check(fields.get());
    checkpoint();
    return description->run(fields.get(), in);
  }
};

class StripRun {
 public:
  // Finds out how many of the steps can run so; `in` is the input of the first one.
  StripRun(std::span<const Step> steps, const ConstView& in);
  // The number of those steps: 0 where the first one must see the whole picture, or where the picture is too small to
  // gain anything.
  std::size_t count() const { return steps_.size(); }
  // The shape of what the last of them gives.
  const Shape& shape() const { return shapes_.back(); }
  // Its white level.
  std::uint32_t white_level() const { return white_level_; }
  // True where every pixel of the result depends on the same pixel of the input alone, so that the result may be
  // written over the input.
  bool alone(const Shape& in) const { return margins_.front() == 0 && shape() == in; }
  // The result; `out` may be the input where alone() is true.
  void operator()(const ConstView& in, const View& out) const;

 private:
  std::vector<Step> steps_;
  std::vector<Shape> shapes_;    // of each step's result
  std::uint32_t white_level_;    // of the last step's result
  std::vector<int> margins_{0};  // rows that are needed around a strip before each step, and behind the last
};

}  // namespace sieve::internal
