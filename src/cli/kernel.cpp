#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <cmath>
#include <nlohmann/json.hpp>

#include "cli/exhibit.hpp"
#include "cli/session.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct KernelArguments {
  std::vector<std::string> specs;
  std::string sheet;
  bool json = false;
};

std::string effect(double sum) {
  if (std::abs(sum - 1) < 1e-6) return "keeps brightness";
  if (std::abs(sum) < 1e-6) return "answers only to change: 0 on flat regions";
  return fmt::format("multiplies brightness by {:.6g}", sum);
}

void print(const std::string& spec, const Kernel& k) {
  const auto f = k.separated();
  say("{}: {}x{}, anchor {},{}, sum {:.6g} ({}), {}\n", spec, k.width(), k.height(), k.anchor_x(), k.anchor_y(),
      k.sum(), effect(k.sum()), f && k.width() > 1 && k.height() > 1 ? "separable" : "not separable");
  constexpr int kMostShown = 13;
  if (k.width() > kMostShown || k.height() > kMostShown) {
    say("  (too large to print; --json has all taps, --sheet draws it)\n");
    return;
  }
  const bool whole = std::all_of(k.taps().begin(), k.taps().end(), [](double t) { return t == std::round(t); });
  for (int y = 0; y < k.height(); ++y) {
    say(" ");
    for (int x = 0; x < k.width(); ++x) say(" {:>{}.{}f}", k.at(x, y), whole ? 5 : 8, whole ? 0 : 5);
    say("\n");
  }
}

// The magnitude of its transfer function, frequency 0 in the middle, over its largest value.
Image response(const Kernel& k) {
  constexpr int side = 65, middle = side / 2;
  Image r(side, side);
  float most = 0;
  for (int y = 0; y < side; ++y) {
    for (int x = 0; x < side; ++x) {
      r.at(x, y) = static_cast<float>(std::abs(frequency_response(k, (x - middle) / 64.0, (y - middle) / 64.0)));
      most = std::max(most, r.at(x, y));
    }
  }
  return most > 0 ? map_samples(r, [most](float v) { return v / most; }) : r;
}

// The same along fx.
StageCurve response_curve(const std::string& spec, const Kernel& k) {
  StageCurve c{spec, {}, {}};
  for (int i = 0; i <= 128; ++i) {
    c.x.push_back(i / 256.0);
    c.y.push_back(std::abs(frequency_response(k, c.x.back(), 0)));
  }
  return c;
}

int kernel(const Session& session, const KernelArguments& o) {
  if (o.specs.empty()) {
    if (!o.sheet.empty()) throw InvalidArgument("--sheet: give at least one kernel to draw");
    ordered_json all = ordered_json::array();
    for (const Kernel::Preset& n : Kernel::names()) {
      all.push_back({{"name", n.name}, {"parameters", n.parameters}, {"help", n.help}});
      if (!o.json) say("{:12} {:16} {}\n", n.name, n.parameters, n.help);
    }
    if (o.json) {
      print_json(all);
    } else {
      say("parameters: gaussian:sigma=2,size=9; one's own: 0,-1,0/-1,5,-1/0,-1,0 or @FILE\n");
    }
    return 0;
  }
  std::vector<Kernel> kernels;
  for (const std::string& s : o.specs) kernels.push_back(Kernel::parse(s, session.resources()));
  ordered_json out = ordered_json::array();
  for (std::size_t i = 0; i < kernels.size(); ++i) {
    const Kernel& k = kernels[i];
    if (o.json) {
      ordered_json rows = ordered_json::array();
      for (int y = 0; y < k.height(); ++y) {
        rows.push_back(std::vector<double>(k.taps().begin() + y * k.width(), k.taps().begin() + (y + 1) * k.width()));
      }
      out.push_back({{"kernel", o.specs[i]},
                     {"width", k.width()},
                     {"height", k.height()},
                     {"anchor", {k.anchor_x(), k.anchor_y()}},
                     {"sum", k.sum()},
                     {"separable", k.separated().has_value()},
                     {"taps", rows}});
    } else {
      print(o.specs[i], k);
    }
  }
  if (o.json) print_json(kernels.size() == 1 ? out[0] : out);
  if (!o.sheet.empty()) {
    draw::Sheet sheet("Kernels",
                      "as written (convolution turns them by 180 degrees, correlation does not), and under each its "
                      "gain over the frequencies, white the largest");
    std::vector<StageCurve> profiles, responses;
    for (std::size_t i = 0; i < kernels.size(); ++i) {
      const Kernel& k = kernels[i];
      sheet.add({o.specs[i], draw::heat(k.width(), k.height(), k.taps()),
                 fmt::format("{}x{}, sum {:.5g}: {}", k.width(), k.height(), k.sum(), effect(k.sum())),
                 draw::frequency_plane(response(k))});
      responses.push_back(response_curve(o.specs[i], k));
      profiles.push_back(profile(o.specs[i], k));
    }
    sheet.add({"row through the anchor", Exhibit::plot(profiles, "pixels from the anchor", "weight"), "",
               Exhibit::plot(responses, "frequency along x, cycles per pixel", "gain")});
    write_sheet(sheet, o.sheet);
  }
  return 0;
}

}  // namespace

Command declare_kernel(CLI::App& root, Session& session) {
  auto o = std::make_shared<KernelArguments>();
  CLI::App* app = root.add_subcommand("kernel", "Print kernels with their sums, or draw them.");
  app->add_option("KERNEL", o->specs, "gaussian:sigma=2, sobel_x, 0,1,0/1,-4,1/0,1,0, @FILE; none: the known names");
  app->add_option("--sheet", o->sheet, "draw each as a heat map, and all profiles in one plot, into this PNG");
  app->add_flag("--json", o->json, "print JSON");
  return {app, [o, &session] { return kernel(session, *o); }};
}

}  // namespace sieve::internal::cli
