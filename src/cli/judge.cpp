#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include "cli/exhibit.hpp"
#include "cli/session.hpp"
#include "cli/trial.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct JudgeArguments {
  ExhibitFiles files;
  std::string result, truth, before;
  bool json = false;
};

// The luma along one row.
StageCurve row_profile(const std::string& name, const Image& image, int y) {
  const Image gray = to_gray(image);
  StageCurve c{name, {}, {}};
  for (int x = 0; x < gray.width(); ++x) {
    c.x.push_back(x);
    c.y.push_back(gray.at(x, y));
  }
  return c;
}

void add_plain(Exhibit& exhibit, page::Picture picture) {
  draw::SheetCell c;
  if (exhibit.has_sheet()) c = draw::picture_cell(picture.name, picture.image);
  c.below = nullptr;
  exhibit.picture(std::move(picture), std::move(c));
}

int judge(const Session& session, const JudgeArguments& o) {
  o.files.check();
  const Attended attended;
  const Image result = session.read(o.result).image, truth = session.read(o.truth).image;
  require_same_size(result, o.result, truth, o.truth);
  const Comparison q = compare(result, truth);
  std::optional<Image> before;
  std::optional<Comparison> b;
  if (!o.before.empty()) {
    before = session.read(o.before).image;
    require_same_size(*before, o.before, truth, o.truth);
    b = compare(*before, truth);
  }
  Exhibit exhibit(o.files, base_name(o.result) + " judged",
                  fmt::format("PSNR {} (peak 1), SSIM {:.4f}{}", psnr_text(q.psnr), q.ssim,
                              b ? fmt::format("; before {}, {:.4f}", psnr_text(b->psnr), b->ssim) : ""));
  const ImpulseShare impulses = impulse_share(result);
  const double noise = measured_noise(result), sharp = sharpness(result), sharp_truth = sharpness(truth);
  const Image gray = to_gray(result);
  const auto peaks = histogram_peaks(histogram(gray, {.channel = 0, .bins = 256}));
  if (o.json) {
    ordered_json j = {{"result", o.result}, {"truth", o.truth}};
    add_figures(j, q);
    if (b) {
      ordered_json k;
      add_figures(k, *b);
      j["before"] = k;
      j["gain"] = {{"psnr", finite_or_null(q.psnr - b->psnr)}, {"ssim", finite_or_null(q.ssim - b->ssim)}};
    }
    ordered_json levels = ordered_json::array();
    for (const HistogramPeak& p : peaks) levels.push_back(p.level);
    j["without_truth"] = {{"noise", noise},
                          {"impulses_dark", impulses.dark},
                          {"impulses_bright", impulses.bright},
                          {"sharpness", sharp},
                          {"histogram_peaks", levels}};
    print_json(j);
  } else {
    wipe_share();
    say("{} against {}\n", o.result, o.truth);
    const auto row = [&](const char* name, double v, std::optional<double> was, const char* format) {
      say("  {:22}{:>12}", name, fmt::format(fmt::runtime(format), v));
      if (was) say("   before {:>10}   {:+.4g}", fmt::format(fmt::runtime(format), *was), v - *was);
      say("\n");
    };
    if (q.changed == 0 && q.not_finite == 0) say("  identical in every sample\n");
    row("PSNR (peak 1), dB", q.psnr, b ? std::optional(b->psnr) : std::nullopt, "{:.3f}");
    row("SSIM", q.ssim, b ? std::optional(b->ssim) : std::nullopt, "{:.4f}");
    row("mean squared error", q.mse, b ? std::optional(b->mse) : std::nullopt, "{:.4g}");
    row("mean absolute error", q.mae, b ? std::optional(b->mae) : std::nullopt, "{:.4g}");
    say("  {:22}{:>12.4f}   at {},{} ({})\n", "maximum deviation", q.maximum_deviation, q.x, q.y,
        channel_name(q.channel, result.shape()));
    say("  {:22}{:>10.2f} %\n", "samples changed", 100 * q.changed);
    if (q.not_finite > 0) say("  {} not finite and left out\n", counted(q.not_finite, "sample is", "samples are"));
    say("without the truth: noise {:.4f}, impulses {:.2f} %, sharpness {:.4g} (truth {:.4g}), histogram peaks {}\n",
        noise, 100 * (impulses.dark + impulses.bright), sharp, sharp_truth, peaks.size());
  }
  if (o.files.wanted()) {
    add_plain(exhibit, {"truth: " + base_name(o.truth), truth, page::Role::truth});
    if (before)
      add_plain(exhibit, {"before: " + base_name(o.before),
                          *before,
                          page::Role::input,
                          StageContent::samples,
                          "",
                          "",
                          {{"psnr", b->psnr}, {"ssim", b->ssim}}});
    add_plain(exhibit, {"result: " + base_name(o.result),
                        result,
                        page::Role::result,
                        StageContent::samples,
                        "",
                        "",
                        {{"psnr", q.psnr}, {"ssim", q.ssim}}});
    if (exhibit.has_sheet())
      exhibit.on_sheet({"result - truth", draw::signed_picture(difference(result, truth)),
                        "blue: too dark, orange: too bright; 99.5 % of the samples lie within the scale", nullptr});
    std::vector<draw::NamedImage> named = {{"truth", truth}};
    const int y = truth.height() / 2;
    std::vector<StageCurve> rows = {row_profile("truth", truth, y)};
    if (before) {
      named.push_back({"before", *before});
      rows.push_back(row_profile("before", *before, y));
    }
    named.push_back({"result", result});
    rows.push_back(row_profile("result", result, y));
    if (exhibit.has_sheet()) exhibit.on_sheet({"histograms of the luma", draw::histograms(named), "", nullptr});
    exhibit.curves(fmt::format("luma along row {}", y), std::move(rows), "x, pixels", "luma");
    exhibit.write();
  }
  return 0;
}

}  // namespace

Command declare_judge(CLI::App& root, Session& session) {
  auto o = std::make_shared<JudgeArguments>();
  CLI::App* app = root.add_subcommand("judge", "A result against the truth: PSNR, SSIM and where they differ.");
  app->add_option("RESULT", o->result, "the picture to judge")->required();
  app->add_option("--truth", o->truth, "the clean picture")->required();
  app->add_option("--before", o->before, "the damaged picture: the gain over it is told");
  o->files.declare(app, "truth, before, result, difference, histograms and a row profile");
  app->add_flag("--json", o->json, "print one JSON object");
  return {app, [o, &session] { return judge(session, *o); }};
}

}  // namespace sieve::internal::cli
