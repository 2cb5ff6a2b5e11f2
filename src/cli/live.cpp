#include <fmt/format.h>
#include <malloc.h>

#include <CLI/CLI.hpp>
#include <exception>
#include <filesystem>
#include <set>
#include <thread>

#include "cli/session.hpp"
#include "sieve/page/live.hpp"

namespace sieve::internal::cli {

namespace {

struct LiveArguments {
  std::string in, truth;
  std::vector<std::string> also, words;
  int port = 0;
};

// What this page wrote may be written again; what lay there before is nobody's to lose.
class Saver {
 public:
  void require_free(const std::string& name) {
    if (!mine_.contains(name) && std::filesystem::exists(name))
      throw InvalidArgument(name + " is there already: save under another name");
  }
  void wrote(const std::string& name) { mine_.insert(name); }

 private:
  std::set<std::string> mine_;
};

int live(const Session& session, const LiveArguments& o) {
  // Each thread of the server would keep the memory of the largest request it ever answered.
  mallopt(M_ARENA_MAX, 2);
  page::LiveSetup setup;
  setup.catalogue = &session.catalogue;
  setup.resources = session.resources();
  setup.chain = o.words.empty() ? Chain() : Chain::parse(o.words, session.catalogue, session.resources());
  setup.inputs.push_back({o.in, session.read(o.in).image});
  for (const std::string& name : o.also) setup.inputs.push_back({name, session.read(name).image});
  if (!o.truth.empty()) setup.truth = page::LivePicture{o.truth, session.read(o.truth).image};
  setup.folder = std::filesystem::current_path().string();
  setup.port = o.port;
  Saver saver;
  std::mutex saving;
  setup.save = [&](const std::string& name, const ConstView& result, const std::string& record) {
    const std::lock_guard lock(saving);
    if (!io::format_of_name(name))
      throw InvalidArgument(fmt::format("{}: the ending says no format; known are {}", name, io::known_endings()));
    saver.require_free(name);
    io::WriteOptions options;
    options.record = record;
    const io::Written w = io::write(name, result, options);
    saver.wrote(name);
    return fmt::format("{}: {}, {}", name, w.bits == 32 ? "32-bit float" : fmt::format("{} bits a sample", w.bits),
                       w.saturation.total() > 0 ? counted(w.saturation.total(), "sample", "samples") + " saturated"
                                                : "no sample saturated");
  };
  setup.save_text = [&](const std::string& name, const std::string& text) {
    const std::lock_guard lock(saving);
    if (!name.ends_with(".toml"))
      throw InvalidArgument(name + ": a recipe is a TOML file: give a name that ends in .toml");
    saver.require_free(name);
    io::write_bytes(name, {text.begin(), text.end()});
    saver.wrote(name);
    return "recipe: " + name;
  };
  // Ctrl-C ends the page as it ends any other work, but here that is the usual end.
  const Attended attended;
  page::Live server(std::move(setup));
  say("{}\n", server.address());
  std::fflush(stdout);
  say(stderr, "open this address in a browser of this machine; Ctrl-C ends\n");
  std::stop_source stop;
  std::exception_ptr failed;
  std::jthread listening([&] {
    try {
      server.serve(stop.get_token());
    } catch (const std::exception&) {
      failed = std::current_exception();
    }
    stop.request_stop();
  });
  try {
    while (!stop.stop_requested()) {
      checkpoint();
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
    }
  } catch (const Canceled&) {
    stop.request_stop();
  }
  listening.join();
  if (failed) std::rethrow_exception(failed);
  say(stderr, "the page has ended\n");
  return 0;
}

}  // namespace

Command declare_live(CLI::App& root, Session& session) {
  auto o = std::make_shared<LiveArguments>();
  CLI::App* app = root.add_subcommand("live", "A page in the browser of this machine: sliders for every parameter.");
  app->add_option("IN", o->in, "the picture to filter")->required();
  app->add_option("STEP", o->words, "the chain to begin with: NAME key=value ... [then NAME key=value ...]...");
  app->add_option("--truth", o->truth, "the clean picture, for PSNR, SSIM and the gain");
  app->add_option("--also", o->also, "a further picture to choose; may be given several times")
      ->allow_extra_args(false);
  app->add_option("--port", o->port, "the port to listen on; default: any that is free")->check(CLI::Range(1, 65535));
  app->footer("Example: lsieve live noisy.png --truth noon.png median radius=1 then unsharp");
  return {app, [o, &session] { return live(session, *o); }};
}

}  // namespace sieve::internal::cli
