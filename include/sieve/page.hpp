#pragma once
/// Pages for a browser: one that works while the program runs, and one that is a file by itself. Target
/// LeanSieve::page.

#include "sieve/page/live.hpp"
#include "sieve/page/still.hpp"
