#pragma once
// Where a command writes its picture, and how.

#include <CLI/App.hpp>
#include <cstdio>
#include <string>
#include <vector>

#include "sieve/io.hpp"

namespace sieve::internal::cli {

// A file, or standard output as "-". What is told beside it goes to the other stream then.
class Output {
 public:
  // `format` is an ending ("png") and goes with "-" alone. InvalidArgument where no format is said, and where standard
  // output is a terminal.
  Output(const std::string& name, const std::string& format);
  // Where lines about the work are printed.
  std::FILE* told() const { return piped_ ? stderr : stdout; }
  // "standard output" for "-".
  const std::string& name() const { return name_; }
  io::Format format() const { return *io::format_of_name(named_); }
  io::Written write(const ConstView& image, const io::WriteOptions& options) const;
  void write(const std::vector<std::uint8_t>& bytes) const;

 private:
  std::string name_, named_;  // as it is told, and with the ending that says the format
  bool piped_;
};

// The options of writing that commands share.
struct WriteArguments {
  std::string depth, compression = "normal";
  int quality = 92;

  void declare(CLI::App* app);
  // InvalidArgument for a word that is none of those.
  io::WriteOptions options() const;
};

}  // namespace sieve::internal::cli
