#pragma once
/// What is wrong with a picture, and which chain mends it.

#include "sieve/diagnose/advice.hpp"
#include "sieve/diagnose/damage.hpp"
#include "sieve/diagnose/findings.hpp"
