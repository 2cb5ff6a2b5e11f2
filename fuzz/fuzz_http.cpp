// Requests to the server of the live page, over a socket: any bytes, and requests that are sound up to their body.

#include <arpa/inet.h>
#include <sys/socket.h>
#include <sys/time.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <string>
#include <thread>

#include "random_steps.hpp"
#include "sieve/page.hpp"

namespace {

using namespace sieve;

class Server {
 public:
  Server() : live_(setup()), serving_([this](const std::stop_token& stop) { live_.serve(stop); }) {
    const std::string address = live_.address();  // http://127.0.0.1:PORT/TOKEN/
    const std::size_t host = address.find("//") + 2, slash = address.find('/', host);
    host_ = address.substr(host, slash - host);
    path_ = address.substr(slash);
    port_ = std::stoi(host_.substr(host_.find(':') + 1));
  }
  const std::string& host() const { return host_; }
  const std::string& path() const { return path_; }

  // What comes back for what is sent, in pieces that are no more than so many milliseconds apart: a request that is not
  // whole has no answer.
  std::string asked(const std::string& request, int milliseconds) const {
    const int s = socket(AF_INET, SOCK_STREAM, 0);
    sockaddr_in to{};
    to.sin_family = AF_INET;
    to.sin_port = htons(static_cast<std::uint16_t>(port_));
    to.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    const timeval moment{milliseconds / 1000, milliseconds % 1000 * 1000};
    setsockopt(s, SOL_SOCKET, SO_RCVTIMEO, &moment, sizeof moment);
    std::string answer;
    if (connect(s, reinterpret_cast<const sockaddr*>(&to), sizeof to) == 0) {
      (void)!send(s, request.data(), request.size(), MSG_NOSIGNAL);
      char part[4096];
      // libFuzzer's alarm comes to this thread and ends a call that waits.
      for (ssize_t n = 0; (n = recv(s, part, sizeof part, 0)) > 0 || (n < 0 && errno == EINTR);)
        answer.append(part, static_cast<std::size_t>(std::max<ssize_t>(n, 0)));
    }
    close(s);
    return answer;
  }

 private:
  static page::LiveSetup setup() {
    page::LiveSetup s;
    s.inputs.push_back({"in.png", Image(24, 18, 3)});
    s.truth = page::LivePicture{"clean.png", Image(24, 18, 3)};
    s.folder = "fuzz";
    s.save = [](const std::string& name, const ConstView&, const std::string&) { return name; };
    s.save_text = [](const std::string& name, const std::string&) { return name; };
    s.chain = Chain::parse("gaussian sigma=1");
    return s;
  }
  page::Live live_;
  std::string host_, path_;
  int port_ = 0;
  std::jthread serving_;
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const Server server;
  if (size == 0) return 0;
  const std::string rest(reinterpret_cast<const char*>(data + 1), size - 1);
  constexpr const char* kPaths[] = {"picture", "run", "spectrum", "step", "forms", "read", "progress", "stop", "save"};
  std::string request = rest;
  if (data[0] % 16 != 0) {
    request = "POST " + server.path() + kPaths[data[0] / 16 % std::size(kPaths)] +
              " HTTP/1.1\r\nHost: " + server.host() +
              "\r\nContent-Type: application/json\r\nContent-Length: " + std::to_string(rest.size()) +
              "\r\nConnection: close\r\n\r\n" + rest;
  }
  constexpr int kMoment = 300, kLong = 20000;
  const std::string answer = server.asked(request, data[0] % 16 != 0 ? kLong : kMoment);
  if (!answer.empty() && !answer.starts_with("HTTP/1.1 ")) std::abort();
  // The page itself is still there.
  if (data[0] % 64 == 1 &&
      !server
           .asked("GET " + server.path() + " HTTP/1.1\r\nHost: " + server.host() + "\r\nConnection: close\r\n\r\n",
                  kLong)
           .starts_with("HTTP/1.1 200"))
    std::abort();
  return 0;
}
