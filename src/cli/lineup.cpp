#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>
#include <set>
#include <tuple>

#include "cli/exhibit.hpp"
#include "cli/session.hpp"
#include "cli/trial.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct LineupArguments {
  ExhibitFiles files;
  DeviceArguments device;
  std::string in, truth, detail, by;
  std::vector<std::string> words, recipes;
  bool json = false, csv = false;
};

std::vector<Chain> candidates(const Session& session, const LineupArguments& o) {
  std::vector<Chain> all;
  std::vector<std::string> words;
  const auto finish = [&] {
    if (words.empty()) throw InvalidArgument("a candidate is missing beside 'or': STEP [then STEP]... or STEP ...");
    all.push_back(Chain::parse(words, session.catalogue, session.resources()));
    words.clear();
  };
  for (const std::string& w : o.words) {
    if (w == "or") {
      finish();
    } else {
      words.push_back(w);
    }
  }
  if (!o.words.empty()) finish();
  for (const std::string& r : o.recipes) {
    all.push_back(Chain::parse(recipe_words(io::read_text(r), r, session.catalogue, session.resources()),
                               session.catalogue, session.resources()));
  }
  if (all.empty()) throw InvalidArgument("no candidate given: STEP [then STEP]... or STEP ..., or --recipe FILE");
  return all;
}

// Where the results of one size differ most: the place whose neighborhood has the largest mean spread.
Rectangle busiest(const std::vector<Trial>& trials, int size) {
  const Image first = to_gray(trials[0].result);
  Image low = first, high = first;
  for (const Trial& t : trials) {
    const Image gray = to_gray(t.result);
    if (gray.width() != first.width() || gray.height() != first.height()) continue;
    low = map_pairs(low, gray, [](float a, float b) { return std::min(a, b); });
    high = map_pairs(high, gray, [](float a, float b) { return std::max(a, b); });
  }
  const Image spread = map_pairs(high, low, [](float a, float b) { return a - b; });
  const Image mean = Box{.radius = std::max(1, size / 2)}(spread);
  Rectangle best{0, 0, std::min(size, first.width()), std::min(size, first.height())};
  float most = -1;
  for (int y = best.height / 2; y <= first.height() - (best.height + 1) / 2; ++y) {
    for (int x = best.width / 2; x <= first.width() - (best.width + 1) / 2; ++x) {
      const float v = mean.at(std::min(x, mean.width() - 1), std::min(y, mean.height() - 1));
      if (v > most) {
        most = v;
        best.x = x - best.width / 2;
        best.y = y - best.height / 2;
      }
    }
  }
  return best;
}

Rectangle detail_of(const LineupArguments& o, const std::vector<Trial>& trials) {
  const Image& first = trials[0].result;
  if (o.detail.empty()) return busiest(trials, std::max(8, std::min(96, std::min(first.width(), first.height()) / 3)));
  int v[3] = {0, 0, 0};
  std::size_t start = 0;
  for (int i = 0; i < 3; ++i) {
    const std::size_t comma = i < 2 ? o.detail.find(',', start) : o.detail.size();
    const auto n =
        comma == std::string::npos ? std::nullopt : internal::parse_whole(o.detail.substr(start, comma - start));
    if (!n || *n < 0 || *n > 100000) throw InvalidArgument("--detail " + o.detail + ": give X,Y,SIZE in pixels");
    v[i] = static_cast<int>(*n);
    start = comma + 1;
  }
  if (v[2] < 2 || v[0] + v[2] > first.width() || v[1] + v[2] > first.height()) {
    throw InvalidArgument(
        fmt::format("--detail {}: the square is not inside {}x{}", o.detail, first.width(), first.height()));
  }
  return {v[0], v[1], v[2], v[2]};
}

std::string csv_text(const std::string& s) {
  std::string out = "\"";
  for (const char c : s) out += c == '"' ? "\"\"" : std::string(1, c);
  return out + "\"";
}

void report(const LineupArguments& o, const Contest& c) {
  if (o.json) {
    ordered_json all = ordered_json::array();
    for (std::size_t i = 0; i < c.trials.size(); ++i) all.push_back(c.json(i));
    print_json({{"input", o.in},
                {"truth", c.truth ? ordered_json(o.truth) : ordered_json(nullptr)},
                {"ranked_by", c.best < 0 ? ordered_json(nullptr) : ordered_json(c.figure.name)},
                {"candidates", all}});
    return;
  }
  wipe_share();
  if (o.csv) {
    say("chain,{}\n", kCsvHead);
    for (std::size_t i = 0; i < c.trials.size(); ++i) say("{},{}\n", csv_text(c.trials[i].name), c.csv(i));
    return;
  }
  say("  {:>10} {:>8} {:>9} {:>10}\n", o.truth.empty() ? "" : "PSNR", o.truth.empty() ? "" : "SSIM", "noise", "time");
  for (std::size_t i = 0; i < c.trials.size(); ++i) {
    const Trial& t = c.trials[i];
    say("{} {:>10} {:>8} {:>9.4f} {:>10}  {}\n", c.is_best(i) ? "*" : " ", t.against ? psnr_text(t.against->psnr) : "",
        t.against ? fmt::format("{:.4f}", t.against->ssim) : "", t.noise, time_text(t.seconds), t.name);
  }
  if (c.best >= 0) say("* the best by {}\n", c.figure.name);
}

// What tells the chains apart: the words that stand in all of them are left out, where something is left of each.
struct Captions {
  std::vector<std::string> names;
  std::string common;  // what was left out
};
Captions captions_of(const std::vector<Trial>& trials) {
  std::vector<std::vector<std::string>> words;
  for (const Trial& t : trials) words.push_back(words_of(t.name));
  const auto in_all = [&](const std::string& word) {
    return words.size() > 1 && std::all_of(words.begin(), words.end(), [&](const auto& w) {
             return std::find(w.begin(), w.end(), word) != w.end();
           });
  };
  Captions c;
  std::vector<std::string> common;
  std::copy_if(words[0].begin(), words[0].end(), std::back_inserter(common), in_all);
  for (auto& w : words) {
    std::erase_if(w, in_all);
    c.names.push_back(fmt::format("{}", fmt::join(w, " ")));
  }
  const std::set<std::string> distinct(c.names.begin(), c.names.end());
  if (distinct.contains("") || distinct.size() < c.names.size()) {
    std::transform(trials.begin(), trials.end(), c.names.begin(), [](const Trial& t) { return t.name; });
    common.clear();
  }
  std::erase(common, "then");
  c.common = fmt::format("{}", fmt::join(common, " "));
  return c;
}

void show(const LineupArguments& o, const Contest& c, const Rectangle& part) {
  const Captions captions = captions_of(c.trials);
  Exhibit exhibit(o.files, base_name(o.in) + ": the candidates",
                  fmt::format("{}{}each with the detail {}x{} at {},{} enlarged and its histogram{}",
                              captions.common.empty() ? "" : "all with " + captions.common + "; ",
                              c.truth ? "against " + base_name(o.truth) + "; " : "", part.width, part.height, part.x,
                              part.y, c.best >= 0 ? fmt::format("; * the best by {}", c.figure.name) : ""));
  const auto add = [&](page::Picture picture, const std::string& note, bool best = false) {
    draw::SheetCell cell;
    if (exhibit.has_sheet()) {
      cell = draw::picture_cell((best ? "* " : "") + picture.name, picture.image);
      if (!note.empty()) cell.note = note;
      const bool fits = part.x + part.width <= picture.image.width() && part.y + part.height <= picture.image.height();
      cell.below = fits ? draw::beside(draw::detail(picture.image, part), draw::histograms({{"", picture.image}}))
                        : draw::histograms({{"", picture.image}});
    }
    return exhibit.picture(std::move(picture), std::move(cell));
  };
  const bool comparable = c.truth && c.in.width() == c.truth->width() && c.in.height() == c.truth->height() &&
                          c.in.shape().color_channels() == c.truth->shape().color_channels();
  page::Picture input{"input", c.in, page::Role::input};
  std::string note;
  if (comparable) {
    const Comparison q = compare(c.in, *c.truth);
    input.figures = {{"psnr", q.psnr}, {"ssim", q.ssim}};
    note = fmt::format("PSNR {}  SSIM {:.4f}", psnr_text(q.psnr), q.ssim);
  }
  add(std::move(input), note);
  if (c.truth && exhibit.has_page()) exhibit.on_page().add({"truth", *c.truth, page::Role::truth});
  page::Table table{"the candidates", {"chain"}, {}};
  if (c.truth) table.columns.insert(table.columns.end(), {"PSNR", "SSIM"});
  table.columns.insert(table.columns.end(), {"noise", "ms"});
  table.best = c.best;
  for (std::size_t i = 0; i < c.trials.size(); ++i) {
    const Trial& t = c.trials[i];
    page::Picture made{captions.names[i], t.result, page::Role::result};
    made.chain = t.name;
    made.figures = c.figures(i);
    table.pictures.push_back(
        add(std::move(made),
            (t.against ? fmt::format("PSNR {}  SSIM {:.4f}  ", psnr_text(t.against->psnr), t.against->ssim)
                       : fmt::format("noise {:.4f}  ", t.noise)) +
                time_text(t.seconds),
            c.is_best(i)));
    std::vector<std::string> row = {t.name};
    if (t.against)
      row.insert(row.end(), {fmt::format("{:.2f}", t.against->psnr), fmt::format("{:.4f}", t.against->ssim)});
    row.insert(row.end(), {fmt::format("{:.4f}", t.noise), fmt::format("{:.1f}", 1000 * t.seconds)});
    table.rows.push_back(std::move(row));
  }
  if (exhibit.has_page()) exhibit.on_page().add(std::move(table));
  exhibit.write();
}

int lineup(const Session& session, const LineupArguments& o) {
  const std::vector<Chain> chains = candidates(session, o);
  o.files.check();
  const Attended attended;
  Contest contest(session, o.in, o.truth, o.by, o.device);
  contest.run(chains.size(), [&](std::size_t i) { return chains[i]; });
  const auto& [trials, truth, figure, best, in] =
      std::tie(contest.trials, contest.truth, contest.figure, contest.best, contest.in);
  const Watch::Active none(nullptr);  // showing what is finished is not stopped again
  const Rectangle part = !o.files.wanted() && o.detail.empty() ? Rectangle{} : detail_of(o, trials);
  report(o, contest);
  if (o.files.wanted()) show(o, contest, part);
  if (contest.stopped)
    throw Error(
        fmt::format("stopped on request: {} of {} candidates are finished and shown", trials.size(), chains.size()));
  return 0;
}

}  // namespace

Command declare_lineup(CLI::App& root, Session& session) {
  auto o = std::make_shared<LineupArguments>();
  CLI::App* app = root.add_subcommand("lineup", "Several candidate chains on the same input, side by side.");
  app->add_option("IN", o->in, "the picture to filter")->required();
  app->add_option("STEP", o->words, "STEP [then STEP]... or STEP ... [or ...]");
  app->add_option("--recipe", o->recipes, "a candidate from this TOML file (repeatable)")->allow_extra_args(false);
  app->add_option("--truth", o->truth, "the clean picture: PSNR and SSIM are told and the best is marked");
  app->add_option("--by", o->by,
                  "figure to rank by: psnr (default), ssim, mse, mae; without a truth noise or sharpness");
  app->add_option("--detail", o->detail, "X,Y,SIZE of the enlarged detail; default: where the results differ most");
  o->files.declare(app, "input and all results");
  declare_device(app, o->device);
  app->add_flag("--json", o->json, "print one JSON object");
  app->add_flag("--csv", o->csv, "print a CSV table");
  app->footer("Example: lsieve lineup noisy.png --truth noon.png gaussian sigma=1 or box radius=2 or gaussian sigma=2");
  return {app, [o, &session] { return lineup(session, *o); }};
}

}  // namespace sieve::internal::cli
