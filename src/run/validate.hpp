#pragma once
// What the call operators of all filters share.

#include "core/memory.hpp"
#include "describe/format_real.hpp"
#include "describe/row_run.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/describe/description.hpp"

namespace sieve::internal {

// The half-width of a square window: a radius that is described as whole, as a whole number.
inline int whole(Real radius) { return static_cast<int>(radius); }

// The sample beyond the picture where the border is a fixed value.
template <class F>
float fill_of(const F& f) {
  return f.border == Border::constant ? static_cast<float>(f.fill) : 0.0F;
}

// How far a filter looks from a pixel, where that is known from its parameters.
template <class F>
int filter_reach(const F& f) {
  return description_of<F>().reach(&f).value();
}

// The checks of filter and input.
template <class F>
void validate(const F& filter, const ConstView& in) {
  check(filter);
  require_input(in, description_of<F>().name.c_str());
}

// The checks at the start of every writing call operator.
template <class F>
void validate(const F& filter, const ConstView& in, const View& out) {
  check(filter);
  description_of<F>().check_buffers(&filter, in, out);
}

// The writing call operator of a filter that its description gives as an operation on rows.
template <class F>
void validate_and_run_rows(const F& filter, const ConstView& in, const View& out) {
  validate(filter, in, out);
  run_rows(description_of<F>(), &filter, in, out);
}

// The result of a filter that writes into a buffer, in a picture of its own.
template <class F>
Image allocate_and_run(const F& filter, const ConstView& in) {
  validate(filter, in);
  const FilterDescription& d = description_of<F>();
  Image out = unfilled(d.result_shape(&filter, in.shape), d.result_white_level(&filter, in.white_level));
  filter(in, out.view());
  return out;
}

}  // namespace sieve::internal
