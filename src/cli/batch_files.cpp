#include "cli/batch_files.hpp"

#include <fmt/format.h>
#include <glob.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <map>
#include <optional>
#include <set>
#include <string_view>

#include "sieve/core/error.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/io.hpp"

namespace sieve::internal::cli {

namespace fs = std::filesystem;

namespace {

// A picture and its place below the path that named it.
struct Found {
  fs::path in, below;
};

bool hidden(const fs::path& p) { return p.filename().string().starts_with('.'); }

void take_folder(const fs::path& folder, const fs::path& into, bool recursive, std::vector<Found>& all) {
  std::error_code ignored;
  const auto take = [&](const fs::directory_entry& e) {
    if (!hidden(e.path()) && e.is_regular_file(ignored) && io::format_of_name(e.path().filename().string()))
      all.push_back({e.path(), e.path().lexically_relative(folder)});
  };
  if (!recursive) {
    for (const auto& e : fs::directory_iterator(folder)) take(e);
    return;
  }
  for (auto i = fs::recursive_directory_iterator(folder, fs::directory_options::skip_permission_denied);
       i != fs::recursive_directory_iterator(); ++i) {
    // Results of an earlier run are no pictures to work on.
    if (i->is_directory(ignored) && (hidden(i->path()) || fs::equivalent(i->path(), into, ignored))) {
      i.disable_recursion_pending();
    } else {
      take(*i);
    }
  }
}

std::vector<fs::path> matches(const std::string& pattern) {
  glob_t found{};
  std::vector<fs::path> all;
  if (::glob(pattern.c_str(), 0, nullptr, &found) == 0) all.assign(found.gl_pathv, found.gl_pathv + found.gl_pathc);
  ::globfree(&found);
  return all;
}

std::optional<int> number_in(const char* name) {
  const char* text = name != nullptr ? std::getenv(name) : nullptr;
  if (text == nullptr) return std::nullopt;
  const auto v = internal::parse_whole(text);
  if (!v || *v < 0 || *v > 10000000) return std::nullopt;
  return static_cast<int>(*v);
}

}  // namespace

std::vector<BatchFile> batch_files(const BatchChoice& choice) {
  const fs::path into(choice.into);
  std::vector<Found> found;
  for (const std::string& path : choice.paths) {
    std::vector<fs::path> places = fs::exists(path) ? std::vector<fs::path>{path} : matches(path);
    if (places.empty()) throw InvalidArgument(path + ": no such file or folder, and no file matches it as a pattern");
    for (const fs::path& place : places) {
      if (fs::is_directory(place)) {
        take_folder(place, into, choice.recursive, found);
      } else {
        found.push_back({place, place.filename()});
      }
    }
  }
  if (found.empty())
    throw InvalidArgument(fmt::format("no picture found{}; endings that are known: {}",
                                      choice.recursive ? "" : " (folders within folders only with --recursive)",
                                      io::known_endings()));
  std::sort(found.begin(), found.end(), [](const Found& a, const Found& b) { return a.in < b.in; });
  std::vector<BatchFile> all;
  std::map<fs::path, fs::path> taken;
  std::set<fs::path> named, inputs;
  for (const Found& f : found) {
    // Of a path that is named twice there is one picture; links to one picture are a picture each.
    if (!named.insert(fs::absolute(f.in).lexically_normal()).second) continue;
    // Links to folders are followed, a link in the place of the result is not.
    const auto place = [](const fs::path& p) { return fs::weakly_canonical(p.parent_path()) / p.filename(); };
    inputs.insert(fs::weakly_canonical(f.in));
    inputs.insert(place(f.in));
    fs::path out = into / f.below;
    if (!choice.ending.empty()) out.replace_extension(choice.ending);
    const auto [other, fresh] = taken.emplace(place(out), f.in);
    if (!fresh)
      throw InvalidArgument(fmt::format("{} and {} would both become {}: give them apart, or folders with --recursive",
                                        other->second.string(), f.in.string(), out.string()));
    all.push_back({f.in.string(), out.string()});
  }
  for (const auto& [out, in] : taken) {
    if (inputs.contains(out))
      throw InvalidArgument(fmt::format("the result of {} would take the place of {}: give another folder with --into",
                                        in.string(), out.string()));
  }
  return all;
}

void refuse_links(const std::string& into, const std::string& out) {
  const fs::path below = fs::path(out).lexically_relative(into);
  fs::path place = into;
  for (const fs::path& part : below) {
    place /= part;
    std::error_code ignored;
    if (fs::is_symlink(fs::symlink_status(place, ignored)))
      throw Error(place.string() + ": is a symbolic link, and results are not written through links: remove it");
  }
}

bool is_part_of(const std::string& name, const std::string& out) {
  constexpr std::string_view kPart = ".part";
  if (!name.starts_with(out) || !std::string_view(name).substr(out.size()).starts_with(kPart)) return false;
  const std::string_view numbers = std::string_view(name).substr(out.size() + kPart.size());
  const std::size_t dash = numbers.find('-');
  const auto digits = [](std::string_view s) {
    return !s.empty() && std::all_of(s.begin(), s.end(), [](char c) { return c >= '0' && c <= '9'; });
  };
  return dash != std::string_view::npos && digits(numbers.substr(0, dash)) && digits(numbers.substr(dash + 1));
}

Shard shard_of(const std::string& text) {
  const auto wrong = [&](const std::string& why) {
    return InvalidArgument(
        fmt::format("--shard {}: {}; give I/N (part I of N, from 1), or auto or auto/N within a job array", text, why));
  };
  const std::size_t slash = text.find('/');
  const std::string first = text.substr(0, slash);
  Shard s;
  std::optional<long long> count;
  if (slash != std::string::npos) count = internal::parse_whole(text.substr(slash + 1));
  if (slash != std::string::npos && (!count || *count < 1 || *count > 1000000))
    throw wrong("N is a whole number from 1");
  if (first == "auto") {
    // Index, first and last index, and number of jobs, where the usual schedulers name them.
    struct Names {
      const char *index, *first, *last, *count;
    };
    constexpr Names all[] = {
        {"SLURM_ARRAY_TASK_ID", "SLURM_ARRAY_TASK_MIN", "SLURM_ARRAY_TASK_MAX", "SLURM_ARRAY_TASK_COUNT"},
        {"PBS_ARRAY_INDEX", nullptr, nullptr, nullptr},
        {"SGE_TASK_ID", "SGE_TASK_FIRST", "SGE_TASK_LAST", nullptr},
        {"LSB_JOBINDEX", nullptr, "LSB_JOBINDEX_END", nullptr}};
    for (const Names& n : all) {
      const auto index = number_in(n.index);
      if (!index) continue;
      const int from = number_in(n.first).value_or(1);
      s.index = *index - from + 1;
      if (!count && number_in(n.count)) count = *number_in(n.count);
      if (!count && number_in(n.last)) count = *number_in(n.last) - from + 1;
      if (!count) throw wrong(fmt::format("{} says which part, but nothing how many", n.index));
      s.count = static_cast<int>(*count);
      if (s.index < 1 || s.index > s.count)
        throw wrong(fmt::format("{}={} is no part of {}", n.index, *index, s.count));
      return s;
    }
    throw wrong("no job array's index is in the environment");
  }
  const auto index = internal::parse_whole(first);
  if (!count) throw wrong("how many parts?");
  if (!index || *index < 1 || *index > *count) throw wrong(fmt::format("I is a whole number from 1 to {}", *count));
  return {static_cast<int>(*index), static_cast<int>(*count)};
}

}  // namespace sieve::internal::cli
