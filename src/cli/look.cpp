#include <fmt/format.h>
#include <unistd.h>

#include <CLI/CLI.hpp>
#include <cmath>
#include <nlohmann/json.hpp>

#include "cli/diagnosis_text.hpp"
#include "cli/exhibit.hpp"
#include "cli/look_transform.hpp"
#include "cli/session.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct Place {
  int x, y;
};

// A histogram asked for: `bins` parts of low..high, 0 for one a level. Ends that are not given are found as histogram()
// finds them, for all channels together, so that these share their bins.
struct Wanted {
  int bins = 0;
  std::optional<double> low = {}, high = {};
};

// A picture with what it calls for, measured once for text and sheet.
struct Looked {
  std::string file;
  io::Loaded loaded;
  Diagnosis diagnosis;
};

Place place_of(const std::string& text, const char* option = "--at") {
  const std::size_t comma = text.find(',');
  const auto number = [](const std::string& s) -> std::optional<int> {
    try {
      std::size_t used = 0;
      const int v = std::stoi(s, &used);
      if (used == s.size()) return v;
    } catch (const std::exception&) {
    }
    return std::nullopt;
  };
  const auto x = comma == std::string::npos ? std::nullopt : number(text.substr(0, comma));
  const auto y = comma == std::string::npos ? std::nullopt : number(text.substr(comma + 1));
  if (!x || !y) throw InvalidArgument(fmt::format("{} {}: give X,Y in pixels, from 0,0 at the top left", option, text));
  return {*x, *y};
}

Wanted wanted_of(int bins, const std::string& range) {
  Wanted w{bins};
  if (range.empty()) return w;
  const std::size_t comma = range.find(',');
  const auto low = internal::parse_number(range.substr(0, comma)),
             high = comma == std::string::npos ? std::nullopt : internal::parse_number(range.substr(comma + 1));
  if (!low || !high || !(*low < *high))
    throw InvalidArgument("--range " + range + ": give LOW,HIGH on the 0..1 scale, the first one lower");
  w.low = *low;
  w.high = *high;
  return w;
}

bool any_finite(const Image& image) {
  const auto figures = statistics(image);
  return std::any_of(figures.begin(), figures.begin() + image.shape().color_channels(),
                     [&](const ChannelStatistics& c) { return c.not_finite < image.shape().pixels(); });
}

// What histogram() takes for ends, but of all channels together: 0 and 1, or what float data has beyond.
SampleRange ends_of(const Image& image) {
  if (image.white_level() > 0 || !any_finite(image)) return {0, 1};
  const SampleRange range = sample_range(image);
  return {std::min(0.0, range.minimum), std::max(1.0, range.maximum)};
}

// The histograms of the color channels and, of a color picture, of the luma.
std::vector<std::pair<std::string, Histogram>> histograms_of(const Image& image, const Wanted& w) {
  std::vector<std::pair<std::string, Histogram>> all;
  const SampleRange ends = ends_of(image);
  const double low = w.low.value_or(ends.minimum), high = w.high.value_or(ends.maximum);
  const auto of = [&](int channel) {
    return histogram(image, {.channel = channel, .bins = w.bins, .low = low, .high = high});
  };
  for (int c = 0; c < image.shape().color_channels(); ++c) all.emplace_back(channel_name(c, image.shape()), of(c));
  if (all.size() > 1) all.emplace_back("luma", of(luma_channel));
  return all;
}

ordered_json histogram_json(const Image& image, const Wanted& w) {
  const auto all = histograms_of(image, w);
  ordered_json j = {{"low", all[0].second.low}, {"high", all[0].second.high}, {"channels", ordered_json::array()}};
  for (const auto& [name, h] : all) {
    j["by_level"] = h.by_level;
    ordered_json peaks = ordered_json::array();
    for (const HistogramPeak& p : histogram_peaks(h)) peaks.push_back(p.level);
    j["channels"].push_back({{"channel", name},
                             {"counts", h.counts},
                             {"cumulative", h.cumulative()},
                             {"below", h.below},
                             {"above", h.above},
                             {"not_finite", h.not_finite},
                             {"peaks", peaks}});
  }
  return j;
}

void print_histogram(const Image& image, const Wanted& w) {
  const auto all = histograms_of(image, w);
  const Histogram& first = all[0].second;
  const double width = (first.high - first.low) / static_cast<double>(first.counts.size());
  std::string head = fmt::format("  {:>10}{:>10}", first.by_level ? "level" : "from", first.by_level ? "sample" : "to");
  for (const auto& [name, h] : all) head += fmt::format("{:>10}", name);
  say("{}\n", head);
  for (std::size_t b = 0; b < first.counts.size(); ++b) {
    const auto low = first.low + static_cast<double>(b) * width;
    std::string line = first.by_level ? fmt::format("  {:>10}{:>10.5f}", b, first.center(b))
                                      : fmt::format("  {:>10.5f}{:>10.5f}", low, low + width);
    for (const auto& [name, h] : all) line += fmt::format("{:>10}", h.counts[b]);
    say("{}\n", line);
  }
  for (const auto& [name, h] : all) {
    if (h.below + h.above > 0)
      say("  {}: {} below and {} above these bins\n", name, counted(h.below, "sample", "samples"), h.above);
  }
}

// The stored level of a sample, or its value for float data.
double stored(float v, std::uint32_t maximum) {
  return maximum == 0 ? static_cast<double>(v) : std::round(static_cast<double>(v) * maximum);
}

std::string stored_text(float v, std::uint32_t maximum) { return fmt::format("{:.6g}", stored(v, maximum)); }

void check_place(const Place& p, const Image& image, const std::string& file) {
  if (p.x < 0 || p.y < 0 || p.x >= image.width() || p.y >= image.height()) {
    throw InvalidArgument(fmt::format("--at {},{} is outside {}: x is 0..{}, y is 0..{}", p.x, p.y, file,
                                      image.width() - 1, image.height() - 1));
  }
}

ordered_json as_json(const Looked& looked, const std::vector<Place>& places) {
  const auto& [file, l, d] = looked;
  const Image& image = l.image;
  ordered_json j = {{"file", file},
                    {"format", io::name_of(l.format)},
                    {"width", image.width()},
                    {"height", image.height()},
                    {"channels", image.channels()},
                    {"bits", l.bits},
                    {"profile_bytes", l.profile.size()}};
  if (!l.note.empty()) j["note"] = l.note;
  if (!l.record.empty()) j["record"] = l.record;
  j["statistics"] = ordered_json::array();
  for (int c = 0; const ChannelStatistics& s : statistics(image)) {
    j["statistics"].push_back({{"channel", channel_name(c++, image.shape())},
                               {"minimum", s.minimum},
                               {"maximum", s.maximum},
                               {"mean", s.mean},
                               {"deviation", s.deviation},
                               {"at_floor", s.at_floor},
                               {"at_ceiling", s.at_ceiling},
                               {"below", s.below},
                               {"above", s.above},
                               {"not_finite", s.not_finite}});
  }
  j["exposure"] = {{"verdict", name_of(d.exposure.verdict)}, {"reason", d.exposure.reason}};
  j["levels"] = {
      {"used", d.comb.used}, {"empty_between", d.comb.empty}, {"empty_share", d.comb.share}, {"comb", d.comb.found}};
  j["estimates"] = {{"noise", d.noise},
                    {"sharpness", sharpness(image)},
                    {"dark_impulses", d.impulses.dark},
                    {"bright_impulses", d.impulses.bright}};
  add_diagnosis(j, d);
  j["samples"] = ordered_json::array();
  for (const Place& p : places) {
    ordered_json levels = ordered_json::array(), values = ordered_json::array();
    for (int c = 0; c < image.channels(); ++c) {
      const float v = image.at(p.x, p.y, c);
      if (image.white_level() == 0) {
        levels.push_back(v);
      } else {
        levels.push_back(std::llround(stored(v, image.white_level())));
      }
      values.push_back(v);
    }
    j["samples"].push_back({{"x", p.x}, {"y", p.y}, {"stored", levels}, {"values", values}});
    if (image.shape().color_channels() == 3) {
      const PixelColor seen = color_at(image, p.x, p.y);
      j["samples"].back().update({{"lightness", seen.lightness}, {"chroma", seen.chroma}, {"hue", seen.hue}});
    }
  }
  return j;
}

// One line of blocks for a channel: 64 bins, the height by the square root so that small counts are seen.
std::string block_histogram(const Image& image, int channel, const SampleRange& ends) {
  constexpr int kBins = 64;
  const Histogram h = histogram(image, {.channel = channel, .bins = kBins, .low = ends.minimum, .high = ends.maximum});
  const std::size_t most = *std::max_element(h.counts.begin(), h.counts.end());
  constexpr const char* blocks[] = {" ", "▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"};
  std::string line;
  for (const std::size_t n : h.counts) {
    const double share = most == 0 ? 0 : std::sqrt(static_cast<double>(n) / static_cast<double>(most));
    line += blocks[n == 0 ? 0 : 1 + static_cast<int>(std::floor(share * 7.999 * 7 / 8))];
  }
  return line;
}

std::string depth_text(const io::Loaded& l) {
  if (l.bits == 32) return "32-bit float";
  const std::uint32_t m = l.image.white_level();
  return (m & (m + 1)) == 0 ? fmt::format("{} bits a sample", l.bits)
                            : fmt::format("levels 0..{} ({} bits a sample)", m, l.bits);
}

std::string size_text(const io::Loaded& l) {
  constexpr const char* kinds[] = {"gray", "gray + alpha", "RGB", "RGBA"};
  return fmt::format("{}x{}, {}, {}, {}{}", l.image.width(), l.image.height(), kinds[l.image.channels() - 1],
                     depth_text(l), io::name_of(l.format),
                     l.profile.empty() ? "" : fmt::format(", color profile of {} bytes", l.profile.size()));
}

// The diagnosis in lines: exposure, estimates, what was found, what to take and what to leave.
std::vector<std::string> diagnosis_text(const Diagnosis& d, const Image& image) {
  std::vector<std::string> lines;
  // A finding tells it otherwise.
  if (d.find(Trouble::exposure) == nullptr)
    lines.push_back(std::string("exposure: ") + name_of(d.exposure.verdict) + ": " + d.exposure.reason);
  if (d.exposure.verdict == ExposureVerdict::unreadable) return lines;
  lines.push_back(fmt::format("estimates: noise {:.4f} ({:.1f}/255), sharpness {:.2e}, impulses {:.2f} %", d.noise,
                              255 * d.noise, sharpness(image), 100 * (d.impulses.dark + d.impulses.bright)));
  if (image.white_level() > 0)
    lines.push_back(fmt::format("levels: {} of {} used{}", d.comb.used, image.white_level() + 1,
                                image.shape().color_channels() > 1 ? " in the channel with the most gaps" : ""));
  for (std::string& line : findings_text(d)) lines.push_back(std::move(line));
  if (!d.proposals.empty()) lines.push_back("take: " + d.proposals[0].chain.text());
  for (const Proposal& p : d.leave) lines.push_back(fmt::format("leave: {}: {}", p.chain.text(), p.reason));
  if (d.proposals.empty()) lines.emplace_back("leave it as it is");
  return lines;
}

void print(const Looked& looked, const std::vector<Place>& places) {
  const auto& [file, l, diagnosis] = looked;
  const Image& image = l.image;
  wipe_share();
  say("{}: {}\n", on_one_line(file), size_text(l));
  if (!l.note.empty()) say("  note: {}\n", l.note);
  if (!l.record.empty()) say("  made by: {}\n", on_one_line(l.record));
  say("  {:8}{:>9}{:>9}{:>9}{:>11}{:>10}{:>12}\n", "channel", "minimum", "maximum", "mean", "deviation", "at floor",
      "at ceiling");
  const auto all = statistics(image);
  for (int c = 0; c < image.channels(); ++c) {
    const ChannelStatistics& s = all[static_cast<std::size_t>(c)];
    say("  {:8}{:>9.4f}{:>9.4f}{:>9.4f}{:>11.4f}{:>8.2f} %{:>10.2f} %\n", channel_name(c, image.shape()), s.minimum,
        s.maximum, s.mean, s.deviation, 100 * s.at_floor, 100 * s.at_ceiling);
    if (s.below + s.above > 0)
      say("           {} under 0 and {} over 1\n", counted(s.below, "sample", "samples"), s.above);
    if (s.not_finite > 0)
      say("           {} not finite and left out of the figures\n", counted(s.not_finite, "sample is", "samples are"));
  }
  const SampleRange ends = ends_of(image);
  // On a terminal each channel's in its own color.
  const bool colored = image.shape().color_channels() == 3 && ::isatty(STDOUT_FILENO) != 0;
  for (int c = 0; c < image.shape().color_channels(); ++c) {
    const std::string on = colored ? fmt::format("\033[{}m", 31 + (c == 0 ? 0 : c == 1 ? 1 : 3)) : "";
    say("  {:8}|{}{}{}|\n", channel_name(c, image.shape()), on, block_histogram(image, c, ends),
        colored ? "\033[0m" : "");
  }
  const auto end = [](double v) { return v == 0 || v == 1 ? fmt::format("{}", v) : fmt::format("{:.3f}", v); };
  const std::string low = end(ends.minimum),
                    high = image.white_level() == 0 ? end(ends.maximum) : std::to_string(image.white_level());
  say("          {}{:>{}}\n", low, high, 65 - static_cast<int>(low.size()));
  for (const std::string& line : diagnosis_text(diagnosis, image)) say("  {}\n", line);
  for (const Place& p : places) {
    std::string levels, values;
    for (int c = 0; c < image.channels(); ++c) {
      levels += (c ? ", " : "") + stored_text(image.at(p.x, p.y, c), image.white_level());
      values += fmt::format("{}{:.5f}", c ? ", " : "", image.at(p.x, p.y, c));
    }
    std::string color;
    if (image.shape().color_channels() == 3) {
      const PixelColor seen = color_at(image, p.x, p.y);
      color =
          fmt::format("  lightness {:.3f}, chroma {:.3f}, hue {:.0f} degrees", seen.lightness, seen.chroma, seen.hue);
    }
    say("  at {},{}: stored {}  =  {}{}\n", p.x, p.y, levels, values, color);
  }
}

void show(const ExhibitFiles& files, const std::vector<Looked>& pictures, const TransformsWanted& transforms) {
  if (pictures.size() > 1) {
    Exhibit exhibit(files, counted(pictures.size(), "picture", "pictures"),
                    "each with its range and its histogram: counts over the level");
    for (const auto& [file, l, d] : pictures) exhibit.picture({base_name(file), l.image});
    return exhibit.write();
  }
  const auto& [file, l, diagnosis] = pictures[0];
  Exhibit exhibit(files, base_name(file), size_text(l));
  std::vector<std::string> facts;
  const auto all = statistics(l.image);
  for (int c = 0; c < l.image.channels(); ++c) {
    const ChannelStatistics& s = all[static_cast<std::size_t>(c)];
    facts.push_back(
        fmt::format("{}: {:.3f} .. {:.3f}, mean {:.3f}, deviation {:.3f}, at floor {:.2f} %, at ceiling {:.2f} %",
                    channel_name(c, l.image.shape()), s.minimum, s.maximum, s.mean, s.deviation, 100 * s.at_floor,
                    100 * s.at_ceiling));
  }
  for (std::string& line : diagnosis_text(diagnosis, l.image)) facts.push_back(std::move(line));
  draw::SheetCell cell;
  if (exhibit.has_sheet()) cell = draw::picture_cell("picture", l.image);
  // Where transforms take the room the figures stand below the picture.
  cell.below = transforms.any() ? draw::text(facts) : nullptr;
  exhibit.picture({base_name(file), l.image, page::Role::input}, std::move(cell));
  if (exhibit.has_sheet())
    exhibit.on_sheet({"histogram", draw::histogram(l.image, true), "", transforms.any() ? nullptr : draw::text(facts)});
  exhibit.on_page().add("figures", facts);
  add_transforms(exhibit, l.image, transforms);
  exhibit.write();
}

struct LookArguments {
  std::vector<std::string> files, at;
  ExhibitFiles exhibit;
  std::string range, taper = "none", wavelet;
  std::optional<int> bins, cosine;
  std::vector<std::string> probes;
  int levels = 4;
  bool json = false, spectrum = false, singular = false;
};

TransformsWanted transforms_of(const LookArguments& o) {
  TransformsWanted w;
  w.singular = o.singular;
  w.spectrum = o.spectrum || !o.probes.empty();
  w.taper = choice_of<Taper>("--taper", o.taper);
  for (const std::string& p : o.probes) {
    const Place place = place_of(p, "--probe");
    w.probes.emplace_back(place.x, place.y);
  }
  w.cosine = o.cosine;
  if (!o.wavelet.empty()) w.wavelet = choice_of<Wavelet>("--wavelet", o.wavelet);
  w.levels = o.levels;
  return w;
}

int look(const Session& session, const LookArguments& o) {
  std::vector<Place> places;
  for (const std::string& a : o.at) places.push_back(place_of(a));
  const Wanted wanted = wanted_of(o.bins.value_or(0), o.range);
  const TransformsWanted transforms = transforms_of(o);
  o.exhibit.check();
  const bool counted = o.bins.has_value() || !o.range.empty();
  const Attended attended;
  std::vector<Looked> pictures;
  ordered_json out = ordered_json::array();
  int failures = 0;
  for (const std::string& file : o.files) {
    try {
      io::Loaded l = session.read(file, Session::Pipes::allowed);
      for (const Place& p : places) check_place(p, l.image, file);
      Diagnosis diagnosis = diagnose(l.image);
      Looked looked{file, std::move(l), std::move(diagnosis)};
      if (o.json) {
        out.push_back(as_json(looked, places));
        if (counted) out.back()["histogram"] = histogram_json(looked.loaded.image, wanted);
        if (transforms.any()) out.back()["transforms"] = transforms_json(looked.loaded.image, transforms);
      } else {
        print(looked, places);
        if (counted) print_histogram(looked.loaded.image, wanted);
        print_transforms(looked.loaded.image, transforms);
      }
      if (o.exhibit.wanted()) pictures.push_back(std::move(looked));
    } catch (const InvalidArgument&) {
      throw;
    } catch (const Error& e) {
      // One bad picture does not hide the others.
      print_error(e.what());
      ++failures;
    }
  }
  if (o.json && !(o.files.size() == 1 && out.empty())) print_json(o.files.size() == 1 ? out[0] : out);
  if (!pictures.empty()) show(o.exhibit, pictures, transforms);
  return failures == 0 ? 0 : 1;
}

}  // namespace

Command declare_look(CLI::App& root, Session& session) {
  auto o = std::make_shared<LookArguments>();
  CLI::App* app = root.add_subcommand("look", "Size, depth, range, histogram and exposure of pictures.");
  app->add_option("FILE", o->files, "pictures: PNG, JPEG, TIFF, PNM, PFM, NPY, LSV; - is standard input")->required();
  app->add_option("--at", o->at, "print the sample at X,Y, as stored and as 0..1 (repeatable)")
      ->allow_extra_args(false);
  app->add_option("--bins", o->bins,
                  "print the histogram of every channel and the luma in so many bins; 0: one a level")
      ->check(CLI::Range(0, 1 << 24));
  app->add_option("--range", o->range, "LOW,HIGH of that histogram on the 0..1 scale (default 0,1)");
  app->add_flag("--spectrum", o->spectrum,
                "the Fourier spectrum: strongest waves, periodic interference; on the sheet also its radial average");
  app->add_option("--taper", o->taper,
                  "against the cross that borders make in a spectrum: none, hann, tukey or periodic");
  app->add_option(
         "--probe", o->probes,
         "print frequency, period, angle and value at X,Y of the centered picture of the spectrum (repeatable)")
      ->allow_extra_args(false);
  app->add_flag("--singular", o->singular, "singular values: how many hold 90, 95 and 99 percent");
  app->add_option("--cosine", o->cosine,
                  "the cosine transform of blocks of so many samples a side; 0: of the whole picture")
      ->check(CLI::Range(0, 4096));
  app->add_option("--wavelet", o->wavelet,
                  "the bands of a wavelet: haar, daubechies4, symlet8, coiflet2, 5/3, 9/7 and their kin");
  app->add_option("--levels", o->levels, "levels of the wavelet")->check(CLI::Range(1, 16));
  o->exhibit.declare(app, "picture, histogram and figures");
  app->add_flag("--json", o->json, "print one JSON object (an array for several files)");
  return {app, [o, &session] { return look(session, *o); }};
}

}  // namespace sieve::internal::cli
