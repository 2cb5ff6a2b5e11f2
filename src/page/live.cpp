#include "sieve/page/live.hpp"

#include <fmt/format.h>
#include <httplib.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <map>
#include <mutex>
#include <nlohmann/json.hpp>
#include <set>
#include <thread>

#include "page/coding.hpp"
#include "page/describing.hpp"
#include "page/desk.hpp"
#include "page/document.hpp"
#include "sieve/core/version.hpp"
#include "sieve/filter/recipe.hpp"
#include "sieve/spectral/spectrum.hpp"

namespace sieve::page {

using nlohmann::json;
using nlohmann::ordered_json;
using namespace internal::page;

namespace {

constexpr std::size_t kMostBody = 1 << 16, kMostSteps = 200, kMostPages = 4;

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

// The length of the words, the words up to a multiple of four, the samples; sent from where they lie.
void reply(httplib::Response& response, ordered_json told, Coded c) {
  told["samples"] = std::move(c.head);
  std::string words = told.dump(-1, ' ', false, json::error_handler_t::replace);
  words.resize((words.size() + 3) / 4 * 4, ' ');
  words = bytes_of(static_cast<std::uint32_t>(words.size())) + words;
  const auto held = std::make_shared<std::pair<std::string, std::string>>(std::move(words), std::move(c.bytes));
  response.set_content_provider(held->first.size() + held->second.size(), "application/octet-stream",
                                [held](std::size_t from, std::size_t length, httplib::DataSink& sink) {
                                  const bool first = from < held->first.size();
                                  const std::string& part = first ? held->first : held->second;
                                  const std::size_t at = first ? from : from - held->first.size();
                                  return sink.write(part.data() + at, std::min(length, part.size() - at));
                                });
}

void reply(httplib::Response& response, const ordered_json& told) {
  response.set_content(told.dump(-1, ' ', false, json::error_handler_t::replace), "application/json");
}

}  // namespace

struct Live::Parts {
  LiveSetup setup;
  const Catalogue* catalogue = nullptr;
  httplib::Server server;
  std::string token = random_token(), address, host;
  int port = 0;
  std::set<std::string> named;
  std::mutex guard;
  struct Place {
    std::shared_ptr<Desk> desk;
    std::uint64_t used = 0;  // by which request last
  };
  std::map<std::string, Place> desks;
  std::uint64_t requests = 0;
  std::atomic<bool> ending = false;
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
    const auto i = body.value("input", std::size_t{0});
    if (i >= setup.inputs.size()) throw InvalidArgument(fmt::format("there is no picture {}", i));
    return i;
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
    if (const auto p = body.find("part"); p != body.end() && p->is_array())
      o.part = Rectangle{p->at(0).get<int>(), p->at(1).get<int>(), p->at(2).get<int>(), p->at(3).get<int>()};
    o.shrink = std::clamp(body.value("shrink", 1), 1, 1000);
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
  template <class Work>
  void answer(const char* path, Work work) {
    server.Post("/" + token + path, [work](const httplib::Request& request, httplib::Response& response) {
      const auto fail = [&](int status, const std::string& line) {
        response.status = status;
        response.set_content(ordered_json{{"error", line}}.dump(-1, ' ', false, json::error_handler_t::replace),
                             "application/json");
      };
      try {
        work(json::parse(request.body), response);
      } catch (const Canceled&) {
        fail(409, "a newer request came");
      } catch (const json::exception&) {
        fail(400, "the request is no JSON that is understood here");
      } catch (const InvalidArgument& e) {
        fail(422, e.what());
      } catch (const std::bad_alloc&) {
        fail(500, "memory ran out");
      } catch (const std::exception& e) {
        fail(500, e.what());
      }
    });
  }

  void declare() {
    server.set_payload_max_length(kMostBody);
    server.set_tcp_nodelay(true);
    // Without the library's own choice, by which two servers may listen on one port.
    server.set_socket_options([](socket_t socket) {
      const int yes = 1;
      setsockopt(socket, SOL_SOCKET, SO_REUSEADDR, &yes, sizeof yes);
    });
    // A browser keeps several connections of a page open; each takes a thread while it is.
    server.set_keep_alive_max_count(1'000'000);
    server.set_keep_alive_timeout(2);
    server.new_task_queue = [] { return new httplib::ThreadPool(64); };
    server.set_default_headers({{"Cache-Control", "no-store"},
                                {"X-Content-Type-Options", "nosniff"},
                                {"Referrer-Policy", "no-referrer"},
                                {"Cross-Origin-Resource-Policy", "same-origin"},
                                {"X-Frame-Options", "DENY"}});
    // Another page of the same browser can send requests here, but not with this host, origin and token.
    server.set_pre_routing_handler([this](const httplib::Request& request, httplib::Response& response) {
      const std::string asked = request.get_header_value("Host"), origin = request.get_header_value("Origin");
      if (asked != host || (!origin.empty() && origin != "http://" + host)) {
        response.status = 403;
        response.set_content("refused: this page is for " + host + " alone\n", "text/plain");
        return httplib::Server::HandlerResponse::Handled;
      }
      if (!request.path.starts_with("/" + token + "/")) {
        response.status = 404;
        response.set_content("there is no such page: the address that `lsieve live` printed is the whole one\n",
                             "text/plain");
        return httplib::Server::HandlerResponse::Handled;
      }
      return httplib::Server::HandlerResponse::Unhandled;
    });
    server.Get("/" + token + "/", [this](const httplib::Request&, httplib::Response& response) {
      const std::string nonce = random_token();
      response.set_header("Content-Security-Policy", content_policy(nonce, true) + "; frame-ancestors 'none'");
      response.set_content(html(nonce), "text/html; charset=utf-8");
    });
    answer("/picture", [this](const json& body, httplib::Response& response) {
      const bool clean = body.value("truth", false);
      if (clean && !setup.truth) throw InvalidArgument("there is no truth");
      reply(response, ordered_json::object(),
            coded(clean ? setup.truth->image : setup.inputs[input(body)].image, kExact, false));
    });
    answer("/run", [this](const json& body, httplib::Response& response) {
      const auto d = desk(body);
      const Order o = order(body);
      Served s = d->serve(o, in(o), truth());
      reply(response, std::move(s.told), o.figures ? coded(s.image, kExact, false) : glimpse(s.image));
    });
    answer("/spectrum", [this](const json& body, httplib::Response& response) {
      const auto d = desk(body);
      const Order o = order(body);
      reply(response, ordered_json::object(),
            coded(spectrum_image(spectrum(d->whole(o, in(o)), Taper::periodic)), kExact, false));
    });
    answer("/step", [this](const json& body, httplib::Response& response) {
      const auto d = desk(body);
      Order o = order(body);
      if (o.chain.steps().empty())
        return reply(response, ordered_json{{"grids", json::array()}, {"plots", json::array()}});
      const Filter last = o.chain.steps().back();
      o.chain = Chain(std::vector<Filter>(o.chain.steps().begin(), o.chain.steps().end() - 1));
      reply(response, shown_of(last, d->whole(o, in(o)), resources()));
    });
    answer("/forms", [this](const json& body, httplib::Response& response) {
      const Chain c = chain(body);
      ordered_json meanings = ordered_json::array();
      for (const Filter& f : c.steps()) meanings.push_back(f.meaning());
      reply(response, ordered_json{{"text", c.text()},
                                   {"command", command_of(setup.inputs[input(body)].name, c)},
                                   {"recipe", recipe_text(c)},
                                   {"source", source_text(c)},
                                   {"meanings", meanings}});
    });
    answer("/read", [this](const json& body, httplib::Response& response) {
      reply(response, ordered_json{{"chain", cards_of(chain(body))}});
    });
    answer("/save", [this](const json& body, httplib::Response& response) {
      const std::string name = plain_name(body);
      const Order o = order(body);
      if (!setup.save || !setup.save_text) throw InvalidArgument("this page was started without a place to save to");
      const std::string line = body.value("what", std::string()) == "recipe"
                                   ? setup.save_text(name, recipe_text(o.chain))
                                   : setup.save(name, desk(body)->whole(o, in(o)), record_of(o.chain));
      reply(response, ordered_json{{"line", line}});
    });
    answer("/progress", [this](const json& body, httplib::Response& response) {
      reply(response, ordered_json{{"share", desk(body)->share()}});
    });
    answer("/stop", [this](const json& body, httplib::Response& response) {
      desk(body)->stop();
      reply(response, ordered_json::object());
    });
    answer("/goodbye", [this](const json&, httplib::Response& response) {
      reply(response, ordered_json::object());
      end();
    });
  }

  void end() {
    ending = true;
    {
      const std::lock_guard lock(guard);
      for (const auto& [page, place] : desks) place.desk->stop();
    }
    server.stop();
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
  const int port = p.setup.port;
  p.port = port > 0 ? (p.server.bind_to_port("127.0.0.1", port) ? port : -1) : p.server.bind_to_any_port("127.0.0.1");
  if (p.port <= 0)
    throw Error(fmt::format("port {} cannot be listened on: it is taken or not allowed; give another, or none", port));
  p.host = fmt::format("127.0.0.1:{}", p.port);
  p.address = fmt::format("http://{}/{}/", p.host, p.token);
}

Live::~Live() = default;

const std::string& Live::address() const { return parts_->address; }

void Live::serve(const std::stop_token& stop) {
  Parts& p = *parts_;
  const std::stop_callback ends(stop, [&p] { p.end(); });
  // A stop that comes before the server listens is lost on it.
  const std::jthread insisting([&p](const std::stop_token& done) {
    for (; !done.stop_requested(); std::this_thread::sleep_for(std::chrono::milliseconds(20))) {
      if (p.ending) p.server.stop();
    }
  });
  // The library gives up its port where a connection cannot be taken, one that its other end dropped among them.
  while (!p.server.listen_after_bind() && !p.ending) {
    std::this_thread::sleep_for(std::chrono::milliseconds(50));  // where the system is short of something, it stays so
    if (!p.server.bind_to_port("127.0.0.1", p.port))
      throw Error(fmt::format("port {} was lost and cannot be listened on again: start the page anew", p.port));
  }
}

}  // namespace sieve::page
