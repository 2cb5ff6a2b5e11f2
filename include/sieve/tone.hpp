#pragma once
/// Levels: point operations, statistics and histograms.

#include "sieve/tone/point.hpp"
#include "sieve/tone/statistics.hpp"
