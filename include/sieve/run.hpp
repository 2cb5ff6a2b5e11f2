#pragma once
/// Running: the engine, what it is going to do, and what it did.

#include "sieve/run/device.hpp"
#include "sieve/run/engine.hpp"
#include "sieve/run/plan.hpp"
#include "sieve/run/report.hpp"
