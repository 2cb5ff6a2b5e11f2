#pragma once
/// A page in the browser of this machine on which chains are tried: sliders for every parameter of every filter.

#include <functional>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <utility>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"
#include "sieve/filter/chain.hpp"

namespace SIEVE_EXPORT sieve {
namespace page {

/// A picture to choose on the page.
struct LivePicture {
  std::string name;  ///< as chains and the page call it: "noon.png"
  Image image;       ///< its samples
};

/// What a live page works with.
struct LiveSetup {
  std::vector<LivePicture> inputs;       ///< one or more to choose from
  std::optional<LivePicture> truth;      ///< the clean picture, of the size of the first input
  Chain chain = {};                      ///< what the page begins with
  const Catalogue* catalogue = nullptr;  ///< the filters to choose from; null: those of the library
  /// What opens the files that the first chain names. Chains of the page itself open no others: pictures and texts by
  /// those names, and the inputs and truth by theirs.
  Resources resources = {};
  /// Writes a result under a name without a folder, with its record; gives a line that says what was written. Without
  /// it the page cannot save.
  std::function<std::string(const std::string& name, const ConstView& result, const std::string& record)> save = {};
  /// Writes a text (a recipe) under a name without a folder.
  std::function<std::string(const std::string& name, const std::string& text)> save_text = {};
  std::string folder = {};  ///< where both write, for the page to show
  int port = 0;             ///< to listen on; 0: any that is free
};

/// The server of a live page. It listens on the loopback address alone; the address holds a token that cannot be
/// guessed, and requests of other origins are refused. Nothing on the page reaches a file that was not named here.
class Live {
 public:
  /// Opens the port. InvalidArgument for no input, or a truth of another size than the first input; Error where the
  /// port is taken.
  explicit Live(LiveSetup setup);
  ~Live();
  Live(const Live&) = delete;
  Live& operator=(const Live&) = delete;

  /// "http://127.0.0.1:PORT/TOKEN/".
  [[nodiscard]] const std::string& address() const;
  /// Serves until a stop is requested or the page says goodbye; work under way is then stopped. Error where the port
  /// was lost and cannot be had again.
  void serve(const std::stop_token& stop = {});

 private:
  struct Parts;
  std::unique_ptr<Parts> parts_;
};

}  // namespace page
}  // namespace sieve
