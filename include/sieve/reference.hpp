#pragma once
/// The plain definition of every operation: slow, short, obviously right, in double. Read them as documentation
/// and hold your own version against them in your own tests.

#include "sieve/reference/denoise.hpp"
#include "sieve/reference/light.hpp"
#include "sieve/reference/lowrank.hpp"
#include "sieve/reference/spatial.hpp"
#include "sieve/reference/spectral.hpp"
#include "sieve/reference/tone.hpp"
#include "sieve/reference/wavelet.hpp"
