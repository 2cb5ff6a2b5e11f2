#include "page/http_server.hpp"

#include <arpa/inet.h>
#include <fmt/format.h>
#include <microhttpd.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <charconv>
#include <chrono>
#include <condition_variable>
#include <cstdint>
#include <cstring>
#include <mutex>
#include <optional>
#include <set>
#include <string_view>
#include <thread>

#include "sieve/core/error.hpp"

namespace sieve::internal::page {

namespace {

using Clock = std::chrono::steady_clock;

struct Connection {
  int socket = -1;
  enum class State { receiving, working, sending } state = State::receiving;
  Clock::time_point since = Clock::now();
  std::stop_source closed;
  std::string body;
  bool begun = false;  // the headers of a request have arrived
};

const char* header(MHD_Connection* c, const char* name) {
  const char* value = MHD_lookup_connection_value(c, MHD_HEADER_KIND, name);
  return value != nullptr ? value : "";
}

// The length of the body that is announced; nothing where it is not a number that is allowed.
std::optional<std::size_t> body_length(MHD_Connection* c) {
  if (MHD_lookup_connection_value(c, MHD_HEADER_KIND, MHD_HTTP_HEADER_TRANSFER_ENCODING) != nullptr)
    return std::nullopt;
  const std::string_view text = header(c, MHD_HTTP_HEADER_CONTENT_LENGTH);
  if (text.empty()) return 0;
  std::size_t length = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), length);
  if (error != std::errc() || end != text.data() + text.size() || length > kMostBodyBytes) return std::nullopt;
  return length;
}

}  // namespace

struct HttpServer::Parts {
  int listening = -1, port = 0;
  Handler handler;
  MHD_Daemon* daemon = nullptr;
  std::mutex mutex;
  std::condition_variable_any changed;
  std::set<Connection*> connections;
  std::jthread watching;

  // --- called by the library; nothing may be thrown through its frames ---

  static void notify(void* self, MHD_Connection* c, void** context, MHD_ConnectionNotificationCode code) {
    auto& p = *static_cast<Parts*>(self);
    const std::lock_guard lock(p.mutex);
    if (code == MHD_CONNECTION_NOTIFY_CLOSED) {
      auto* connection = static_cast<Connection*>(*context);
      p.connections.erase(connection);
      delete connection;
      p.changed.notify_all();
      return;
    }
    try {
      auto connection = std::make_unique<Connection>();
      connection->socket = MHD_get_connection_info(c, MHD_CONNECTION_INFO_CONNECTION_FD)->connect_fd;
      const int yes = 1;
      ::setsockopt(connection->socket, IPPROTO_TCP, TCP_NODELAY, &yes, sizeof yes);
      if (p.connections.size() >= kMostConnections) p.close_oldest_idle();
      p.connections.insert(connection.get());
      *context = connection.release();
    } catch (const std::bad_alloc&) {
      *context = nullptr;  // refused when its request arrives
    }
  }

  static void completed(void* self, MHD_Connection* c, void** request, MHD_RequestTerminationCode) {
    auto& p = *static_cast<Parts*>(self);
    *request = nullptr;
    if (auto* connection = connection_of(c)) {
      const std::lock_guard lock(p.mutex);
      connection->state = Connection::State::receiving;
      connection->since = Clock::now();
      connection->begun = false;
      connection->body = {};
      p.changed.notify_all();
    }
  }

  static MHD_Result access(void* self, MHD_Connection* c, const char* url, const char* method, const char*,
                           const char* upload, std::size_t* upload_size, void** request) {
    auto& p = *static_cast<Parts*>(self);
    auto* connection = connection_of(c);
    if (connection == nullptr) return MHD_NO;
    try {
      if (!connection->begun) {
        connection->begun = true;
        *request = connection;
        if (body_length(c)) return MHD_YES;
        return p.send(c, {.status = 413,
                          .headers = {{"Connection", "close"}},
                          .body = fmt::format("a request has a Content-Length of at most {} bytes\n", kMostBodyBytes)});
      }
      if (*upload_size > 0) {
        if (connection->body.size() + *upload_size > kMostBodyBytes) return MHD_NO;
        connection->body.append(upload, *upload_size);
        *upload_size = 0;
        return MHD_YES;
      }
      return p.send(c, p.response_to(*connection, {method, url, header(c, MHD_HTTP_HEADER_HOST), header(c, "Origin"),
                                                   std::move(connection->body), connection->closed.get_token()}));
    } catch (...) {
      return MHD_NO;  // the connection is closed
    }
  }

  static Connection* connection_of(MHD_Connection* c) {
    return static_cast<Connection*>(MHD_get_connection_info(c, MHD_CONNECTION_INFO_SOCKET_CONTEXT)->socket_context);
  }

  // --- our part ---

  HttpResponse response_to(Connection& connection, const HttpRequest& request) {
    enter(connection, Connection::State::working);
    try {
      return handler(request);
    } catch (const std::exception& e) {
      return {.status = 500, .body = std::string(e.what()) + "\n"};
    } catch (...) {
      return {.status = 500, .body = "the work failed\n"};
    }
  }

  MHD_Result send(MHD_Connection* c, HttpResponse r) {
    enter(*connection_of(c), Connection::State::sending);
    // Owned by the library from here on.
    auto held = std::make_unique<HttpResponse>(std::move(r));
    const MHD_IoVec parts[] = {{held->head.data(), held->head.size()}, {held->body.data(), held->body.size()}};
    const bool no_head = held->head.empty(), no_body = held->body.empty();
    MHD_Response* response = MHD_create_response_from_iovec(
        parts + (no_head ? 1 : 0), 2U - (no_head ? 1U : 0U) - (no_body ? 1U : 0U),
        [](void* h) { delete static_cast<HttpResponse*>(h); }, held.get());
    if (response == nullptr) return MHD_NO;
    const HttpResponse& sent = *held.release();
    bool good = MHD_add_response_header(response, MHD_HTTP_HEADER_CONTENT_TYPE, sent.type.c_str()) == MHD_YES;
    for (const auto& [name, value] : sent.headers)
      good = good && MHD_add_response_header(response, name.c_str(), value.c_str()) == MHD_YES;
    const MHD_Result queued = good ? MHD_queue_response(c, static_cast<unsigned>(sent.status), response) : MHD_NO;
    MHD_destroy_response(response);
    return queued;
  }

  void enter(Connection& connection, Connection::State state) {
    const std::lock_guard lock(mutex);
    connection.state = state;
    connection.since = Clock::now();
    changed.notify_all();
  }

  // A new connection takes the place of the one that has waited longest for the rest of its request.
  void close_oldest_idle() {
    Connection* oldest = nullptr;
    for (Connection* c : connections) {
      if (c->state == Connection::State::receiving && (oldest == nullptr || c->since < oldest->since)) oldest = c;
    }
    if (oldest != nullptr) ::shutdown(oldest->socket, SHUT_RDWR);
  }

  // Closes connections whose time is over, and notices clients that are gone while their request is worked on.
  void watch(const std::stop_token& done) {
    constexpr auto kEvery = std::chrono::milliseconds(50);
    std::unique_lock lock(mutex);
    while (!done.stop_requested()) {
      const auto now = Clock::now();
      for (Connection* c : connections) {
        const auto spent = now - c->since;
        pollfd gone{c->socket, POLLRDHUP, 0};
        if (c->state == Connection::State::working) {
          if (::poll(&gone, 1, 0) > 0) c->closed.request_stop();
        } else if (spent > std::chrono::seconds(c->state == Connection::State::receiving ? kSecondsToReceive
                                                                                         : kSecondsToSend)) {
          ::shutdown(c->socket, SHUT_RDWR);
        }
      }
      changed.wait_for(lock, done, kEvery, [] { return false; });
    }
  }

  bool any(Connection::State state) const {
    return std::any_of(connections.begin(), connections.end(), [state](Connection* c) { return c->state == state; });
  }
};

HttpServer::HttpServer(int port) : parts_(std::make_unique<Parts>()) {
  Parts& p = *parts_;
  const auto fail = [&](const char* what) {
    const std::string why = std::strerror(errno);
    if (p.listening >= 0) ::close(p.listening);
    throw Error(fmt::format("port {}: cannot {}: {}; give another, or none", port, what, why));
  };
  p.listening = ::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0);
  if (p.listening < 0) fail("open a socket");
  const int yes = 1;
  ::setsockopt(p.listening, SOL_SOCKET, SO_REUSEADDR, &yes, sizeof yes);
  sockaddr_in address{};
  address.sin_family = AF_INET;
  address.sin_port = htons(static_cast<std::uint16_t>(port));
  address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  socklen_t size = sizeof address;
  auto* any = reinterpret_cast<sockaddr*>(&address);
  if (::bind(p.listening, any, size) != 0 || ::listen(p.listening, kMostConnections) != 0 ||
      ::getsockname(p.listening, any, &size) != 0)
    fail("listen");
  p.port = ntohs(address.sin_port);
}

HttpServer::~HttpServer() {
  stop();
  if (parts_->listening >= 0) ::close(parts_->listening);
}

int HttpServer::port() const { return parts_->port; }

void HttpServer::start(Handler handler) {
  Parts& p = *parts_;
  p.handler = std::move(handler);
  // The library drops new connections at its own limit, which leaves room for those that are being closed.
  constexpr unsigned kFlags = MHD_USE_THREAD_PER_CONNECTION | MHD_USE_INTERNAL_POLLING_THREAD | MHD_USE_POLL;
  p.daemon = MHD_start_daemon(kFlags, 0, nullptr, nullptr, &Parts::access, &p, MHD_OPTION_LISTEN_SOCKET, p.listening,
                              MHD_OPTION_CONNECTION_LIMIT, 8U * kMostConnections, MHD_OPTION_CONNECTION_MEMORY_LIMIT,
                              kMostHeaderBytes, MHD_OPTION_CONNECTION_TIMEOUT, static_cast<unsigned>(kSecondsToSend),
                              MHD_OPTION_NOTIFY_CONNECTION, &Parts::notify, &p, MHD_OPTION_NOTIFY_COMPLETED,
                              &Parts::completed, &p, MHD_OPTION_END);
  if (p.daemon == nullptr) throw Error(fmt::format("port {}: the server cannot be started", p.port));
  p.listening = -1;  // closed by the library
  p.watching = std::jthread([&p](const std::stop_token& done) { p.watch(done); });
}

void HttpServer::stop() {
  Parts& p = *parts_;
  if (p.daemon == nullptr) return;
  {
    constexpr auto kMoment = std::chrono::milliseconds(300);
    std::unique_lock lock(p.mutex);
    for (Connection* c : p.connections) c->closed.request_stop();
    p.changed.wait_for(lock, kMoment,
                       [&p] { return !p.any(Connection::State::working) && !p.any(Connection::State::sending); });
  }
  p.watching = {};
  MHD_stop_daemon(p.daemon);
  p.daemon = nullptr;
}

}  // namespace sieve::internal::page
