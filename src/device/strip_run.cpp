#include "device/strip_run.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <limits>

#include "device/opencl_device.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/describe/description.hpp"

namespace sieve::internal::device {

StripRun::StripRun(OpenClDevice& device, std::span<const Step> steps, const ConstView& in, const View& out,
                   bool figures)
    : device_(device), in_(in), out_(out), figures_(figures) {
  Shape shape{in.width(), in.height(), in.shape.color_channels()};
  std::size_t largest = shape.samples();
  double buffers = 1;
  bool whole = false;
  std::uint32_t white = in.white_level;
  for (const Step& s : steps) {
    whites_.push_back(white);
    white = s.about->result_white_level(s.fields.get(), white);
    Work w = work_of(s, shape).value();
    if (w.shape) shape = w.shape(shape);
    largest = std::max(largest, shape.samples());
    buffers = std::max(buffers, w.buffers);
    whole = whole || w.reach == Work::kWhole || shape.height != in.height();
    if (!whole) reach_ += w.reach;
    works_.push_back(std::move(w));
  }
  told_.count = steps.size();
  told_.steps.resize(figures ? steps.size() : 0);
  for (StepReport& r : told_.steps) {
    r.figures.low = std::numeric_limits<float>::infinity();
    r.figures.high = -std::numeric_limits<float>::infinity();
  }
  const auto height = static_cast<std::size_t>(in.height());
  const double row = static_cast<double>(largest / height + 1) * sizeof(float);
  const auto fitting = [&](double lanes) {
    return static_cast<int>(
        std::min({static_cast<double>(height), static_cast<double>(device.memory()) / (lanes * (1 + buffers) * row),
                  static_cast<double>(device.largest()) / row}));
  };
  rows_ = fitting(1);
  if (rows_ == in.height()) return;
  // Two strips at once.
  rows_ = fitting(2);
  if (whole || rows_ <= 2 * reach_) {
    throw Error(fmt::format(
        "device: {}x{} samples need {} MiB of its memory at once: give it more, or a smaller picture", in.width(),
        in.height(), static_cast<std::size_t>((1 + buffers) * row * static_cast<double>(height)) >> 20));
  }
}

DeviceFigures StripRun::run() {
  const int height = in_.height();
  Progress progress(height);
  Lane& first = device_.lane(0);
  if (rows_ == height) {
    strip(first, 0, height);
    first.settle(told_);
    progress.add(height);
  } else {
    Lane* lanes[] = {&first, &device_.lane(1)};
    int done = 0;
    const int body = rows_ - 2 * reach_;
    for (int top = 0; top < height; top += body) {
      // The lane's last strip is finished before the next begins; the other one is under way meanwhile.
      Lane& lane = *lanes[done++ % 2];
      lane.settle(told_);
      const int bottom = std::min(height, top + body);
      strip(lane, top, bottom);
      progress.add(bottom - top);
    }
    for (Lane* lane : lanes) lane->settle(told_);
  }
  for (StepReport& r : told_.steps) {
    if (r.figures.low > r.figures.high) r.figures.low = r.figures.high = 0;
  }
  return std::move(told_);
}

void StripRun::strip(Lane& lane, int top, int bottom) {
  const int first = std::max(0, top - reach_), rows = std::min(in_.height(), bottom + reach_) - first;
  Bench bench(device_, lane, told_);
  {
    Planes picture(lane, {in_.width(), rows, first, in_.height(), 0, 0}, in_.shape.color_channels());
    bench.upload(in_, first, picture);
    bench.become(std::move(picture));
  }
  for (std::size_t i = 0; i < works_.size();) {
    checkpoint();
    bench.begin_step(i, whites_[i]);
    std::size_t n = 1;
    if (works_[i].point) {
      // Points in a row are one kernel; apart where each is to be reported.
      std::vector<Point> points = {*works_[i].point};
      while (i + n < works_.size() && works_[i + n].point && !figures_) points.push_back(*works_[i + n++].point);
      bench.run_points(points);
    } else {
      works_[i].run(bench);
    }
    i += n;
    if (figures_)
      bench.gather(top, rows_ == in_.height() ? std::numeric_limits<int>::max() : bottom, told_.steps[i - 1].figures);
  }
  const Place& place = bench.picture().place();
  const bool whole = rows_ == in_.height();
  bench.download(bench.picture(), whole ? 0 : top - first, whole ? place.rows : bottom - top, out_, top);
}

}  // namespace sieve::internal::device
