#pragma once
// What the call operators of all filters share.

#include "core/memory.hpp"
#include "sieve/core/describe.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve {

// The checks of filter and input.
template <class F>
void ready(const F& filter, const ConstView& in) {
  check(filter);
  require_input(in, description_of<F>().name.c_str());
}

// The result of a filter that writes into a buffer, in a picture of its own.
template <class F>
Image made(const F& filter, const ConstView& in) {
  ready(filter, in);
  Shape shape = in.shape;
  if constexpr (requires { filter.shape(in.shape); }) shape = filter.shape(in.shape);
  Image out = unfilled(shape, in.maximum);
  filter(in, out.view());
  return out;
}

// The checks at the start of every writing call operator.
template <class F>
void ready(const F& filter, const ConstView& in, const View& out) {
  ready(filter, in);
  const char* name = description_of<F>().name.c_str();
  Shape shape = in.shape;
  if constexpr (requires { filter.shape(in.shape); }) shape = filter.shape(in.shape);
  require_output(in, out, shape, name);
}

}  // namespace sieve
