#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include "cli/diagnosis_text.hpp"
#include "cli/session.hpp"
#include "cli/trial.hpp"
#include "sieve/diagnose/diagnosis.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct AdviseArguments {
  std::string in, truth, sheet;
  bool lineup = false, json = false;
};

int advise(const Session& session, const AdviseArguments& o) {
  const Attended attended;
  Contest contest(session, o.in, o.truth, "");
  const Diagnosis d = diagnose(contest.in);
  const std::vector<Proposal>& proposals = d.proposals;
  if (o.lineup || !o.truth.empty() || !o.sheet.empty()) {
    contest.run(proposals.size(), [&](std::size_t i) { return proposals[i].chain; });
  }
  const Watch::Active none(nullptr);
  if (o.json) {
    ordered_json j = {{"input", o.in}};
    add_diagnosis(j, d);
    for (std::size_t i = 0; i < contest.trials.size(); ++i) j["proposals"][i]["result"] = contest.json(i);
    print_json(j);
  } else {
    fmt::print("{}\n", o.in);
    for (const std::string& line : findings_text(d)) fmt::print("  {}\n", line);
    if (proposals.empty()) fmt::print("leave it as it is\n");
    for (std::size_t i = 0; i < proposals.size(); ++i) {
      const Proposal& p = proposals[i];
      fmt::print("{}. {}\n   {}{}\n", i + 1, p.chain.text(), p.reason,
                 p.gain > 0 ? fmt::format("; gained {:.1f} dB on the mean over photographs", p.gain) : "");
      if (i >= contest.trials.size()) continue;
      const Trial& t = contest.trials[i];
      fmt::print("   {}noise left {:.4f}, {}\n",
                 t.against ? fmt::format("PSNR {}, SSIM {:.4f}, ", psnr_text(t.against->psnr), t.against->ssim) : "",
                 t.noise, time_text(t.seconds));
    }
    for (const Proposal& p : d.leave) fmt::print("leave {}: {}\n", p.chain.text(), p.reason);
  }
  if (!o.sheet.empty()) {
    draw::Sheet sheet(base_name(o.in) + ": what to take",
                      "what is wrong with it, and the chains that mend it, the first choice first");
    draw::SheetCell input = draw::picture_cell("input", contest.in);
    input.below = draw::text(findings_text(d));
    sheet.add(std::move(input));
    for (std::size_t i = 0; i < contest.trials.size(); ++i) {
      const Trial& t = contest.trials[i];
      draw::SheetCell cell = draw::picture_cell(fmt::format("{}. {}", i + 1, t.name), t.result);
      cell.note = (t.against ? fmt::format("PSNR {}  SSIM {:.4f}  ", psnr_text(t.against->psnr), t.against->ssim)
                             : fmt::format("noise left {:.4f}  ", t.noise)) +
                  time_text(t.seconds);
      sheet.add(std::move(cell));
    }
    write_sheet(sheet, o.sheet);
  }
  if (contest.stopped)
    throw Error(fmt::format("stopped on request: {} of {} proposals are finished and shown", contest.trials.size(),
                            proposals.size()));
  return 0;
}

}  // namespace

Command declare_advise(CLI::App& root, Session& session) {
  auto o = std::make_shared<AdviseArguments>();
  CLI::App* app =
      root.add_subcommand("advise", "Say what is wrong with a picture, how sure that is, and which filters mend it.");
  app->add_option("IN", o->in, "the picture to measure")->required();
  app->add_flag("--lineup", o->lineup, "run the proposals and tell what each leaves");
  app->add_option("--truth", o->truth, "the clean picture: runs the proposals and tells PSNR and SSIM");
  app->add_option("--sheet", o->sheet, "draw input and proposals into this PNG");
  app->add_flag("--json", o->json, "print one JSON object");
  app->footer("Example: lsieve advise noisy.png --lineup --sheet advice.png");
  return {app, [o, &session] { return advise(session, *o); }};
}

}  // namespace sieve::internal::cli
