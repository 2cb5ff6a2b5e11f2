#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <chrono>
#include <nlohmann/json.hpp>

#include "cli/device_timing.hpp"
#include "cli/session.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct TimingArguments {
  std::vector<std::string> words;
  std::string on, sizes = "512x512,1024x1024,2048x2048,3840x2160", sheet, recipe;
  DeviceArguments device;
  int runs = 7;
  bool json = false;
};

double seconds(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return seconds_since(start);
}

double median(std::vector<double> v) {
  std::sort(v.begin(), v.end());
  return v[v.size() / 2];
}

struct Row {
  int width, height, threads;
  double least, middle, copy;
  double megapixels() const { return width / 1e6 * height / middle; }
};

// The chain in turns with a parallel copy of the same picture, so that the multiple holds on a noisy machine. `ran` is
// called after each run but the first.
Row measure(const Chain& chain, const Image& in, int used_threads, int runs, const std::function<void()>& ran) {
  set_threads(used_threads);
  Image copied(in.shape());
  std::vector<double> work, copies;
  (void)chain(in);
  for (int i = 0; i < runs; ++i) {
    copies.push_back(seconds([&] { copy(in, copied.view()); }));
    work.push_back(seconds([&] { (void)chain(in); }));
    ran();
  }
  return {in.width(),   in.height(),   used_threads, *std::min_element(work.begin(), work.end()),
          median(work), median(copies)};
}

Image noise(int width, int height) {
  Image image(width, height);
  const View v = image.view();
  parallel_rows(height, width, [&](int first, int last) {
    const RandomStream random(7);
    for (int y = first; y < last; ++y) {
      for (int x = 0; x < width; ++x)
        v.at(x, y) =
            static_cast<float>(random.uniform((static_cast<std::uint64_t>(y) << 32) + static_cast<std::uint64_t>(x)));
    }
  });
  return image;
}

std::vector<std::pair<int, int>> sizes_of(const std::string& text) {
  std::vector<std::pair<int, int>> all;
  for (std::size_t start = 0; start <= text.size();) {
    const std::size_t end = std::min(text.find(',', start), text.size());
    const std::string one = text.substr(start, end - start);
    const std::size_t x = one.find('x');
    const auto w = internal::parse_whole(one.substr(0, x)),
               h = x == std::string::npos ? w : internal::parse_whole(one.substr(x + 1));
    if (!w || !h || *w < 1 || *h < 1 || *w > 50000 || *h > 50000)
      throw InvalidArgument("--sizes " + text + ": give WIDTHxHEIGHT,WIDTHxHEIGHT,...");
    all.emplace_back(static_cast<int>(*w), static_cast<int>(*h));
    start = end + 1;
  }
  return all;
}

int time(const Session& session, const TimingArguments& o) {
  if (!o.device.device.empty()) {
    const Variations chains = variations_of(session, chain_words(session, o.words, o.recipe, true));
    const Attended attended(Attended::Telling::nothing);
    const auto [w, h] = sizes_of(o.sizes).back();
    return time_on_device(session, chains, o.on.empty() ? noise(w, h) : session.read(o.on).image,
                          {o.device, o.runs, o.json, o.sheet});
  }
  const Chain chain =
      Chain::parse(chain_words(session, o.words, o.recipe, false), session.catalogue, session.resources());
  const int most = threads();
  const Attended attended(Attended::Telling::nothing);
  std::vector<Image> pictures;
  if (!o.on.empty()) {
    pictures.push_back(session.read(o.on).image);
  } else {
    for (const auto& [w, h] : sizes_of(o.sizes)) pictures.push_back(noise(w, h));
  }
  std::vector<Row> by_size, by_threads;
  // Each run counts its pixels, more where fewer threads work on them.
  const auto cost = [most](const Image& p, int n) { return static_cast<double>(p.shape().pixels()) * most / n; };
  double all = 0, done = 0;
  for (const Image& p : pictures) all += o.runs * cost(p, most);
  for (int n = 1; n <= most; ++n) all += o.runs * cost(pictures.back(), n);
  const auto row = [&](const Image& p, int n) {
    return measure(chain, p, n, o.runs, [&, each = cost(p, n)] { attended.tell((done += each) / all); });
  };
  for (const Image& p : pictures) by_size.push_back(row(p, most));
  for (int n = 1; n <= most; ++n) by_threads.push_back(row(pictures.back(), n));
  set_threads(session.threads);

  const auto as_json = [](const Row& r) {
    return ordered_json{{"width", r.width},
                        {"height", r.height},
                        {"threads", r.threads},
                        {"minimum_seconds", r.least},
                        {"median_seconds", r.middle},
                        {"copy_seconds", r.copy},
                        {"multiple_of_copy", r.middle / r.copy},
                        {"megapixels_per_second", r.megapixels()}};
  };
  if (o.json) {
    ordered_json sizes = ordered_json::array(), counts = ordered_json::array();
    for (const Row& r : by_size) sizes.push_back(as_json(r));
    for (const Row& r : by_threads) counts.push_back(as_json(r));
    print_json({{"chain", chain.text()}, {"runs", o.runs}, {"sizes", sizes}, {"threads", counts}});
  } else {
    wipe_share();
    say("{}: {} runs each, in turns with a parallel copy\n", chain.text(), o.runs);
    const auto print = [](const Row& r) {
      say("  {:>11} {:>8} {:>11} {:>11} {:>13.1f} {:>9.2f}x\n", fmt::format("{}x{}", r.width, r.height), r.threads,
          time_text(r.least), time_text(r.middle), r.megapixels(), r.middle / r.copy);
    };
    say("  {:>11} {:>8} {:>11} {:>11} {:>13} {:>10}\n", "size", "threads", "minimum", "median", "Mpixel/s", "copy");
    for (const Row& r : by_size) print(r);
    if (most > 1) {
      say("  the last size with 1 to {} threads\n", most);
      for (const Row& r : by_threads) print(r);
    }
  }
  if (!o.sheet.empty()) {
    draw::Sheet sheet("Time of a chain", chain.text());
    draw::PlotCurve time_curve{"median", {}, {}}, copy_curve{"copy", {}, {}}, speed{"measured", {}, {}},
        ideal{"one for one", {}, {}};
    for (const Row& r : by_size) {
      time_curve.x.push_back(r.width / 1e6 * r.height);
      copy_curve.x.push_back(r.width / 1e6 * r.height);
      time_curve.y.push_back(1e3 * r.middle);
      copy_curve.y.push_back(1e3 * r.copy);
    }
    for (const Row& r : by_threads) {
      speed.x.push_back(r.threads);
      ideal.x.push_back(r.threads);
      speed.y.push_back(by_threads[0].middle / r.middle);
      ideal.y.push_back(r.threads);
    }
    sheet.add({"time over size", draw::curves({time_curve, copy_curve}, "megapixels", "milliseconds"), "", nullptr});
    sheet.add({"speed-up over threads", draw::curves({speed, ideal}, "threads", "times faster than one thread"), "",
               nullptr});
    write_sheet(sheet, o.sheet);
  }
  return 0;
}

}  // namespace

Command declare_time(CLI::App& root, Session& session) {
  auto o = std::make_shared<TimingArguments>();
  CLI::App* app = root.add_subcommand("time", "Time a chain on several sizes and numbers of threads.");
  app->add_option("STEP", o->words, "STEP [then STEP]...");
  app->add_option("--recipe", o->recipe, "take the chain from this TOML file");
  app->add_option("--on", o->on, "time it on this picture instead of made-up ones");
  app->add_option("--sizes", o->sizes, "made-up pictures, WIDTHxHEIGHT,... (default " + o->sizes + ")");
  app->add_option("--runs", o->runs, "runs of each (default 7)")->check(CLI::Range(1, 1000));
  app->add_option("--sheet", o->sheet, "draw time over size and speed-up over threads into this PNG");
  app->add_flag("--json", o->json, "print one JSON object");
  declare_device(app, o->device);
  app->footer(
      "With --device the last size alone, and values may vary: lsieve time --device any gaussian sigma='1|2|4|8'");
  return {app, [o, &session] { return time(session, *o); }};
}

}  // namespace sieve::internal::cli
