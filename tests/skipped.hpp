#pragma once

#include <doctest/doctest.h>

#include <string>

namespace test {

// Set by skip(). main() then returns 77, which CTest reports as skipped, unless a check has failed.
inline bool skipped = false;

// Reports that something cannot be tested here.
inline void skip(const std::string& why) {
  MESSAGE("skipped: " << why);
  skipped = true;
}

}  // namespace test
