#pragma once
// Memory that a thread keeps from one call to the next.

namespace sieve::internal {

// The T of this thread for this tag. The main thread destroys its own before static objects, which may still filter:
// they get a new one.
template <class T, class Tag>
T& of_thread() {
  thread_local T* held = nullptr;
  struct Owner {
    ~Owner() {
      delete held;
      held = nullptr;
    }
  };
  thread_local const Owner owner;
  (void)owner;
  if (held == nullptr) held = new T();
  return *held;
}

}  // namespace sieve::internal
