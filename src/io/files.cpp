#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <sys/stat.h>
#include <unistd.h>
#define XXH_INLINE_ALL
#include <xxhash.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <filesystem>
#include <memory>
#include <string_view>
#include <utility>

#include "core/memory.hpp"
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

// Waits until a pipe or device has bytes or its other end is closed, and hears a stop meanwhile.
void wait_for_bytes(int fd) {
  constexpr int kMilliseconds = 50;
  pollfd p{fd, POLLIN, 0};
  do {
    checkpoint();
  } while (::poll(&p, 1, kMilliseconds) <= 0);
}

enum class Content { image, text };

// The bytes of a file. What is no image is refused at its first bytes, before the rest is read.
std::vector<std::uint8_t> read_bytes(const std::string& path, Content content, std::uint64_t limit, bool pipes) {
  // Without blocking, since opening a named pipe otherwise waits for a writer.
  const Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY));
  if (file.get() < 0) fail(path, "cannot be opened: " + reason());
  struct stat info {};
  if (::fstat(file.get(), &info) != 0) fail(path, "cannot be read: " + reason());
  if (S_ISDIR(info.st_mode)) fail(path, "is a folder, not a picture");
  const bool regular = S_ISREG(info.st_mode);
  if (!regular && !(pipes && (S_ISFIFO(info.st_mode) || S_ISCHR(info.st_mode))))
    fail(path, "is not a regular file; pipes and devices are read only as the input of apply and look");
  constexpr std::size_t kBlock = std::size_t{1} << 16;
  std::vector<std::uint8_t> bytes;
  if (regular) {
    if (static_cast<std::uint64_t>(info.st_size) > limit) {
      fail(path, fmt::format("has {} bytes, more than the limit of {}: raise Limits::file_bytes", info.st_size, limit));
    }
    bytes.reserve(static_cast<std::size_t>(info.st_size) + kBlock);  // the read that finds the end takes a block, too
  }
  for (std::size_t size = 0;;) {
    if (!regular) wait_for_bytes(file.get());
    checkpoint();
    bytes.resize(std::max(size + kBlock, std::min(bytes.capacity(), size + 64 * kBlock)));
    const std::size_t before = size;
    const ssize_t n = ::read(file.get(), bytes.data() + size, bytes.size() - size);
    if (n < 0 && errno != EINTR && errno != EAGAIN) fail(path, "cannot be read: " + reason());
    size += static_cast<std::size_t>(std::max<ssize_t>(n, 0));
    constexpr std::size_t kMagic = 16;
    if (content == Content::image && before < kMagic && size >= kMagic)
      (void)require_format({bytes.data(), size}, path);
    if (size > limit) fail(path, fmt::format("is longer than the limit of {} bytes: raise Limits::file_bytes", limit));
    if (n == 0) {
      bytes.resize(size);
      return bytes;
    }
  }
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
  const std::vector<std::uint8_t> bytes = read_bytes(path, Content::image, limits.file_bytes, limits.pipes);
  return decode(bytes.data(), bytes.size(), path, limits);
}

std::string read_text(const std::string& path, bool pipes) {
  const auto bytes = read_bytes(path, Content::text, std::uint64_t{1} << 20, pipes);
  return std::string(bytes.begin(), bytes.end());
}

Resources resources(const Limits& limits) {
  return {[limits](const std::string& name) { return read(name, limits).image; },
          [](const std::string& name) { return read_text(name); }};
}

namespace {

// A file that gets its name when it is complete. Until then it has no name where the file system can do that, and a
// temporary one beside its target where not, so an end of the program at any moment leaves nothing half written.
class NewFile {
 public:
  explicit NewFile(const std::string& target) : target_(target), file_(unnamed(target)) {
    if (file_.get() < 0) open_beside();
  }
  ~NewFile() {
    if (named_) ::unlink(beside_.c_str());
  }
  NewFile(const NewFile&) = delete;
  NewFile& operator=(const NewFile&) = delete;

  // Writes the file and gives it its name and, where it replaces `old`, that file's permissions. False where something
  // failed; errno says what.
  bool put(const std::vector<std::uint8_t>& bytes, const struct stat* old) {
    if (file_.get() < 0) return false;
    for (std::size_t done = 0; done < bytes.size();) {
      const ssize_t n = ::write(file_.get(), bytes.data() + done, std::min<std::size_t>(bytes.size() - done, 1 << 26));
      if (n < 0 && errno == EINTR) continue;
      if (n < 0) return false;
      done += static_cast<std::size_t>(n);
    }
    if (old != nullptr && !take_permissions(*old)) return false;
    if (::fsync(file_.get()) != 0 && errno != EINVAL && errno != EROFS) return false;
    if (!named_ && old == nullptr && linked(target_)) return file_.close() == 0 && sync_folder();
    if (!named_) named_ = with_free_name([this] { return linked(beside_); });
    if (!named_) return open_beside() && put(bytes, old);  // unnamed files cannot be given a name here
    if (file_.close() != 0 || ::rename(beside_.c_str(), target_.c_str()) != 0) return false;
    named_ = false;
    return sync_folder();
  }

 private:
  // Without a name only where it can get one afterwards.
  static int unnamed(const std::string& target) {
    const int fd = ::open(folder_of(target).c_str(), O_WRONLY | O_TMPFILE | O_CLOEXEC, 0666);
    if (fd < 0 || ::access(link_to(fd).c_str(), F_OK) == 0) return fd;
    ::close(fd);
    return -1;
  }
  static std::string folder_of(const std::string& target) {
    const std::filesystem::path folder = std::filesystem::path(target).parent_path();
    return folder.empty() ? "." : folder.string();
  }
  static std::string link_to(int fd) { return fmt::format("/proc/self/fd/{}", fd); }

  // Tries names beside the target until make() succeeds or fails for another reason than that the name is taken.
  template <class Make>
  bool with_free_name(Make make) {
    constexpr int kTries = 100;
    for (int i = 0; i < kTries; ++i) {
      beside_ = target_ + fmt::format(".part{}-{}", ::getpid(), ++count);
      if (make()) return true;
      if (errno != EEXIST) return false;
    }
    return false;
  }
  bool open_beside() {
    return named_ = with_free_name([this] {
             constexpr int kFlags = O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC;
             file_ = Descriptor(::open(beside_.c_str(), kFlags, 0666));
             return file_.get() >= 0;
           });
  }
  // Gives the file a name that is free; errno is EEXIST where it is taken.
  bool linked(const std::string& name) const {
    return ::linkat(AT_FDCWD, link_to(file_.get()).c_str(), AT_FDCWD, name.c_str(), AT_SYMLINK_FOLLOW) == 0;
  }

  // Owner and group where the process may set them, and the permission bits without set-uid, set-gid and sticky. Where
  // the group cannot be kept, the new group gets no more than others have.
  bool take_permissions(const struct stat& old) const {
    mode_t mode = old.st_mode & 0777U;
    constexpr auto kSame = static_cast<uid_t>(-1);
    if (::fchown(file_.get(), old.st_uid, old.st_gid) != 0 && ::fchown(file_.get(), kSame, old.st_gid) != 0)
      mode &= ~0070U | ((mode & 0007U) << 3);
    return ::fchmod(file_.get(), mode) == 0;
  }

  // Makes the new name durable. A folder that cannot be opened for reading, or a file system without such a call, is no
  // failure: the file itself is written.
  bool sync_folder() const {
    const Descriptor folder(::open(folder_of(target_).c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    return folder.get() < 0 || ::fsync(folder.get()) == 0 || errno == EINVAL || errno == EROFS || errno == ENOTSUP;
  }

  static inline std::atomic<unsigned> count = 0;
  std::string target_, beside_;
  Descriptor file_;
  bool named_ = false;
};

}  // namespace

void write_bytes(const std::string& path, const std::vector<std::uint8_t>& bytes, bool follow_links) {
  checkpoint();
  std::error_code ignored;
  const bool link = std::filesystem::is_symlink(path, ignored);
  if (link && !follow_links) fail(path, "is a symbolic link, which is not followed here: remove it");
  // Writing through a link makes or replaces what it names, as a plain write would.
  std::filesystem::path end = path;
  constexpr int kMostLinks = 40;
  for (int i = 0; i < kMostLinks && std::filesystem::is_symlink(end, ignored); ++i)
    end = end.parent_path() / std::filesystem::read_symlink(end, ignored);
  const std::string target = end.string();
  struct stat old {};
  const bool replaces = ::lstat(target.c_str(), &old) == 0;
  if (replaces && !S_ISREG(old.st_mode)) fail(path, "is no regular file; give the name of a picture to write");
  // Replacing needs no right to write the file itself, but a user who protected it does not want it replaced.
  if (replaces && ((old.st_mode & 0222U) == 0 || ::access(target.c_str(), W_OK) != 0))
    fail(path, "is read-only: change its permissions or give another name");
  NewFile file(target);
  if (!file.put(bytes, replaces ? &old : nullptr)) fail(path, "cannot be written: " + reason());
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
