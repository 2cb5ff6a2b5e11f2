#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <chrono>
#include <cmath>
#include <nlohmann/json.hpp>

#include "cli/device_use.hpp"
#include "cli/session.hpp"
#include "cli/trial.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct VerifyArguments {
  std::vector<std::string> words;
  DeviceArguments device;
  bool json = false;
};

// Noise over smooth waves, in color with alpha: odd sides, samples below 0 and above 1.
Image made_up(int width, int height) {
  Image image(width, height, 4);
  for (int c = 0; c < 4; ++c) {
    const RandomStream random(20, static_cast<std::uint64_t>(c));
    for (int y = 0; y < height; ++y) {
      for (int x = 0; x < width; ++x) {
        image.at(x, y, c) = static_cast<float>(0.5 + 0.4 * std::sin(0.11 * x + c) * std::cos(0.07 * y) +
                                               0.5 * (random.uniform(static_cast<std::uint64_t>(y * 131 + x)) - 0.5));
      }
    }
  }
  return image;
}

// What a device is judged by beside every filter with its defaults: settings that lead to other kernels.
constexpr const char* kThere[] = {"median radius=2",
                                  "median radius=3",
                                  "threshold by=level",
                                  "correlate kernel=1,2,3,4,5 border=wrap",
                                  "box radius=9",
                                  "equalize color=channels levels=64",
                                  "unsharp threshold=0.1 border=reflect",
                                  "bilateral sigma=1 range=0.2 border=wrap",
                                  "guided radius=2 strength=0.2 border=mirror",
                                  "nonlocal_means patch=1 search=3 strength=0.8 noise=0.2",
                                  "cosine_truncation block=8 side=3",
                                  "cosine_truncation block=8 side=4 which=corner",
                                  "wavelet_shrink wavelet=9/7 undecimated=no noise=0.2 rule=bayes",
                                  "wavelet_shrink wavelet=5/3 undecimated=yes noise=0.2 rule=universal",
                                  "richardson_lucy border=mirror noise=0 iterations=10",
                                  "richardson_lucy border=wrap noise=0 smoothness=0.01 iterations=10",
                                  "add with=-",
                                  "subtract with=-",
                                  "multiply with=-",
                                  "divide with=-",
                                  "blend with=-",
                                  "absolute_difference with=-"};

struct Verdict {
  std::string name;
  double fast = 0, plain = 0;
  reference::Agreement held;
};

bool ran_on_device(Engine& engine, const Filter& f, const Image& in) {
  return !engine.run(f, in).report.device.empty();
}

Verdict verify_one(const reference::Definitions& definitions, const Filter& f, const Image& in, Engine& engine) {
  Verdict v;
  v.name = f.text();
  auto start = std::chrono::steady_clock::now();
  const auto plain = definitions.plain(f, in);
  v.plain = seconds_since(start);
  if (!plain) throw InvalidArgument(f.about().name + ": it has no plain definition to hold it against");
  (void)engine.run(f, in);  // the first run makes plans and touches pages
  start = std::chrono::steady_clock::now();
  const Image fast = engine.run(f, in).image;
  v.fast = seconds_since(start);
  v.held = definitions.agreement(f, fast, *plain);
  return v;
}

int verify(const Session& session, const VerifyArguments& o) {
  // FILTER [key=value ...] [IN]
  std::string name, file;
  std::vector<std::string> step;
  for (const std::string& w : o.words) {
    if (w.find('=') != std::string::npos && !step.empty()) {
      step.push_back(w);
    } else if (step.empty()) {
      step.push_back(w);
    } else if (file.empty()) {
      file = w;
    } else {
      throw InvalidArgument("verify: '" + w + "' is one word too many: FILTER [key=value ...] [IN]");
    }
  }
  std::vector<Filter> filters;
  if (!step.empty()) {
    filters = Chain::parse(step, session.catalogue, session.resources()).steps();
  } else {
    const Image tiny(3, 3);
    for (const std::string& n : session.catalogue.names()) {
      const Filter& f = session.catalogue.find(n);
      bool has = false;
      try {
        has = session.definitions.plain(f, tiny).has_value();
      } catch (const InvalidArgument&) {
      }
      if (has) filters.push_back(f);
    }
  }
  const Attended attended;
  // Plain definitions of a whole transform take time as the square of the pixels.
  const Image in = !file.empty() ? session.read(file).image : step.empty() ? made_up(47, 37) : made_up(131, 97);
  ordered_json all = ordered_json::array();
  int failed = 0;
  const ChosenEngine engine(o.device);
  if (step.empty() && !o.device.device.empty()) {
    Resources second = session.resources();
    second.picture = [&in](const std::string&) { return to_gray(in); };
    for (const char* text : kThere) filters.push_back(Chain::parse(text, session.catalogue, second).steps().at(0));
  }
  for (const Filter& f : filters) {
    if (!o.device.device.empty() && !ran_on_device(*engine, f, in)) {
      if (!step.empty()) throw InvalidArgument(f.about().name + ": the device has no form of it with these parameters");
      continue;
    }
    const Verdict v = verify_one(session.definitions, f, in, *engine);
    failed += !v.held.good();
    if (o.json) {
      all.push_back({{"filter", v.name},
                     {"agrees", v.held.good()},
                     {"maximum_deviation", finite_or_null(v.held.deviation)},
                     {"at", {{"x", v.held.x}, {"y", v.held.y}, {"channel", v.held.channel}}},
                     {"tolerance", v.held.tolerance},
                     {"seconds", v.fast},
                     {"seconds_plain", v.plain},
                     {"times_faster", v.plain / v.fast}});
      continue;
    }
    wipe_share();
    if (!v.held.same_shape) {
      say("FAILS  {}: the two results differ in shape\n", v.name);
      continue;
    }
    say("{}  {:26} deviation {:.2e} at {},{} ({}), tolerance {:.1e}; {} against {}: {:.1f} times faster\n",
        v.held.good() ? "agrees" : "FAILS ", v.name, v.held.deviation, v.held.x, v.held.y,
        channel_name(v.held.channel, in.shape()), v.held.tolerance, time_text(v.fast), time_text(v.plain),
        v.plain / v.fast);
  }
  if (o.json) print_json(all.size() == 1 ? all[0] : all);
  return failed == 0 ? 0 : 1;
}

}  // namespace

Command declare_verify(CLI::App& root, Session& session) {
  auto o = std::make_shared<VerifyArguments>();
  CLI::App* app = root.add_subcommand("verify", "The fast way of a filter against its plain definition.");
  app->add_option("FILTER", o->words,
                  "FILTER [key=value ...] [IN]; default: every filter that has one, on a made-up picture");
  app->add_flag("--json", o->json, "print JSON");
  declare_device(app, o->device);
  return {app, [o, &session] { return verify(session, *o); }};
}

}  // namespace sieve::internal::cli
