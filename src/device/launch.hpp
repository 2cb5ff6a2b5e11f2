#pragma once
// From steps of a chain to kernels.

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "sieve/core/border.hpp"
#include "sieve/describe/device_form.hpp"
#include "sieve/describe/step.hpp"

namespace sieve::internal::device {

// One kernel over all samples. It takes input, output, place, then numbers and integers, then the memory that a group
// shares.
struct Launch {
  std::string kernel;  // its name in device/windows.cl; empty where `form` says what it does
  DeviceForm form = {};
  std::vector<float> numbers = {};  // weights
  std::vector<int> integers = {};   // as the kernel takes them
  int reach = 0;                    // rows above and below
  Border border = Border::edge;
  float fill = 0;
  // Samples around a group that are shared, across and down beyond the group itself; none where both are below 0.
  int tile_across = -1, tile_down = -1;
  // Each work item takes several samples; else one.
  bool several = false;
  std::string options = {};  // that its program is built with

  bool point() const { return form.kind == DeviceForm::Kind::point; }
};

// The kernels of a step, whose fields are set; nothing where there are none for it.
std::optional<std::vector<Launch>> launches_of(const Step& step);

// The source of a program with the kernel "own" for a window, or for points one after the other.
std::string source_of(const DeviceForm& window);
std::string source_of_points(std::span<const Launch> points);
// device/windows.cl.
const char* window_source();

}  // namespace sieve::internal::device
