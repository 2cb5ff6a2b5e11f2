#pragma once
// Texts of programs: those in device/, and those made of points and of windows of one's own.

#include <span>
#include <string>

#include "device/pass.hpp"

namespace sieve::internal::device {

// The files of device/, held in the binary; device/common.cl stands before each.
std::string source_of_file(const std::string& name);

// A program with the kernel "own" for a window.
std::string source_of_window(const DeviceForm& window);

// A program with the kernel "points" for points one after the other, of a picture of so many planes.
struct PointProgram {
  std::string text;
  bool joint = false;  // one item takes a pixel of all planes
  int planes = 1;      // of the result
};
PointProgram program_of_points(std::span<const Point> points, int planes);

// The held file of that name, without device/common.cl; written when the library is built.
const char* held_kernels(const std::string& name);

}  // namespace sieve::internal::device
