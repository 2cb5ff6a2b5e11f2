#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <memory>
#include <string_view>
#include <utility>

#include "io/codec.hpp"
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

std::string reason() { return std::strerror(errno); }

// An open file descriptor that closes itself.
class Descriptor {
 public:
  explicit Descriptor(int fd) : fd_(fd) {}
  ~Descriptor() {
    if (fd_ >= 0) ::close(fd_);
  }
  Descriptor(Descriptor&& other) noexcept : fd_(std::exchange(other.fd_, -1)) {}
  Descriptor& operator=(Descriptor&& other) noexcept {
    std::swap(fd_, other.fd_);
    return *this;
  }
  int get() const { return fd_; }
  int close() {
    const int r = ::close(fd_);
    fd_ = -1;
    return r;
  }

 private:
  int fd_;
};

std::vector<std::uint8_t> read_bytes(const std::string& path, std::uint64_t limit) {
  const Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
  if (file.get() < 0) fail(path, "cannot be opened: " + reason());
  struct stat info {};
  if (::fstat(file.get(), &info) != 0) fail(path, "cannot be read: " + reason());
  if (S_ISDIR(info.st_mode)) fail(path, "is a folder, not a picture");
  std::vector<std::uint8_t> bytes;
  if (S_ISREG(info.st_mode)) {
    if (static_cast<std::uint64_t>(info.st_size) > limit) {
      fail(path, fmt::format("has {} bytes, more than the limit of {}: raise Limits::file_bytes", info.st_size, limit));
    }
    bytes.reserve(static_cast<std::size_t>(info.st_size));
  }
  std::array<std::uint8_t, 65536> block{};
  for (;;) {
    const ssize_t n = ::read(file.get(), block.data(), block.size());
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) fail(path, "cannot be read: " + reason());
    if (n == 0) return bytes;
    if (bytes.size() + static_cast<std::size_t>(n) > limit)
      fail(path, fmt::format("is longer than the limit of {} bytes: raise Limits::file_bytes", limit));
    bytes.insert(bytes.end(), block.begin(), block.begin() + n);
  }
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

void fail(const std::string& name, const std::string& what) { throw Error(name + ": " + what); }

void check_size(std::uint64_t width, std::uint64_t height, const std::string& name, const Limits& limits) {
  if (width == 0 || height == 0) fail(name, fmt::format("its header says {}x{}: no pixel at all", width, height));
  if (width > 0x7fffffff || height > 0x7fffffff || width > limits.pixels / height) {
    fail(name, fmt::format("its header says {}x{} pixels, more than the limit of {} pixels: raise Limits::pixels",
                           width, height, limits.pixels));
  }
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

Loaded decode(const std::uint8_t* bytes, std::size_t size, const std::string& name, const Limits& limits) {
  const Bytes file{bytes, size};
  if (size == 0) fail(name, "is empty");
  const auto format = format_of_content(file);
  const auto said = format_of_name(name);
  if (!format) {
    fail(name, fmt::format("is no picture that can be read here (PNG, JPEG, TIFF, PNM, PFM, NPY, LSV){}",
                           said ? fmt::format(", although its name says {}", name_of(*said)) : ""));
  }
  if (said && *said != *format) {
    fail(name,
         fmt::format("holds a {} picture although its name says {}: rename it", name_of(*format), name_of(*said)));
  }
  try {
    switch (*format) {
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
  } catch (const std::bad_alloc&) {
    fail(name, "is too large for the memory that is free");
  }
  fail(name, "cannot be read");
}

Loaded read(const std::string& path, const Limits& limits) {
  checkpoint();
  const std::vector<std::uint8_t> bytes = read_bytes(path, limits.file_bytes);
  return decode(bytes.data(), bytes.size(), path, limits);
}

std::string read_text(const std::string& path) {
  const auto bytes = read_bytes(path, std::uint64_t{1} << 20);
  return std::string(bytes.begin(), bytes.end());
}

Resources resources(const Limits& limits) {
  return {[limits](const std::string& name) { return read(name, limits).image; },
          [](const std::string& name) { return read_text(name); }};
}

namespace {

// A file that comes to be at its end, whole: until then it has no name where the file system can do that, and one
// beside its place where not. So whoever ends this program, at any moment, leaves nothing half written.
class NewFile {
 public:
  explicit NewFile(const std::string& target)
      : target_(target), beside_(target + fmt::format(".part{}-{}", ::getpid(), ++count)), file_(unnamed(target)) {
    if (file_.get() < 0) open_beside();
  }
  ~NewFile() {
    if (named_) ::unlink(beside_.c_str());
  }
  NewFile(const NewFile&) = delete;
  NewFile& operator=(const NewFile&) = delete;

  // False where something failed; errno says what.
  bool put(const std::vector<std::uint8_t>& bytes) {
    if (file_.get() < 0) return false;
    for (std::size_t done = 0; done < bytes.size();) {
      const ssize_t n = ::write(file_.get(), bytes.data() + done, std::min<std::size_t>(bytes.size() - done, 1 << 26));
      if (n < 0 && errno == EINTR) continue;
      if (n < 0) return false;
      done += static_cast<std::size_t>(n);
    }
    if (::fsync(file_.get()) != 0 && errno != EINVAL && errno != EROFS) return false;
    if (!named_ && linked(target_)) return file_.close() == 0;
    if (!named_ && errno == EEXIST) {
      ::unlink(beside_.c_str());  // of a process of the same number that was killed
      named_ = linked(beside_);
    }
    if (!named_) return open_beside() && put(bytes);  // no name is given here after all
    if (file_.close() != 0 || ::rename(beside_.c_str(), target_.c_str()) != 0) return false;
    named_ = false;
    return true;
  }

 private:
  // Without a name only where it can get one afterwards.
  static int unnamed(const std::string& target) {
    const std::filesystem::path folder = std::filesystem::path(target).parent_path();
    const int fd = ::open(folder.empty() ? "." : folder.c_str(), O_WRONLY | O_TMPFILE | O_CLOEXEC, 0666);
    if (fd < 0 || ::access(link_to(fd).c_str(), F_OK) == 0) return fd;
    ::close(fd);
    return -1;
  }
  bool open_beside() {
    file_ = Descriptor(::open(beside_.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666));
    return named_ = file_.get() >= 0;
  }
  static std::string link_to(int fd) { return fmt::format("/proc/self/fd/{}", fd); }

  // Gives the file a name that is free; errno is EEXIST where it is taken.
  bool linked(const std::string& name) const {
    return ::linkat(AT_FDCWD, link_to(file_.get()).c_str(), AT_FDCWD, name.c_str(), AT_SYMLINK_FOLLOW) == 0;
  }

  static inline std::atomic<unsigned> count = 0;
  std::string target_, beside_;
  Descriptor file_;
  bool named_ = false;
};

}  // namespace

void write_bytes(const std::string& path, const std::vector<std::uint8_t>& bytes) {
  checkpoint();
  std::error_code ignored;
  // Writing through a link replaces what it points to, as a plain write would.
  const std::string target =
      std::filesystem::is_symlink(path, ignored) ? std::filesystem::weakly_canonical(path, ignored).string() : path;
  if (std::filesystem::exists(target, ignored) && !std::filesystem::is_regular_file(target, ignored)) {
    fail(path, "is no regular file; give the name of a picture to write");
  }
  NewFile file(target);
  if (!file.put(bytes)) fail(path, "cannot be written: " + reason());
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
