#include "io/disk.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <utility>

#include "sieve/core/watch.hpp"
#include "sieve/io.hpp"

namespace sieve::io {

namespace {

std::string reason() { return std::strerror(errno); }

// Owns a file descriptor and closes it.
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

// Waits until a pipe or device has bytes or its other end is closed. Checks for a stop meanwhile.
void wait_for_bytes(int fd) {
  constexpr int kMilliseconds = 50;
  pollfd p{fd, POLLIN, 0};
  do {
    checkpoint();
  } while (::poll(&p, 1, kMilliseconds) <= 0);
}

}  // namespace

std::vector<std::uint8_t> read_bytes(const std::string& path, std::uint64_t limit, bool pipes,
                                     FunctionRef<void(const Bytes&)> check_begin) {
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
    if (before < kMagic && size >= kMagic) check_begin({bytes.data(), size});
    if (size > limit) fail(path, fmt::format("is longer than the limit of {} bytes: raise Limits::file_bytes", limit));
    if (n == 0) {
      bytes.resize(size);
      return bytes;
    }
  }
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

}  // namespace sieve::io
