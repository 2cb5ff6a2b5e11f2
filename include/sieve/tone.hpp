#pragma once
/// Levels: point operations, statistics and histograms.

#include "sieve/tone/arithmetic.hpp"
#include "sieve/tone/point.hpp"
#include "sieve/tone/statistics.hpp"
