#include "soft_knee.hpp"

#include "sieve/core.hpp"
#include "soft_knee_lanes.hpp"

namespace skeleton {

using namespace sieve;

Image SoftKnee::operator()(const ConstView& in) const {
  require_input(in, "soft_knee");
  Image out(in.shape, in.white_level);
  (*this)(in, out.view());
  return out;
}

void SoftKnee::operator()(const ConstView& in, const View& out) const {
  // First what can be wrong, then the work: nothing is half done.
  check(*this);
  require_output(in, out, in.shape, "soft_knee");
  // A row takes as long as copying two: a division is slower than a copy.
  const int channels = in.shape.color_channels();
  parallel_rows(in.height() * channels, RowCost(in.width(), 2), [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const int y = i % in.height(), c = i / in.height();
      soft_knee_row(in.row(y, c), knee, out.row(y, c), static_cast<std::size_t>(in.width()));
    }
  });
  copy_alpha(in, out);
}

void SoftKnee::describe(Description<SoftKnee>& d) {
  d.called("soft_knee", "mine", "Bends highlights toward white instead of cutting them off.");
  d.wrong("levels are to be measured afterwards: they are no longer in proportion.");
  d.also({"shoulder", "roll off"});
  d.point();
  d.field("knee", &SoftKnee::knee, "0..1 scale", "level where the bend begins", {0, 0.99});
}

Image plain(const SoftKnee& f, const ConstView& in) {
  Image out(in);
  const double k = f.knee;
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        const double v = in.at(x, y, c);
        if (v > k) out.at(x, y, c) = static_cast<float>(1 - (1 - k) * (1 - k) / (v + 1 - 2 * k));
      }
    }
  }
  return out;
}

}  // namespace skeleton
