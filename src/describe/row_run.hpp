#pragma once
// Point filters one after the other on rows that stay in the first-level cache.

#include <memory>
#include <vector>

#include "core/level_table.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/describe/row_operation.hpp"

namespace sieve::internal {

class RowRun {
 public:
  // One filter's operation, and the shape of what it gives.
  void add(RowOperation operation, const Shape& result);
  // After the last add(): what the source's levels allow, where `white_level` is theirs and `samples` their number.
  void prepare(std::uint32_t white_level, std::size_t samples);
  bool empty() const { return operations_.empty(); }
  std::size_t count() const { return operations_.size(); }
  // The number of operations at the start that are looked up in a table.
  std::size_t looked_up() const { return table_ ? looked_up_ : 0; }
  // Times of copying a sample that they take together.
  double copies() const;

  // Rows first..last - 1 of the color channels, and of alpha; `out` may be exactly `in`. With `stream` past the cache.
  void operator()(const ConstView& in, const View& out, int first, int last, bool stream) const;
  // The whole picture in parallel.
  void operator()(const ConstView& in, const View& out) const;

  // What hears every operation's result as it is made, from column x and row y of the whole picture on.
  struct Listener {
    virtual ~Listener() = default;
    // A chunk begins.
    virtual void begin() = 0;
    virtual void hear(std::size_t operation, const float* samples, std::size_t n, int x, int y) = 0;
    // It hears the last operation alone.
    bool last_alone = false;
  };
  // As the first operator, with a listener.
  void heard(const ConstView& in, const View& out, int first, int last, bool stream, Listener& listener) const;

 private:
  bool hears(const Listener* listener, std::size_t operation) const {
    return listener != nullptr && (!listener->last_alone || operation + 1 == count());
  }
  void row(const ConstView& in, const View& out, int y, bool stream, Listener* listener) const;
  void channel_row(const float* in, float* out, std::size_t n, RowPlace place, bool stream, Listener* listener) const;
  void color_row(const ConstView& in, const View& out, int y, bool stream, Listener* listener) const;

  std::vector<RowOperation> operations_;
  std::vector<int> colors_;  // of each one's result
  bool by_channel_ = true;
  std::size_t looked_up_ = 0;
  std::shared_ptr<const LevelTable> table_;
};

// A filter that its description gives as an operation on rows, alone; what it measures it measures first. Nothing is
// checked.
void run_rows(const FilterDescription& description, const void* filter, const ConstView& in, const View& out);

}  // namespace sieve::internal
