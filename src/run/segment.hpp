#pragma once
// Neighboring steps of a chain of which each looks no farther than its reach, run together: by rows where all of them
// are point filters, else by strips that go through all of them while they are in the cache. What a window of the next
// step needs of the rows before is kept, so that nothing but the margins between pieces is worked out twice.

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "describe/row_run.hpp"
#include "run/figures.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/describe/description.hpp"

namespace sieve::internal {

// One step of a chain, with what comes in and what goes out.
struct SetStep {
  Step step;
  Shape in, out;
  std::uint32_t white_in, white_out;
};

class Segment {
 public:
  // The steps have a part_margin() each and keep width and height.
  explicit Segment(std::span<const SetStep> steps);
  Segment(const Segment&) = delete;
  Segment& operator=(const Segment&) = delete;

  // True where it is one window filter alone, which knows itself best how to run on a whole picture.
  bool single() const { return stages_.size() == 1 && stages_[0].window != nullptr && stages_[0].rows.empty(); }
  bool rows_only() const { return stages_.size() == 1 && stages_[0].window == nullptr; }
  std::size_t looked_up() const { return stages_[0].window == nullptr ? stages_[0].rows.looked_up() : 0; }
  // The part of the input that `part` of the result depends on.
  Rectangle needs(const Rectangle& part) const;
  // Memory that its strips take with so many threads.
  std::size_t bytes(const Rectangle& part, int threads) const;
  // `part` of the result, which `out` has the size of. With a book, the figures of its steps are added there.
  void run(const ConstView& in, const View& out, const Rectangle& part, FigureBook* book) const;

 private:
  // A window filter, if there is one, and the point filters behind it.
  struct Stage {
    const SetStep* window = nullptr;
    int reach = 0;
    bool around = false;
    RowRun rows;
    Shape in, out;  // channels alone count
    std::uint32_t white = 0;
    std::size_t first = 0;  // of its steps in the segment
  };
  struct Cut {
    int columns, bands;  // pieces across and down
    int strip;           // rows of a strip
  };
  Cut cut(const Rectangle& part, int threads) const;
  void run_piece(const ConstView& in, const View& out, const Rectangle& part, const Rectangle& piece, int strip,
                 Progress& progress, FigureBook* book) const;
  // A stage's window filter on a view in its place.
  void run_window(const Stage& stage, const ConstView& from, const View& to) const;

  std::vector<SetStep> steps_;
  std::vector<Stage> stages_;
  Shape in_;
};

}  // namespace sieve::internal
