#pragma once
/// Levels and color: histograms, statistics, point operations, equalization, matching, exposure.

#include "sieve/tone/arithmetic.hpp"
#include "sieve/tone/color.hpp"
#include "sieve/tone/curve.hpp"
#include "sieve/tone/equalize.hpp"
#include "sieve/tone/exposure.hpp"
#include "sieve/tone/histogram.hpp"
#include "sieve/tone/match.hpp"
#include "sieve/tone/point.hpp"
#include "sieve/tone/statistics.hpp"
#include "sieve/tone/threshold.hpp"
