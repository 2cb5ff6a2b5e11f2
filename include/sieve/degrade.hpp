#pragma once
/// Damage with a known truth: noise models, sensor faults and known blurs.

#include "sieve/degrade/blur.hpp"
#include "sieve/degrade/faults.hpp"
#include "sieve/degrade/noise.hpp"
