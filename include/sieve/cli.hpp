#pragma once
/// The command line of `lsieve`, for the tool itself and for small tools of one's own. Target LeanSieve::cli.

#include "sieve/core/attributes.hpp"
#include "sieve/filter/catalogue.hpp"
#include "sieve/reference/definitions.hpp"

namespace SIEVE_EXPORT sieve {
namespace cli {

/// Runs one command line with the filters of a catalogue; returns the exit code: 0 done, 1 the work failed, 2 the
/// call was wrong. Results go to standard output, everything else to standard error; nothing is thrown. The command
/// `verify` holds filters against `definitions`.
[[nodiscard]] int run(int argc, const char* const* argv, const Catalogue& catalogue,
                      const reference::Definitions& definitions = reference::Definitions::standard());

/// The same with the filters of the library, which are made here: what fails while they are made is told, too.
[[nodiscard]] int run(int argc, const char* const* argv);

}  // namespace cli
}  // namespace sieve
