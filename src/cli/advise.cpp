#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include "cli/session.hpp"
#include "cli/trial.hpp"
#include "sieve/diagnose/damage.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct AdviseArguments {
  std::string in, truth, sheet;
  bool lineup = false, json = false;
};

std::vector<std::string> findings(const Damage& d) {
  std::vector<std::string> lines = {fmt::format("noise: {}", d.words())};
  lines.push_back(
      fmt::format("grain: deviation {:.4f} ({:.1f}/255){}", d.coarse ? d.coarse_noise : d.noise,
                  255 * (d.coarse ? d.coarse_noise : d.noise),
                  d.coarse   ? ", alike in neighbors"
                  : !d.grain ? ", not worth a filter"
                  : d.photon ? fmt::format(", grows with the level like that of {:.0f} photons at white", d.photons)
                             : ", about the same at every level"));
  lines.push_back(
      fmt::format("impulses: dark {:.2f} %, bright {:.2f} %", 100 * d.impulses.dark, 100 * d.impulses.bright));
  for (const PeriodicWave& w : d.waves)
    lines.push_back(
        fmt::format("wave: period {:.2f} pixels at {:.1f} degrees, amplitude {:.4f}", w.period, w.angle, w.amplitude));
  if (d.waves.empty()) lines.emplace_back("waves: none");
  lines.push_back(d.blur == 0
                      ? "blur: no clear edge to measure it at"
                      : fmt::format("blur: the steepest edges are like those of a Gaussian of sigma {:.2f} pixels{}",
                                    d.blur, d.blurred ? "" : ": sharp"));
  if (d.shaken)
    lines.push_back(fmt::format("motion: {:.1f} pixels at {:.1f} degrees", d.motion_length, d.motion_angle));
  return lines;
}

int advise(const Session& session, const AdviseArguments& o) {
  const Attended attended;
  Contest contest(session, o.in, o.truth, "");
  const Damage d = measure_damage(contest.in);
  const std::vector<Advice> proposals = propose(d);
  if (o.lineup || !o.truth.empty() || !o.sheet.empty()) {
    contest.run(proposals.size(), [&](std::size_t i) { return proposals[i].chain; });
  }
  const Watch::Active none(nullptr);
  if (o.json) {
    ordered_json waves = ordered_json::array(), chains = ordered_json::array();
    for (const PeriodicWave& w : d.waves)
      waves.push_back(
          {{"period", w.period}, {"angle", w.angle}, {"amplitude", w.amplitude}, {"fx", w.fx}, {"fy", w.fy}});
    for (std::size_t i = 0; i < proposals.size(); ++i) {
      ordered_json j = {{"chain", proposals[i].chain.text()}, {"reason", proposals[i].reason}};
      if (i < contest.trials.size()) j["result"] = contest.json(i);
      chains.push_back(std::move(j));
    }
    print_json({{"input", o.in},
                {"kind", d.words()},
                {"noise", d.noise},
                {"coarse_noise", d.coarse ? ordered_json(d.coarse_noise) : ordered_json(nullptr)},
                {"photons", d.photon ? ordered_json(d.photons) : ordered_json(nullptr)},
                {"dark_impulses", d.impulses.dark},
                {"bright_impulses", d.impulses.bright},
                {"waves", waves},
                {"blur", d.blur},
                {"motion", d.shaken ? ordered_json{{"length", d.motion_length}, {"angle", d.motion_angle}}
                                    : ordered_json(nullptr)},
                {"blurred", d.blurred},
                {"proposals", chains}});
  } else {
    fmt::print("{}\n", o.in);
    for (const std::string& line : findings(d)) fmt::print("  {}\n", line);
    for (std::size_t i = 0; i < proposals.size(); ++i) {
      fmt::print("{}. {}\n   {}\n", i + 1, proposals[i].chain.text(), proposals[i].reason);
      if (i >= contest.trials.size()) continue;
      const Trial& t = contest.trials[i];
      fmt::print("   {}noise left {:.4f}, {}\n",
                 t.against ? fmt::format("PSNR {}, SSIM {:.4f}, ", psnr_text(t.against->psnr), t.against->ssim) : "",
                 t.noise, time_text(t.seconds));
    }
  }
  if (!o.sheet.empty()) {
    draw::Sheet sheet(base_name(o.in) + ": what to take",
                      "measured noise and blur, and the chains that follow, the first choice first");
    draw::SheetCell input = draw::picture_cell("input", contest.in);
    input.below = draw::text(findings(d));
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
  CLI::App* app = root.add_subcommand("advise", "Measure noise and blur, and say which filters to take.");
  app->add_option("IN", o->in, "the picture to measure")->required();
  app->add_flag("--lineup", o->lineup, "run the proposals and tell what each leaves");
  app->add_option("--truth", o->truth, "the clean picture: runs the proposals and tells PSNR and SSIM");
  app->add_option("--sheet", o->sheet, "draw input and proposals into this PNG");
  app->add_flag("--json", o->json, "print one JSON object");
  app->footer("Example: lsieve advise noisy.png --lineup --sheet advice.png");
  return {app, [o, &session] { return advise(session, *o); }};
}

}  // namespace sieve::internal::cli
