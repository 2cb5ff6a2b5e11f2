#include "cli/batch_journal.hpp"

#define XXH_INLINE_ALL
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>
#include <xxhash.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <optional>
#include <vector>

#include "cli/terminal.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal::cli {

namespace fs = std::filesystem;
using nlohmann::ordered_json;

namespace {

constexpr const char* kKind = "Lean Sieve batch 2";
// What every journal of this command begins with, whatever its version.
constexpr std::string_view kStart = R"({"journal":"Lean Sieve batch )";

// The hash of a regular file's bytes, a part at a time; nothing where it cannot be read.
std::optional<std::uint64_t> hash_of(const std::string& path, int more_flags) {
  const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | more_flags);
  if (fd < 0) return std::nullopt;
  struct stat info {};
  std::optional<std::uint64_t> hash;
  if (::fstat(fd, &info) == 0 && S_ISREG(info.st_mode)) {
    XXH3_state_t state;
    XXH3_INITSTATE(&state);
    XXH3_64bits_reset(&state);
    std::vector<char> part(1 << 20);
    ssize_t n = 0;
    while ((n = ::read(fd, part.data(), part.size())) > 0 || (n < 0 && errno == EINTR))
      XXH3_64bits_update(&state, part.data(), static_cast<std::size_t>(std::max<ssize_t>(n, 0)));
    if (n == 0) hash = XXH3_64bits_digest(&state);
  }
  ::close(fd);
  return hash;
}

std::string absolute(const std::string& path) { return fs::absolute(path).lexically_normal().string(); }

// Paths are bytes, JSON holds Unicode: those that are not UTF-8 are written as an array of their bytes.
ordered_json json_of_path(const std::string& path) {
  if (is_utf8(path)) return path;
  return std::vector<std::uint8_t>(path.begin(), path.end());
}
// Throws where j is not an unsigned integer; get() would convert a float, too.
std::uint64_t whole_number(const ordered_json& j) { return j.get_ref<const std::uint64_t&>(); }
std::string path_of_json(const ordered_json& j) {
  if (j.is_string()) return j.get<std::string>();
  std::string path;
  for (const ordered_json& byte : j) path += static_cast<char>(whole_number(byte));
  return path;
}

}  // namespace

BatchJournal::BatchJournal(std::string path)
    : path_(std::move(path)),
      file_(::open(path_.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_APPEND | O_NOFOLLOW | O_NONBLOCK, 0666)) {}

BatchJournal::~BatchJournal() {
  if (file_ >= 0) ::close(file_);
}

BatchJournal::BatchJournal(std::string path, const std::string& settings, bool resume) : BatchJournal(std::move(path)) {
  const std::string no_journal = path_ +
                                 " is no journal of this command and is left as it is: give another folder with "
                                 "--into";
  if (file_ < 0 && errno == ELOOP) throw InvalidArgument(no_journal);
  struct stat info {};
  if (file_ < 0 || ::fstat(file_, &info) != 0) cannot_be_written();
  if (!S_ISREG(info.st_mode)) throw InvalidArgument(no_journal);
  // Two runs would each do the other's pictures again, and the later one would throw the earlier one's lines away.
  if (::flock(file_, LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK)
    throw Error(path_ + ": another run writes this journal: wait for its end, or give another folder with --into");
  const std::string before = text();
  // A run that was killed at once leaves a part of the first line.
  const std::size_t known = std::min(before.size(), kStart.size());
  if (std::string_view(before).substr(0, known) != kStart.substr(0, known)) throw InvalidArgument(no_journal);
  const bool whole_line = before.find('\n') != std::string::npos;
  if (resume && whole_line) {
    read_entries(before, settings);
    if (before.back() != '\n') append("\n");
    return;
  }
  if (::ftruncate(file_, 0) != 0) cannot_be_written();
  append(ordered_json{{"journal", kKind}, {"settings", settings}}.dump(-1, ' ', false,
                                                                       ordered_json::error_handler_t::replace) +
         "\n");
}

std::string BatchJournal::text() const {
  std::string all;
  std::vector<char> part(1 << 16);
  for (ssize_t n = 0; (n = ::pread(file_, part.data(), part.size(), static_cast<off_t>(all.size()))) != 0;) {
    if (n < 0 && errno != EINTR) throw Error(fmt::format("{}: cannot be read: {}", path_, std::strerror(errno)));
    all.append(part.data(), static_cast<std::size_t>(std::max<ssize_t>(n, 0)));
  }
  return all;
}

void BatchJournal::read_entries(const std::string& text, const std::string& settings) {
  const auto other = [&](const std::string& what) {
    return InvalidArgument(fmt::format("{}: {}, or leave --resume to begin anew", path_, what));
  };
  bool first = true;
  std::size_t start = 0;
  // A line that a stop cut off is none.
  for (std::size_t end; (end = text.find('\n', start)) != std::string::npos; start = end + 1) {
    const ordered_json j = ordered_json::parse(text.substr(start, end - start), nullptr, false);
    if (first) {
      if (!j.is_object() || j.value("journal", "") != kKind)
        throw other("it was written by another version of this command: go on with that one");
      const std::string were = j.value("settings", "");
      if (were != settings)
        throw other(fmt::format("the run that was stopped had other settings ({}; now {}): repeat it with the former",
                                were, settings));
      first = false;
      continue;
    }
    if (!j.is_object() || !j.contains("result")) continue;
    try {
      entries_[path_of_json(j.at("result"))] = {path_of_json(j.at("input")), whole_number(j.at("input_hash")),
                                                whole_number(j.at("hash"))};
    } catch (const nlohmann::json::exception&) {
      continue;  // damaged: the picture is done again
    }
  }
}

bool BatchJournal::done(const BatchFile& file) const {
  const auto found = entries_.find(file.out);
  if (found == entries_.end()) return false;
  const Entry& e = found->second;
  checkpoint();
  return e.in == absolute(file.in) && hash_of(file.out, O_NOFOLLOW) == e.out_hash && hash_of(file.in, 0) == e.in_hash;
}

void BatchJournal::add(const BatchFile& file, std::uint64_t in_hash, std::uint64_t out_hash) {
  append(ordered_json{{"input", json_of_path(absolute(file.in))},
                      {"input_hash", in_hash},
                      {"result", json_of_path(file.out)},
                      {"hash", out_hash}}
             .dump() +
         "\n");
}

void BatchJournal::append(const std::string& line) {
  const std::lock_guard lock(mutex_);  // lines of several workers never mix
  for (std::size_t done = 0; done < line.size();) {
    const ssize_t n = ::write(file_, line.data() + done, line.size() - done);
    if (n < 0 && errno != EINTR) cannot_be_written();
    done += static_cast<std::size_t>(std::max<ssize_t>(n, 0));
  }
}

void BatchJournal::cannot_be_written() const {
  throw Error(fmt::format("{}: cannot be written: {}", path_, std::strerror(errno)));
}

}  // namespace sieve::internal::cli
