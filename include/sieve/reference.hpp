#pragma once
/// The plain definition of every operation: slow, short, obviously right, in double. Read them as documentation and
/// hold your own version against them in your own tests. Target LeanSieve::reference.

#include "sieve/reference/definitions.hpp"
#include "sieve/reference/denoise.hpp"
#include "sieve/reference/illumination.hpp"
#include "sieve/reference/lowrank.hpp"
#include "sieve/reference/quality.hpp"
#include "sieve/reference/restore.hpp"
#include "sieve/reference/spatial.hpp"
#include "sieve/reference/spectral.hpp"
#include "sieve/reference/tone.hpp"
#include "sieve/reference/wavelet.hpp"
