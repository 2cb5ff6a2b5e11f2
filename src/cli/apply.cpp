#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include "cli/device_use.hpp"
#include "cli/exhibit.hpp"
#include "cli/output.hpp"
#include "cli/session.hpp"
#include "cli/trial.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct ApplyArguments {
  ExhibitFiles files;
  std::string in, out, format, again, recipe, save;
  std::vector<std::string> words;
  WriteArguments writing;
  DeviceArguments device;
  bool json = false, plan = false;
};

// From the words, from a recipe, or from the record that a picture carries.
Chain chain_of(const Session& session, const ApplyArguments& o) {
  if (o.again.empty())
    return Chain::parse(chain_words(session, o.words, o.recipe, false), session.catalogue, session.resources());
  if (!o.words.empty() || !o.recipe.empty())
    throw InvalidArgument("--again takes the chain from " + o.again + ": give no steps and no --recipe beside it");
  const io::Loaded made = session.read(o.again);
  try {
    return Chain::parse(chain_text_of_record(made.record), session.catalogue, session.resources());
  } catch (const InvalidArgument& e) {
    throw InvalidArgument(o.again + ": " + e.what());
  }
}

// Input and result along a row across the steepest upright edge of the input, each the mean of a few rows.
void add_edge_profile(Exhibit& exhibit, const Image& in, const Image& result) {
  constexpr int kHalf = 24, kRows = 4;
  if (in.width() != result.width() || in.height() != result.height() || in.width() < 2 * kHalf + 2 ||
      in.height() < 2 * kRows + 2)
    return;
  const Image before = to_gray(in), after = to_gray(result), smooth = Box{.radius = kRows}(before);
  int x0 = kHalf, y0 = kRows;
  float most = -1;
  for (int y = kRows; y < in.height() - kRows; ++y) {
    for (int x = kHalf; x < in.width() - kHalf; ++x) {
      const float step = std::fabs(smooth.at(x + 1, y) - smooth.at(x - 1, y));
      if (step > most) most = step, x0 = x, y0 = y;
    }
  }
  StageCurve a{"input", {}, {}}, b{"result", {}, {}};
  for (int x = x0 - kHalf; x <= x0 + kHalf; ++x) {
    double p = 0, q = 0;
    for (int y = y0 - kRows; y <= y0 + kRows; ++y) {
      p += static_cast<double>(before.at(x, y)) / (2 * kRows + 1);
      q += static_cast<double>(after.at(x, y)) / (2 * kRows + 1);
    }
    a.x.push_back(x), b.x.push_back(x);
    a.y.push_back(p), b.y.push_back(q);
  }
  exhibit.curves("across the steepest edge", {a, b}, fmt::format("x, mean of rows {}..{}", y0 - kRows, y0 + kRows),
                 "luma");
}

// Input, second pictures and result over common axes.
void add_comparison(Exhibit& exhibit, const Session& session, const Chain& chain, const Image& in,
                    const Image& result) {
  std::vector<std::pair<std::string, Image>> others;
  for (const Filter& f : chain.steps()) {
    for (const Parameter& p : f.about().parameters) {
      if (p.name != "with" || !p.picture || f.get("with") == "none") continue;
      others.emplace_back(base_name(f.get("with")), session.read(f.get("with")).image);
      exhibit.picture({"with: " + others.back().first, others.back().second});
    }
  }
  std::vector<draw::NamedImage> all = {{"input", in}};
  for (const auto& [name, image] : others) all.push_back({name, image});
  all.push_back({"result", result});
  const auto peaks = [](const Image& v) {
    return histogram_peaks(histogram(v, {.channel = v.shape().color_channels() == 1 ? 0 : luma_channel})).size();
  };
  if (exhibit.has_sheet())
    exhibit.on_sheet({"input and result", draw::histograms(all),
                      fmt::format("peaks of the histogram: {} before, {} after", peaks(in), peaks(result)),
                      draw::cumulatives(all)});
  add_edge_profile(exhibit, in, result);
}

// A step's stages and its result.
void add_step(Exhibit& exhibit, const Session& session, const Chain& chain, std::size_t at, const Image& before,
              const ConstView& step) {
  const Filter& f = chain.steps()[at];
  if (exhibit.has_page()) {
    for (const auto& [name, k] : kernels_in(f, session.resources()))
      exhibit.on_page().add(Exhibit::grid_of(fmt::format("{}. {} {}", at + 1, name, f.get(name)), k));
  }
  for (Stage& p : f.stages(before)) {
    p.name = fmt::format("{}. {}", at + 1, p.name);
    if (p.curves.empty()) {
      exhibit.picture({p.name, std::move(p.image), page::Role::step, p.content});
    } else {
      exhibit.curves(p);
    }
  }
  page::Picture made{fmt::format("{}. {}", at + 1, f.text()), Image(step), page::Role::step, content_of(f, step)};
  if (at + 1 == chain.steps().size()) made.role = page::Role::result;
  made.chain =
      Chain(std::vector<Filter>(chain.steps().begin(), chain.steps().begin() + static_cast<long>(at) + 1)).text();
  if (made.content == StageContent::differences) {
    const SampleRange range = sample_range(step);
    made.note = fmt::format("{}x{}  range {:.3g} .. {:.3g}", step.width(), step.height(), range.minimum, range.maximum);
  }
  exhibit.picture(std::move(made));
}

void tell_steps(const ApplyArguments& o, const Image& in, const Chain& chain, const Report& report, std::FILE* to) {
  wipe_share();
  say(to, "{}: {}\n", on_one_line(o.in), text_of(in.shape()).text);
  for (std::size_t i = 0; i < report.steps.size(); ++i) {
    const StepReport& s = report.steps[i];
    const std::size_t outside = s.figures.below + s.figures.above;
    say(to, "  {}. {}{}  [{}]  range {:.4g} .. {:.4g}", i + 1, chain.steps()[i].text(),
        s.meaning.empty() ? "" : " (" + s.meaning + ")", time_text(s.seconds), s.figures.low, s.figures.high);
    if (outside > 0) say(to, ", {} outside 0..1", counted(outside, "sample", "samples"));
    if (s.shape != in.shape()) say(to, ", {}", text_of(s.shape).text);
    say(to, "\n");
    for (const std::string& n : s.notes) say(to, "     {}\n", n);
  }
}

const char* name_of(Way way) {
  return way == Way::rows ? "rows" : way == Way::strips ? "strips" : way == Way::device ? "device" : "whole";
}

int tell_plan(const ApplyArguments& o, const Image& in, const Chain& chain) {
  const ChosenEngine engine(o.device);
  const Plan plan = engine->plan(chain, in.shape(), in.white_level());
  if (!o.json) {
    say("{}\n", plan.text());
    return 0;
  }
  ordered_json passes = ordered_json::array();
  for (const PlannedPass& p : plan.passes) {
    ordered_json steps = ordered_json::array();
    for (std::size_t i = p.first; i < p.first + p.count; ++i) steps.push_back(plan.steps[i]);
    ordered_json pass = {
        {"steps", steps},           {"way", name_of(p.way)}, {"measures", p.measures},        {"along", p.along},
        {"looked_up", p.looked_up}, {"bytes", p.bytes},      {"result_bytes", p.result_bytes}};
    if (!p.why.empty()) pass["why"] = p.why;
    if (p.way == Way::device) {
      pass["device"] = {{"strips", p.device.strips},
                        {"bytes_up", p.device.bytes_up},
                        {"bytes_down", p.device.bytes_down},
                        {"memory", p.device.memory}};
    }
    passes.push_back(std::move(pass));
  }
  print_json({{"input", o.in}, {"chain", chain.text()}, {"passes", passes}, {"bytes", plan.bytes}});
  return 0;
}

int apply(const Session& session, const ApplyArguments& o) {
  const Chain chain = chain_of(session, o);
  const Output out(o.out, o.format);
  Exhibit exhibit(o.files, base_name(o.in) + " step by step", chain.text());
  io::WriteOptions options = o.writing.options();
  const Attended attended;
  const io::Loaded in = session.read(o.in, Session::Pipes::allowed);
  if (o.plan) return tell_plan(o, in.image, chain);
  options.profile = in.profile;
  options.record = record_after(in, chain);

  const ChosenEngine engine(o.device);
  RunOptions wanted;
  // On a device the steps run together, and what lies between them stays there.
  wanted.figures = o.device.device.empty();
  if (o.files.wanted()) {
    if (!wanted.figures)
      throw InvalidArgument("--device: a sheet or a page shows every step, which would all come back: leave one out");
    exhibit.picture({"input", in.image, page::Role::input});
    wanted.on_step = [&, before = in.image](std::size_t i, const ConstView& step) mutable {
      add_step(exhibit, session, chain, i, before, step);
      before = Image(step);
    };
  }
  const Run run = engine->run(chain, in.image, wanted);
  const Image& result = run.image;
  if (!o.json) {
    if (wanted.figures) {
      tell_steps(o, in.image, chain, run.report, out.told());
    } else {
      tell_device(o.in, chain, run, out.told());
    }
  }
  // A gray or CMYK profile does not fit RGB and the other way round.
  if (result.shape().color_channels() != in.image.shape().color_channels()) options.profile.clear();
  const io::Written w = out.write(result, options);
  const Saturation& s = w.saturation;
  if (o.json) {
    ordered_json j = {{"input", o.in},
                      {"output", o.out},
                      {"chain", chain.text()},
                      {"steps", steps_json(chain, run.report)},
                      {"bits", w.bits},
                      {"saturated", {{"below", s.below}, {"above", s.above}, {"not_a_number", s.not_a_number}}}};
    if (!o.device.device.empty()) j["device"] = device_json(run.report);
    if (!w.note.empty()) j["note"] = w.note;
    print_json(j, out.told());
  } else {
    wipe_share();
    say(out.told(), "{}: {}, {}", out.name(), text_of(result.shape()).text,
        w.bits == 32 ? "32-bit float" : fmt::format("{} bits a sample", w.bits));
    say(out.told(), ", {}\n",
        s.total() > 0 ? counted(s.total(), "sample", "samples") + " saturated" : "no sample saturated");
    if (!w.note.empty()) say(out.told(), "  note: {}\n", w.note);
  }
  if (!o.save.empty()) {
    const std::string text = recipe_text(chain);
    io::write_bytes(o.save, {text.begin(), text.end()});
    say(stderr, "recipe: {}\n", on_one_line(o.save));
  }
  if (o.files.wanted()) {
    add_comparison(exhibit, session, chain, in.image, result);
    exhibit.write();
  }
  return 0;
}

}  // namespace

Command declare_apply(CLI::App& root, Session& session) {
  auto o = std::make_shared<ApplyArguments>();
  CLI::App* app = root.add_subcommand("apply", "Run a chain of filters on a picture and write the result.");
  app->add_option("IN", o->in, "the picture to read; - is standard input")->required();
  app->add_option("OUT", o->out, "the picture to write; the ending says the format; - is standard output, see --format")
      ->required();
  app->add_option("STEP", o->words, "NAME key=value ... [then NAME key=value ...]...; `lsieve list` shows the names");
  app->add_option("--recipe", o->recipe, "take the chain from this TOML file");
  app->add_option("--again", o->again, "take the chain from the record in this picture, written by apply");
  app->add_option("--save", o->save, "write the chain as a recipe into this TOML file");
  o->files.declare(app, "input, every step and result side by side");
  o->writing.declare(app);
  app->add_option("--format", o->format, "the format where OUT is -, as png");
  declare_device(app, o->device);
  app->add_flag("--json", o->json, "print one JSON object");
  app->add_flag("--plan", o->plan, "print how the steps would run and the memory they take, and write nothing");
  app->footer("Example: lsieve apply noon.png edges.png gray then convolve kernel=laplacian border=edge then stretch");
  return {app, [o, &session] { return apply(session, *o); }};
}

}  // namespace sieve::internal::cli
