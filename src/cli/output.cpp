#include "cli/output.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <CLI/CLI.hpp>
#include <cerrno>
#include <cstring>

#include "cli/session.hpp"

namespace sieve::internal::cli {

Output::Output(const std::string& name, const std::string& format)
    : name_(name == "-" ? "standard output" : on_one_line(name)),
      named_(name == "-" ? "standard output." + format : name),
      piped_(name == "-") {
  if (piped_ && format.empty())
    throw InvalidArgument("- is standard output: say the format with --format, as --format png");
  if (!piped_ && !format.empty())
    throw InvalidArgument(name + ": --format goes with - for standard output; a file's ending says its format");
  if (!io::format_of_name(named_))
    throw InvalidArgument(piped_
                              ? fmt::format("--format {}: known are {}", format, io::known_endings())
                              : fmt::format("{}: the ending says no format; known are {}", name, io::known_endings()));
  if (piped_ && ::isatty(STDOUT_FILENO) != 0)
    throw InvalidArgument("standard output is a terminal: send the picture on with > FILE or | PROGRAM");
}

io::Written Output::write(const ConstView& image, const io::WriteOptions& options) const {
  if (!piped_) return io::write(named_, image, options);
  io::Written written;
  write(io::encode(named_, image, options, &written));
  return written;
}

void Output::write(const std::vector<std::uint8_t>& bytes) const {
  if (!piped_) return io::write_bytes(named_, bytes);
  if (std::fwrite(bytes.data(), 1, bytes.size(), stdout) != bytes.size() || std::fflush(stdout) != 0)
    throw Error(fmt::format("standard output cannot be written: {}", std::strerror(errno)));
}

void WriteArguments::declare(CLI::App* app) {
  app->add_option("--depth", depth, "bits a sample to write: 1, 2, 4, 8, 16 or float; default: the source's");
  app->add_option("--quality", quality, "JPEG quality, 1 to 100")->check(CLI::Range(1, 100));
  app->add_option("--compression", compression, "PNG and TIFF: fast, normal (default) or small");
}

io::WriteOptions WriteArguments::options() const {
  io::WriteOptions o;
  o.bits = bits_of_text(depth);
  o.quality = quality;
  o.compression = choice_of<io::Compression>("--compression", compression);
  return o;
}

}  // namespace sieve::internal::cli
