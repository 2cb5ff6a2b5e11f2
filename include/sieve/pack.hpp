#pragma once
/// Compression: pictures down to few bytes.

#include "sieve/pack/pack.hpp"
