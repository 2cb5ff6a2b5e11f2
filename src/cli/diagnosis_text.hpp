#pragma once
// A diagnosis in lines and as JSON, the same for every command that tells one.

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "sieve/diagnose/diagnosis.hpp"

namespace sieve::internal::cli {

// A line for each finding; one that says so where there is none.
std::vector<std::string> findings_text(const Diagnosis& d);

// "findings", "proposals" (each with its chain, the best first) and "leave" into an object.
void add_diagnosis(nlohmann::ordered_json& to, const Diagnosis& d);

}  // namespace sieve::internal::cli
