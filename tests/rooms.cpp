// The list of rooms against every #include of the tree, private headers too.

#include <map>
#include <set>
#include <sstream>

#include "support.hpp"

namespace {

namespace fs = std::filesystem;

const std::string root = SIEVE_SOURCE;

// The rooms in their order, and what each may use.
struct Rooms {
  std::vector<std::string> order;
  std::map<std::string, std::set<std::string>> uses;
};

Rooms listed() {
  Rooms r;
  std::istringstream lines(test::contents(root + "/cmake/rooms.txt"));
  for (std::string line; std::getline(lines, line);) {
    if (line.empty() || line[0] == '#') continue;
    std::istringstream words(line);
    std::string room, library, used;
    words >> room >> library;
    r.order.push_back(room);
    while (words >> used) r.uses[room].insert(used);
  }
  return r;
}

// Each "..." include of a file.
std::vector<std::string> includes_of(const fs::path& file) {
  std::vector<std::string> all;
  std::istringstream lines(test::contents(file.string()));
  for (std::string line; std::getline(lines, line);) {
    const std::string start = "#include \"";
    if (line.starts_with(start)) all.push_back(line.substr(start.size(), line.rfind('"') - start.size()));
  }
  return all;
}

std::vector<fs::path> sources_in(const std::string& folder) {
  std::vector<fs::path> all;
  for (const auto& e : fs::recursive_directory_iterator(root + "/" + folder)) {
    if (e.path().extension() == ".cpp" || e.path().extension() == ".hpp") all.push_back(e.path());
  }
  return all;
}

// "spatial" of sieve/spatial/kernel.hpp, of sieve/spatial.hpp and of spatial/lanes.hpp.
std::string room_of(std::string include) {
  if (include.starts_with("sieve/")) include = include.substr(6);
  const std::string room = include.substr(0, include.find('/'));
  return room.ends_with(".hpp") ? room.substr(0, room.size() - 4) : room;
}

}  // namespace

TEST_CASE("rooms use those below them alone, and every folder is a room") {
  const Rooms rooms = listed();
  std::set<std::string> below;
  for (const std::string& room : rooms.order) {
    CAPTURE(room);
    const auto uses = rooms.uses.find(room);
    if (uses != rooms.uses.end()) {
      for (const std::string& used : uses->second) {
        CAPTURE(used);
        CHECK(below.contains(used));
      }
    }
    below.insert(room);
  }
  for (const char* folder : {"/src", "/include/sieve"}) {
    for (const auto& e : fs::directory_iterator(root + folder)) {
      CAPTURE(e.path().string());
      if (e.is_directory()) CHECK(below.contains(e.path().filename().string()));
    }
  }
}

TEST_CASE("no include points to a room that the list does not allow") {
  Rooms rooms = listed();
  int seen = 0;
  std::map<std::string, std::set<std::string>> used;
  for (const char* folder : {"src", "include/sieve"}) {
    for (const fs::path& file : sources_in(folder)) {
      const fs::path within = fs::relative(file, root + "/" + folder);
      const std::string room = room_of(within.string());
      if (room == "sieve") continue;  // the header of all of them
      for (const std::string& include : includes_of(file)) {
        CAPTURE(file.string());
        CAPTURE(include);
        const std::string other = room_of(include);
        ++seen;
        used[room].insert(other);
        // The command line may have the header of all rooms.
        CHECK((other == room || rooms.uses[room].contains(other) || (room == "cli" && other == "sieve")));
        // A header by its place, so that it is clear whose it is.
        CHECK(include.find('/') != std::string::npos);
      }
    }
  }
  CHECK(seen > 500);
  // What the list allows beyond that is out of date.
  for (const auto& [room, uses] : rooms.uses) {
    for (const std::string& other : uses) {
      CAPTURE(room);
      CAPTURE(other);
      if (room != "cli") CHECK(used[room].contains(other));
    }
  }
}

TEST_CASE("the rest of the tree uses public headers") {
  const Rooms rooms = listed();
  const std::set<std::string> names(rooms.order.begin(), rooms.order.end());
  for (const char* folder : {"tool", "examples", "bench", "tests", "fuzz", "data"}) {
    for (const fs::path& file : sources_in(folder)) {
      for (const std::string& include : includes_of(file)) {
        CAPTURE(file.string());
        CAPTURE(include);
        CHECK((include.starts_with("sieve/") || !names.contains(room_of(include)) ||
               fs::exists(file.parent_path() / include)));
      }
    }
  }
}

TEST_CASE("every package that is installed stands in docs/packages.md with its licence, and no other") {
  const std::string script = test::contents(root + "/scripts/packages"),
                    page = test::contents(root + "/docs/packages.md");
  std::set<std::string> installed, told;
  for (std::size_t at = 0; (at = script.find("wanted", at)) != std::string::npos; ++at) {
    std::size_t open = script.find_first_of("=\n", at);
    if (script[open] != '=' || script[open + 1] != '(') continue;
    std::istringstream words(script.substr(open + 2, script.find(')', open) - open - 2));
    for (std::string w; words >> w;) installed.insert(w);
  }
  std::istringstream lines(page);
  for (std::string line; std::getline(lines, line);) {
    if (!line.starts_with("| ") || line.starts_with("| package")) continue;
    const std::string name = line.substr(2, line.find(" |") - 2);
    told.insert(name);
    CAPTURE(line);
    CHECK(std::count(line.begin(), line.end(), '|') >= 4);
  }
  CHECK(installed.size() > 30);
  CHECK(installed == told);
}
