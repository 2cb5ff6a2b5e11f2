#pragma once
// One kernel over planes, and points, of which several in a row become one kernel.

#include <optional>
#include <string>
#include <vector>

#include "sieve/core/border.hpp"
#include "sieve/describe/device_form.hpp"
#include "sieve/describe/shared_image.hpp"

namespace sieve::internal::device {

// A kernel's arguments are: the planes it reads, those it writes, the place of the first, `numbers`, `integers`,
// `reals`, and the memory that a group shares.
struct Pass {
  std::string file;                     // in device/, without .cl; empty where `form` is a window of one's own
  std::string kernel;                   // its name there
  std::string options = {};             // that the program is built with
  std::optional<DeviceForm> form = {};  // a window of one's own
  std::vector<float> numbers = {};      // weights and the like, in constant memory
  std::vector<int> integers = {};
  std::vector<float> reals = {};
  int reach = 0;  // rows above and below
  Border border = Border::edge;
  float fill = 0;
  // Samples around a group that are shared, across and down beyond the group itself, of so many planes; none where
  // both are below 0. With `strip_across` a strip as high as the group and so much wider stands behind them.
  int tile_across = -1, tile_down = -1, tile_planes = 1, strip_across = -1;
  int group = 0;           // items of a group to each side, where they must be so many
  bool several = false;    // each work item takes several samples; else one
  bool joint = false;      // one item takes a pixel of all planes; else of one
  bool resizes = false;    // what it writes has other sides: their place stands after that of what it reads
  double operations = 10;  // for a sample: kernels that take long are launched in bands
};

// What becomes of a sample by its value, or of a pixel's color: an expression of `v`, of `n[0]`, ..., and of `w`, the
// sample of a second picture.
struct Point {
  enum class Kind { sample, color, to_gray };
  Kind kind = Kind::sample;
  std::string text;  // of a Color where the kind is not sample
  std::vector<float> numbers = {};
  std::string gray = {};           // for pictures of one channel, where the kind is color; they stay where it is empty
  bool with_second = false;        // `w` is used
  SharedImage second = {};         // where it is
  Point as_for(int planes) const;  // the same for a picture of so many color channels
};

}  // namespace sieve::internal::device
