// What a user waits for: whole commands, files and start-up included, and files against the bare libraries.

#include <fcntl.h>
#include <fmt/format.h>
#include <png.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstdio>
#include <cstring>
#include <filesystem>
#include <string>
#include <vector>

#include "limits_table.hpp"
#include "measure.hpp"
#include "scene.hpp"
#include "sieve/io.hpp"
#include "yardsticks.hpp"

extern char** environ;

namespace sieve::bench {

namespace {

namespace fs = std::filesystem;
using nlohmann::ordered_json;

// A folder that goes away.
class Folder {
 public:
  Folder() {
    std::string name = (fs::temp_directory_path() / "lean-sieve-commands-").string() + std::string(6, 'X');
    if (::mkdtemp(name.data()) == nullptr) throw Error("no folder can be made for the commands");
    path_ = name;
  }
  ~Folder() {
    std::error_code ignored;
    fs::remove_all(path_, ignored);
  }
  Folder(const Folder&) = delete;
  Folder& operator=(const Folder&) = delete;
  std::string operator/(const std::string& name) const { return (path_ / name).string(); }

 private:
  fs::path path_;
};

// The tool, in silence.
void tool(std::vector<std::string> words) {
  words.insert(words.begin(), LSIEVE_TOOL);
  std::vector<char*> argv;
  for (std::string& w : words) argv.push_back(w.data());
  argv.push_back(nullptr);
  posix_spawn_file_actions_t silent;
  posix_spawn_file_actions_init(&silent);
  for (const int fd : {STDOUT_FILENO, STDERR_FILENO})
    posix_spawn_file_actions_addopen(&silent, fd, "/dev/null", O_WRONLY, 0);
  pid_t pid = 0;
  int status = -1;
  if (::posix_spawn(&pid, argv[0], &silent, nullptr, argv.data(), environ) == 0) ::waitpid(pid, &status, 0);
  posix_spawn_file_actions_destroy(&silent);
  if (status != 0) throw Error(fmt::format("{} {} failed", words[0], words[1]));
}

double median_seconds(int times, const std::function<void()>& work) {
  std::vector<double> all;
  for (int i = 0; i < times; ++i) all.push_back(seconds(work));
  return median(all);
}

using Bytes = std::vector<std::uint8_t>;

Bytes bytes_of(const std::string& path) {
  std::FILE* f = std::fopen(path.c_str(), "rb");
  Bytes all(fs::file_size(path));
  if (f == nullptr || std::fread(all.data(), 1, all.size(), f) != all.size()) throw Error(path + " cannot be read");
  std::fclose(f);
  return all;
}

// The library's own reading, as its manual has it: into bytes, on one thread.
void decode_bare_png(const Bytes& bytes) {
  png_image image{};
  image.version = PNG_IMAGE_VERSION;
  png_image_begin_read_from_memory(&image, bytes.data(), bytes.size());
  image.format = PNG_FORMAT_RGB;
  Bytes out(PNG_IMAGE_SIZE(image));
  png_image_finish_read(&image, nullptr, out.data(), 0, nullptr);
}

void decode_bare_jpeg(const Bytes& bytes) {
  Bytes out;
  from_jpeg(bytes, out);
}

// The size that the bare library makes of the picture, as it comes.
std::size_t bare_png_size(const Image& image) {
  Bytes samples(image.shape().samples());
  (void)to_interleaved(image, samples.data());
  png_image p{};
  p.version = PNG_IMAGE_VERSION;
  p.width = static_cast<png_uint_32>(image.width());
  p.height = static_cast<png_uint_32>(image.height());
  p.format = PNG_FORMAT_RGB;
  png_alloc_size_t size = 0;
  png_image_write_get_memory_size(p, size, 0, samples.data(), 0, nullptr);
  return size;
}

ordered_json tell(const std::string& what, double figure, const char* unit, double goal, bool at_least = false,
                  const std::string& beside = "") {
  const bool met = goal == 0 || (at_least ? figure >= goal : figure <= goal);
  fmt::print("  {:52} {:9.3g} {:8} {}{}{}\n", what, figure, unit, goal == 0 ? "" : fmt::format("goal {:g}", goal),
             met ? "" : "  NO", beside);
  return {{"what", what}, {"figure", figure}, {"unit", unit}, {"goal", goal}};
}

}  // namespace

ordered_json measure_commands(const std::string& picture, bool quick) {
  heading("What a user waits for: whole commands, 2560x1600 color");
  const Folder f;
  const Image in = picture.empty() ? Image(scene().view().part({0, 0, 2560, 1600})) : io::read(picture).image;
  for (const char* name : {"in.png", "in.jpg", "in.tif", "in.ppm"}) (void)io::write(f / name, in, {.bits = 8});
  const int times = quick ? 3 : 9;
  ordered_json all;
  const auto command = [&](const std::string& what, double goal, const std::vector<std::string>& words) {
    all.push_back(tell(what, median_seconds(times, [&] { tool(words); }), "s", goal));
  };
  const auto apply = [&](const char* from, const char* to, double goal, const std::string& compression = "normal") {
    command(fmt::format("{} to {}, median radius=1{}", from, to, compression == "normal" ? "" : ", " + compression),
            goal,
            {"apply", f / (std::string("in.") + from), f / (std::string("out.") + to), "median", "radius=1",
             "--compression", compression});
  };
  apply("png", "png", 0.35);
  apply("png", "png", 0, "fast");
  apply("png", "png", 1.2, "small");
  apply("jpg", "jpg", 0.17);
  apply("png", "tif", 0);
  apply("ppm", "ppm", 0);
  command("advise, JPEG", 0, {"advise", f / "in.jpg"});
  const double bare = static_cast<double>(bare_png_size(in));
  for (const auto& [name, compression, goal] : {std::tuple{"fast", io::Compression::fast, 0.0},
                                                {"normal", io::Compression::normal, 1.05},
                                                {"small", io::Compression::small, 0.97}}) {
    const auto bytes = io::encode(io::Format::png, in, {.bits = 8, .compression = compression});
    all.push_back(tell(fmt::format("bytes of PNG against the bare library's, {}", name),
                       static_cast<double>(bytes.size()) / bare, "x", goal));
  }

  heading("Reading, against the bare library's loop on one thread");
  const Bytes png = bytes_of(f / "in.png"), jpeg = bytes_of(f / "in.jpg");
  const Budget budget{quick ? 0.5 : 3, 3};
  const auto against = [&](const char* what, const Bytes& bytes, const char* name, void (*bare_loop)(const Bytes&),
                           double goal) {
    const Times t = in_turns(
        budget, [&] { (void)io::decode(bytes.data(), bytes.size(), name); }, [&] { bare_loop(bytes); });
    all.push_back(
        tell(what, t.operation / t.yardstick, "x", goal, false, fmt::format("  ({:.1f} ms)", 1e3 * t.operation)));
  };
  against("PNG", png, "in.png", decode_bare_png, 1.0);
  against("JPEG", jpeg, "in.jpg", decode_bare_jpeg, 1.1);

  heading("Many pictures, and start-up");
  const int count = quick ? 8 : 40;
  fs::create_directory(f / "many");
  for (int i = 0; i < count; ++i) fs::create_hard_link(f / "in.jpg", f / fmt::format("many/{}.jpg", i));
  for (const auto& [format, goal] : {std::pair{"png", 7.0}, {"jpg", 11.0}}) {
    const double s = median_seconds(quick ? 1 : 3, [&] {
      fs::remove_all(f / "made");
      tool({"batch", f / "many", "--into", f / "made", "--format", format, "--", "median", "radius=1"});
    });
    all.push_back(tell(fmt::format("batch, JPEG to {}, median radius=1", format), count / s, "a second", goal, true));
  }
  (void)io::write(f / "small.png", Image(in.view().part({0, 0, 256, 192})), {.bits = 8});
  all.push_back(tell("list gaussian", 1e3 * median_seconds(10 * times, [&] { tool({"list", "gaussian"}); }), "ms", 5));
  all.push_back(tell("look, 256x192",
                     1e3 * median_seconds(10 * times,
                                          [&] {
                                            tool({"look", f / "small.png"});
                                          }),
                     "ms", 12));
  return all;
}

}  // namespace sieve::bench
