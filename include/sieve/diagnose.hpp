#pragma once
/// What is wrong with a picture, and which chain mends it.

#include "sieve/diagnose/diagnosis.hpp"
#include "sieve/diagnose/evidence.hpp"
