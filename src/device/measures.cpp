#include "device/measures.hpp"

#include <fmt/format.h>

#include <cmath>
#include <limits>

#include "core/luma.hpp"
#include "device/forms.hpp"
#include "device/opencl_device.hpp"
#include "sieve/device.hpp"

namespace sieve {

namespace internal::device {

void run_luma(Bench& bench, const Planes& to) {
  const GrayWeights w = gray_weights(GrayBy::rec709);
  Pass p{.file = "tables", .kernel = "luma", .reals = {w.red, w.green, w.blue}};
  p.joint = true;
  bench.run(p, {&bench.picture()}, {&to});
}

Histogram bins_on(Bench& bench, const Planes& planes, int plane, int bins, double low, double high, bool by_level) {
  const double scale = by_level ? bins - 1 : bins / (high - low);
  const std::vector<cl_uint> counts = bench.counts(
      {.file = "tables",
       .kernel = "count_bins",
       .integers = {plane, bins},
       .reals = {static_cast<float>(low), static_cast<float>(high), static_cast<float>(scale), by_level ? 0.5F : 0}},
      planes, static_cast<std::size_t>(bins) + 3);
  Histogram h;
  h.low = low;
  h.high = high;
  h.by_level = by_level;
  h.counts.assign(counts.begin(), counts.end() - 3);
  h.below = counts[counts.size() - 3];
  h.above = counts[counts.size() - 2];
  h.not_finite = counts[counts.size() - 1];
  return h;
}

namespace {

OpenClDevice& ours(Device& device, const char* what) {
  auto* const d = dynamic_cast<OpenClDevice*>(&device);
  if (d == nullptr) throw InvalidArgument(fmt::format("device {}: give one that device::open() made", what));
  return *d;
}

// A bench with a picture's color channels, for the time that it is used.
class Session {
 public:
  Session(OpenClDevice& device, const ConstView& in)
      : lock_(device.alone()), lane_(device), bench_(device, lane_, told_) {
    bench_.become(brought(in, in.shape.color_channels()));
  }
  Bench& bench() { return bench_; }
  Planes brought(const ConstView& in, int planes) {
    Planes p(lane_, {in.width(), in.height(), 0, in.height(), 0, 0}, planes);
    bench_.upload(in, 0, p);
    return p;
  }

 private:
  std::unique_lock<Turns> lock_;
  Lane lane_;
  DeviceFigures told_;
  Bench bench_;
};

void require_fit(const ConstView& a, const ConstView& b, double peak, const char* who) {
  require_input(a, who);
  require_input(b, who);
  if (a.width() != b.width() || a.height() != b.height() || a.shape.color_channels() != b.shape.color_channels()) {
    throw InvalidArgument(fmt::format("device {}: {} against {}: both need one size and the same color channels", who,
                                      text_of(a.shape).text, text_of(b.shape).text));
  }
  if (!(peak > 0)) throw InvalidArgument(fmt::format("device {}: peak={}: give one above 0", who, peak));
}

// Smoothed along rows and columns by the window of the similarity.
std::vector<Pass> window_of_similarity() {
  constexpr int kRadius = 5;
  std::vector<double> row;
  double sum = 0;
  for (int i = -kRadius; i <= kRadius; ++i) row.push_back(std::exp(-i * i / (2 * 1.5 * 1.5)));
  for (const double v : row) sum += v;
  for (double& v : row) v /= sum;
  return weighed(sieve::Kernel::outer(row, row), Border::mirror, 0).value();
}

}  // namespace
}  // namespace internal::device

namespace device {

using namespace internal::device;

std::vector<ChannelStatistics> statistics(Device& device, const ConstView& in) {
  require_input(in, "device statistics");
  Session session(ours(device, "statistics"), in);
  constexpr std::size_t kEach = 9;
  const std::vector<float> rows =
      session.bench().of_rows({.file = "figures", .kernel = "statistics"}, {&session.bench().picture()}, kEach);
  std::vector<ChannelStatistics> all;
  const auto height = static_cast<std::size_t>(in.height());
  for (std::size_t c = 0; c < static_cast<std::size_t>(in.shape.color_channels()); ++c) {
    ChannelStatistics s;
    double count = 0, sum = 0, floor = 0, ceiling = 0, spread = 0;
    for (std::size_t y = 0; y < height; ++y) {
      const float* r = rows.data() + (c * height + y) * kEach;
      if (r[0] == 0) continue;
      s.minimum = count == 0 ? static_cast<double>(r[3]) : std::min(s.minimum, static_cast<double>(r[3]));
      s.maximum = count == 0 ? static_cast<double>(r[4]) : std::max(s.maximum, static_cast<double>(r[4]));
      count += static_cast<double>(r[0]);
      sum += static_cast<double>(r[1]);
      floor += static_cast<double>(r[5]);
      ceiling += static_cast<double>(r[6]);
      s.below += static_cast<std::size_t>(r[7]);
      s.above += static_cast<std::size_t>(r[8]);
    }
    s.not_finite = in.shape.pixels() - static_cast<std::size_t>(count);
    if (count > 0) {
      s.mean = sum / count;
      // Squares about each row's mean, as the kernel has rounded it, and of the rows' means about the whole one.
      for (std::size_t y = 0; y < height; ++y) {
        const float* r = rows.data() + (c * height + y) * kEach;
        const double n = static_cast<double>(r[0]), about = n > 0 ? static_cast<double>(r[1] / r[0]) : 0,
                     off = about - s.mean;
        spread += static_cast<double>(r[2]) + 2 * off * (static_cast<double>(r[1]) - n * about) + n * off * off;
      }
      s.deviation = std::sqrt(std::max(0.0, spread / count));
      s.at_floor = floor / count;
      s.at_ceiling = ceiling / count;
    }
    all.push_back(s);
  }
  return all;
}

Histogram histogram(Device& device, const ConstView& in, const HistogramOptions& o) {
  require_input(in, "device histogram");
  if (o.channel < luma_channel || o.channel >= in.shape.color_channels()) {
    throw InvalidArgument(fmt::format("device histogram: no color channel {}; the picture has 0..{}, and luma is {}",
                                      o.channel, in.shape.color_channels() - 1, luma_channel));
  }
  const double low = o.low.value_or(0), high = o.high.value_or(1);
  if (o.bins < 0 || o.bins > (1 << 24))
    throw InvalidArgument(fmt::format("device histogram: bins={}: give 1 to 16777216, or 0 for one a level", o.bins));
  if (!(low < high))
    throw InvalidArgument(fmt::format("device histogram: the range {}..{} is empty; give low < high", low, high));
  Session session(ours(device, "histogram"), in);
  Bench& bench = session.bench();
  Planes luma;
  const bool mixed = o.channel == luma_channel && bench.picture().count() == 3;
  if (mixed) {
    luma = bench.spare(1);
    run_luma(bench, luma);
  }
  const bool by_level = o.bins == 0 && in.white_level > 0 && low == 0 && high == 1;
  const int bins = o.bins > 0 ? o.bins : by_level ? static_cast<int>(in.white_level) + 1 : 256;
  return bins_on(bench, mixed ? luma : bench.picture(), mixed ? 0 : std::max(0, o.channel), bins, low, high, by_level);
}

double psnr(Device& device, const ConstView& result, const ConstView& truth, double peak) {
  require_fit(result, truth, peak, "psnr");
  Session session(ours(device, "psnr"), result);
  const Planes other = session.brought(truth, result.shape.color_channels());
  const std::vector<double> s =
      session.bench().sums({.file = "figures", .kernel = "differences"}, {&session.bench().picture(), &other}, 2);
  if (s[1] == 0) return std::numeric_limits<double>::quiet_NaN();
  return s[0] == 0 ? std::numeric_limits<double>::infinity() : 10 * std::log10(peak * peak * s[1] / s[0]);
}

double ssim(Device& device, const ConstView& result, const ConstView& truth, double peak) {
  require_fit(result, truth, peak, "ssim");
  Session session(ours(device, "ssim"), result);
  Bench& bench = session.bench();
  const Planes &a = bench.picture(), b = session.brought(truth, a.count());
  const std::vector<Pass> window = window_of_similarity();
  const float middle = static_cast<float>(0.5 * peak);
  const auto smoothed = [&](const char* product, const Planes& p, const Planes& q) {
    Planes made = bench.spare();
    {
      const Planes raw = bench.spare();
      bench.combine(product, {middle}, p, q, raw);
      run_in_turn(bench, window, raw, made);
    }
    return made;
  };
  const char* const product = "(v - n[0]) * (w - n[0])";
  const Planes ma = smoothed("v - n[0]", a, a), mb = smoothed("v - n[0]", b, b), aa = smoothed(product, a, a),
               bb = smoothed(product, b, b), ab = smoothed(product, a, b), map = bench.spare();
  bench.run({.file = "figures",
             .kernel = "similarity",
             .reals = {middle, static_cast<float>(1e-4 * peak * peak), static_cast<float>(9e-4 * peak * peak)}},
            {&ma, &mb, &aa, &bb, &ab}, {&map});
  // Places where the whole window lies inside; a picture smaller than that is mirrored.
  const int rim = result.width() < 11 || result.height() < 11 ? 0 : 5, height = result.height();
  const std::vector<float> rows =
      bench.of_rows({.file = "figures", .kernel = "sum_of_rows", .integers = {rim, result.width() - rim}}, {&map}, 1);
  double sum = 0, count = 0;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    const int y = static_cast<int>(i) % height;
    if (y < rim || y >= height - rim) continue;
    sum += static_cast<double>(rows[i]);
    count += result.width() - 2 * rim;
  }
  return sum / count;
}

}  // namespace device
}  // namespace sieve
