#include <fmt/format.h>
#define XXH_INLINE_ALL
#include <xxhash.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <filesystem>
#include <memory>
#include <string_view>
#include <utility>

#include "core/memory.hpp"
#include "io/codec.hpp"
#include "io/disk.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/pack.hpp"

namespace sieve::io {

namespace {

using namespace std::string_view_literals;

struct Ending {
  const char* text;
  Format format;
};
constexpr std::array<Ending, 12> kEndings = {{{".png", Format::png},
                                              {".jpg", Format::jpeg},
                                              {".jpeg", Format::jpeg},
                                              {".tif", Format::tiff},
                                              {".tiff", Format::tiff},
                                              {".pbm", Format::pnm},
                                              {".pgm", Format::pnm},
                                              {".ppm", Format::pnm},
                                              {".pnm", Format::pnm},
                                              {".pfm", Format::pfm},
                                              {".npy", Format::npy},
                                              {".lsv", Format::packed}}};

std::string ending_of(const std::string& name) {
  std::string e = std::filesystem::path(name).extension().string();
  std::transform(e.begin(), e.end(), e.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return e;
}

std::optional<Format> format_of_content(const Bytes& f) {
  const auto starts = [&](std::string_view magic) {
    return f.size >= magic.size() && std::memcmp(f.data, magic.data(), magic.size()) == 0;
  };
  if (starts("\x89PNG\r\n\x1a\n")) return Format::png;
  if (starts("\xff\xd8\xff")) return Format::jpeg;
  if (starts("II*\0"sv) || starts("MM\0*"sv) || starts("II+\0"sv) || starts("MM\0+"sv)) return Format::tiff;
  if (f.size >= 2 && f.data[0] == 'P' && f.data[1] >= '1' && f.data[1] <= '6') return Format::pnm;
  if (is_packed({f.data, f.size})) return Format::packed;
  if (starts("\x93NUMPY")) return Format::npy;
  if (starts("PF") || starts("Pf")) return Format::pfm;
  return std::nullopt;
}

// The format of the content. Error where there is none, or the name says another one.
Format require_format(const Bytes& file, const std::string& name) {
  if (file.size == 0) fail(name, "is empty");
  const auto format = format_of_content(file);
  const auto said = format_of_name(name);
  if (!format) {
    fail(name,
         fmt::format("unsupported or unrecognized image format (supported: PNG, JPEG, TIFF, PNM, PFM, NPY, LSV){}",
                     said ? fmt::format(", although its name says {}", name_of(*said)) : ""));
  }
  if (said && *said != *format) {
    fail(name,
         fmt::format("holds a {} picture although its name says {}: rename it", name_of(*format), name_of(*said)));
  }
  return *format;
}

// The depth that is stored for a wish, a source and a format.
int stored_bits(Format format, const ConstView& image, std::optional<int> wish, const std::string& name) {
  const auto allowed = [&]() -> std::vector<int> {
    switch (format) {
      case Format::png:
        if (image.channels() == 1) return {1, 2, 4, 8, 16};
        return {8, 16};
      case Format::jpeg:
        return {8};
      case Format::tiff:
        return {8, 16, 32};
      case Format::pnm: {
        std::vector<int> all;
        for (int b = 1; b <= 16; ++b) all.push_back(b);
        return all;
      }
      case Format::pfm:
        return {32};
      case Format::npy:
      case Format::packed:
        return {8, 16, 32};
    }
    return {8};
  }();
  if (wish) {
    if (std::find(allowed.begin(), allowed.end(), *wish) == allowed.end()) {
      throw InvalidArgument(fmt::format("{}: {} cannot hold {} bits a sample with {} channel{}; allowed: {}", name,
                                        name_of(format), *wish, image.channels(), image.channels() == 1 ? "" : "s",
                                        fmt::join(allowed, ", ")));
    }
    return *wish;
  }
  // The source's depth or the next that the format has; float into an integer format as 16 bits where it can.
  const int source = image.white_level == 0 ? 32 : bits_of(image.white_level);
  if (image.white_level == 0 && allowed.back() < 32) return std::min(16, allowed.back());
  for (const int b : allowed) {
    if (b >= source && (b >= 8 || format == Format::pnm || image.white_level + 1 == (1U << b))) return b;
  }
  return allowed.back();
}

}  // namespace

void fail(const std::string& name, std::string what) {
  std::replace_if(
      what.begin(), what.end(), [](unsigned char c) { return c < 0x20 || c == 0x7f; }, ' ');
  throw Error(name + ": " + what);
}

void check_size(std::uint64_t width, std::uint64_t height, const std::string& name, const Limits& limits) {
  if (width == 0 || height == 0) fail(name, fmt::format("its header says {}x{}: no pixel at all", width, height));
  if (width > 0x7fffffff || height > 0x7fffffff || width > limits.pixels / height) {
    fail(name, fmt::format("its header says {}x{} pixels, more than the limit of {} pixels: raise Limits::pixels",
                           width, height, limits.pixels));
  }
}

std::uint64_t memory_limit(const Limits& limits) {
  return limits.memory ? *limits.memory : std::min(std::uint64_t{1} << 32, internal::available_memory() / 2);
}

void check_memory(std::uint64_t width, std::uint64_t height, int channels, double working, const std::string& name,
                  const Limits& limits) {
  const double needed =
      static_cast<double>(internal::image_bytes(width, height, static_cast<std::uint64_t>(channels))) + working;
  const std::uint64_t limit = memory_limit(limits);
  if (needed <= static_cast<double>(limit)) return;
  constexpr double kMiB = 1 << 20;
  fail(name, fmt::format("{}x{} pixels of {} channels take {:.0f} MiB to decode, more than the limit of {:.0f} MiB: "
                         "raise Limits::memory",
                         width, height, channels, std::ceil(needed / kMiB), static_cast<double>(limit) / kMiB));
}

const char* name_of(Format format) {
  switch (format) {
    case Format::png:
      return "PNG";
    case Format::jpeg:
      return "JPEG";
    case Format::tiff:
      return "TIFF";
    case Format::pnm:
      return "PNM";
    case Format::pfm:
      return "PFM";
    case Format::npy:
      return "NPY";
    case Format::packed:
      return "LSV";
  }
  return "?";
}

std::optional<Format> format_of_name(const std::string& name) {
  const std::string e = ending_of(name);
  for (const Ending& known : kEndings) {
    if (e == known.text) return known.format;
  }
  return std::nullopt;
}

std::string known_endings() {
  std::string s;
  for (const Ending& e : kEndings) s += (s.empty() ? "" : " ") + std::string(e.text);
  return s;
}

namespace {

Loaded decode_as(Format format, const Bytes& file, const std::string& name, const Limits& limits) {
  switch (format) {
    case Format::png:
      return decode_png(file, name, limits);
    case Format::jpeg:
      return decode_jpeg(file, name, limits);
    case Format::tiff:
      return decode_tiff(file, name, limits);
    case Format::pnm:
      return decode_pnm(file, name, limits);
    case Format::pfm:
      return decode_pfm(file, name, limits);
    case Format::npy:
      return decode_npy(file, name, limits);
    case Format::packed:
      return decode_packed(file, name, limits);
  }
  fail(name, "cannot be read");
}

}  // namespace

Loaded decode(const std::uint8_t* bytes, std::size_t size, const std::string& name, const Limits& limits) {
  const Bytes file{bytes, size};
  const Format format = require_format(file, name);
  try {
    Loaded loaded = decode_as(format, file, name, limits);
    loaded.file_hash = XXH3_64bits(bytes, size);
    return loaded;
  } catch (const std::bad_alloc&) {
    fail(name, "is too large for the memory that is free");
  } catch (const Error& e) {
    // Of errors that come from elsewhere, the name of the file is missing.
    if (std::string_view(e.what()).starts_with(name + ": ")) throw;
    fail(name, e.what());
  }
}

Loaded read(const std::string& path, const Limits& limits) {
  checkpoint();
  const std::vector<std::uint8_t> bytes =
      read_bytes(path, limits.file_bytes, limits.pipes, [&](const Bytes& begin) { (void)require_format(begin, path); });
  return decode(bytes.data(), bytes.size(), path, limits);
}

std::string read_text(const std::string& path, bool pipes) {
  const auto bytes = read_bytes(path, std::uint64_t{1} << 20, pipes, [](const Bytes&) {});
  return std::string(bytes.begin(), bytes.end());
}

Resources resources(const Limits& limits) {
  return {[limits](const std::string& name) { return read(name, limits).image; },
          [](const std::string& name) { return read_text(name); }};
}

namespace {

std::vector<std::uint8_t> bytes_of(Format format, const ConstView& image, const WriteOptions& options,
                                   const std::string& name, Written& written) {
  if (options.quality < 1 || options.quality > 100) {
    throw InvalidArgument(fmt::format("quality={} is out of range: give 1 to 100", options.quality));
  }
  written.bits = stored_bits(format, image, options.bits, name);
  // A PNM keeps any largest level of its source (100, say); everything else has 2^bits - 1.
  std::uint32_t white_level = written.bits >= 32 ? 0 : (1U << written.bits) - 1;
  if (format == Format::pnm && !options.bits && image.white_level > 0) white_level = image.white_level;
  const Encoding e{image, written.bits, white_level, options, name, written};
  switch (format) {
    case Format::png:
      return encode_png(e);
    case Format::jpeg:
      return encode_jpeg(e);
    case Format::tiff:
      return encode_tiff(e);
    case Format::pnm:
      return encode_pnm(e);
    case Format::pfm:
      return encode_pfm(e);
    case Format::npy:
      return encode_npy(e);
    case Format::packed:
      return encode_packed(e);
  }
  return {};
}

// The same; what is lost is never lost without a word.
std::vector<std::uint8_t> encoded(Format format, const ConstView& image, const WriteOptions& options,
                                  const std::string& name, Written& written) {
  std::vector<std::uint8_t> bytes = bytes_of(format, image, options, name, written);
  const Saturation& s = written.saturation;
  if (s.total() == 0) return bytes;
  const std::string lost = fmt::format(
      "outside 0..1 and saturated: {} of {} samples ({} below 0, {} above 1{}); put clip, stretch or absolute before, "
      "or write 32-bit float (TIFF, PFM, NPY)",
      s.total(), image.shape.samples(), s.below, s.above,
      s.not_a_number > 0 ? fmt::format(", {} not a number, written as 0", s.not_a_number) : "");
  note(name + ": " + lost);
  written.note += (written.note.empty() ? "" : "; ") + lost;
  return bytes;
}

}  // namespace

std::vector<std::uint8_t> encode(Format format, const ConstView& image, const WriteOptions& options, Written* written) {
  require_input(image, "encode");
  Written w;
  std::vector<std::uint8_t> bytes = encoded(format, image, options, name_of(format), w);
  if (written) *written = w;
  return bytes;
}

std::vector<std::uint8_t> encode(const std::string& name, const ConstView& image, const WriteOptions& options,
                                 Written* written) {
  require_input(image, "write");
  const auto format = format_of_name(name);
  if (!format) throw InvalidArgument(fmt::format("{}: the ending says no format; known are {}", name, known_endings()));
  Written w;
  std::vector<std::uint8_t> bytes = encoded(*format, image, options, name, w);
  if (written) *written = w;
  return bytes;
}

Written write(const std::string& path, const ConstView& image, const WriteOptions& options) {
  Written written;
  write_bytes(path, encode(path, image, options, &written));
  return written;
}

}  // namespace sieve::io

namespace sieve {

std::span<const std::pair<const char*, io::Compression>> ChoiceNames<io::Compression>::all() {
  static constexpr std::pair<const char*, io::Compression> names[] = {
      {"fast", io::Compression::fast}, {"normal", io::Compression::normal}, {"small", io::Compression::small}};
  return names;
}

}  // namespace sieve
