#include "sieve/page/live.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <condition_variable>
#include <map>
#include <mutex>
#include <nlohmann/json.hpp>
#include <set>

#include "core/to_integer.hpp"
#include "page/coding.hpp"
#include "page/describing.hpp"
#include "page/desk.hpp"
#include "page/document.hpp"
#include "page/http_server.hpp"
#include "sieve/core/version.hpp"
#include "sieve/filter/recipe.hpp"
#include "sieve/spectral/spectrum.hpp"

namespace sieve::page {

using nlohmann::json;
using nlohmann::ordered_json;
using namespace internal::page;

namespace {

constexpr std::size_t kMostSteps = 200, kMostPages = 4;

// Names of files among the values of a chain's parameters.
void collect_names(const Chain& chain, std::set<std::string>& names) {
  for (const Filter& f : chain.steps()) {
    for (const Parameter& p : f.about().parameters) {
      if (p.kind != ParameterKind::text) continue;
      const std::string value = f.get(p.name);
      names.insert(value.starts_with('@') ? value.substr(1) : value);
    }
    if (f.group() != nullptr) collect_names(*f.group(), names);
  }
}

// A word as a shell takes it.
std::string shell_word(const std::string& word) {
  const bool plain = !word.empty() && std::all_of(word.begin(), word.end(), [](char c) {
    return std::isalnum(static_cast<unsigned char>(c)) ||
           std::string_view("_-+=.,:/@%").find(c) != std::string_view::npos;
  });
  if (plain) return word;
  std::string out = "'";
  for (const char c : word) out += c == '\'' ? std::string("'\\''") : std::string(1, c);
  return out + "'";
}

std::string command_of(const std::string& in, const Chain& chain) {
  std::string line = "lsieve apply " + shell_word(in) + " result.png";
  for (const std::string& word : words_of(chain.text())) line += " " + shell_word(word);
  return line;
}

// A name that lies in the folder of the tool and nowhere else.
std::string plain_name(const json& body) {
  std::string name = body.at("name").get<std::string>();
  const bool good = !name.empty() && name.size() <= 100 && name[0] != '.' && name[0] != '-' &&
                    std::all_of(name.begin(), name.end(), [](char c) {
                      return std::isalnum(static_cast<unsigned char>(c)) || c == '.' || c == '_' || c == '-';
                    });
  if (!good)
    throw InvalidArgument("the name '" + name.substr(0, 100) +
                          "' cannot be saved under: give letters, digits, '.', '_' and '-' alone, no folder");
  return name;
}

std::string bytes_of(std::uint32_t n) {
  std::string out(4, '\0');
  for (std::size_t i = 0; i < 4; ++i) out[i] = static_cast<char>(n >> (8 * i) & 255);
  return out;
}

HttpResponse reply(const ordered_json& told, int status = 200) {
  return {
      .status = status, .type = "application/json", .body = told.dump(-1, ' ', false, json::error_handler_t::replace)};
}

// The length of the words, the words up to a multiple of four, the samples.
HttpResponse reply(ordered_json told, Coded c) {
  told["samples"] = std::move(c.head);
  std::string words = told.dump(-1, ' ', false, json::error_handler_t::replace);
  words.resize((words.size() + 3) / 4 * 4, ' ');
  words = bytes_of(static_cast<std::uint32_t>(words.size())) + words;
  return {.type = "application/octet-stream", .head = std::move(words), .body = std::move(c.bytes)};
}

// A request to one of the paths below the token.
struct Asked {
  const json& body;
  const std::stop_token& closed;
};

}  // namespace

struct Live::Parts {
  LiveSetup setup;
  const Catalogue* catalogue = nullptr;
  std::unique_ptr<HttpServer> server;
  std::string token = random_token(), address, host;
  std::map<std::string, std::function<HttpResponse(const Asked&)>> answers;  // by path
  std::set<std::string> named;
  std::mutex guard;
  struct Place {
    std::shared_ptr<Desk> desk;
    std::uint64_t used = 0;  // by which request last
  };
  std::map<std::string, Place> desks;
  std::uint64_t requests = 0;
  std::condition_variable_any ended;
  bool ending = false;
  std::map<std::string, std::shared_ptr<const Image>> opened;

  const Image* truth() const { return setup.truth ? &setup.truth->image : nullptr; }

  // What chains of the page may open: what was named when the page was made.
  Resources resources() {
    Resources r;
    r.catalogue = catalogue;
    const auto allowed = [this](const std::string& name) {
      if (!named.contains(name))
        throw InvalidArgument("'" + name +
                              "' was not named when the page was started, and the page opens no other files: name it "
                              "there as a further input");
    };
    r.picture = [this, allowed](const std::string& name) -> Image {
      for (const LivePicture& p : setup.inputs) {
        if (p.name == name) return p.image;
      }
      if (setup.truth && setup.truth->name == name) return setup.truth->image;
      allowed(name);
      const std::lock_guard lock(guard);
      auto& kept = opened[name];
      if (!kept) kept = std::make_shared<const Image>(setup.resources.open_picture(name));
      return *kept;
    };
    r.text = [this, allowed](const std::string& name) {
      allowed(name);
      return setup.resources.open_text(name);
    };
    return r;
  }

  std::shared_ptr<Desk> desk(const json& body) {
    const std::string page = body.at("page").get<std::string>();
    if (page.size() > 40) throw InvalidArgument("a page has a name of at most 40 characters");
    const std::lock_guard lock(guard);
    // The page that was quiet for longest makes room: what it had worked out is made again when it asks.
    if (!desks.contains(page) && desks.size() >= kMostPages) {
      const auto quiet = std::min_element(desks.begin(), desks.end(),
                                          [](const auto& x, const auto& y) { return x.second.used < y.second.used; });
      quiet->second.desk->stop();
      desks.erase(quiet);
    }
    Place& place = desks[page];
    place.used = ++requests;
    if (!place.desk) place.desk = std::make_shared<Desk>();
    return place.desk;
  }

  std::size_t input(const json& body) const {
    const double i = body.value("input", 0.0);
    if (!(i >= 0 && i < static_cast<double>(setup.inputs.size())))
      throw InvalidArgument(fmt::format("there is no picture {}", i));
    return static_cast<std::size_t>(i);
  }

  // The chain of words; what is wrong is told with the number of its step, for the card that it belongs to.
  Chain parsed(const std::vector<std::string>& words) {
    try {
      return Chain::parse(words, *catalogue, resources());
    } catch (const InvalidArgument& e) {
      int number = 1;
      for (auto end = words.begin(); end != words.end(); ++number) {
        end = std::find(end, words.end(), "then");
        try {
          (void)Chain::parse(std::vector<std::string>(words.begin(), end), *catalogue, resources());
        } catch (const InvalidArgument&) {
          break;
        }
        if (end != words.end()) ++end;
      }
      throw InvalidArgument(fmt::format("step {}: {}", number, e.what()));
    }
  }

  Chain chain(const json& body) {
    const std::vector<std::string> words = words_of(body.value("chain", std::string()));
    Chain c = words.empty() ? Chain() : parsed(words);
    if (c.steps().size() > kMostSteps)
      throw InvalidArgument(fmt::format("{} steps: at most {} are allowed here", c.steps().size(), kMostSteps));
    if (const auto upto = body.find("upto"); upto != body.end() && upto->is_number_unsigned()) {
      const auto& steps = c.steps();
      c = Chain(std::vector<Filter>(steps.begin(), steps.begin() + static_cast<std::ptrdiff_t>(std::min(
                                                                       upto->get<std::size_t>(), steps.size()))));
    }
    return c;
  }

  Order order(const json& body) {
    Order o;
    o.slot = body.value("slot", std::string("A"));
    if (o.slot != "A" && o.slot != "B" && o.slot != "S" && o.slot != "K")
      throw InvalidArgument("a page has the chains A, B, S (first steps) and K (before a step) alone");
    o.input = input(body);
    o.chain = chain(body);
    if (const auto p = body.find("part"); p != body.end() && p->is_array()) {
      const auto number = [&](std::size_t i) { return internal::to_integer<int>(p->at(i).get<double>()); };
      o.part = Rectangle{number(0), number(1), number(2), number(3)};
    }
    o.shrink = internal::to_integer(body.value("shrink", 1.0), 1, 1000);
    o.figures = body.value("figures", false);
    return o;
  }

  const Image& in(const Order& o) const { return setup.inputs[o.input].image; }

  // The page itself, with what it needs to know to begin.
  std::string html(const std::string& nonce) {
    ordered_json inputs = ordered_json::array();
    for (const LivePicture& p : setup.inputs)
      inputs.push_back({{"name", p.name},
                        {"width", p.image.width()},
                        {"height", p.image.height()},
                        {"channels", p.image.channels()},
                        {"white", p.image.white_level()}});
    ordered_json d = {{"title", setup.inputs[0].name},
                      {"subtitle", ""},
                      {"made", "lean-sieve " SIEVE_VERSION},
                      {"pictures", ordered_json::array()}};
    d["live"] = {{"inputs", inputs},
                 {"truth", setup.truth ? setup.truth->name : ""},
                 {"chain", cards_of(setup.chain)},
                 {"catalogue", described(*catalogue)},
                 {"folder", setup.folder},
                 {"saves", static_cast<bool>(setup.save)}};
    return html_of(d, {}, {}, nonce, true);
  }

  // An answer in JSON, or the words of what went wrong.
  HttpResponse answer(const std::string& path, const HttpRequest& request) {
    const auto fail = [&](int status, const std::string& line) { return reply(ordered_json{{"error", line}}, status); };
    const auto found = answers.find(path);
    if (found == answers.end() || request.method != "POST")
      return fail(404, "there is no such request; the page knows its own");
    try {
      return found->second({json::parse(request.body), request.closed});
    } catch (const Canceled&) {
      return fail(409, "a newer request came");
    } catch (const json::exception&) {
      return fail(400, "the request is no JSON that is understood here");
    } catch (const InvalidArgument& e) {
      return fail(422, e.what());
    } catch (const std::bad_alloc&) {
      return fail(500, "memory ran out");
    } catch (const std::exception& e) {
      return fail(500, e.what());
    }
  }

  HttpResponse respond(const HttpRequest& request) {
    HttpResponse r = routed(request);
    for (const auto& [name, value] : {std::pair{"Cache-Control", "no-store"},
                                      {"X-Content-Type-Options", "nosniff"},
                                      {"Referrer-Policy", "no-referrer"},
                                      {"Cross-Origin-Resource-Policy", "same-origin"},
                                      {"X-Frame-Options", "DENY"}})
      r.headers.emplace_back(name, value);
    return r;
  }

  HttpResponse routed(const HttpRequest& request) {
    // Another page of the same browser can send requests here, but not with this host, origin and token.
    if (request.host != host || (!request.origin.empty() && request.origin != "http://" + host))
      return {.status = 403, .body = "refused: this page is for " + host + " alone\n"};
    const std::string root = "/" + token + "/";
    if (!request.path.starts_with(root))
      return {.status = 404,
              .body = "there is no such page: the address that `lsieve live` printed is the whole one\n"};
    if (request.path == root && request.method == "GET") {
      const std::string nonce = random_token();
      return {.type = "text/html; charset=utf-8",
              .headers = {{"Content-Security-Policy", content_policy(nonce, true) + "; frame-ancestors 'none'"}},
              .body = html(nonce)};
    }
    return answer(request.path.substr(root.size()), request);
  }

  void declare() {
    answers["picture"] = [this](const Asked& asked) {
      const json& body = asked.body;
      const bool clean = body.value("truth", false);
      if (clean && !setup.truth) throw InvalidArgument("there is no truth");
      return reply(ordered_json::object(),
                   coded(clean ? setup.truth->image : setup.inputs[input(body)].image, kExact, false));
    };
    answers["run"] = [this](const Asked& asked) {
      const json& body = asked.body;
      const auto d = desk(body);
      const Order o = order(body);
      Served s = d->serve(o, in(o), truth(), asked.closed);
      return reply(std::move(s.told), o.figures ? coded(s.image, kExact, false) : glimpse(s.image));
    };
    answers["spectrum"] = [this](const Asked& asked) {
      const json& body = asked.body;
      const auto d = desk(body);
      const Order o = order(body);
      return reply(ordered_json::object(),
                   coded(spectrum_image(spectrum(d->whole(o, in(o), asked.closed), Taper::periodic)), kExact, false));
    };
    answers["step"] = [this](const Asked& asked) {
      const json& body = asked.body;
      const auto d = desk(body);
      Order o = order(body);
      if (o.chain.steps().empty()) return reply(ordered_json{{"grids", json::array()}, {"plots", json::array()}});
      const Filter last = o.chain.steps().back();
      o.chain = Chain(std::vector<Filter>(o.chain.steps().begin(), o.chain.steps().end() - 1));
      return reply(shown_of(last, d->whole(o, in(o), asked.closed), resources()));
    };
    answers["forms"] = [this](const Asked& asked) {
      const json& body = asked.body;
      const Chain c = chain(body);
      ordered_json meanings = ordered_json::array();
      for (const Filter& f : c.steps()) meanings.push_back(f.meaning());
      return reply(ordered_json{{"text", c.text()},
                                {"command", command_of(setup.inputs[input(body)].name, c)},
                                {"recipe", recipe_text(c)},
                                {"source", source_text(c)},
                                {"meanings", meanings}});
    };
    answers["read"] = [this](const Asked& asked) {
      const json& body = asked.body;
      return reply(ordered_json{{"chain", cards_of(chain(body))}});
    };
    answers["save"] = [this](const Asked& asked) {
      const json& body = asked.body;
      const std::string name = plain_name(body);
      const Order o = order(body);
      if (!setup.save || !setup.save_text) throw InvalidArgument("this page was started without a place to save to");
      const std::string line = body.value("what", std::string()) == "recipe"
                                   ? setup.save_text(name, recipe_text(o.chain))
                                   : setup.save(name, desk(body)->whole(o, in(o), asked.closed), record_of(o.chain));
      return reply(ordered_json{{"line", line}});
    };
    answers["progress"] = [this](const Asked& asked) {
      const json& body = asked.body;
      return reply(ordered_json{{"share", desk(body)->share()}});
    };
    answers["stop"] = [this](const Asked& asked) {
      const json& body = asked.body;
      desk(body)->stop();
      return reply(ordered_json::object());
    };
    answers["goodbye"] = [this](const Asked&) {
      end();
      return reply(ordered_json::object());
    };
  }

  void end() {
    const std::lock_guard lock(guard);
    ending = true;
    for (const auto& [page, place] : desks) place.desk->stop();
    ended.notify_all();
  }
};

Live::Live(LiveSetup setup) : parts_(std::make_unique<Parts>()) {
  Parts& p = *parts_;
  p.setup = std::move(setup);
  p.catalogue = p.setup.catalogue != nullptr ? p.setup.catalogue : &Catalogue::standard();
  if (p.setup.inputs.empty()) throw InvalidArgument("a live page needs a picture: give one or more inputs");
  if (p.setup.truth) {
    const Shape &a = p.setup.inputs[0].image.shape(), &b = p.setup.truth->image.shape();
    if (a.width != b.width || a.height != b.height || a.color_channels() != b.color_channels())
      throw InvalidArgument(fmt::format("{} is {}, the truth {} is {}: both need one size and the same color channels",
                                        p.setup.inputs[0].name, text_of(a).text, p.setup.truth->name, text_of(b).text));
  }
  collect_names(p.setup.chain, p.named);
  p.declare();
  p.server = std::make_unique<HttpServer>(p.setup.port);
  p.host = fmt::format("127.0.0.1:{}", p.server->port());
  p.address = fmt::format("http://{}/{}/", p.host, p.token);
}

Live::~Live() = default;

const std::string& Live::address() const { return parts_->address; }

void Live::serve(const std::stop_token& stop) {
  Parts& p = *parts_;
  p.server->start([&p](const HttpRequest& request) { return p.respond(request); });
  {
    std::unique_lock lock(p.guard);
    p.ended.wait(lock, stop, [&p] { return p.ending; });
  }
  p.end();
  p.server->stop();
}

}  // namespace sieve::page
