#include "device/strip_run.hpp"

#include <algorithm>
#include <limits>

#include "device/opencl_device.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal::device {

StripRun::StripRun(OpenClDevice& device, const Cut& cut, const ConstView& in, const View& out, bool figures)
    : device_(device), cut_(cut), in_(in), out_(out), figures_(figures) {
  told_.count = cut.works.size();
  told_.steps.resize(figures ? cut.works.size() : 0);
  for (StepReport& r : told_.steps) {
    r.figures.low = std::numeric_limits<float>::infinity();
    r.figures.high = -std::numeric_limits<float>::infinity();
  }
}

DeviceFigures StripRun::run() {
  const int height = in_.height();
  Progress progress(height);
  Lane& first = device_.lane(0);
  if (cut_.whole()) {
    strip(first, 0, height);
    first.settle(told_);
    progress.add(height);
  } else {
    Lane* lanes[] = {&first, &device_.lane(1)};
    int done = 0;
    for (int top = 0; top < height; top += cut_.body()) {
      // The lane's last strip is finished before the next begins; the other one is under way meanwhile.
      Lane& lane = *lanes[done++ % 2];
      lane.settle(told_);
      const int bottom = std::min(height, top + cut_.body());
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
  const int first = std::max(0, top - cut_.reach), rows = std::min(in_.height(), bottom + cut_.reach) - first;
  Bench bench(device_, lane, told_);
  {
    Planes picture(lane, {in_.width(), rows, first, in_.height(), 0, 0}, in_.shape.color_channels());
    bench.upload(in_, first, picture);
    bench.become(std::move(picture));
  }
  const std::vector<Work>& works = cut_.works;
  for (std::size_t i = 0; i < works.size();) {
    checkpoint();
    bench.begin_step(i, cut_.whites[i]);
    std::size_t n = 1;
    if (works[i].point) {
      // Points in a row are one kernel, as far as their numbers fit; apart where each is to be reported.
      std::vector<Point> points = {*works[i].point};
      std::size_t numbers = points[0].numbers.size();
      while (i + n < works.size() && works[i + n].point && !figures_) {
        numbers += works[i + n].point->numbers.size();
        if (numbers > device_.most_numbers()) break;
        points.push_back(*works[i + n++].point);
      }
      bench.run_points(points);
    } else {
      works[i].run(bench);
    }
    i += n;
    if (figures_)
      bench.gather(top, cut_.whole() ? std::numeric_limits<int>::max() : bottom, told_.steps[i - 1].figures);
  }
  const Place& place = bench.picture().place();
  const bool whole = cut_.whole();
  bench.download(bench.picture(), whole ? 0 : top - first, whole ? place.rows : bottom - top, out_, top);
}

}  // namespace sieve::internal::device
