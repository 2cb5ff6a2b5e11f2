// How close the library is to what the machine can do, in one run: every main operation in turns with what bounds it (a
// parallel copy, the bare FFT, exact singular values, baseline JPEG), how cost grows with pixels and falls with
// threads, and what nested loops take; with --commands, what a user of the tool waits for. docs/performance.md reads
// the table.

#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <cstdio>
#include <fstream>

#include "limits_table.hpp"
#include "measure.hpp"

int main(int argc, char** argv) {
  using namespace sieve::bench;
  CLI::App app{"Measures Lean Sieve against this machine's limits; under five minutes, with --quick under one."};
  bool quick = false;
  bool commands = false;
  std::string file, picture;
  app.add_flag("--quick", quick, "fewer passes, no 10000x10000, nothing that takes long");
  app.add_flag("--commands", commands, "whole commands of the tool, files and start-up included, and nothing else");
  app.add_option("--on", picture, "with --commands: this color picture instead of a made-up one");
  app.add_option("--json", file, "write all figures into this file");
  CLI11_PARSE(app, argc, argv);
  const Budget budget = quick ? Budget{0.08, 3} : Budget{0.5, 3};
  nlohmann::ordered_json all = {{"threads", sieve::threads()}, {"quick", quick}};
  const double taken = seconds([&] {
    if (commands) {
      all["commands"] = measure_commands(picture, quick);
      return;
    }
    all["yardsticks"] = measure_yardsticks(budget);
    all["operations"] = measure_operations(budget, quick);
    all["growth"] = measure_growth(budget, quick);
    all["threads_compared"] = measure_threads(budget);
    all["nested_loops"] = measure_loops();
    all["chains"] = measure_chain(budget);
    all["engine"] = measure_engine(budget);
  });
  all["seconds"] = taken;
  fmt::print("\n{:.0f} seconds in all\n", taken);
  if (file.empty()) return 0;
  std::ofstream out(file);
  out << all.dump(2) << "\n";
  out.close();
  if (out) return 0;
  fmt::print(stderr, "limits: could not write {}\n", file);
  return 1;
}
