#pragma once
// Where the chains of one page in a browser are run: one computation at a time, a newer request ends the older one.

#include <atomic>
#include <map>
#include <mutex>
#include <nlohmann/json.hpp>
#include <optional>
#include <stop_token>
#include <string>

#include "sieve/filter/chain.hpp"
#include "sieve/run/engine.hpp"

namespace sieve::internal::page {

// What a page asks to be run.
struct Order {
  std::string slot;       // chains that are worked on at once: their last results are kept
  std::size_t input = 0;  // index of the picture
  Chain chain;
  std::optional<Rectangle> part;  // of the result; nothing: all of it
  int shrink = 1;                 // pixels of the result for one of the reply
  bool figures = false;           // with all that can be told of the whole result
};

// What it gets.
struct Served {
  nlohmann::ordered_json told;
  Image image;
};

class Desk {
 public:
  // Runs an order on a picture; `truth` may be null. Canceled where a newer order came, or a stop of `closed` is
  // requested.
  Served serve(const Order& order, const Image& in, const Image* truth, const std::stop_token& closed);
  // The whole result of an order, from what is kept or made now.
  Image whole(const Order& order, const Image& in, const std::stop_token& closed);
  // Ends what runs.
  void stop();
  // The share of the work under way that is done; 1 where nothing runs.
  double share() const { return share_; }

 private:
  struct Kept {
    std::size_t input = 0;
    std::string chain;
    Image image;
    Report report;
    nlohmann::ordered_json figures = {};
  };
  class Turn;
  // The kept result of that order, made where it is missing.
  Kept& kept(const Order& order, const Image& in, std::stop_token stop);

  std::mutex working_, guard_;
  std::stop_source current_;
  std::atomic<double> share_{1};
  std::map<std::string, Kept> slots_;
};

}  // namespace sieve::internal::page
