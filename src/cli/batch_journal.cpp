#include "cli/batch_journal.hpp"

#define XXH_INLINE_ALL
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <unistd.h>
#include <xxhash.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <nlohmann/json.hpp>
#include <optional>
#include <vector>

#include "sieve/core/error.hpp"

namespace sieve::internal::cli {

namespace fs = std::filesystem;
using nlohmann::ordered_json;

namespace {

constexpr const char* kKind = "Lean Sieve batch 1";

// Of a file's bytes, a part at a time.
std::optional<std::uint64_t> hash_of(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  if (!in) return std::nullopt;
  XXH3_state_t state;
  XXH3_INITSTATE(&state);
  XXH3_64bits_reset(&state);
  std::vector<char> part(1 << 20);
  while (in.read(part.data(), static_cast<std::streamsize>(part.size())) || in.gcount() > 0)
    XXH3_64bits_update(&state, part.data(), static_cast<std::size_t>(in.gcount()));
  if (in.bad()) return std::nullopt;
  return XXH3_64bits_digest(&state);
}

struct Stamp {
  std::uint64_t bytes = 0;
  std::int64_t time = 0;
};
std::optional<Stamp> stamp_of(const std::string& path) {
  std::error_code error;
  const auto bytes = fs::file_size(path, error);
  if (error) return std::nullopt;
  const auto time = fs::last_write_time(path, error);
  if (error) return std::nullopt;
  return Stamp{bytes, time.time_since_epoch().count()};
}

}  // namespace

BatchJournal::BatchJournal(std::string path)
    : path_(std::move(path)), file_(::open(path_.c_str(), O_WRONLY | O_CREAT | O_CLOEXEC | O_APPEND, 0666)) {}

BatchJournal::~BatchJournal() {
  if (file_ >= 0) ::close(file_);
}

BatchJournal::BatchJournal(std::string path, const std::string& settings, bool resume) : BatchJournal(std::move(path)) {
  if (file_ < 0) cannot_be_written();
  // Two runs would each do the other's pictures again, and the later one would throw the earlier one's lines away.
  if (::flock(file_, LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK)
    throw Error(path_ + ": another run writes this journal: wait for its end, or give another folder with --into");
  bool ends_within_line = false;
  if (resume) {
    std::ifstream in(path_, std::ios::binary);
    const std::string text{std::istreambuf_iterator<char>(in), {}};
    bool first = true;
    std::size_t start = 0;
    // A line that a stop cut off is none.
    for (std::size_t end; (end = text.find('\n', start)) != std::string::npos; start = end + 1) {
      const ordered_json j = ordered_json::parse(text.substr(start, end - start), nullptr, false);
      if (first) {
        if (!j.is_object() || j.value("journal", "") != kKind)
          throw InvalidArgument(path_ + " is no journal of this command: give another folder with --into");
        if (j.value("settings", "") != settings) {
          throw InvalidArgument(
              fmt::format("{}: the run that was stopped had other settings ({}): repeat it with these, or leave "
                          "--resume to begin anew",
                          path_, j.value("settings", "")));
        }
        first = false;
        continue;
      }
      if (!j.is_object() || !j.contains("result")) continue;
      try {
        entries_[j.at("result")] = {j.at("in_bytes"), j.at("bytes"), j.at("hash"), j.at("in_time")};
      } catch (const nlohmann::json::exception&) {
        continue;  // damaged: the picture is done again
      }
    }
    ends_within_line = start < text.size();
    if (first) resume = false;
  }
  if (!resume && ::ftruncate(file_, 0) != 0) cannot_be_written();
  if (!resume) append(ordered_json{{"journal", kKind}, {"settings", settings}}.dump() + "\n");
  if (resume && ends_within_line) append("\n");
}

bool BatchJournal::done(const BatchFile& file) const {
  const auto found = entries_.find(file.out);
  if (found == entries_.end()) return false;
  const Entry& e = found->second;
  const auto in = stamp_of(file.in), out = stamp_of(file.out);
  return in && out && in->bytes == e.in_bytes && in->time == e.in_time && out->bytes == e.out_bytes &&
         hash_of(file.out) == e.out_hash;
}

void BatchJournal::add(const BatchFile& file) {
  const auto in = stamp_of(file.in), out = stamp_of(file.out);
  const auto hash = hash_of(file.out);
  if (!in || !out || !hash) return;  // gone meanwhile: a later run does it again
  append(
      ordered_json{
          {"result", file.out}, {"bytes", out->bytes}, {"hash", *hash}, {"in_bytes", in->bytes}, {"in_time", in->time}}
          .dump(-1, ' ', false, ordered_json::error_handler_t::replace) +
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
