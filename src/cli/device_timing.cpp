#include "cli/device_timing.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <nlohmann/json.hpp>

namespace sieve::internal::cli {

using nlohmann::ordered_json;

namespace {

// Medians, in seconds.
struct Row {
  std::string label;
  double up, kernels, down, all, processors;
  int launches;
  double megabytes;  // over the bus, both ways
};

double median(std::vector<double> v) {
  std::nth_element(v.begin(), v.begin() + static_cast<long>(v.size() / 2), v.end());
  return v[v.size() / 2];
}

Row measure(const std::string& label, const Chain& chain, const Image& in, Engine& engine, int runs) {
  std::vector<double> up, kernels, down, all, processors;
  const Run first = engine.run(chain, in);  // builds programs
  if (first.report.device.empty())
    throw InvalidArgument(fmt::format("--device: it has no form of any step of '{}'", chain.text()));
  (void)Engine::standard().run(chain, in);
  Row r{label, 0, 0, 0, 0, 0, 0, 0};
  for (const DeviceFigures& f : first.report.device) {
    r.launches += f.kernels;
    r.megabytes += static_cast<double>(f.bytes_up + f.bytes_down) * 1e-6;
  }
  for (int i = 0; i < runs; ++i) {
    const Run run = engine.run(chain, in);
    double times[3] = {};
    for (const DeviceFigures& f : run.report.device) {
      times[0] += f.seconds_up;
      times[1] += f.seconds_kernels;
      times[2] += f.seconds_down;
    }
    up.push_back(times[0]);
    kernels.push_back(times[1]);
    down.push_back(times[2]);
    all.push_back(run.report.seconds);
    processors.push_back(Engine::standard().run(chain, in).report.seconds);
  }
  r.up = median(up);
  r.kernels = median(kernels);
  r.down = median(down);
  r.all = median(all);
  r.processors = median(processors);
  return r;
}

}  // namespace

int time_on_device(const Session& session, const Variations& chains, const Image& in, const DeviceTiming& o) {
  const ChosenEngine engine(o.device);
  std::vector<Row> rows;
  for (std::size_t i = 0; i < chains.size(); ++i) {
    const Chain chain = Chain::parse(chains.chain(i), session.catalogue, session.resources());
    rows.push_back(measure(chains.varied.empty() ? chain.text() : chains.label(i), chain, in, *engine, o.runs));
  }
  if (o.json) {
    ordered_json all = ordered_json::array();
    for (const Row& r : rows) {
      all.push_back({{"run", r.label},
                     {"seconds_up", r.up},
                     {"seconds_kernels", r.kernels},
                     {"seconds_down", r.down},
                     {"seconds", r.all},
                     {"seconds_processors", r.processors},
                     {"kernels", r.launches},
                     {"megabytes_over_the_bus", r.megabytes}});
    }
    print_json({{"width", in.width()}, {"height", in.height()}, {"channels", in.channels()}, {"rows", all}});
  } else {
    say("{}x{}, {}; medians of {}\n", in.width(), in.height(),
        counted(static_cast<unsigned>(in.channels()), "channel", "channels"),
        counted(static_cast<unsigned>(o.runs), "run", "runs"));
    say("  {:28} {:>9} {:>9} {:>9} {:>10} {:>11} {:>8} {:>9}\n", "", "up", "kernels", "down", "in all", "processors",
        "launched", "MB moved");
    for (const Row& r : rows) {
      // A kernel's weights may be a long text.
      const std::string label = r.label.size() > 28 ? r.label.substr(0, 27) + "…" : r.label;
      say("  {:28} {:>9} {:>9} {:>9} {:>10} {:>11} {:>8} {:>9.1f}\n", label, time_text(r.up), time_text(r.kernels),
          time_text(r.down), time_text(r.all), time_text(r.processors), r.launches, r.megabytes);
    }
  }
  if (!o.sheet.empty()) {
    draw::Sheet sheet("A device beside the processors", fmt::format("{}x{} pixels", in.width(), in.height()));
    draw::PlotCurve kernels{"kernels alone", {}, {}}, all{"with transfers", {}, {}}, processors{"processors", {}, {}};
    for (std::size_t i = 0; i < rows.size(); ++i) {
      const auto number = chains.varied.size() == 1 ? internal::parse_number(chains.values(i)[0]) : std::nullopt;
      const double x = number ? *number : static_cast<double>(i + 1);
      for (draw::PlotCurve* c : {&kernels, &all, &processors}) c->x.push_back(x);
      kernels.y.push_back(1e3 * rows[i].kernels);
      all.y.push_back(1e3 * rows[i].all);
      processors.y.push_back(1e3 * rows[i].processors);
    }
    sheet.add({"time",
               draw::curves({kernels, all, processors}, chains.varied.size() == 1 ? chains.varied[0].key : "run",
                            "milliseconds"),
               "", nullptr});
    write_sheet(sheet, o.sheet);
  }
  return 0;
}

}  // namespace sieve::internal::cli
