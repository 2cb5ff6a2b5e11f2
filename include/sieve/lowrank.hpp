#pragma once
/// Low rank: singular values and principal components of pictures.

#include "sieve/lowrank/low_rank.hpp"
#include "sieve/lowrank/principal.hpp"
#include "sieve/lowrank/svd.hpp"
