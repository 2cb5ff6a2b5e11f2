#pragma once
/// Sharpening.

#include "sieve/sharpen/sharpen.hpp"
