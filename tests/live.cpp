// The live page: what its server answers, whom it refuses, and the page itself under hand and keys in a browser.

#include <arpa/inet.h>
#include <httplib.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <sys/time.h>
#include <unistd.h>

#include <latch>
#include <thread>

#include "browser.hpp"
#include "sieve/page.hpp"
#include "support.hpp"

using namespace sieve;
using test::Browser;
using test::Folder;
using test::json;

namespace {

// Waits until it is stopped: a computation that takes as long as anybody likes.
struct Forever {
  Real amount = 1;
  [[nodiscard]] Image operator()(const ConstView& in) const {
    for (;; std::this_thread::sleep_for(std::chrono::milliseconds(2))) checkpoint();
    return Image(in);
  }
  static void describe(Description<Forever>& d) {
    d.called("forever", "mine", "Waits until it is stopped.")
        .field("amount", &Forever::amount, "turns", "of nothing", {0, 9});
  }
};

const Catalogue& with_forever() {
  static const Catalogue all = [] {
    Catalogue c = Catalogue::standard();
    c.add<Forever>();
    return c;
  }();
  return all;
}

// A live page of this process, ended with the test.
class Served {
 public:
  explicit Served(page::LiveSetup setup)
      : live_(std::move(setup)), thread_([this](const std::stop_token& stop) { live_.serve(stop); }) {
    const std::string& a = live_.address();
    host = a.substr(7, a.find('/', 7) - 7);
    path = a.substr(a.find('/', 7));
  }
  const std::string& address() const { return live_.address(); }
  httplib::Client client() const {
    httplib::Client c("127.0.0.1", std::stoi(host.substr(host.find(':') + 1)));
    c.set_read_timeout(60);
    return c;
  }
  httplib::Result post(const std::string& what, const json& body) const {
    return client().Post(path + what, body.dump(), "application/json");
  }
  bool answers() const {
    const httplib::Result r = post("forms", {{"chain", "median"}});
    return r && r->status == 200;
  }
  int port() const { return std::stoi(host.substr(host.find(':') + 1)); }
  std::string host, path;

 private:
  page::Live live_;
  std::jthread thread_;
};

bool connected(int socket, int port) {
  sockaddr_in to{};
  to.sin_family = AF_INET;
  to.sin_port = htons(static_cast<std::uint16_t>(port));
  to.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  return ::connect(socket, reinterpret_cast<const sockaddr*>(&to), sizeof to) == 0;
}

page::LiveSetup setup_of(Image in, const std::string& chain = "") {
  page::LiveSetup s;
  s.catalogue = &with_forever();
  s.inputs.push_back({"in.png", std::move(in)});
  if (!chain.empty()) s.chain = Chain::parse(chain, with_forever());
  return s;
}

// A reply with samples, taken apart by what the page's own comment says of it.
struct Reply {
  json told;
  Image image;
};
Reply taken(const httplib::Result& r) {
  REQUIRE(r);
  CAPTURE(r->body.substr(0, 300));
  REQUIRE(r->status == 200);
  std::uint32_t words = 0;
  std::memcpy(&words, r->body.data(), 4);
  Reply reply{json::parse(r->body.substr(4, words)), {}};
  const json& s = reply.told["samples"];
  reply.image = Image(Shape{s["width"], s["height"], s["channels"]});
  const char* at = r->body.data() + 4 + words;
  for (int c = 0; c < reply.image.channels(); ++c) {
    for (int y = 0; y < reply.image.height(); ++y) {
      for (int x = 0; x < reply.image.width(); ++x) {
        if (s["samples"] == "glimpse") {
          std::int16_t n = 0;
          std::memcpy(&n, at, 2);
          at += 2;
          reply.image.at(x, y, c) = static_cast<float>(n) / 8192;
        } else {
          REQUIRE(s["samples"] == "float");
          std::memcpy(&reply.image.at(x, y, c), at, 4);
          at += 4;
        }
      }
    }
  }
  CHECK(at == r->body.data() + r->body.size());
  return reply;
}

std::string error_of(const httplib::Result& r, int status) {
  REQUIRE(r);
  CHECK(r->status == status);
  return json::parse(r->body).value("error", "");
}

}  // namespace

TEST_CASE("the server gives what the engine gives: the whole exactly, a part at any scale as a glimpse") {
  const Image in = test::noise(150, 90, 3);
  page::LiveSetup setup = setup_of(in);
  setup.truth = page::LivePicture{"clean.png", Gaussian{.sigma = 1}(in)};
  const Served live(std::move(setup));
  for (const std::string& text :
       std::vector<std::string>{"gaussian sigma=2 then unsharp", "median radius=2", "equalize", "wiener noise=0.1",
                                "crop x=10 y=20 width=100 height=50", ""}) {
    CAPTURE(text);
    const Image whole = Chain::parse(text.empty() ? "clip low=-9 high=9" : text)(in);
    const json body = {{"page", "p"}, {"chain", text}};
    json all = body, part = body, small = body;
    all["figures"] = true;
    const Reply exact = taken(live.post("run", all));
    CHECK(identical(exact.image, whole));
    CHECK(exact.told["steps"].size() == (text.empty() ? 0 : Chain::parse(text).steps().size()));
    if (whole.width() == in.width())
      CHECK(exact.told["figures"]["psnr"] == doctest::Approx(compare(whole, Gaussian{.sigma = 1}(in)).psnr));
    part["part"] = {30, 20, 44, 25};
    const Reply seen = taken(live.post("run", part));
    CHECK(seen.told["part"] == json{30, 20, 44, 25});
    CHECK(test::deviation(seen.image, Image(whole.view().part({30, 20, 44, 25}))) <= 0.51 / 8192);
    small["part"] = {0, 0, 100, 50};
    small["shrink"] = 5;
    small["slot"] = "B";
    CHECK(test::deviation(taken(live.post("run", small)).image,
                          Shrink{.factor = 5}(whole.view().part({0, 0, 100, 50}))) <= 0.51 / 8192);
  }
  // The steps that come first alone.
  CHECK(identical(
      taken(live.post("run", {{"page", "p"}, {"chain", "median then box"}, {"upto", 1}, {"figures", true}})).image,
      Median{}(in)));
  const json forms =
      json::parse(live.post("forms", {{"chain", "convolve kernel=0,1,0/1,1,1/0,1,0 then curve points=0,0/1,1"}})->body);
  CHECK(forms["text"] == Chain::parse(forms["text"].get<std::string>()).text());
  CHECK(Chain::parse(recipe_words(forms["recipe"], "r.toml")).text() == forms["text"]);
  CHECK(forms["command"].get<std::string>().starts_with("lsieve apply in.png result.png convolve "));
  const json step = json::parse(live.post("step", {{"page", "p"}, {"chain", "convolve kernel=sobel_x"}})->body);
  CHECK(step["grids"][0]["values"].get<std::vector<double>>() == Kernel::parse("sobel_x").taps());
  const json values = json::parse(live.post("step", {{"page", "p"}, {"chain", "low_rank rank=3"}})->body);
  CHECK(values["plots"].size() > 0);
}

TEST_CASE("a connection that cannot be taken does not end the page") {
  const Served live(setup_of(test::noise(20, 10)));
  for (int times = 0; times < 3; ++times) {
    REQUIRE(live.answers());
    // All file descriptors are in use while a connection waits to be accepted.
    const int waiting = ::socket(AF_INET, SOCK_STREAM, 0);
    rlimit before{};
    REQUIRE(::getrlimit(RLIMIT_NOFILE, &before) == 0);
    const rlimit few{64, before.rlim_max};
    REQUIRE(::setrlimit(RLIMIT_NOFILE, &few) == 0);
    std::vector<int> used;
    for (int fd = 0; (fd = ::dup(waiting)) >= 0;) used.push_back(fd);
    CHECK(connected(waiting, live.port()));
    std::this_thread::yield();
    for (const int fd : used) ::close(fd);
    REQUIRE(::setrlimit(RLIMIT_NOFILE, &before) == 0);
    ::close(waiting);
    CHECK(live.answers());
  }
}

TEST_CASE("requests without end: endless headers, lines and bodies, and a byte at a time; others are answered") {
  const Served live(setup_of(test::noise(20, 10)));
  const std::string start = "POST " + live.path + "run HTTP/1.1\r\nHost: " + live.host + "\r\n";
  struct Attack {
    const char* name;
    std::string first, then;
  };
  const std::string much(60'000, 'b');
  for (const Attack& attack : {Attack{"headers", start, "A: " + much + "\r\n"},
                               {"request line", "GET /", much},
                               {"chunks", start + "Transfer-Encoding: chunked\r\n\r\n", "ea60\r\n" + much + "\r\n"},
                               {"length", start + "Content-Length: 99999999999\r\n\r\n", much},
                               {"no number", start + "Content-Length: -1\r\n\r\n", much}}) {
    CAPTURE(std::string(attack.name));
    // What the server reads of it is bounded: it answers or closes, and stops reading.
    const int s = ::socket(AF_INET, SOCK_STREAM, 0);
    REQUIRE(connected(s, live.port()));
    const timeval second{1, 0};
    ::setsockopt(s, SOL_SOCKET, SO_SNDTIMEO, &second, sizeof second);
    (void)!::send(s, attack.first.data(), attack.first.size(), MSG_NOSIGNAL);
    std::size_t sent = 0;
    for (ssize_t n = 0; sent < (std::size_t{64} << 20); sent += static_cast<std::size_t>(n)) {
      if ((n = ::send(s, attack.then.data(), attack.then.size(), MSG_NOSIGNAL)) <= 0) break;
    }
    CHECK(sent < (std::size_t{64} << 20));
    ::close(s);
    CHECK(live.answers());
  }
  // More connections than are served, none of which completes its request.
  std::vector<int> slow;
  for (int i = 0; i < 200; ++i) {
    slow.push_back(::socket(AF_INET, SOCK_STREAM, 0));
    if (connected(slow.back(), live.port())) (void)!::send(slow.back(), "G", 1, MSG_NOSIGNAL);
  }
  CHECK(live.answers());
  // They do not delay the end either, which the destructor waits for.
  for (const int s : slow) ::close(s);
}

TEST_CASE("work whose client has closed the connection is canceled") {
  const Served live(setup_of(test::noise(20, 10)));
  const json body = {{"page", "p"}, {"chain", "forever"}, {"figures", true}};
  const std::string request = "POST " + live.path + "run HTTP/1.1\r\nHost: " + live.host +
                              "\r\nContent-Length: " + std::to_string(body.dump().size()) + "\r\n\r\n" + body.dump();
  const int s = ::socket(AF_INET, SOCK_STREAM, 0);
  REQUIRE(connected(s, live.port()));
  REQUIRE(::send(s, request.data(), request.size(), MSG_NOSIGNAL) == static_cast<ssize_t>(request.size()));
  const auto share = [&] { return json::parse(live.post("progress", {{"page", "p"}})->body)["share"].get<double>(); };
  test::wait_until("the work begins", [&] { return share() < 1; });
  ::close(s);
  test::wait_until("the work ends", [&] { return share() == 1; });
  CHECK(live.post("run", {{"page", "p"}, {"chain", "median"}})->status == 200);
}

TEST_CASE("who is refused: other tokens, hosts, origins and bodies; files nobody named") {
  const Folder f;
  test::put(f / "secret.txt", "1,2,1");
  page::LiveSetup setup = setup_of(test::noise(20, 10, 3));
  setup.resources = io::resources();
  std::string saved;
  setup.save = [&](const std::string& name, const ConstView&, const std::string&) { return saved = name; };
  setup.save_text = [&](const std::string& name, const std::string&) { return saved = name; };
  const Served live(std::move(setup));
  httplib::Client c = live.client();
  CHECK(c.Get("/")->status == 404);
  CHECK(c.Get("/0123456789abcdef0123456789abcdef/")->status == 404);
  CHECK(c.Get(live.path + "../../etc/passwd")->status == 404);
  CHECK(c.Get(live.path)->status == 200);
  CHECK(c.Get(live.path, {{"Host", "example.org"}})->status == 403);
  CHECK(c.Get(live.path, {{"Origin", "http://example.org"}})->status == 403);
  CHECK(c.Post(live.path + "run", {{"Origin", "null"}}, "{}", "application/json")->status == 403);
  const auto headers = c.Get(live.path)->headers;
  const std::string policy = headers.find("Content-Security-Policy")->second;
  for (const char* part : {"default-src 'none'", "connect-src 'self'", "frame-ancestors 'none'", "script-src 'nonce-"})
    CHECK(policy.find(part) != std::string::npos);
  CHECK(policy.find("unsafe") == std::string::npos);
  CHECK(c.Post(live.path + "run", std::string(200'000, ' '), "application/json")->status == 413);
  for (const std::string& body : std::vector<std::string>{"", "{", "[]", "7", "{\"page\":1,\"chain\":\"median\"}",
                                                          "{\"page\":\"p\",\"chain\":[]}",
                                                          "{\"page\":\"p\",\"part\":[1,2]}", "{\"chain\":\"median\"}"})
    CHECK_MESSAGE(c.Post(live.path + "run", body, "application/json")->status == 400, body);
  CHECK(error_of(live.post("run", {{"page", "p"}, {"chain", "gausian"}}), 422).find("did you mean 'gaussian'") !=
        std::string::npos);
  CHECK(error_of(live.post("run", {{"page", "p"}, {"chain", "median then gaussian sigma=-1"}}), 422) ==
        "step 2: gaussian: sigma=-1 is out of range: give a number from 0 to 500 (pixels)");
  CHECK(error_of(live.post("run", {{"page", "p"}, {"input", 3}}), 422) == "there is no picture 3");
  CHECK(error_of(live.post("run", {{"page", "p"}, {"input", -3e126}}), 422) == "there is no picture -3e+126");
  const auto shrunk = [&](double by) {
    return live.post("run", {{"page", "p"}, {"chain", "clip"}, {"part", {0, 0, 20, 10}}, {"shrink", by}});
  };
  CHECK(identical(taken(shrunk(3e126)).image, taken(shrunk(1000)).image));
  CHECK(error_of(live.post("run", {{"page", "p"}, {"slot", "C"}}), 422).find("alone") != std::string::npos);
  std::string many = "clip";
  for (int i = 0; i < 300; ++i) many += " then clip";
  CHECK(error_of(live.post("run", {{"page", "p"}, {"chain", many}}), 422).find("at most 200") != std::string::npos);
  for (const std::string& chain :
       std::vector<std::string>{"subtract with=/etc/passwd", "convolve kernel=@" + (f / "secret.txt"),
                                "plug_and_play with=subtract\\ with=" + test::noon_file}) {
    CAPTURE(chain);
    CHECK(error_of(live.post("run", {{"page", "p"}, {"chain", chain}}), 422).find("was not named") !=
          std::string::npos);
  }
  CHECK(live.post("run", {{"page", "p"}, {"chain", "subtract with=in.png"}})->status == 200);
  for (const char* name : {"../x.png", "/tmp/x.png", ".x.png", "-x.png", "a b.png", "", "x/y.png"}) {
    CAPTURE(std::string(name));
    CHECK(error_of(live.post("save", {{"page", "p"}, {"name", name}, {"what", "result"}}), 422).find("no folder") !=
          std::string::npos);
  }
  CHECK(saved.empty());
  CHECK(live.post("save", {{"page", "p"}, {"name", "x.toml"}, {"what", "recipe"}})->status == 200);
  CHECK(saved == "x.toml");
  CHECK_THROWS_AS(page::Live({}), InvalidArgument);
  page::LiveSetup other = setup_of(test::noise(4, 4));
  other.truth = page::LivePicture{"t", test::noise(5, 4)};
  CHECK_THROWS_AS(page::Live(std::move(other)), InvalidArgument);
  page::LiveSetup taken_port = setup_of(test::noise(4, 4));
  taken_port.port = std::stoi(live.host.substr(live.host.find(':') + 1));
  CHECK_THROWS_AS(page::Live(std::move(taken_port)), Error);
}

TEST_CASE("a newer request ends the older, a stop ends it too; pages do not disturb each other") {
  const Served live(setup_of(test::noise(40, 30)));
  std::latch begun(1);
  int first = 0, other = 0;
  std::jthread slow([&] {
    begun.count_down();
    first = live.post("run", {{"page", "one"}, {"chain", "forever"}})->status;
  });
  std::jthread beside([&] { other = live.post("run", {{"page", "two"}, {"chain", "forever"}})->status; });
  begun.wait();
  const auto busy = [&](const char* page) {
    return json::parse(live.post("progress", {{"page", page}})->body)["share"] < 1;
  };
  test::wait_until("both pages work", [&] { return busy("one") && busy("two"); });
  CHECK(live.post("run", {{"page", "one"}, {"chain", "median"}})->status == 200);
  slow.join();
  CHECK(first == 409);
  CHECK(busy("two"));
  CHECK(live.post("stop", {{"page", "two"}})->status == 200);
  beside.join();
  CHECK(other == 409);
  // Pages come and go: reloading one is a page more.
  for (int i = 0; i < 30; ++i)
    CHECK(live.post("run", {{"page", "again " + std::to_string(i)}, {"chain", "median"}})->status == 200);
  // Work under way does not keep the server from its end.
  std::jthread last([&] { (void)live.post("run", {{"page", "two"}, {"chain", "forever"}}); });
  test::wait_until("the page works", [&] { return busy("two"); });
  CHECK(live.post("goodbye", json::object())->status == 200);
}

TEST_CASE("a chain is made, changed, taken back and judged on the page") {
  if (!Browser::there()) return;
  const Image clean = test::noon(), in = ImpulseNoise{}(clean);
  page::LiveSetup setup = setup_of(in);
  setup.inputs.push_back({"folder/other.png", test::noise(90, 60, 1)});
  setup.truth = page::LivePicture{"clean.png", clean};
  const Served live(std::move(setup));
  Browser browser;
  browser.open(live.address());
  const auto chain = [&](const std::string& text) {
    browser.wait("document.getElementById('form')?.value === " + json(text).dump());
  };
  const auto settled = [&] {
    browser.wait("document.querySelector('#figures [data-slot]') && !document.querySelector('#figures .stale')");
  };
  // By keys alone: search by a word that people use, choose, move the slider, take it back.
  browser.keys("/");
  browser.write("salt");
  browser.wait("document.querySelectorAll('.found button').length > 1");
  CHECK(browser.text(".found button b") == with_forever().search("salt")[0]);
  browser.keys(test::key_down);
  browser.wait("document.querySelector('.found [aria-selected=true] b').textContent === 'median'");
  browser.keys(test::key_enter);
  chain("median");
  settled();
  const auto told = [&](const Image& result) {
    char words[64];
    const Comparison c = compare(result, clean);
    std::snprintf(words, sizeof words, "PSNR %.2f dB  SSIM %.4f  gain +%.2f", c.psnr, c.ssim,
                  c.psnr - compare(in, clean).psnr);
    return std::string(words);
  };
  browser.wait("document.getElementById('figures').textContent.includes(" + json(told(Median{}(in))).dump() + ")");
  browser.run("document.querySelector('[data-card=median] [data-parameter=radius] input[type=range]').focus()");
  browser.set("[data-card=median] [data-parameter=radius] .box", "2");
  chain("median radius=2");
  browser.wait("document.getElementById('figures').textContent.includes(" + json(told(Median{.radius = 2}(in))).dump() +
               ")");
  // The probe shows the exact samples once the hand rests.
  browser.pointer(640, 400);
  browser.wait("document.querySelector('[data-value=\"A 0\"]')");
  {
    std::string place = browser.text("#place");
    int x = 0, y = 0;
    REQUIRE(std::sscanf(place.c_str(), "x %d, y %d", &x, &y) == 2);
    CHECK(std::stod(browser.text("[data-value='A 1']")) ==
          doctest::Approx(Median{.radius = 2}(in).at(x, y, 1)).epsilon(1e-5));
  }
  // Choices, a second step, its order, off and on, a copy, and all of it back.
  browser.run(
      "[...document.querySelectorAll('[data-card=median] [data-parameter=shape] button')].find(b => b.textContent === "
      "'disk').click()");
  chain("median radius=2 shape=disk");
  browser.keys("/");
  browser.write("unsharp");
  browser.keys(test::key_enter);
  chain("median radius=2 shape=disk then unsharp");
  browser.click("[data-card=unsharp] [data-act=up]");
  chain("unsharp then median radius=2 shape=disk");
  browser.click("[data-card=unsharp] [data-act=off]");
  chain("median radius=2 shape=disk");
  browser.click("[data-card=unsharp] [data-act=off]");
  browser.click("[data-card=unsharp] [data-act=copy]");
  chain("unsharp then unsharp then median radius=2 shape=disk");
  browser.click("[data-card=unsharp] [data-act=remove]");
  browser.click("[data-card=unsharp] [data-act=remove]");
  chain("median radius=2 shape=disk");
  for (int i = 0; i < 2; ++i) browser.keys("z", {test::key_control});
  chain("unsharp then unsharp then median radius=2 shape=disk");
  browser.keys("y", {test::key_control});
  chain("unsharp then median radius=2 shape=disk");
  browser.click("[data-card=median] [data-act=help]");
  CHECK(browser.text("[data-card=median] .help").find("wrong when") != std::string::npos);
  // The same by keys, which act on the chosen card; a field keeps the focus after it was changed.
  browser.run("document.querySelector('[data-card=unsharp] .name').focus()");
  browser.keys("J");
  chain("median radius=2 shape=disk then unsharp");
  browser.keys("O");
  chain("median radius=2 shape=disk");
  browser.keys("O");
  browser.keys("U");
  chain("unsharp then median radius=2 shape=disk");
  browser.run("document.querySelector('[data-card=unsharp] [data-parameter=amount] .box').focus()");
  browser.set("[data-card=unsharp] [data-parameter=amount] .box", "2");
  CHECK(browser.value("document.activeElement === document.querySelector('[data-card=unsharp] [data-parameter=amount] "
                      ".box')") == true);
  browser.keys("z", {test::key_control});
  chain("unsharp then median radius=2 shape=disk");
  // What a filter measured by itself is where its slider begins.
  browser.set("#form", "nonlocal_means");
  chain("nonlocal_means");
  settled();
  browser.wait("document.querySelector('[data-card=nonlocal_means] .facts')");
  browser.click("[data-card=nonlocal_means] [data-parameter=noise] button");
  browser.wait("/^nonlocal_means noise=0\\.\\d+$/.test(document.getElementById('form').value)");
  {
    const std::string text = browser.value("document.getElementById('form').value");
    CHECK(std::stod(text.substr(text.find('=') + 1)) == doctest::Approx(noise_level(in)).epsilon(0.02));
  }
  browser.set("#form", "unsharp then median radius=2 shape=disk");
  chain("unsharp then median radius=2 shape=disk");
  // An error stands beside its card, and goes with it.
  browser.set("[data-card=median] [data-parameter=radius] .box", "900");
  browser.wait("document.querySelector('[data-card=median] .problem')?.textContent.includes('0 to 127')");
  browser.keys("z", {test::key_control});
  browser.wait("!document.querySelector('.problem')");
  // The text may be written; a mistake in it changes nothing.
  browser.set("#form", "gaussian sigma=3 then within part=1,2,30,40 then median then end then low_rank rank=5");
  browser.wait("document.querySelectorAll('.card').length === 5");
  chain("gaussian sigma=3 then within part=1,2,30,40 then median then end then low_rank rank=5");
  browser.click("#do-look-step");
  browser.wait("document.querySelector('#panel-extra svg')");
  browser.set("#form", "gaussian sgma=3");
  browser.wait("document.getElementById('line').textContent.includes('sigma')");
  CHECK(browser.value("document.querySelectorAll('.card').length") == 5);
  // C++, recipe and command of the same chain.
  browser.click("#form-source");
  browser.wait("document.getElementById('form').value.includes('sieve::Gaussian')");
  CHECK(browser.value("document.getElementById('form').value") ==
        source_text(
            Chain::parse("gaussian sigma=3 then within part=1,2,30,40 then median then end then low_rank rank=5")));
  browser.click("#form-command");
  CHECK(browser.value("document.getElementById('form').value.startsWith('lsieve apply in.png result.png gaussian')") ==
        true);
  browser.click("#form-text");
  // One step earlier, by the steps of the cards, whose own result is still under way.
  browser.set("#form", "median");
  chain("median");
  settled();
  browser.promised(
      "new Promise(done => { const form = document.getElementById('form');"
      "form.value = 'gaussian sigma=3 then within part=1,2,30,40 then median then end then low_rank rank=5';"
      "form.dispatchEvent(new Event('change', { bubbles: true })); form.blur();"
      "const look = () => { if (document.querySelectorAll('.card').length < 5) return requestAnimationFrame(look);"
      "document.body.dispatchEvent(new KeyboardEvent('keydown', { key: ',', bubbles: true })); done(true); }; look(); "
      "})");
  browser.wait("document.querySelector('.caption').textContent === 'step 2'");
  browser.keys("v");
  browser.wait("document.querySelector('.caption').textContent === 'chain A'");
  // Chain B beside A; another picture; the spectrum.
  browser.keys("e");
  browser.set("#form", "box radius=2");
  chain("box radius=2");
  browser.wait("document.querySelector('.caption').textContent === 'chain B'");
  browser.set("#first", "A");
  browser.keys("s");
  browser.wait(
      "document.querySelectorAll('#figures [data-slot]').length === 2 && document.querySelectorAll('.caption').length "
      "=== 2");
  browser.keys("f");
  browser.wait("document.querySelector('.caption').textContent === 'spectrum of the result'");
  browser.keys("v");
  browser.click(".strip button:nth-child(2)");
  settled();
  CHECK(browser.text(".strip [aria-pressed=true]") == "other.png");
  // A rectangle becomes a group.
  browser.click("#do-single");
  browser.keys("r");
  browser.pointer(600, 390, true, 640, 410);
  browser.click("#do-within");
  browser.wait("document.getElementById('form').value.startsWith('within part=')");
  // A computation that does not end is stopped from the page.
  browser.set("#form", "forever");
  browser.wait("document.querySelector('#progress button')");
  // A struct of one's own has its slider, by its range.
  browser.set("[data-card=forever] input[type=range]", "1000");
  CHECK(browser.value("document.querySelector('[data-card=forever] .box').value") == "9");
  browser.wait("document.querySelector('#progress button')");
  browser.click("#progress button");
  browser.wait("document.getElementById('line').textContent === 'stopped on request'");
}
