// The browser of the tests: apart, since the client takes a minute to compile.

#include "browser.hpp"

#include <doctest/doctest.h>
#include <httplib.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cstdlib>
#include <thread>

#include "skipped.hpp"

namespace test {

Beside::Beside(const std::vector<std::string>& words, const std::string& folder) {
  int ends[2];
  REQUIRE(::pipe(ends) == 0);
  pid_ = ::fork();
  if (pid_ == 0) {
    ::dup2(ends[1], 1);
    ::close(ends[0]);
    ::close(ends[1]);
    if (std::freopen("/dev/null", "w", stderr) == nullptr || ::chdir(folder.c_str()) != 0) std::_Exit(126);
    ::setpgid(0, 0);
    std::vector<char*> argv;
    for (const std::string& w : words) argv.push_back(const_cast<char*>(w.c_str()));
    argv.push_back(nullptr);
    ::execvp(argv[0], argv.data());
    std::_Exit(127);
  }
  ::close(ends[1]);
  out_ = ::fdopen(ends[0], "r");
}

Beside::~Beside() {
  kill(SIGKILL);
  (void)end();
  std::fclose(out_);
}

std::string Beside::line() {
  char text[4096];
  std::string s = std::fgets(text, sizeof text, out_) != nullptr ? text : "";
  while (s.ends_with('\n')) s.pop_back();
  return s;
}

void Beside::kill(int signal) const {
  if (pid_ > 0) ::kill(-pid_, signal);
}

int Beside::end() {
  if (pid_ <= 0) return code_;
  int status = 0;
  ::waitpid(pid_, &status, 0);
  pid_ = 0;
  return code_ = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

bool Browser::there() {
  static const bool found = std::system("command -v chromedriver chromium >/dev/null 2>&1") == 0;
  if (found) return true;
  const std::string why = "chromium and chromium-driver are missing: scripts/packages test";
  if (std::getenv("CI") != nullptr) FAIL(why);
  test::skip(why);
  return false;
}

Browser::Browser(bool seen_through, int width, int height) {
  std::string said;
  const std::string port = "successfully on port ";
  // Two that start at the same moment may choose the same port, and one ends.
  for (int tries = 0; said.empty(); ++tries) {
    REQUIRE(tries < 5);
    driver_ = std::make_unique<Beside>(std::vector<std::string>{"chromedriver", "--port=0"});
    do said = driver_->line();
    while (!said.empty() && said.find(port) == std::string::npos);
  }
  client_ = std::make_unique<httplib::Client>("127.0.0.1", std::stoi(said.substr(said.find(port) + port.size())));
  client_->set_read_timeout(120);
  client_->set_keep_alive(true);
  const json options = {{"args",
                         {"--headless=new", "--no-sandbox", "--disable-dev-shm-usage",
                          "--window-size=" + std::to_string(width) + "," + std::to_string(height)}}};
  session_ = "/session/" + post("/session", {{"capabilities", {{"alwaysMatch", {{"goog:chromeOptions", options}}}}}})
                               .at("sessionId")
                               .get<std::string>();
  post(session_ + "/timeouts", {{"script", 60000}});
  devtools("Emulation.setDeviceMetricsOverride",
           {{"width", width}, {"height", height}, {"deviceScaleFactor", 1}, {"mobile", false}});
  if (seen_through) devtools("Page.setBypassCSP", {{"enabled", true}});
}

Browser::~Browser() { client_->Delete(session_); }

void Browser::open(const std::string& address) {
  post(session_ + "/url", {{"url", address}});
  wait("document.body && document.body.dataset.ready === 'yes'");
}

json Browser::run(const std::string& script, const json& arguments) {
  return post(session_ + "/execute/sync", {{"script", script}, {"args", arguments}});
}

json Browser::value(const std::string& expression) { return run("return " + expression); }

json Browser::promised(const std::string& expression) {
  return post(session_ + "/execute/async", {{"script", "const done = arguments[0]; (async () => (" + expression +
                                                           "))().then(done, e => done('failed: ' + e))"},
                                            {"args", json::array()}});
}

void Browser::wait(const std::string& expression) {
  for (int i = 0; i < 1500; ++i) {
    if (value("Boolean(" + expression + ")") == true) return;
    std::this_thread::sleep_for(std::chrono::milliseconds(20));
  }
  // What stands at its edges says most.
  const json seen =
      run("return ['figures', 'line', 'progress', 'form'].map(i => document.getElementById(i))"
          ".map(e => e && (e.value || e.textContent))");
  CAPTURE(expression);
  CAPTURE(seen.dump());
  FAIL("the page never came to it");
}

std::string Browser::text(const std::string& selector) {
  return run("return document.querySelector(arguments[0])?.textContent ?? ''", {selector});
}

void Browser::click(const std::string& selector) {
  CAPTURE(selector);
  wait("document.querySelector(" + json(selector).dump() + ")");
  REQUIRE(run("const e = document.querySelector(arguments[0]); if (!e) return false; e.click(); return true",
              {selector}) == true);
}

void Browser::set(const std::string& selector, const std::string& to) {
  CAPTURE(selector);
  wait("document.querySelector(" + json(selector).dump() + ")");
  REQUIRE(run("const e = document.querySelector(arguments[0]); if (!e) return false; e.value = arguments[1];"
              "e.dispatchEvent(new Event('input', { bubbles: true }));"
              "e.dispatchEvent(new Event('change', { bubbles: true })); return true",
              {selector, to}) == true);
}

void Browser::keys(const std::string& one, const std::vector<std::string>& held) {
  json all = json::array();
  for (const std::string& k : held) all.push_back({{"type", "keyDown"}, {"value", k}});
  all.push_back({{"type", "keyDown"}, {"value", one}});
  all.push_back({{"type", "keyUp"}, {"value", one}});
  for (const std::string& k : held) all.push_back({{"type", "keyUp"}, {"value", k}});
  post(session_ + "/actions", {{"actions", {{{"type", "key"}, {"id", "keys"}, {"actions", all}}}}});
}

void Browser::write(const std::string& words) {
  for (const char c : words) keys(std::string(1, c));
}

void Browser::pointer(int x, int y, bool drag, int to_x, int to_y) {
  json all = {{{"type", "pointerMove"}, {"duration", 0}, {"x", x}, {"y", y}}};
  if (drag) {
    all.push_back({{"type", "pointerDown"}, {"button", 0}});
    all.push_back({{"type", "pointerMove"}, {"duration", 60}, {"x", to_x}, {"y", to_y}});
    all.push_back({{"type", "pointerUp"}, {"button", 0}});
  }
  post(session_ + "/actions",
       {{"actions",
         {{{"type", "pointer"}, {"id", "mouse"}, {"parameters", {{"pointerType", "mouse"}}}, {"actions", all}}}}});
}

void Browser::wheel(int x, int y, int down) {
  post(session_ + "/actions", {{"actions",
                                {{{"type", "wheel"},
                                  {"id", "wheel"},
                                  {"actions",
                                   {{{"type", "scroll"},
                                     {"x", x},
                                     {"y", y},
                                     {"deltaX", 0},
                                     {"deltaY", down},
                                     {"duration", 0},
                                     {"origin", "viewport"}}}}}}}});
}

void Browser::devtools(const std::string& command, const json& parameters) {
  post(session_ + "/goog/cdp/execute", {{"cmd", command}, {"params", parameters}});
}

json Browser::post(const std::string& path, const json& body) {
  const auto reply = client_->Post(path, body.dump(), "application/json");
  REQUIRE(reply);
  const json all = json::parse(reply->body);
  if (reply->status != 200) {
    CAPTURE(all.dump().substr(0, 600));
    FAIL("WebDriver refused");
  }
  return all.at("value");
}

}  // namespace test
