#include "cli/diagnosis_text.hpp"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

namespace sieve::internal::cli {

using nlohmann::ordered_json;

std::vector<std::string> findings_text(const Diagnosis& d) {
  std::vector<std::string> lines;
  for (const Finding& f : d.findings)
    lines.push_back(fmt::format("{}, confidence {:.2f}: {}", name_of(f.trouble), f.confidence, f.evidence));
  if (lines.empty()) lines.emplace_back("nothing found that a filter would mend");
  return lines;
}

void add_diagnosis(ordered_json& to, const Diagnosis& d) {
  to["findings"] = ordered_json::array();
  for (const Finding& f : d.findings)
    to["findings"].push_back({{"trouble", name_of(f.trouble)},
                              {"figure", f.figure},
                              {"unit", f.unit},
                              {"confidence", f.confidence},
                              {"evidence", f.evidence}});
  to["proposals"] = ordered_json::array();
  for (const Proposal& p : d.proposals)
    to["proposals"].push_back({{"chain", p.chain.text()}, {"gain", p.gain}, {"reason", p.reason}});
  to["leave"] = ordered_json::array();
  for (const Proposal& p : d.leave) to["leave"].push_back({{"chain", p.chain.text()}, {"reason", p.reason}});
}

}  // namespace sieve::internal::cli
