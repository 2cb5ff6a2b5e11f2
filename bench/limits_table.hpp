#pragma once
// Measures in turns and puts the figures together.

#include <functional>
#include <nlohmann/json.hpp>
#include <string>

#include "operations.hpp"

namespace sieve::bench {

struct Budget {
  double seconds = 1;  // for each pair of operation and yardstick
  int least = 3;       // passes, even where they take longer
};

struct Times {
  double operation, yardstick;
};
// Medians of passes that take turns, so that a machine that slows down slows both.
Times in_turns(const Budget& budget, const std::function<void()>& operation, const std::function<void()>& yardstick);
// A line above a table.
void heading(const char* text);

// Every section prints its table as it goes and returns it as JSON.
nlohmann::ordered_json measure_yardsticks(const Budget& budget);
nlohmann::ordered_json measure_operations(const Budget& budget, bool quick);
nlohmann::ordered_json measure_growth(const Budget& budget, bool quick);
nlohmann::ordered_json measure_threads(const Budget& budget);
nlohmann::ordered_json measure_loops();
nlohmann::ordered_json measure_chain(const Budget& budget);
nlohmann::ordered_json measure_engine(const Budget& budget);
// Whole commands of the tool on a picture, or on a made-up one where its name is empty.
nlohmann::ordered_json measure_commands(const std::string& picture, bool quick);

}  // namespace sieve::bench
