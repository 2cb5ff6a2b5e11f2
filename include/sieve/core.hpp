#pragma once
/// The ground floor: pictures, borders, errors, parallel rows, random streams, progress.

#include "sieve/core/border.hpp"
#include "sieve/core/buffers.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/function_ref.hpp"
#include "sieve/core/image.hpp"
#include "sieve/core/lanes.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/random.hpp"
#include "sieve/core/version.hpp"
#include "sieve/core/watch.hpp"
