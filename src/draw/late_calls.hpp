#pragma once
// Functions of drawing libraries that are found when they are first called: most runs draw nothing, and opening these
// libraries, forty with their own, takes longer than most work. Objects in this namespace stand for the functions and
// have their names, so that calls look as they do everywhere.

#include <atomic>
#include <type_traits>

namespace sieve::draw {

enum class DrawingLibrary { pango_cairo, plplot };

// Error that names the package where the library cannot be opened.
void* address_of(DrawingLibrary library, const char* function);

template <class Function>
class LateCall;

template <class Result, class... Arguments>
class LateCall<Result(Arguments...)> {
 public:
  constexpr LateCall(DrawingLibrary library, const char* name) : library_(library), name_(name) {}
  Result operator()(Arguments... arguments) const {
    Function* f = function_.load(std::memory_order_relaxed);
    if (f == nullptr) {
      f = reinterpret_cast<Function*>(address_of(library_, name_));
      function_.store(f, std::memory_order_relaxed);
    }
    return f(arguments...);
  }

 private:
  using Function = Result(Arguments...);
  DrawingLibrary library_;
  const char* name_;
  mutable std::atomic<Function*> function_ = nullptr;
};

}  // namespace sieve::draw
