#pragma once
// The step of quantization that gives a size, a number of coefficients or a PSNR.

#include <optional>

#include "pack/methods.hpp"
#include "sieve/core/function_ref.hpp"
#include "sieve/pack/pack.hpp"

namespace sieve::internal::packing {

class Search {
 public:
  Search(const ConstView& in, Method& method) : in_(in), method_(method) {}

  // The picture coded with that step.
  Packed at(double step);
  // With the finest step at which figure(packed), which falls as the step grows, is at most `most`: within 0.5 % of it
  // where there is such a step, else with a note. `what` names the figure.
  Packed most(double most, const char* what, FunctionRef<double(const Packed&)> figure);
  // With the coarsest step at which the PSNR is at least `least` decibels: within 0.02 of it where there is such a
  // step.
  Packed least_psnr(double least);

 private:
  struct Tried {
    double at;        // the logarithm of the step, with the sign that lets distances rise
    double distance;  // from the goal, counted in what is allowed: 0 to 1 is good, below 0 not allowed
  };
  struct Found {
    Packed best;                    // the allowed one that is nearest
    std::optional<double> nearest;  // its distance; nothing where none was allowed
  };
  // Tries steps from the first one on. `slope` is the change of the distance with the logarithm of the step, about.
  Found search(double first_step, double slope, FunctionRef<double(const Packed&)> distance);

  ConstView in_;
  Method& method_;
};

}  // namespace sieve::internal::packing
