#pragma once
/// What a filter is: any filter by value, the catalogue, chains.

#include "sieve/filter/advice.hpp"
#include "sieve/filter/catalogue.hpp"
#include "sieve/filter/chain.hpp"
#include "sieve/filter/filter.hpp"
#include "sieve/filter/proposal.hpp"
#include "sieve/filter/recipe.hpp"
#include "sieve/filter/within.hpp"
