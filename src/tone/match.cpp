#include "sieve/tone/match.hpp"

#include <algorithm>
#include <cmath>

#include "run/validate.hpp"
#include "tone/range.hpp"
#include "tone/tone_map.hpp"

namespace sieve {

using namespace internal;

namespace {

// A monotone map: by level, or of straight pieces over a range.
struct ToneCurve {
  bool by_level = false;
  std::vector<float> values;  // a value a level, or start and rise of every piece
  float low = 0, scale = 1;

  void operator()(const float* from, float* to, std::size_t n) const {
    if (by_level) return lanes::look_up_level(from, static_cast<float>(values.size() - 1), values.data(), to, n);
    lanes::look_up_pieces(from, {low, scale, static_cast<std::int32_t>(values.size() / 2), values.data()}, to, n);
  }
};

// The histogram that a curve is made from: a bin a level, samples outside 0..1 with the end levels, or over 0..1, or
// over the range where that is wider.
Histogram measured(const ConstView& in, int channel, bool by_level, int bins) {
  if (by_level) {
    Histogram h = histogram(in, {.channel = channel});
    h.counts.front() += h.below;
    h.counts.back() += h.above;
    return h;
  }
  Histogram h = histogram(in, {.channel = channel, .bins = bins, .low = 0, .high = 1});
  if (h.below + h.above == 0) return h;
  const auto [low, high] = finite_range(in, channel);
  if (low < high)
    return histogram(
        in, {.channel = channel, .bins = bins, .low = static_cast<double>(low), .high = static_cast<double>(high)});
  // One level outside 0..1: any range that holds it.
  const double at = static_cast<double>(low);
  return histogram(in, {.channel = channel, .bins = bins, .low = at, .high = at + std::max(1.0, std::abs(at))});
}

// The levels at which a cumulative curve, straight within each bin, passes a share: the ends of the piece where it is
// flat.
struct Crossing {
  double first, last;
};
class Curve {
 public:
  explicit Curve(const Histogram& h) : h_(h), cumulative_(h.cumulative()) {}
  Crossing at(double share) const {
    const double width = (h_.high - h_.low) / static_cast<double>(h_.counts.size());
    const auto low = std::lower_bound(cumulative_.begin(), cumulative_.end(), share);
    const auto edge = [&](std::size_t bin) { return h_.low + static_cast<double>(bin) * width; };
    if (low == cumulative_.end()) return {h_.high, h_.high};
    const auto bin = static_cast<std::size_t>(low - cumulative_.begin());
    const double before = bin == 0 ? 0 : cumulative_[bin - 1], rise = cumulative_[bin] - before;
    const double first = rise > 0 ? edge(bin) + (share - before) / rise * width : edge(bin);
    // Empty bins behind an end that is met exactly belong to the crossing.
    const auto high = std::upper_bound(cumulative_.begin(), cumulative_.end(), share);
    const double last =
        *low == share && high != cumulative_.end() ? edge(static_cast<std::size_t>(high - cumulative_.begin())) : first;
    return {first, std::max(first, last)};
  }
  // Share 0 ends where the first used bin begins.
  double start() const {
    const auto used = std::upper_bound(cumulative_.begin(), cumulative_.end(), 0.0);
    const double width = (h_.high - h_.low) / static_cast<double>(h_.counts.size());
    return h_.low + static_cast<double>(used - cumulative_.begin()) * width;
  }
  const std::vector<double>& cumulative() const { return cumulative_; }

 private:
  const Histogram& h_;
  std::vector<double> cumulative_;
};

// left(share) and right(share) give the wanted level where a bin of the input begins and ends.
template <class Left, class Right>
ToneCurve curve_between(const Histogram& in, Left left, Right right) {
  ToneCurve c;
  c.low = static_cast<float>(in.low);
  c.scale = static_cast<float>(static_cast<double>(in.counts.size()) / (in.high - in.low));
  const auto cumulative = in.cumulative();
  float last = 0;
  for (std::size_t b = 0; b < cumulative.size(); ++b) {
    const double before = b == 0 ? 0 : cumulative[b - 1];
    if (in.counts[b] == 0) {
      // No sample lies here; the map goes on flat.
      c.values.insert(c.values.end(), {last, 0});
      continue;
    }
    const auto from = static_cast<float>(left(before)), to = static_cast<float>(right(cumulative[b]));
    c.values.insert(c.values.end(), {from, std::max(0.0F, to - from)});
    last = to;
  }
  return c;
}

ToneCurve to_picture(const ConstView& in, int channel, const ConstView& other, int other_channel, int bins) {
  const bool by_level = in.white_level > 0 && other.white_level > 0;
  const Histogram from = measured(in, channel, by_level, bins), to = measured(other, other_channel, by_level, bins);
  if (from.total() == 0 || to.total() == 0)
    throw InvalidArgument("match: one of the two pictures has no finite sample");
  const Curve target(to);
  if (!by_level) {
    return curve_between(
        from, [&](double share) { return share == 0 ? target.start() : target.at(share).last; },
        [&](double share) { return target.at(share).first; });
  }
  ToneCurve c;
  c.by_level = true;
  for (const double share : from.cumulative()) {
    const auto j =
        std::lower_bound(target.cumulative().begin(), target.cumulative().end(), share) - target.cumulative().begin();
    c.values.push_back(static_cast<float>(std::min<std::ptrdiff_t>(j, static_cast<std::ptrdiff_t>(other.white_level))) /
                       static_cast<float>(other.white_level));
  }
  return c;
}

ToneCurve to_distribution(const ConstView& in, int channel, const LevelDistribution& to, int bins) {
  const Histogram from = measured(in, channel, in.white_level > 0, bins);
  if (from.total() == 0) throw InvalidArgument("match_distribution: the picture has no finite sample");
  const auto quantile = [&](double share) { return to.quantile(share); };
  if (in.white_level == 0) return curve_between(from, quantile, quantile);
  ToneCurve c;
  c.by_level = true;
  double before = 0;
  for (const double share : from.cumulative()) {
    c.values.push_back(static_cast<float>(to.quantile(0.5 * (before + share))));
    before = share;
  }
  return c;
}

template <class Make>
void apply_curves(const ConstView& in, const View& out, ColorBy color, Make make) {
  std::vector<ToneCurve> curves;
  for (int i = 0; i < maps_needed(in.shape, color); ++i) curves.push_back(make(measured_channel(in.shape, color, i)));
  map_tones(in, out, color, [&](int map, int, const float* from, float* to, std::size_t n) {
    curves[static_cast<std::size_t>(map)](from, to, n);
  });
}

}  // namespace

Image Match::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Match::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const Image& other = with.image("match", "with");
  apply_curves(in, out, color, [&](int channel) {
    // Channel for channel where both are colored; else the luma of the second, which of a gray one is its only channel.
    const bool same = in.shape.color_channels() == other.shape().color_channels();
    return to_picture(in, channel, other, same ? channel : luma_channel, bins);
  });
}
void Match::describe(Description<Match>& d) {
  d.called("match", "tone", "Gives the picture the histogram of another one.");
  d.also({"histogram matching", "specification", "transfer"});
  d.wrong("the two show different things: the share of sky in one decides over the tones of the other.");
  d.field("with", &Match::with, "", "the picture whose histogram is wanted; any size");
  d.field("color", &Match::color, "", "every channel by itself (takes over the tint), or luma with the hue kept");
  d.field("bins", &Match::bins, "bins",
          "parts of 0..1, or of a wider range, for float data; integer sources have one a level", {2, 1048576});
}

Image MatchDistribution::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void MatchDistribution::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  apply_curves(in, out, color, [&](int channel) { return to_distribution(in, channel, to, bins); });
}
void MatchDistribution::describe(Description<MatchDistribution>& d) {
  d.called("match_distribution", "tone", "Gives the histogram a wanted form: uniform, normal, Rayleigh, or a curve.");
  d.also({"histogram specification", "Rayleigh", "uniform"});
  d.wrong("the picture has few levels: they can be moved, not filled up; the histogram stays a comb.");
  d.field("to", &MatchDistribution::to, "", "the wanted form");
  d.field("color", &MatchDistribution::color, "", "luma with the hue kept, or every channel by itself");
  d.field("bins", &MatchDistribution::bins, "bins",
          "parts of 0..1, or of a wider range, for float data; integer sources have one a level", {2, 1048576});
}

}  // namespace sieve
