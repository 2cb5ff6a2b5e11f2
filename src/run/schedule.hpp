#pragma once
// What is to be done with the steps of a chain, and with which memory.

#include <memory>
#include <string>
#include <vector>

#include "run/segment.hpp"
#include "sieve/run/plan.hpp"

namespace sieve::internal {

// Some neighboring steps that run together.
struct Pass {
  std::size_t first = 0, count = 0;
  bool measures = false;                   // its first step measures its input; the segment is made when that is known
  bool along = false;                      // that is the range alone, found in the pass before
  std::shared_ptr<const Segment> segment;  // null for one step on the whole picture, and where it measures first
  std::string why;                         // for a whole picture
};

// Of a picture of that shape.
std::size_t bytes_of(const Shape& s);

class Schedule {
 public:
  // InvalidArgument where a field is out of its range or a filter does not fit the shape. `together`: steps may run
  // together.
  Schedule(const std::vector<Step>& steps, const Shape& in, std::uint32_t white_level, bool together = true);

  const std::vector<SetStep>& steps() const { return steps_; }
  const std::vector<Pass>& passes() const { return passes_; }
  const Shape& in() const { return in_; }
  const Shape& out() const { return steps_.empty() ? in_ : steps_.back().out; }
  // The largest of the pictures that come in, go on and go out.
  const Shape& largest() const { return largest_; }
  std::uint32_t white_in() const { return white_in_; }
  std::uint32_t white_out() const { return steps_.empty() ? white_in_ : steps_.back().white_out; }
  // True where all steps from that one on can be done in place: point filters on rows that keep the shape.
  bool in_place_from(std::size_t step) const;
  // True where that holds for all that follows pass i: its result may be written where the last one goes.
  bool ends_in_place(std::size_t i) const { return in_place_from(passes_[i].first + passes_[i].count); }
  // True where a part of the result needs but a part of the last pass's input.
  bool last_by_parts() const;
  // Calls each(pass, bytes of its own, bytes of a picture behind it) for every pass, for `part` of the result or for
  // all with so many threads; gives the most memory at once.
  std::size_t memory(const Rectangle* part, int threads,
                     FunctionRef<void(std::size_t, std::size_t, std::size_t)> each) const;
  // The plan for `part` of the result, or for all, with so many threads.
  Plan plan(const Rectangle* part, int threads) const;
  // The segment of a pass whose first step has measured.
  std::shared_ptr<const Segment> segment(const Pass& pass, const Step& measured) const;

 private:
  // True where its segment runs piece by piece, not one filter on the whole picture.
  bool in_pieces(const Pass& pass) const;
  void add(const Step& step);

  Shape in_, largest_;
  std::uint32_t white_in_;
  std::vector<SetStep> steps_;
  std::vector<Pass> passes_;
};

}  // namespace sieve::internal
