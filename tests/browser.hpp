#pragma once
// A browser without a window, driven through WebDriver (W3C) as a hand would.

#include <sys/types.h>

#include <cstdio>
#include <memory>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

namespace httplib {
class Client;
}

namespace test {

using nlohmann::json;

// Keys without a letter, as WebDriver names them.
inline const std::string key_enter = "\xEE\x80\x87", key_shift = "\xEE\x80\x88", key_control = "\xEE\x80\x89",
                         key_escape = "\xEE\x80\x8C", key_left = "\xEE\x80\x92", key_right = "\xEE\x80\x94",
                         key_down = "\xEE\x80\x95";

// A program that runs beside the test; what it prints first is read, and it is ended with it.
class Beside {
 public:
  explicit Beside(const std::vector<std::string>& words, const std::string& folder = "/");
  ~Beside();
  Beside(const Beside&) = delete;
  Beside& operator=(const Beside&) = delete;

  // Its next line, without the line's end; empty at the end.
  std::string line();
  // A signal to it and what it started.
  void kill(int signal) const;
  // Waits for its end; gives its exit code.
  int end();

 private:
  pid_t pid_ = 0;
  int code_ = -1;
  std::FILE* out_ = nullptr;
};

// Chromium by chromedriver. Where there is none the tests say that they were left out; continuous integration has it.
class Browser {
 public:
  static bool there();

  // `seen_through`: scripts of the test may look into the modules of the page, which its policy would forbid.
  explicit Browser(bool seen_through = false, int width = 1280, int height = 800);
  ~Browser();

  // Opens a page and waits until it has put itself together.
  void open(const std::string& address);
  // What a script returns.
  json run(const std::string& script, const json& arguments = json::array());
  // The value of an expression.
  json value(const std::string& expression);
  // The value that a promise comes to.
  json promised(const std::string& expression);
  // Waits until an expression is true.
  void wait(const std::string& expression);
  std::string text(const std::string& selector);
  void click(const std::string& selector);
  // Sets a field or slider as a hand does.
  void set(const std::string& selector, const std::string& to);
  // Keys one after the other; those before `held` stay down while it is pressed.
  void keys(const std::string& one, const std::vector<std::string>& held = {});
  void write(const std::string& words);
  // The pointer from one place of the window to another, with the button held where `drag`.
  void pointer(int x, int y, bool drag = false, int to_x = 0, int to_y = 0);
  void wheel(int x, int y, int down);
  void devtools(const std::string& command, const json& parameters);

 private:
  json post(const std::string& path, const json& body);

  std::unique_ptr<Beside> driver_;
  std::unique_ptr<httplib::Client> client_;
  std::string session_;
};

}  // namespace test
