#pragma once
/// Figures that tell how good a picture is: against a truth, and without one.

#include "sieve/quality/compare.hpp"
#include "sieve/quality/estimate.hpp"
