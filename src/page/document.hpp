#pragma once
// The HTML around a page's contents: the modules, the style, the document and its samples in one text.

#include <nlohmann/json.hpp>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace sieve::internal::page {

// A file of page/, held in the binary.
struct PageFile {
  std::string_view name, text;
};
std::span<const PageFile> page_files();

// A number as JSON, which knows no infinity and no NaN: "infinite", "-infinite", null.
nlohmann::ordered_json number(double v);

// 32 hexadecimal digits that cannot be guessed.
std::string random_token();

// The whole HTML. `first`: the samples in the order in which they are seen. `nonce` is what scripts and styles of the
// page are known by: none but them runs. `live`: what the page may ask is its own server alone, else nothing at all.
std::string html_of(const nlohmann::ordered_json& document, const std::vector<std::string>& samples,
                    const std::vector<std::size_t>& first, const std::string& nonce, bool live);

// The strict content policy of both kinds of page.
std::string content_policy(const std::string& nonce, bool live);

}  // namespace sieve::internal::page
