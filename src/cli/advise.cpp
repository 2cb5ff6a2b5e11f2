#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include "cli/diagnosis_text.hpp"
#include "cli/exhibit.hpp"
#include "cli/session.hpp"
#include "cli/trial.hpp"
#include "sieve/diagnose.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct AdviseArguments {
  ExhibitFiles files;
  std::string in, truth, evidence;
  bool lineup = false, json = false;
};

// What the findings rest on, on one page.
void draw_evidence(const AdviseArguments& o, const Image& in, const Diagnosis& d) {
  const Evidence e = evidence(in);
  draw::Sheet sheet(base_name(o.in) + ": what is wrong with it",
                    d.proposals.empty() ? "leave it as it is" : "mended by " + d.proposals[0].chain.text());
  sheet.add(draw::picture_cell("the picture", in));
  sheet.add({"findings", draw::text(findings_text(d)), "", nullptr});
  const auto told = [&](Trouble t, const std::string& otherwise) {
    const Finding* f = d.find(t);
    return f != nullptr ? f->evidence : otherwise;
  };
  const auto cell = [&](const char* caption, draw::SheetPanelPtr panel, std::string note) {
    sheet.add({caption, std::move(panel), std::move(note), nullptr});
  };
  if (!e.edge.empty())
    cell("across the strongest edges: slow is blurred, beyond 0 and 1 is a halo",
         draw::curves({{"", e.distance, e.edge}}, "pixels from the edge", "share of the step"),
         told(Trouble::blur, told(Trouble::halos, "neither blur nor halos are told")));
  std::vector<double> of_255;
  for (const double s : e.noise) of_255.push_back(255 * s);
  if (!e.level.empty())
    cell("grain over the level: even, or growing as photons do",
         draw::curves({{"", e.level, of_255}}, "level, 0..1 scale", "deviation in calm parts, of 255"),
         told(Trouble::photon_grain, told(Trouble::grain, told(Trouble::coarse_grain, "no grain is told"))));
  std::vector<std::pair<double, double>> marks;
  for (const PeriodicWave& w : d.waves) marks.emplace_back(w.fx, w.fy);
  cell("spectrum: a wave is a pair of points, a blur fades, a disk leaves rings",
       draw::frequency_plane(e.spectrum, marks), told(Trouble::periodic_noise, "no wave is told"));
  if (!e.cepstrum.empty())
    cell("cepstrum: a motion leaves two dark spots, a disk a dark ring", draw::picture(e.cepstrum),
         fmt::format("a pixel each, up to {} from the middle", e.cepstrum.width() / 2));
  write_sheet(sheet, o.evidence);
}

int advise(const Session& session, const AdviseArguments& o) {
  o.files.check();
  const Attended attended;
  Contest contest(session, o.in, o.truth, "", DeviceArguments());
  const bool tried = o.lineup || !o.truth.empty() || o.files.wanted();
  // To try what is proposed takes about ten times as long as to find it.
  Progress progress(tried ? 10 : 1);
  const Diagnosis d = diagnose(contest.in);
  progress.add(1);
  const std::vector<Proposal>& proposals = d.proposals;
  if (!o.evidence.empty()) draw_evidence(o, contest.in, d);
  if (tried) {
    progress.expect(9);
    contest.run(proposals.size(), [&](std::size_t i) { return proposals[i].chain; });
  }
  const Watch::Active none(nullptr);
  if (o.json) {
    ordered_json j = {{"input", o.in}};
    add_diagnosis(j, d);
    for (std::size_t i = 0; i < contest.trials.size(); ++i) j["proposals"][i]["result"] = contest.json(i);
    print_json(j);
  } else {
    wipe_share();
    say("{}\n", on_one_line(o.in));
    for (const std::string& line : findings_text(d)) say("  {}\n", line);
    if (proposals.empty()) say("leave it as it is\n");
    for (std::size_t i = 0; i < proposals.size(); ++i) {
      const Proposal& p = proposals[i];
      say("{}. {}\n   {}{}\n", i + 1, p.chain.text(), p.reason,
          p.gain > 0 ? fmt::format("; gained {:.1f} dB on the mean over photographs", p.gain) : "");
      if (i >= contest.trials.size()) continue;
      const Trial& t = contest.trials[i];
      say("   {}noise left {:.4f}, {}\n",
          t.against ? fmt::format("PSNR {}, SSIM {:.4f}, ", psnr_text(t.against->psnr), t.against->ssim) : "", t.noise,
          time_text(t.seconds));
    }
    for (const Proposal& p : d.leave) say("leave {}: {}\n", p.chain.text(), p.reason);
  }
  if (o.files.wanted()) {
    Exhibit exhibit(o.files, base_name(o.in) + ": what to take",
                    "what is wrong with it, and the chains that mend it, the first choice first");
    draw::SheetCell input;
    if (exhibit.has_sheet()) input = draw::picture_cell("input", contest.in);
    input.below = draw::text(findings_text(d));
    exhibit.picture({"input", contest.in, page::Role::input}, std::move(input));
    exhibit.on_page().add("findings", findings_text(d));
    for (std::size_t i = 0; i < contest.trials.size(); ++i) {
      const Trial& t = contest.trials[i];
      page::Picture made{fmt::format("{}. {}", i + 1, t.name), t.result, page::Role::result};
      made.chain = t.name;
      made.figures = contest.figures(i);
      made.note = (t.against ? fmt::format("PSNR {}  SSIM {:.4f}  ", psnr_text(t.against->psnr), t.against->ssim)
                             : fmt::format("noise left {:.4f}  ", t.noise)) +
                  time_text(t.seconds);
      exhibit.picture(std::move(made));
    }
    exhibit.write();
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
  o->files.declare(app, "input and proposals");
  app->add_option("--evidence", o->evidence, "draw what the findings rest on into this PNG");
  app->add_flag("--json", o->json, "print one JSON object");
  app->footer("Example: lsieve advise noisy.png --lineup --sheet advice.png");
  return {app, [o, &session] { return advise(session, *o); }};
}

}  // namespace sieve::internal::cli
