#pragma once
// What the tests share: made-up pictures, comparisons, and running programs.

// A call that throws has no result to drop.
#define DOCTEST_CONFIG_VOID_CAST_EXPRESSIONS
#include <doctest/doctest.h>

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <limits>
#include <map>
#include <string>
#include <thread>
#include <vector>

#include "sieve/io.hpp"
#include "sieve/reference.hpp"
#include "sieve/sieve.hpp"
#include "skipped.hpp"

// As doctest's, but the text is made at once: Clang 14 cannot hold names of structured bindings for later.
#undef CAPTURE
#define SIEVE_CAPTURE_AS(expression, name)                        \
  const std::string name = doctest::toString(expression).c_str(); \
  INFO(#expression " := ", name)
#define CAPTURE(expression) SIEVE_CAPTURE_AS(expression, DOCTEST_CAT(captured_at_, __COUNTER__))

namespace test {

using sieve::ConstView;
using sieve::Image;

// Uniform noise in -0.25..1.25: signed and beyond white, as filters must take it.
inline Image noise(int width, int height, int channels = 1, std::uint64_t seed = 1) {
  Image image(width, height, channels);
  for (int c = 0; c < channels; ++c) {
    const sieve::RandomStream random(seed, static_cast<std::uint64_t>(c));
    for (int y = 0; y < height; ++y) {
      for (int x = 0; x < width; ++x) {
        image.at(x, y, c) = static_cast<float>(
            1.5 * random.uniform(static_cast<std::uint64_t>(y) * 100003 + static_cast<std::uint64_t>(x)) - 0.25);
      }
    }
  }
  return image;
}

// Largest absolute difference; infinite where the shapes differ or one of two samples is not finite.
inline double deviation(const ConstView& a, const ConstView& b) {
  if (a.shape != b.shape) return std::numeric_limits<double>::infinity();
  double most = 0;
  for (int c = 0; c < a.channels(); ++c) {
    for (int y = 0; y < a.height(); ++y) {
      for (int x = 0; x < a.width(); ++x) {
        const float p = a.at(x, y, c), q = b.at(x, y, c);
        if (std::isnan(p) && std::isnan(q)) continue;
        if (p == q) continue;
        const double d = std::abs(static_cast<double>(p) - static_cast<double>(q));
        most = std::isnan(d) ? std::numeric_limits<double>::infinity() : std::max(most, d);
      }
    }
  }
  return most;
}

// How many samples are not finite.
inline std::size_t not_finite(const ConstView& v) {
  std::size_t n = 0;
  for (int c = 0; c < v.channels(); ++c) {
    for (int y = 0; y < v.height(); ++y)
      n += static_cast<std::size_t>(
          std::count_if(v.row(y, c), v.row(y, c) + v.width(), [](float s) { return !std::isfinite(s); }));
  }
  return n;
}

// A folder that is removed at the end.
class Folder {
 public:
  Folder() {
    std::string name = (std::filesystem::temp_directory_path() / "lean-sieve-").string() + std::string(6, 'X');
    REQUIRE(::mkdtemp(name.data()) != nullptr);
    path_ = name;
  }
  ~Folder() { std::filesystem::remove_all(path_); }
  Folder(const Folder&) = delete;
  Folder& operator=(const Folder&) = delete;
  std::string operator/(const std::string& name) const { return (path_ / name).string(); }
  std::size_t entries() const {
    return static_cast<std::size_t>(
        std::distance(std::filesystem::directory_iterator(path_), std::filesystem::directory_iterator{}));
  }

 private:
  std::filesystem::path path_;
};

inline std::string contents(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  return std::string(std::istreambuf_iterator<char>(file), {});
}

// Returns when the condition holds. Ends the test after two minutes.
template <class Condition>
void wait_until(const char* what, Condition holds) {
  const auto end = std::chrono::steady_clock::now() + std::chrono::minutes(2);
  while (!holds()) {
    REQUIRE_MESSAGE(std::chrono::steady_clock::now() < end, what);
    std::this_thread::sleep_for(std::chrono::milliseconds(2));
  }
}

inline void put(const std::string& path, const std::string& bytes) { std::ofstream(path, std::ios::binary) << bytes; }

// Under a sanitizer everything takes about ten times as long.
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
inline constexpr bool sanitized = true;
#else
inline constexpr bool sanitized = false;
#endif

// A named pipe whose reader waits until the file is sent.
class LateFile {
 public:
  explicit LateFile(std::string path) : path_(std::move(path)) { REQUIRE(::mkfifo(path_.c_str(), 0600) == 0); }
  ~LateFile() {
    if (to_ >= 0) ::close(to_);
  }
  LateFile(const LateFile&) = delete;
  LateFile& operator=(const LateFile&) = delete;
  void wait_for_reader() {
    wait_until("the pipe is read", [&] { return (to_ = ::open(path_.c_str(), O_WRONLY | O_NONBLOCK)) >= 0; });
    ::fcntl(to_, F_SETFL, 0);
  }
  void send(const std::string& bytes) {
    if (to_ < 0) wait_for_reader();
    for (std::size_t done = 0; done < bytes.size();) {
      const ssize_t n = ::write(to_, bytes.data() + done, bytes.size() - done);
      if (n <= 0) break;
      done += static_cast<std::size_t>(n);
    }
    ::close(to_);
    to_ = -1;
  }

 private:
  std::string path_;
  int to_ = -1;
};

struct Outcome {
  int code;
  std::string out;
  std::string err;
};

// Runs a program through the shell, with both streams caught; what a signal ended gives 128 and its number, as in
// shells.
inline Outcome run(const std::string& command) {
  const Folder folder;
  const int status = std::system((command + " >" + folder / "out" + " 2>" + folder / "err").c_str());
  const int code = WIFEXITED(status) ? WEXITSTATUS(status) : WIFSIGNALED(status) ? 128 + WTERMSIG(status) : -1;
  return {code, contents(folder / "out"), contents(folder / "err")};
}

inline Outcome lsieve(const std::string& arguments) { return run(std::string(LSIEVE_TOOL) + " " + arguments); }

inline const std::string data = SIEVE_DATA;

// The demo's clean view.
inline const std::string noon_file = data + "/noon.png";
inline const Image& noon() {
  static const Image image = sieve::io::read(noon_file).image;
  return image;
}

// The filter is its plain definition, as closely as that says.
inline void check_as_defined(const sieve::Filter& f, const ConstView& in) {
  const sieve::reference::Definitions& definitions = sieve::reference::Definitions::standard();
  const auto plain = definitions.plain(f, in);
  REQUIRE(plain.has_value());
  const sieve::reference::Agreement a = definitions.agreement(f, f(in), *plain);
  CAPTURE(f.text());
  CAPTURE(a.tolerance);
  CHECK(a.same_shape);
  CHECK(a.deviation <= a.tolerance);
}

constexpr sieve::Border all_borders[] = {sieve::Border::edge,  sieve::Border::mirror, sieve::Border::reflect,
                                         sieve::Border::wrap,  sieve::Border::zero,   sieve::Border::constant,
                                         sieve::Border::inside};

}  // namespace test
