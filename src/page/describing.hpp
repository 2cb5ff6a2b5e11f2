#pragma once
// Filters and chains as the page's controls know them.

#include <nlohmann/json.hpp>

#include "sieve/filter/chain.hpp"

namespace sieve::internal::page {

// A filter with its parameters, what they allow, and how a slider runs over them.
nlohmann::ordered_json described(const Filter& filter);

// All filters of a catalogue.
nlohmann::ordered_json described(const Catalogue& catalogue);

// The steps as the page's cards: name, and the values that differ from the defaults; what a group holds follows it, up
// to a step `end`.
nlohmann::ordered_json cards_of(const Chain& chain);

// Kernels among a step's parameters as grids, and the curves that it draws of itself on that picture.
nlohmann::ordered_json shown_of(const Filter& step, const ConstView& before, const Resources& resources);

}  // namespace sieve::internal::page
