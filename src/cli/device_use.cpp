#include "cli/device_use.hpp"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <nlohmann/json.hpp>

#include "cli/trial.hpp"
#ifdef LSIEVE_DEVICE
#include "sieve/device.hpp"
#endif

namespace sieve::internal::cli {

using nlohmann::ordered_json;

namespace {

constexpr const char* kNotBuilt =
    "this lsieve was built without OpenCL: install ocl-icd-opencl-dev, then build it again with -DSIEVE_DEVICE=ON";

std::shared_ptr<Device> opened(const std::string& which) {
#ifdef LSIEVE_DEVICE
  return device::open(which == "any" ? "" : which);
#else
  (void)which;
  throw InvalidArgument(fmt::format("--device: {}", kNotBuilt));
#endif
}

struct DevicesArguments {
  bool json = false, measured = true;
};

#ifdef LSIEVE_DEVICE
std::string size_text(std::uint64_t bytes) {
  return bytes >= std::uint64_t{1} << 30 ? fmt::format("{:.1f} GiB", static_cast<double>(bytes) / (1 << 30))
                                         : fmt::format("{} KiB", bytes >> 10);
}
#endif

int devices(const DevicesArguments& o) {
#ifdef LSIEVE_DEVICE
  const std::vector<device::About> all = device::list();
  ordered_json list = ordered_json::array();
  if (all.empty() && !o.json) {
    say("no device: no implementation of OpenCL is installed on this machine (Debian's pocl-opencl-icd runs on its "
        "processors), or the driver of a card is missing\n");
  }
  for (std::size_t i = 0; i < all.size(); ++i) {
    const device::About& a = all[i];
    const device::Speeds s = o.measured ? device::measure(std::to_string(i)) : device::Speeds();
    if (o.json) {
      ordered_json j = {{"number", i},
                        {"name", a.name},
                        {"kind", a.kind},
                        {"platform", a.platform},
                        {"version", a.version},
                        {"memory", a.memory},
                        {"largest_buffer", a.largest},
                        {"local_memory", a.local},
                        {"units", a.units},
                        {"largest_group", a.group}};
      if (o.measured)
        j["measured"] = {{"bytes_a_second_up", s.up},
                         {"bytes_a_second_down", s.down},
                         {"bytes_a_second_copied", s.copy},
                         {"pixels_a_second_7x7", s.convolve}};
      list.push_back(std::move(j));
      continue;
    }
    say("{}. {} ({}, {})\n", i, a.name, a.kind, a.platform);
    say("   {}; {}, {} in one buffer; {} of a group of up to {} items; {}\n", a.version, size_text(a.memory),
        size_text(a.largest), size_text(a.local), a.group, counted(a.units, "unit", "units"));
    if (o.measured) {
      say("   measured: {:.1f} GB/s up, {:.1f} GB/s down, {:.1f} GB/s copied there, 7x7 convolution {:.0f} "
          "megapixels/s\n",
          s.up * 1e-9, s.down * 1e-9, s.copy * 1e-9, s.convolve * 1e-6);
    }
  }
  if (o.json) print_json(list);
  return 0;
#else
  (void)o;
  throw InvalidArgument(fmt::format("devices: {}", kNotBuilt));
#endif
}

}  // namespace

bool has_device_form(const std::string& name) {
#ifdef LSIEVE_DEVICE
  static const std::vector<std::string> all = device::forms();
  return std::binary_search(all.begin(), all.end(), name);
#else
  (void)name;
  return false;
#endif
}

void declare_device(CLI::App* app, DeviceArguments& o) {
  app->add_option("--device", o.device,
                  "run what it can on a device: a number or a part of a name of `lsieve devices`, or any");
  app->add_flag("--device-or-cpu", o.processors, "with --device: processors do its part where it fails");
}

ChosenEngine::ChosenEngine(const DeviceArguments& o) {
  if (o.device.empty()) {
    if (o.processors) throw InvalidArgument("--device-or-cpu: give a --device, too");
    return;
  }
  EngineOptions options;
  options.device_or_processors = o.processors;
  try {
    options.device = opened(o.device);
  } catch (const Error& e) {
    if (!o.processors) throw;
    say(stderr, "{}; processors do it instead\n", e.what());
    return;
  }
  own_ = std::make_unique<Engine>(std::move(options));
}

void tell_device(const std::string& file, const Chain& chain, const Run& run, std::FILE* to) {
  const Report& report = run.report;
  const SampleRange range = sample_range(run.image);
  say(to, "{}: {}\n", on_one_line(file), chain.text());
  say(to, "  {} in all  [{}]  range {:.4g} .. {:.4g}\n", counted(chain.steps().size(), "step", "steps"),
      time_text(report.seconds), range.minimum, range.maximum);
  for (const DeviceFigures& f : report.device) {
    const std::string which =
        f.count == 1 ? fmt::format("step {}", f.first + 1)
                     : fmt::format("steps {} {} {}", f.first + 1, f.count == 2 ? "and" : "to", f.first + f.count);
    say(to, "  on the device: {}: {} of {:.1f} MB [{}], {} [{}], {} of {:.1f} MB [{}]\n", which,
        counted(static_cast<std::size_t>(f.uploads), "upload", "uploads"), static_cast<double>(f.bytes_up) * 1e-6,
        time_text(f.seconds_up), counted(static_cast<std::size_t>(f.kernels), "kernel", "kernels"),
        time_text(f.seconds_kernels), counted(static_cast<std::size_t>(f.downloads), "download", "downloads"),
        static_cast<double>(f.bytes_down) * 1e-6, time_text(f.seconds_down));
  }
  std::size_t there = 0;
  for (const DeviceFigures& f : report.device) there += f.count;
  if (!report.device.empty() && there < chain.steps().size())
    say(to, "  on processors: {}\n", counted(chain.steps().size() - there, "step", "steps"));
}

ordered_json device_json(const Report& report) {
  ordered_json all = ordered_json::array();
  for (const DeviceFigures& f : report.device) {
    all.push_back({{"first_step", f.first + 1},
                   {"steps", f.count},
                   {"uploads", f.uploads},
                   {"bytes_up", f.bytes_up},
                   {"kernels", f.kernels},
                   {"downloads", f.downloads},
                   {"bytes_down", f.bytes_down},
                   {"seconds_up", f.seconds_up},
                   {"seconds_kernels", f.seconds_kernels},
                   {"seconds_down", f.seconds_down}});
  }
  return all;
}

Command declare_devices(CLI::App& root, Session&) {
  auto o = std::make_shared<DevicesArguments>();
  CLI::App* app = root.add_subcommand("devices", "What can run filters beside the processors, and how fast (OpenCL).");
  app->add_flag("--json", o->json, "print JSON");
  app->add_flag("!--unmeasured", o->measured, "do not measure");
  return {app, [o] { return devices(*o); }};
}

}  // namespace sieve::internal::cli
