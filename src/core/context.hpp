#pragma once
// What work in a thread takes its threads and its memory from.

#include "core/workers.hpp"
#include "core/workspace.hpp"

namespace sieve::internal {

struct Context {
  Workers* workers = nullptr;      // null: those of all calls that go through no engine
  Workspace* workspace = nullptr;  // null: memory comes fresh from the system
  bool alone = false;              // one of several pieces side by side: parallel_rows() stays on this thread
};

// The context of this thread.
const Context& context();

// The rows of a strip of parallel_rows() for work that gives the same bits however it is cut and does some of it anew
// for each strip: all of them where the work is a piece itself.
inline int strip_or_all(int rows, int strip) { return context().alone ? rows : strip; }

// Makes a context that of this thread for its own lifetime.
class ContextScope {
 public:
  explicit ContextScope(const Context& c);
  ~ContextScope();
  ContextScope(const ContextScope&) = delete;
  ContextScope& operator=(const ContextScope&) = delete;

 private:
  Context before_;
};

// Stands around one of several pieces of work side by side, in whatever thread that is, and tells the workspace what
// memory it had at once.
class PieceScope {
 public:
  explicit PieceScope(Context c);
  ~PieceScope();
  PieceScope(const PieceScope&) = delete;
  PieceScope& operator=(const PieceScope&) = delete;
  // A block of that size was taken or given in this thread.
  static void count(std::size_t bytes, int change) noexcept;

 private:
  static constexpr int kSizes = 24;
  struct Size {
    std::size_t bytes;
    int now, most;
  };
  ContextScope scope_;
  PieceScope* before_;
  Workspace* workspace_;
  int sizes_ = 0;
  Size size_[kSizes];
};

}  // namespace sieve::internal
