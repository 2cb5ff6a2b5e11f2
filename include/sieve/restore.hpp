#pragma once
/// Restoration of blurred pictures.

#include "sieve/restore/linear.hpp"
#include "sieve/restore/psf.hpp"
#include "sieve/restore/richardson_lucy.hpp"
