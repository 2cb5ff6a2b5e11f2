// Runs the targets of fuzzing on the files that fuzzing has kept: replay TARGET CORPUS.tar.xz. What a target finds ends
// the program.

#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <string>
#include <vector>

// The functions that libFuzzer would call, each by a name of its own: see CMakeLists.txt.
#define SIEVE_REPLAYS(each)                                                                                            \
  each(decode) each(text) each(unpack) each(steps) each(measures) each(http) each(png) each(tiff) each(jpeg) each(pnm) \
      each(npy)
#define SIEVE_DECLARE(name) extern "C" int replay_##name(const std::uint8_t* data, std::size_t size);
SIEVE_REPLAYS(SIEVE_DECLARE)

int main(int argc, char** argv) {
  namespace fs = std::filesystem;
  if (argc != 3) return std::fputs("replay TARGET CORPUS.tar.xz\n", stderr), 2;
  int (*target)(const std::uint8_t*, std::size_t) = nullptr;
#define SIEVE_CHOOSE(name) \
  if (std::strcmp(argv[1], #name) == 0) target = replay_##name;
  SIEVE_REPLAYS(SIEVE_CHOOSE)
  if (target == nullptr) return std::fprintf(stderr, "replay: no target %s\n", argv[1]), 2;
  std::string folder = (fs::temp_directory_path() / "lean-sieve-").string() + std::string(6, 'X');
  if (::mkdtemp(folder.data()) == nullptr) return std::perror("replay"), 1;
  const std::string unpack = "tar -C '" + folder + "' -xJf '" + argv[2] + "'";
  int files = 0;
  if (std::system(unpack.c_str()) == 0) {
    for (const auto& e : fs::recursive_directory_iterator(folder)) {
      if (!e.is_regular_file()) continue;
      std::ifstream in(e.path(), std::ios::binary);
      const std::vector<char> bytes{std::istreambuf_iterator<char>(in), {}};
      std::printf("%s\n", e.path().filename().c_str());  // the last one is the one that was found
      std::fflush(stdout);
      target(reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size());
      ++files;
    }
  }
  fs::remove_all(folder);
  return files > 0 ? 0 : 1;
}
