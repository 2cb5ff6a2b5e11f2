#pragma once
/// Restoration of blurred pictures.

#include "sieve/restore/find_psf.hpp"
#include "sieve/restore/landweber.hpp"
#include "sieve/restore/linear.hpp"
#include "sieve/restore/psf.hpp"
#include "sieve/restore/richardson_lucy.hpp"
#include "sieve/restore/total_variation_deconvolution.hpp"
