// What fails at any place leaves its arguments as they were, leaks nothing, and says one clear line.

#include <sys/mount.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cstdlib>
#include <new>

#include "sieve/filter.hpp"
#include "support.hpp"

using namespace sieve;
using test::Folder;
using test::lsieve;

namespace {

// The allocation that fails next, counted down; below 0 none does.
std::atomic<long> until{-1};
std::atomic<long> living{0};
std::atomic<bool> counting{false};

bool fails() { return until.load(std::memory_order_relaxed) >= 0 && until.fetch_sub(1) == 0; }

}  // namespace

void* operator new(std::size_t n, const std::nothrow_t&) noexcept {
  void* p = fails() ? nullptr : std::malloc(n == 0 ? 1 : n);
  if (counting && p != nullptr) ++living;
  return p;
}
void* operator new(std::size_t n) {
  void* p = ::operator new(n, std::nothrow);
  if (p == nullptr) throw std::bad_alloc();
  return p;
}
void operator delete(void* p) noexcept {
  if (counting && p != nullptr) --living;
  std::free(p);
}
void operator delete(void* p, std::size_t) noexcept { ::operator delete(p); }
void operator delete(void* p, const std::nothrow_t&) noexcept { ::operator delete(p); }

// The samples of pictures come from here.
extern "C" void* aligned_alloc(std::size_t alignment, std::size_t n) noexcept {
  void* p = nullptr;
  return fails() || ::posix_memalign(&p, alignment, n) != 0 ? nullptr : p;
}

TEST_CASE("memory that runs out at any allocation is an error, and nothing else is changed") {
  set_threads(1);
  const Image in = test::noise(37, 29, 3), before = in;
  for (const char* text :
       {"gaussian sigma=2 then median radius=2 then stretch", "clahe then unsharp then gradient_magnitude",
        "wavelet_shrink rule=bayes levels=4 noise=0.1 then total_variation weight=0.1 iterations=20",
        "nonlocal_means noise=0.1 strength=0.5 search=3 then guided strength=0.1",
        "convolve kernel=disk:radius=6 then bilateral range=0.2 then equalize"}) {
    CAPTURE(std::string(text));
    const Chain chain = Chain::parse(text);
    const Image expected = chain(in);
    long n = 0;
    for (bool whole = false; !whole; ++n) {
      until = n;
      std::string why;
      try {
        const Image out = chain(in);
        whole = until >= 0;  // it was not reached any more
        until = -1;
      } catch (const std::bad_alloc&) {
        until = -1;
        why = "memory";
      } catch (const Error& e) {
        until = -1;
        why = e.what();
      }
      if (!whole && why.find("memory") == std::string::npos) FAIL("allocation ", n, " failed unheard: ", why);
      REQUIRE(n < 20000);
    }
    CHECK(n > 10);
    CHECK(identical(in, before));
    CHECK(identical(chain(in), expected));
  }
  set_threads(0);
}

TEST_CASE("what a failed run allocated is given back") {
  set_threads(1);
  const Image in = test::noise(64, 48);
  const Chain chain =
      Chain::parse("gaussian sigma=3 then median radius=5 then wavelet_shrink rule=bayes levels=4 noise=0.1");
  (void)chain(in);  // tables that stay are made now
  living = 0;
  counting = true;
  for (long n = 0; n < 200; ++n) {
    until = n;
    try {
      (void)chain(in);
    } catch (const std::bad_alloc&) {
    } catch (const Error&) {
    }
    until = -1;
  }
  counting = false;
  CHECK(living <= 4);  // a buffer that a thread keeps may have grown
  set_threads(0);
}

TEST_CASE("files that vanish, cannot be read or cannot be written say so in one line") {
  const Folder folder;
  const std::string good = test::data + "/three_bit.pgm";
  const auto one_line = [](const test::Outcome& o, int code, const std::string& word) {
    CAPTURE(o.err);
    CHECK(o.code == code);
    CHECK(o.err.starts_with("lsieve: "));
    CHECK(std::count(o.err.begin(), o.err.end(), '\n') == 1);
    CHECK(o.err.find(word) != std::string::npos);
  };
  one_line(lsieve("apply " + folder / "gone.png" + " " + folder / "out.png" + " invert"), 1, "gone.png");
  one_line(lsieve("apply " + good + " " + folder / "none/out.png" + " invert"), 1, "none/out.png");
  one_line(lsieve("apply " + good + " " + folder / "out.bmp" + " invert"), 2, "out.bmp");
  std::filesystem::create_directory(folder / "folder.png");
  one_line(lsieve("apply " + good + " " + folder / "folder.png" + " invert"), 1, "folder.png");
  one_line(lsieve("look " + folder / "folder.png"), 1, "folder.png");
  test::put(folder / "empty.png", "");
  one_line(lsieve("look " + folder / "empty.png"), 1, "empty.png");
  one_line(lsieve("--max-pixels 100 look " + good), 1, "100");
  // A device without room stands for a full disk.
  one_line(test::run("sh -c \"exec " LSIEVE_TOOL " apply " + good + " /dev/full invert\""), 2, "/dev/full");
  one_line(test::run("sh -c \"trap '' XFSZ; ulimit -f 1; exec " LSIEVE_TOOL " apply " + test::data + "/noon.png " +
                     folder / "big.png" + " invert\""),
           1, "big.png");
  CHECK_FALSE(std::filesystem::exists(folder / "big.png"));
  // What is told is part of the work, too.
  for (const char* told : {"look IN >/dev/full", "look IN >&-", "--help >/dev/full", "list --json >/dev/full",
                           "levels IN --csv >/dev/full"}) {
    CAPTURE(told);
    std::string words = told;
    if (const auto in = words.find("IN"); in != std::string::npos) words.replace(in, 2, good);
    one_line(test::run("sh -c \"exec " LSIEVE_TOOL " " + words + "\""), 1, "standard output: ");
  }
  CHECK(test::run("sh -c \"" LSIEVE_TOOL " look " + good + " | head -n 1\"").code == 0);
  CHECK(folder.entries() == 2);  // folder.png and empty.png: nothing half written
}

// A file system of so many bytes, where this user may mount one.
class SmallDisk {
 public:
  SmallDisk(std::string place, const std::string& size) : place_(std::move(place)) {
    std::filesystem::create_directories(place_);
    mounted_ = ::mount("none", place_.c_str(), "tmpfs", 0, ("size=" + size).c_str()) == 0;
  }
  ~SmallDisk() {
    if (mounted_) ::umount(place_.c_str());
  }
  SmallDisk(const SmallDisk&) = delete;
  SmallDisk& operator=(const SmallDisk&) = delete;
  bool mounted() const { return mounted_; }
  std::string operator/(const std::string& name) const { return place_ + "/" + name; }
  // Names of what lies on it.
  std::vector<std::string> entries() const {
    std::vector<std::string> all;
    for (const auto& e : std::filesystem::recursive_directory_iterator(place_)) {
      if (e.is_regular_file()) all.push_back(e.path().filename().string());
    }
    std::sort(all.begin(), all.end());
    return all;
  }

 private:
  std::string place_;
  bool mounted_ = false;
};

TEST_CASE("a full disk: one line, the old file stays, nothing half written, and a batch goes on when there is room") {
  const Folder folder;
  const SmallDisk disk(folder / "disk", "192k");
  if (!disk.mounted()) {
    test::skip("no file system can be mounted here: the limit on a file's size stands for a full disk");
    return;
  }
  const auto full = [&](const test::Outcome& o) {
    CAPTURE(o.err);
    CHECK(o.code == 1);
    CHECK(std::count(o.err.begin(), o.err.end(), '\n') == 1);
    CHECK(o.err.find("No space") != std::string::npos);
  };
  test::put(disk / "out.png", "the old file");
  full(lsieve("apply " + test::data + "/noon.png " + disk / "out.png" + " gaussian_noise"));
  CHECK(test::contents(disk / "out.png") == "the old file");
  full(lsieve("pack " + test::data + "/noon.png " + disk / "noon.lsv" + " --lossless"));
  full(lsieve("look " + test::data + "/noon.png --sheet " + disk / "sheet.png"));
  CHECK(disk.entries() == std::vector<std::string>{"out.png"});
  std::filesystem::remove(disk / "out.png");
  // Ten pictures of 30 kB each do not fit.
  for (int i = 0; i < 10; ++i)
    (void)sieve::io::write(folder / "in_" + std::to_string(i) + ".pgm",
                           test::noise(200, 150, 1, static_cast<std::uint64_t>(i)), {.bits = 8});
  const std::string batch = "batch '" + folder / "in_*.pgm" + "' --into " + disk / "results" + " --resume -- median";
  const auto first = lsieve(batch);
  CHECK(first.code == 1);
  const std::vector<std::string> some = disk.entries();
  CHECK(some.size() >= 3);
  CHECK(some.size() < 11);
  for (const std::string& name : some) {
    if (name.ends_with(".pgm")) CHECK(std::filesystem::file_size(disk / "results/" + name) > 30000);
  }
  const SmallDisk larger(folder / "larger", "2m");
  std::filesystem::copy(disk / "results", larger / "results", std::filesystem::copy_options::recursive);
  const auto second =
      lsieve("batch '" + folder / "in_*.pgm" + "' --into " + larger / "results" + " --resume -- median");
  CHECK(second.code == 0);
  for (int i = 0; i < 10; ++i) {
    const sieve::Image in = sieve::io::read(folder / "in_" + std::to_string(i) + ".pgm").image,
                       out = sieve::io::read(larger / "results/in_" + std::to_string(i) + ".pgm").image;
    CHECK(sieve::identical(out, sieve::Median{}(in)));
  }
}
