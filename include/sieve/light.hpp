#pragma once
/// Uneven illumination: measured, estimated, corrected.

#include "sieve/light/background.hpp"
#include "sieve/light/flat_field.hpp"
#include "sieve/light/flatness.hpp"
#include "sieve/light/homomorphic.hpp"
#include "sieve/light/retinex.hpp"
