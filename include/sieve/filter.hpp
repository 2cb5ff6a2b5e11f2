#pragma once
/// Any filter by value, the catalogue, chains, groups, recipes and records.

#include "sieve/filter/catalogue.hpp"
#include "sieve/filter/chain.hpp"
#include "sieve/filter/filter.hpp"
#include "sieve/filter/kernels.hpp"
#include "sieve/filter/plug_and_play.hpp"
#include "sieve/filter/recipe.hpp"
#include "sieve/filter/within.hpp"
