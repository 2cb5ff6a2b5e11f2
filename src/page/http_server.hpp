#pragma once
// The HTTP server behind the live page: loopback only, with limits on connections, headers, bodies and time. Built on
// libmicrohttpd, which bounds the memory of a connection and stops by closing all of them.

#include <functional>
#include <memory>
#include <stop_token>
#include <string>
#include <utility>
#include <vector>

namespace sieve::internal::page {

struct HttpRequest {
  std::string method, path, host, origin, body;  // host and origin: the headers, empty where missing
  std::stop_token closed;                        // a stop is requested when the client has closed the connection
};

struct HttpResponse {
  int status = 200;
  std::string type = "text/plain";
  std::vector<std::pair<std::string, std::string>> headers = {};
  std::string head = {}, body = {};  // sent one after the other; two, so that a large body is not copied
};

// Limits. Request line and headers share the memory of a connection, so together they are shorter.
inline constexpr std::size_t kMostHeaderBytes = 16 << 10, kMostBodyBytes = 64 << 10, kMostConnections = 64;
// Until a request has arrived as a whole, counted from the start of the connection or the end of the last response, and
// until a response has been taken.
inline constexpr int kSecondsToReceive = 10, kSecondsToSend = 60;

class HttpServer {
 public:
  // Called for each request that has arrived as a whole, on the thread of its connection. What it throws becomes a
  // response with status 500.
  using Handler = std::function<HttpResponse(const HttpRequest&)>;

  // Takes a port of 127.0.0.1; 0 takes a free one. Error where that fails.
  explicit HttpServer(int port);
  ~HttpServer();
  HttpServer(const HttpServer&) = delete;
  HttpServer& operator=(const HttpServer&) = delete;

  [[nodiscard]] int port() const;
  // Answers requests from now on.
  void start(Handler handler);
  // Requests that work are asked to stop, responses under way get a moment to be sent, and all connections are closed.
  // Not to be called by a handler.
  void stop();

 private:
  struct Parts;
  std::unique_ptr<Parts> parts_;
};

}  // namespace sieve::internal::page
