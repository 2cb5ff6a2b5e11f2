#pragma once
/// All of the core of Lean Sieve. Files and drawing have headers of their own: sieve/io.hpp, sieve/draw.hpp.

#include "sieve/core.hpp"
#include "sieve/degrade.hpp"
#include "sieve/denoise.hpp"
#include "sieve/describe.hpp"
#include "sieve/diagnose.hpp"
#include "sieve/filter.hpp"
#include "sieve/illumination.hpp"
#include "sieve/lowrank.hpp"
#include "sieve/pack.hpp"
#include "sieve/quality.hpp"
#include "sieve/restore.hpp"
#include "sieve/sharpen.hpp"
#include "sieve/spatial.hpp"
#include "sieve/spectral.hpp"
#include "sieve/tone.hpp"
#include "sieve/wavelet.hpp"
