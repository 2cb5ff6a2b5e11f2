// The command of the live page: its address, what it saves where, and its ends.

#include <httplib.h>

#include "browser.hpp"
#include "support.hpp"

using namespace sieve;
using test::Browser;
using test::Folder;
using test::json;

TEST_CASE("the command: its address, saving where it was started, and its ends") {
  const Folder f;
  const std::string tool = LSIEVE_TOOL;
  REQUIRE(test::lsieve("apply " + test::noon_file + " " + (f / "in.png") + " shrink factor=8").code == 0);
  test::Beside command({tool, "live", "in.png", "median", "radius=2"}, f / "");
  const std::string address = command.line();
  REQUIRE(address.starts_with("http://127.0.0.1:"));
  const std::string path = address.substr(address.find('/', 7)), port = address.substr(17, address.find('/', 17) - 17);
  httplib::Client client("127.0.0.1", std::stoi(port));
  const auto save = [&](const char* what, const char* name) {
    return client.Post(path + "save",
                       json{{"page", "p"}, {"chain", "median radius=2"}, {"what", what}, {"name", name}}.dump(),
                       "application/json");
  };
  const auto refusal = [&](const char* what, const char* name) {
    const httplib::Result r = save(what, name);
    CHECK(r->status == 422);
    return json::parse(r->body).value("error", "");
  };
  CHECK(save("result", "out.png")->status == 200);
  CHECK(save("recipe", "out.toml")->status == 200);
  CHECK(save("result", "out.png")->status == 200);  // its own it may write again
  CHECK(refusal("result", "in.png").find("there already") != std::string::npos);
  CHECK(refusal("result", "out.gif").find("format") != std::string::npos);
  CHECK(refusal("recipe", "out.png").find(".toml") != std::string::npos);
  const io::Loaded made = io::read(f / "out.png");
  CHECK(chain_text_of_record(made.record).find("median radius=2") != std::string::npos);
  Image expected = Median{.radius = 2}(io::read(f / "in.png").image);
  CHECK(test::deviation(made.image, expected) <= 0.5 / 255 + 1e-6);
  CHECK(Chain::parse(recipe_words(test::contents(f / "out.toml"), "out.toml")).text() == "median radius=2");
  // A second one on its port is refused.
  CHECK(test::lsieve("live " + (f / "in.png") + " --port " + port).code == 1);
  if (Browser::there()) {
    Browser browser;
    browser.open(address);
    browser.wait("document.querySelector('#figures [data-slot]')");
    command.kill(SIGKILL);
    (void)command.end();
    browser.keys("/");
    browser.write("box");
    browser.keys(test::key_enter);
    browser.wait("document.getElementById('line').textContent.includes('does not answer')");
    CHECK(browser.value("document.body.classList.contains('gone')") == true);
    // What was worked out is still there.
    CHECK(browser.text(".caption") == "chain A");
  }
  for (const char* name : {"flat.png", "mask.png", "other.png"})
    REQUIRE(test::lsieve("apply " + (f / "in.png") + " " + (f / name) + " gray").code == 0);
  for (const bool by_key : {true, false}) {
    test::Beside again({tool, "live", f / "in.png", "--also", test::noon_file, "subtract", "with=flat.png", "then",
                        "within", "mask=mask.png", "then", "median"},
                       f / "");
    const std::string a = again.line();
    if (by_key) {
      again.kill(SIGINT);
    } else {
      httplib::Client c("127.0.0.1", std::stoi(a.substr(17, a.find('/', 17) - 17)));
      // Files that its chain names are opened, within a group as well, and no others.
      const auto saved = [&](const char* chain, const char* name) {
        const json body = {{"page", "p"}, {"chain", chain}, {"what", "result"}, {"name", name}};
        return c.Post(a.substr(a.find('/', 7)) + "save", body.dump(), "application/json")->status;
      };
      CHECK(saved("subtract with=flat.png then within mask=mask.png then median", "masked.png") == 200);
      CHECK(saved("within mask=other.png then median", "none.png") == 422);
      CHECK_FALSE(std::filesystem::exists(f / "none.png"));
      CHECK(c.Post(a.substr(a.find('/', 7)) + "goodbye", "{}", "application/json")->status == 200);
    }
    CHECK(again.end() == 0);
  }
  for (const std::string& wrong : std::vector<std::string>{
           "live", "live missing.png", "live " + test::noon_file + " gausian",
           "live " + test::noon_file + " --truth " + (f / "in.png"), "live " + test::noon_file + " --port 70000"}) {
    CAPTURE(wrong);
    CHECK(test::lsieve(wrong).code != 0);
  }
}
