#pragma once
/// Chains on record: recipe files, and the line that a written picture carries.

#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/filter/chain.hpp"

namespace SIEVE_EXPORT sieve {

/// The words of a chain (as Chain::parse takes them) from the text of a recipe, a TOML file:
///
///     lean_sieve = 1            # version of the format
///     [[step]]
///     filter = "gaussian"
///     sigma = 2.0
///
/// Every step is checked; InvalidArgument names `file`, the line and what is allowed. A string that is no value of its
/// parameter but holds a range of values ("0.5..4:8", "1|2|3") is passed on when `ranges` is true.
[[nodiscard]] std::vector<std::string> recipe_words(const std::string& text, const std::string& file,
                                                    const Catalogue& catalogue = Catalogue::standard(),
                                                    const Resources& resources = {}, bool ranges = false);

/// A recipe that recipe_words() reads back, with every parameter.
[[nodiscard]] std::string recipe_text(const Chain& chain);

/// C++ that makes the chain: a function `sieve::Chain chain()` with one variable a step, which compiles with
/// `#include <sieve/sieve.hpp>` and the headers of one's own filters. What differs from the defaults is given as text;
/// what names a file is opened by sieve::io::resources().
[[nodiscard]] std::string source_text(const Chain& chain);

/// "lean-sieve 0.1.0 | gaussian sigma=2 ...": version and chain with every parameter and seed.
[[nodiscard]] std::string record_of(const Chain& chain);

/// The chain text of a record; InvalidArgument where it is none.
[[nodiscard]] std::string chain_text_of_record(const std::string& record);

/// True where a text holds several values for a parameter: "a..b:n", "a..b:n:log", "a|b|c".
[[nodiscard]] bool holds_range(const std::string& value);

}  // namespace sieve
