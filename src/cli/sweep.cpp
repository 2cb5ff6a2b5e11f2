#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <cmath>
#include <nlohmann/json.hpp>
#include <tuple>

#include "cli/exhibit.hpp"
#include "cli/session.hpp"
#include "cli/trial.hpp"
#include "cli/variations.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct SweepArguments {
  ExhibitFiles files;
  DeviceArguments device;
  std::string in, truth, by, recipe;
  std::vector<std::string> words;
  bool json = false, csv = false;
};

// One or two values vary.
Variations plan_of(const Session& session, const SweepArguments& o) {
  Variations p = variations_of(session, chain_words(session, o.words, o.recipe, true));
  if (p.varied.empty())
    throw InvalidArgument("no value varies: give one or two as a range (sigma=0.5..4:8) or a list (radius=1|2|3)");
  return p;
}

void report(const SweepArguments& o, const Variations& plan, const Contest& c) {
  if (o.json) {
    ordered_json runs = ordered_json::array();
    for (std::size_t i = 0; i < c.trials.size(); ++i) {
      ordered_json values;
      const auto v = plan.values(i);
      for (std::size_t k = 0; k < v.size(); ++k) {
        const auto n = internal::parse_number(v[k]);
        values[plan.varied[k].key] = n ? ordered_json(*n) : ordered_json(v[k]);
      }
      ordered_json j = {{"values", values}};
      j.update(c.json(i));
      runs.push_back(j);
    }
    print_json({{"input", o.in},
                {"figure", c.best < 0 ? ordered_json(nullptr) : ordered_json(c.figure.name)},
                {"runs", runs}});
    return;
  }
  wipe_share();
  if (o.csv) {
    for (const Varied& v : plan.varied) say("{},", v.key);
    say("{}\n", kCsvHead);
    for (std::size_t i = 0; i < c.trials.size(); ++i) say("{},{}\n", fmt::join(plan.values(i), ","), c.csv(i));
    return;
  }
  for (std::size_t i = 0; i < c.trials.size(); ++i) {
    const Trial& t = c.trials[i];
    say("{} {:28}", c.is_best(i) ? "*" : " ", plan.label(i));
    if (t.against) say("  PSNR {:>9}  SSIM {:.4f}", psnr_text(t.against->psnr), t.against->ssim);
    say("  noise {:.4f}  sharpness {:<8.4g}  {}\n", t.noise, t.sharpness, time_text(t.seconds));
  }
  if (c.best >= 0) say("* the best by {}\n", c.figure.name);
}

void show(const SweepArguments& o, const Variations& plan, const Contest& c) {
  const auto& [trials, figure, best] = std::tie(c.trials, c.figure, c.best);
  Exhibit exhibit(o.files, base_name(o.in) + ": a sweep",
                  o.recipe.empty() ? fmt::format("{}", fmt::join(o.words, " ")) : o.recipe);
  if (exhibit.has_page()) exhibit.on_page().add({"input", c.in, page::Role::input});
  if (exhibit.has_page() && c.truth) exhibit.on_page().add({"truth", *c.truth, page::Role::truth});
  const std::string marked = best >= 0 ? "; the best is marked" : "";
  if (plan.varied.size() == 1) {
    draw::PlotCurve curve{figure.name, {}, {}, best};
    bool numbers = true;
    for (std::size_t i = 0; i < trials.size(); ++i) {
      const auto n = internal::parse_number(plan.values(i)[0]);
      numbers = numbers && n.has_value();
      const double x = n ? *n : static_cast<double>(i);
      curve.x.push_back(x);
      const double y = value_of(trials[i], figure);
      curve.y.push_back(std::isfinite(y) ? y : 0);
    }
    const std::string axis = numbers ? plan.varied[0].key : plan.varied[0].key + ", place in the list";
    exhibit.on_sheet({fmt::format("{} over {}{}", figure.name, plan.varied[0].key, marked),
                      draw::curves({curve}, axis, figure.name, {.x = plan.varied[0].logarithmic && numbers}), "",
                      nullptr});
  } else {
    std::vector<double> values;
    for (std::size_t i = 0; i < plan.size(); ++i)
      values.push_back(i < trials.size() ? value_of(trials[i], figure) : std::nan(""));
    exhibit.on_sheet(
        {fmt::format("{}{}", figure.name, marked),
         draw::map(plan.varied[0].values, plan.varied[1].values, values, best, plan.varied[0].key, plan.varied[1].key),
         "", nullptr});
  }
  // On the sheet at most two dozen pictures, evenly chosen, the best always among them.
  const std::size_t every = (trials.size() + 23) / 24;
  page::Runs runs;
  for (const Varied& v : plan.varied) runs.axes.push_back({v.key, v.values});
  runs.by = figure.name;
  runs.best = best;
  for (std::size_t i = 0; i < trials.size(); ++i) {
    const Trial& t = trials[i];
    if (exhibit.has_page()) {
      page::Picture made{plan.label(i), t.result, page::Role::result};
      made.chain = t.name;
      made.figures = c.figures(i);
      runs.pictures.push_back(exhibit.on_page().add(std::move(made)));
    }
    if (!exhibit.has_sheet() || (i % every != 0 && !c.is_best(i))) continue;
    draw::SheetCell cell = draw::picture_cell((c.is_best(i) ? "* " : "") + plan.label(i), t.result);
    cell.below = nullptr;
    cell.note = t.against ? fmt::format("PSNR {}  SSIM {:.4f}", psnr_text(t.against->psnr), t.against->ssim)
                          : fmt::format("noise {:.4f}  sharpness {:.3g}", t.noise, t.sharpness);
    exhibit.on_sheet(std::move(cell));
  }
  if (exhibit.has_page()) exhibit.on_page().set(std::move(runs));
  exhibit.write();
}

int sweep(const Session& session, const SweepArguments& o) {
  const Variations plan = plan_of(session, o);
  o.files.check();
  const Attended attended;
  Contest contest(session, o.in, o.truth, o.by, o.device);
  contest.run(plan.size(),
              [&](std::size_t i) { return Chain::parse(plan.chain(i), session.catalogue, session.resources()); });
  const Watch::Active none(nullptr);  // showing what is finished is not stopped again
  report(o, plan, contest);
  if (o.files.wanted()) show(o, plan, contest);
  if (contest.stopped)
    throw Error(
        fmt::format("stopped on request: {} of {} runs are finished and shown", contest.trials.size(), plan.size()));
  return 0;
}

}  // namespace

Command declare_sweep(CLI::App& root, Session& session) {
  auto o = std::make_shared<SweepArguments>();
  CLI::App* app = root.add_subcommand("sweep", "One chain with one or two values varied.");
  app->add_option("IN", o->in, "the picture to filter")->required();
  app->add_option("STEP", o->words,
                  "a chain with ranges: sigma=0.5..4:8, weight=0.01..1:9:log, or lists: radius=1|2|3 (in quotes)");
  app->add_option("--recipe", o->recipe, "take the chain from this TOML file; ranges stand in strings");
  app->add_option("--truth", o->truth, "the clean picture");
  app->add_option("--by", o->by,
                  "figure to rank by: psnr (default), ssim, mse, mae; without a truth noise or sharpness");
  o->files.declare(app, "the figure over the values and the results");
  declare_device(app, o->device);
  app->add_flag("--json", o->json, "print one JSON object");
  app->add_flag("--csv", o->csv, "print a CSV table");
  app->footer("Example: lsieve sweep noisy.png --truth noon.png gaussian sigma=0.5..4:8");
  return {app, [o, &session] { return sweep(session, *o); }};
}

}  // namespace sieve::internal::cli
