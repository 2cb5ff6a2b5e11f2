#include "device/sources.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace sieve::internal::device {

std::string source_of_file(const std::string& name) {
  return fmt::format("{}\n{}", held_kernels("common"), held_kernels(name));
}

std::string source_of_window(const DeviceForm& window) {
  // The text twice: where the whole window lies in the picture, samples are fetched as they lie.
  const auto function = [&](const char* name, const char* at) {
    return fmt::format(
        "float {}(global const float* own_plane, int own_x, int own_y, Place own_place, constant float* n) {{\n#define "
        "at(dx, dy) {}\n"
        "#line 1\n{}\n#undef at\n}}\n",
        name, at, window.text);
  };
  return fmt::format(
      "{}\n{}{}kernel void own(global const float* in, global float* out, Place p, constant float* n) {{\n"
      "  if (X >= p.width || Y >= p.rows) return;\n"
      "  bool within = X >= {r} && X + {r} < p.width && Y >= {r} && Y + {r} < p.rows;\n"
      "  out[PLANE + (size_t)Y * p.width + X] = within ? own_within(in + PLANE, X, Y + p.first, p, n)\n"
      "                                                : own_at_border(in + PLANE, X, Y + p.first, p, n);\n}}\n",
      held_kernels("common"),
      function("own_within", "own_plane[(size_t)(own_y - own_place.first + (dy)) * own_place.width + own_x + (dx)]"),
      function("own_at_border", "sample(own_plane, own_x + (dx), own_y + (dy), own_place)"),
      fmt::arg("r", window.radius));
}

Point Point::as_for(int planes) const {
  if (kind == Kind::sample || planes == 3) return *this;
  Point p = *this;
  p.kind = Kind::sample;
  p.text = gray.empty() ? "v" : gray;
  return p;
}

PointProgram program_of_points(std::span<const Point> points, int planes) {
  PointProgram program{.text = "", .joint = false, .planes = planes};
  program.joint = planes == 3 && std::any_of(points.begin(), points.end(),
                                             [](const Point& p) { return p.kind != Point::Kind::sample; });
  std::string functions, steps, types, names, offsets;
  std::size_t at = 0;
  for (std::size_t number = 0; number < points.size(); ++number) {
    const Point p = points[number].as_for(program.planes);
    const bool sample = p.kind == Point::Kind::sample;
    functions +=
        fmt::format("INLINE {} step{}({} v, float w, constant float* n) {{\n#line 1\nreturn ({});\n}}\n",
                    p.kind == Point::Kind::color ? "Color" : "float", number, sample ? "float" : "Color", p.text);
    if (p.with_second) {
      types += fmt::format(", global const float* restrict second{0}, ulong apart{0}", number);
      names += fmt::format(", second{0}, apart{0}", number);
      offsets += fmt::format("  second{0} += get_global_id(1) * apart{0};\n", number);
    }
    if (sample) {
      // One item takes all channels where a color needs them.
      for (int c = 0; c < (program.joint ? program.planes : 1); ++c) {
        const std::string second = p.with_second ? fmt::format("second{0}[{1} * apart{0} + i]", number, c) : "0";
        steps += fmt::format("  c{0} = step{1}(c{0}, {2}, n + {3});\n", c, number, second, at);
      }
    } else {
      steps += "  { Color v = {c0, c1, c2}; ";
      if (p.kind == Point::Kind::color) {
        steps += fmt::format("v = step{}(v, 0, n + {}); c0 = v.a; c1 = v.b; c2 = v.c; }}\n", number, at);
      } else {
        steps += fmt::format("c0 = step{}(v, 0, n + {}); }}\n", number, at);
        program.planes = 1;
      }
    }
    at += p.numbers.size();
  }
  program.text = fmt::format(
      "{}\n{}"
      "INLINE void point_at(global const float* restrict in, global float* restrict out, size_t i, ulong count, "
      "constant "
      "float* n{}) {{\n"
      "  float c0 = in[i];\n{}{}  out[i] = c0;\n{}}}\n"
      "kernel void points(global const float* restrict in, global float* restrict out, ulong count, constant float* "
      "n{}) {{\n"
      "  size_t first = get_global_id(0) * WIDE, plane = get_global_id(1) * count;\n  in += plane;\n  out += plane;\n{}"
      // A loop of a fixed length over neighbors, which compilers for processors make vectors of.
      "  if (first + WIDE <= count) {{\n"
      "    for (int i = 0; i < WIDE; ++i) point_at(in, out, first + i, count, n{});\n    return;\n  }}\n"
      "  for (size_t i = first; i < count; ++i) point_at(in, out, i, count, n{});\n}}\n",
      held_kernels("points"), functions, types,
      program.joint ? "  float c1 = in[count + i], c2 = in[2 * count + i];\n" : "", steps,
      program.joint && program.planes == 3 ? "  out[count + i] = c1;\n  out[2 * count + i] = c2;\n" : "", types,
      program.joint ? "" : offsets, names, names);
  return program;
}

}  // namespace sieve::internal::device
