#include "page/document.hpp"

#include <fmt/format.h>

#include <array>
#include <cctype>
#include <cmath>
#include <random>

#include "sieve/core/version.hpp"

namespace sieve::internal::page {

namespace {

// In a data: address nothing but letters, digits and a few marks stands for itself.
std::string percent_encoded(std::string_view text) {
  std::string out;
  out.reserve(text.size() * 5 / 4);
  for (const char ch : text) {
    const auto u = static_cast<unsigned char>(ch);
    if (std::isalnum(u) || std::string_view("-_.~()*;:,=/ ").find(ch) != std::string_view::npos) {
      out += ch;
    } else {
      out += fmt::format("%{:02X}", u);
    }
  }
  return out;
}

std::string base64(const std::string& bytes) {
  constexpr const char* kDigits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string out;
  out.reserve((bytes.size() + 2) / 3 * 4);
  for (std::size_t i = 0; i < bytes.size(); i += 3) {
    const std::size_t n = std::min<std::size_t>(3, bytes.size() - i);
    unsigned v = 0;
    for (std::size_t k = 0; k < 3; ++k) v = v << 8 | (k < n ? static_cast<unsigned char>(bytes[i + k]) : 0U);
    for (std::size_t k = 0; k < 4; ++k) out += k <= n ? kDigits[v >> (18 - 6 * k) & 63] : '=';
  }
  return out;
}

std::string escaped(std::string_view text) {
  std::string out;
  for (const char ch : text) {
    if (ch == '<') {
      out += "&lt;";
    } else if (ch == '&') {
      out += "&amp;";
    } else {
      out += ch;
    }
  }
  return out;
}

// JSON inside a script element: nothing in it may end the element.
std::string island(const nlohmann::ordered_json& value) {
  std::string text = value.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace), out;
  for (const char ch : text) {
    if (ch == '<') {
      out += "\\u003c";
    } else {
      out += ch;
    }
  }
  return out;
}

std::string_view file(std::string_view name) {
  for (const PageFile& f : page_files()) {
    if (f.name == name) return f.text;
  }
  return {};
}

}  // namespace

nlohmann::ordered_json number(double v) {
  if (std::isnan(v)) return nullptr;
  if (std::isinf(v)) return v > 0 ? "infinite" : "-infinite";
  return v;
}

std::string random_token() {
  std::random_device device;
  std::string token;
  for (int i = 0; i < 4; ++i) token += fmt::format("{:08x}", device());
  return token;
}

std::string content_policy(const std::string& nonce, bool live) {
  return fmt::format(
      "default-src 'none'; script-src 'nonce-{0}'; style-src 'nonce-{0}'; img-src data: blob:; base-uri 'none'; "
      "form-action 'none'{1}",
      nonce, live ? "; connect-src 'self'" : "");
}

std::string html_of(const nlohmann::ordered_json& document, const std::vector<std::string>& samples,
                    const std::vector<std::size_t>& first, const std::string& nonce, bool live) {
  // Modules know each other by name: a file from disk has no addresses to import from.
  nlohmann::ordered_json imports = nlohmann::ordered_json::object();
  for (const PageFile& f : page_files()) {
    if (f.name.ends_with(".js"))
      imports["page/" + std::string(f.name.substr(0, f.name.size() - 3))] =
          "data:text/javascript;charset=utf-8," + percent_encoded(f.text);
  }
  std::string out = fmt::format(
      "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
      "<meta http-equiv=\"Content-Security-Policy\" content=\"{}\">\n"
      "<meta name=\"viewport\" content=\"width=device-width\">\n<meta name=\"generator\" content=\"lean-sieve {}\">\n"
      "<link rel=\"icon\" href=\"data:,\">\n<title>{}</title>\n<style nonce=\"{}\">\n{}</style>\n",
      content_policy(nonce, live), SIEVE_VERSION, escaped(document["title"].get<std::string>()), nonce,
      file("style.css"));
  out += fmt::format("<script type=\"importmap\" nonce=\"{}\">{}</script>\n</head>\n", nonce,
                     island({{"imports", imports}}));
  out += file("body.html");
  out += fmt::format("<script type=\"application/json\" id=\"document\">{}</script>\n", island(document));
  // It begins before the samples are read: what is seen first stands first.
  out += fmt::format("<script type=\"module\" async nonce=\"{}\">import \"page/main\";</script>\n", nonce);
  for (const std::size_t i : first) {
    out += fmt::format("<script type=\"text/plain\" id=\"samples-{}\">", i);
    out += base64(samples[i]);
    out += "</script>\n";
  }
  return out + "</body>\n</html>\n";
}

}  // namespace sieve::internal::page
