#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include "cli/exhibit.hpp"
#include "cli/session.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct LevelsArguments {
  ExhibitFiles files;
  std::string file, channel = "luma";
  int levels = 0;
  bool json = false, csv = false;
};

int channel_of(const std::string& name, const Image& image) {
  if (name == "luma") return luma_channel;
  std::string known = "luma";
  for (int c = 0; c < image.channels(); ++c) {
    if (name == channel_name(c, image.shape())) return c;
    known += fmt::format(", {}", channel_name(c, image.shape()));
  }
  throw InvalidArgument(fmt::format("--channel {}: the picture has {}", name, known));
}

void show(const LevelsArguments& o, const Image& image, const std::vector<LevelRow>& table) {
  Exhibit exhibit(
      o.files, base_name(o.file) + ": equalization worked out",
      fmt::format("{} levels of {}: level k becomes round((L - 1) * cumulative(k))", table.size(), o.channel));
  const Image equalized = Equalize{.levels = static_cast<int>(table.size())}(image);
  exhibit.picture({"before", image, page::Role::input});
  exhibit.picture({"equalized", equalized, page::Role::result});
  StageCurve map{"new level", {}, {}}, same{"unchanged", {}, {}};
  page::Table rows{
      "level by level", {"level", "count", "probability", "cumulative", "scaled", "mapped", "new count"}, {}};
  for (const LevelRow& r : table) {
    map.x.push_back(r.level);
    map.y.push_back(r.mapped);
    same.x.push_back(r.level);
    same.y.push_back(r.level);
    if (r.count > 0 || r.new_count > 0)
      rows.rows.push_back({fmt::format("{}", r.level), fmt::format("{}", r.count), fmt::format("{:.6f}", r.probability),
                           fmt::format("{:.6f}", r.cumulative), fmt::format("{:.4f}", r.scaled),
                           fmt::format("{}", r.mapped), fmt::format("{}", r.new_count)});
  }
  exhibit.curves("the map", {map, same}, "level", "new level", "",
                 exhibit.has_sheet() ? draw::cumulatives({{"before", image}, {"equalized", equalized}}) : nullptr);
  exhibit.on_page().add(std::move(rows));
  exhibit.write();
}

int levels(const Session& session, const LevelsArguments& o) {
  o.files.check();
  const Attended attended;
  const io::Loaded in = session.read(o.file);
  const auto table = level_table(in.image, channel_of(o.channel, in.image), o.levels);
  std::size_t used = 0, left = 0;
  for (const LevelRow& r : table) {
    used += r.count > 0;
    left += r.new_count > 0;
  }
  if (o.json) {
    ordered_json rows = ordered_json::array();
    for (const LevelRow& r : table) {
      rows.push_back({{"level", r.level},
                      {"count", r.count},
                      {"probability", r.probability},
                      {"cumulative", r.cumulative},
                      {"scaled", r.scaled},
                      {"mapped", r.mapped},
                      {"new_count", r.new_count}});
    }
    print_json({{"file", o.file},
                {"channel", o.channel},
                {"number_of_levels", table.size()},
                {"used", used},
                {"used_after", left},
                {"levels", rows}});
  } else if (o.csv) {
    wipe_share();
    say("level,count,probability,cumulative,scaled,mapped,new_count\n");
    for (const LevelRow& r : table)
      say("{},{},{},{},{},{},{}\n", r.level, r.count, r.probability, r.cumulative, r.scaled, r.mapped, r.new_count);
  } else {
    // Long tables leave out what nothing falls on; JSON and CSV have it all.
    const bool whole = table.size() <= 64;
    wipe_share();
    say("{}: {} levels of {}, {} of them used\n", on_one_line(o.file), table.size(), o.channel, used);
    say("{:>7}{:>11}{:>13}{:>13}{:>14}{:>9}{:>12}\n", "level", "count", "probability", "cumulative",
        fmt::format("x {}", table.size() - 1), "rounded", "new count");
    for (const LevelRow& r : table) {
      if (!whole && r.count == 0 && r.new_count == 0) continue;
      say("{:>7}{:>11}{:>13.6f}{:>13.6f}{:>14.4f}{:>9}{:>12}\n", r.level, r.count, r.probability, r.cumulative,
          r.scaled, r.mapped, r.new_count);
    }
    if (left < used) say("{} levels become {}: those that fall together cannot be told apart again\n", used, left);
    if (in.image.white_level() == 0)
      say("float samples were sorted into {} levels; --levels N takes finer or coarser steps\n", table.size());
  }
  if (o.files.wanted()) show(o, in.image, table);
  return 0;
}

}  // namespace

Command declare_levels(CLI::App& root, Session& session) {
  auto o = std::make_shared<LevelsArguments>();
  CLI::App* app = root.add_subcommand("levels", "The table of histogram equalization, level by level.");
  app->add_option("FILE", o->file, "the picture")->required();
  app->add_option("--channel", o->channel, "luma (default), red, green, blue, gray or alpha");
  app->add_option("--levels", o->levels, "number of levels; default: those of the source, 256 for float data")
      ->check(CLI::Range(2, 65536));
  o->files.declare(app, "before, after, the map and both cumulative curves");
  auto* csv = app->add_flag("--csv", o->csv, "print comma-separated rows");
  app->add_flag("--json", o->json, "print one JSON object with a row a level")->excludes(csv);
  return {app, [o, &session] { return levels(session, *o); }};
}

}  // namespace sieve::internal::cli
