#include "sieve/spatial/frame.hpp"

#include <fmt/format.h>

#include <cmath>

#include "core/rows.hpp"
#include "run/validate.hpp"
#include "spatial/lanes.hpp"

namespace sieve {

using namespace internal;

namespace {

Rectangle part_of(const Crop& c, const Shape& in) {
  const Rectangle r{c.x, c.y, c.width == 0 ? in.width - c.x : c.width, c.height == 0 ? in.height - c.y : c.height};
  if (r.width < 1 || r.height < 1 || r.width > in.width - c.x || r.height > in.height - c.y) {
    throw InvalidArgument(fmt::format("crop: {}x{} at {},{} is not inside the picture of {}", c.width, c.height, c.x,
                                      c.y, text_of(in).text));
  }
  return r;
}

void shrink_into(const ConstView& in, const View& out) {
  const double fx = static_cast<double>(in.width()) / out.width(), fy = static_cast<double>(in.height()) / out.height();
  // Which source samples one result covers, and by how much.
  struct Cover {
    int first;
    std::vector<float> weights;
  };
  const auto covers = [](int n, int source, double factor) {
    std::vector<Cover> all;
    for (int i = 0; i < n; ++i) {
      const double a = i * factor, b = (i + 1) * factor;
      Cover c{static_cast<int>(a), {}};
      for (int j = c.first; j < source && j < b - 1e-9; ++j) {
        c.weights.push_back(static_cast<float>((std::min<double>(j + 1, b) - std::max<double>(j, a)) / factor));
      }
      all.push_back(std::move(c));
    }
    return all;
  };
  const std::vector<Cover> columns = covers(out.width(), in.width(), fx), lines = covers(out.height(), in.height(), fy);
  for (int c = 0; c < in.channels(); ++c) {
    parallel_rows(
        out.height(), static_cast<std::size_t>(static_cast<double>(in.width()) * fy), [&](int first, int last) {
          std::vector<float> sum(static_cast<std::size_t>(in.width()));
          std::vector<const float*> sources;
          for (int y = first; y < last; ++y) {
            const Cover& l = lines[static_cast<std::size_t>(y)];
            sources.clear();
            for (std::size_t j = 0; j < l.weights.size(); ++j)
              sources.push_back(in.row(l.first + static_cast<int>(j), c));
            lanes::weighted_sum(sources.data(), l.weights.data(), sources.size(), sum.data(), sum.size(), false);
            float* row = out.row(y, c);
            for (int x = 0; x < out.width(); ++x) {
              const Cover& k = columns[static_cast<std::size_t>(x)];
              float v = 0;
              for (std::size_t i = 0; i < k.weights.size(); ++i)
                v += k.weights[i] * sum[static_cast<std::size_t>(k.first) + i];
              row[x] = v;
            }
          }
        });
  }
}

}  // namespace

Image Crop::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Crop::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  copy(in.part(part_of(*this, in.shape)), out);
}
static Shape shape_of_crop(const Crop& f, const Shape& in) {
  const Rectangle r = part_of(f, in);
  return {r.width, r.height, in.channels};
}
void Crop::describe(Description<Crop>& d) {
  d.called("crop", "frame", "Keeps a rectangle of the picture.");
  d.also({"cut", "trim", "region", "ROI"});
  d.wrong("you want the whole picture smaller: take shrink.");
  d.shape(shape_of_crop);
  d.field("x", &Crop::x, "pixels", "first column kept, from 0 at the left", {0, 1e9});
  d.field("y", &Crop::y, "pixels", "first row kept, from 0 at the top", {0, 1e9});
  d.field("width", &Crop::width, "pixels", "columns kept; 0: up to the right edge", {0, 1e9});
  d.field("height", &Crop::height, "pixels", "rows kept; 0: up to the lower edge", {0, 1e9});
}

Image Pad::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Pad::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const int color = in.shape.color_channels();
  for (int c = 0; c < in.channels(); ++c) {
    const Border b = c < color ? border : Border::edge;
    const float value = fill_of(*this);
    parallel_rows(out.height(), out.width(), [&](int first, int last) {
      for (int y = first; y < last; ++y)
        rows::extend(in.channel(c), y - top, -left, out.width(), b, value, out.row(y, c));
    });
  }
}
void Pad::describe(Description<Pad>& d) {
  d.called("pad", "frame", "Adds pixels around the picture, filled as the border says.");
  d.also({"border", "extend", "frame"});
  d.wrong("a filter needs room at the edge: every filter here has a border of its own.");
  const ParameterRange any{0, 100000};
  d.shape([](const Pad& f, const Shape& in) -> Shape {
    return {in.width + f.left + f.right, in.height + f.top + f.bottom, in.channels};
  });
  d.field("left", &Pad::left, "pixels", "columns added at the left", any);
  d.field("right", &Pad::right, "pixels", "columns added at the right", any);
  d.field("top", &Pad::top, "pixels", "rows added above", any);
  d.field("bottom", &Pad::bottom, "pixels", "rows added below", any);
  d.border(&Pad::border, &Pad::fill, {}, "what the new pixels hold");
}

Image Shrink::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Shrink::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  shrink_into(in, out);
}
static Shape shape_of_shrink(const Shrink& f, const Shape& in) {
  const auto side = [&](int n) {
    return std::max(1, static_cast<int>(std::lround(n / static_cast<double>(f.factor))));
  };
  return {side(in.width), side(in.height), in.channels};
}
void Shrink::describe(Description<Shrink>& d) {
  d.called("shrink", "frame", "Smaller by area averaging: no aliasing from skipped pixels, the mean is kept.");
  d.also({"resize", "downscale", "downsample", "reduce", "scale", "thumbnail"});
  d.wrong("you want every n-th pixel as it is: take convolve with kernel=identity and stride=n.");
  d.shape(shape_of_shrink);
  d.meaning([](const Shrink& f) { return fmt::format("each result the mean of {0:g}x{0:g} pixels", f.factor); });
  d.field("factor", &Shrink::factor, "", "how many source pixels make one, 1 or more", {1, 100000});
}

Image shrink_to(const ConstView& in, int width, int height) {
  require_input(in, "shrink_to");
  if (width < 1 || height < 1 || width > in.width() || height > in.height()) {
    throw InvalidArgument(
        fmt::format("shrink_to: {}x{} is not a smaller size than {}", width, height, text_of(in.shape).text));
  }
  Image out(Shape{width, height, in.channels()}, in.white_level);
  shrink_into(in, out.view());
  return out;
}

}  // namespace sieve
