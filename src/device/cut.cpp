#include "device/cut.hpp"

#include <algorithm>

#include "device/opencl_device.hpp"
#include "sieve/describe/description.hpp"

namespace sieve::internal::device {

Cut::Cut(const OpenClDevice& device, std::span<const Step> steps, const Shape& shape, std::uint32_t white_level)
    : in(shape), out(shape) {
  std::size_t largest = in.samples();
  double buffers = 1;
  bool at_once = false;
  for (const Step& s : steps) {
    whites.push_back(white_level);
    white_level = s.about->result_white_level(s.fields.get(), white_level);
    Work w = work_of(s, out).value();
    if (w.shape) out = w.shape(out);
    largest = std::max(largest, out.samples());
    buffers = std::max(buffers, w.buffers);
    at_once = at_once || w.reach == Work::kWhole || out.height != in.height;
    if (!at_once) reach += w.reach;
    works.push_back(std::move(w));
  }
  const auto height = static_cast<double>(in.height);
  const double row = static_cast<double>(largest) / height * sizeof(float);
  bytes_a_row = (1 + buffers) * row;
  const auto fitting = [&](double lanes) {
    return static_cast<int>(std::min({height, static_cast<double>(device.memory()) / (lanes * bytes_a_row),
                                      static_cast<double>(device.largest()) / row}));
  };
  rows = fitting(1);
  if (rows == in.height) return;
  // Two strips are there at once.
  rows = fitting(2);
  if (at_once || rows <= 2 * reach) rows = 0;
}

DevicePlan Cut::plan() const {
  DevicePlan p;
  if (rows == 0) return p;
  p.strips = (in.height + body() - 1) / body();
  const std::size_t row = in.samples() / static_cast<std::size_t>(in.height) * sizeof(float);
  p.bytes_down = out.samples() * sizeof(float);
  for (int top = 0; top < in.height; top += body()) {
    const int first = std::max(0, top - reach), last = std::min(in.height, top + body() + reach);
    p.bytes_up += static_cast<std::size_t>(last - first) * row;
  }
  p.memory = static_cast<std::size_t>((whole() ? 1 : 2) * rows * bytes_a_row);
  return p;
}

}  // namespace sieve::internal::device
