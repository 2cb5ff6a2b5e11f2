#pragma once
/// Uneven illumination: measured, estimated, corrected.

#include "sieve/illumination/background.hpp"
#include "sieve/illumination/flat_field.hpp"
#include "sieve/illumination/flatness.hpp"
#include "sieve/illumination/homomorphic.hpp"
#include "sieve/illumination/retinex.hpp"
