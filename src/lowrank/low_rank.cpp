#include "sieve/lowrank/low_rank.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/finite.hpp"
#include "core/luma.hpp"
#include "lowrank/matrix.hpp"
#include "run/validate.hpp"
#include "sieve/core/watch.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, LowRank::Color>> ChoiceNames<LowRank::Color>::all() {
  static constexpr std::pair<const char*, LowRank::Color> names[] = {
      {"channels", LowRank::Color::channels}, {"wide", LowRank::Color::wide}, {"luma", LowRank::Color::luma}};
  return names;
}

namespace {

// truncated(picture of one channel or of all side by side, rank) on every part that `color` asks for.
template <class Truncated>
void each_part(const ConstView& in, const View& out, const LowRank& f, Truncated truncated) {
  const int color = in.shape.color_channels();
  if (color == 1 || f.color == LowRank::Color::channels) {
    for (int c = 0; c < color; ++c) truncated(in.channel(c), f.rank, out.channel(c));
    return;
  }
  if (f.color == LowRank::Color::wide) {
    Image wide(3 * in.width(), in.height()), result(wide.shape());
    const auto part = [&](int c) { return Rectangle{c * in.width(), 0, in.width(), in.height()}; };
    for (int c = 0; c < 3; ++c) copy(in.channel(c), wide.view().part(part(c)));
    truncated(wide, f.rank, result.view());
    for (int c = 0; c < 3; ++c) copy(result.view().part(part(c)), out.channel(c));
    return;
  }
  // Luma, and b and r less it.
  const LumaWeights weights = luma_weights(GrayBy::rec709);
  const Image luma = luma_of(in);
  const auto less = [](float a, float b) { return a - b; };
  const int few = std::max(1, f.rank / 4);
  Image y(luma.shape()), u(luma.shape()), v(luma.shape());
  truncated(luma, f.rank, y.view());
  truncated(map_pairs(in.channel(2), luma, less), few, u.view());
  truncated(map_pairs(in.channel(0), luma, less), few, v.view());
  for (int row = 0; row < in.height(); ++row) {
    for (int x = 0; x < in.width(); ++x) {
      const float l = y.at(x, row), b = l + u.at(x, row), r = l + v.at(x, row);
      out.at(x, row, 0) = r;
      out.at(x, row, 1) = static_cast<float>(
          (static_cast<double>(l) - weights.red * static_cast<double>(r) - weights.blue * static_cast<double>(b)) /
          weights.green);
      out.at(x, row, 2) = b;
    }
  }
}

}  // namespace

Image LowRank::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void LowRank::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  std::size_t numbers = 0;
  on_finite(in, out, [&](const ConstView& finite, const View& result) {
    Progress progress(color == Color::wide ? 1 : in.shape.color_channels());
    each_part(finite, result, *this, [&](const ConstView& part, int wanted, const View& to) {
      checkpoint();
      const int k = std::min({wanted, part.width(), part.height()});
      const Svd s = svd_of(matrix_of(part), k, method);
      picture_of_matrix(product_of(s, k), to);
      numbers += s.numbers(k);
      progress.add(1);
    });
  });
  copy_alpha(in, out);
  note(fmt::format(
      "{} numbers instead of {}: {:.1f} %", numbers,
      in.shape.pixels() * static_cast<std::size_t>(in.shape.color_channels()),
      100 * static_cast<double>(numbers) / (static_cast<double>(in.shape.pixels()) * in.shape.color_channels())));
}

static std::vector<Stage> stages_of_low_rank(const LowRank& f, const ConstView& in) {
  const RankShares r = rank_shares(finite_luma(in));
  Stage values, shares;
  values.name = "singular values of the luma";
  values.x_name = shares.x_name = "number";
  values.y_name = "log10";
  values.curves = {{"value", {}, {}, std::min(f.rank, static_cast<int>(r.values.size())) - 1}};
  shares.name = fmt::format("running sums: 90, 95, 99 % by {}, {}, {}", r.rank_for(0.9, false), r.rank_for(0.95, false),
                            r.rank_for(0.99, false));
  shares.y_name = "share";
  shares.curves = {{"of the values", {}, {}, values.curves[0].chosen},
                   {"of their squares", {}, {}, values.curves[0].chosen}};
  for (std::size_t k = 0; k < r.values.size(); ++k) {
    const auto n = static_cast<double>(k + 1);
    values.curves[0].x.push_back(n);
    values.curves[0].y.push_back(std::log10(std::max(1e-9, r.values[k])));
    shares.curves[0].x.push_back(n);
    shares.curves[0].y.push_back(r.sums[k]);
    shares.curves[1].x.push_back(n);
    shares.curves[1].y.push_back(r.energy[k]);
  }
  return {values, shares};
}

void LowRank::describe(Description<LowRank>& d) {
  d.called("low_rank", "lowrank", "The nearest picture that is a sum of a few products of a column and a row.");
  d.also({"SVD", "singular values", "rank", "compress"});
  d.wrong("bytes matter: packing by wavelet or cosine is far smaller at the same quality.");
  d.stages(stages_of_low_rank);
  d.field("rank", &LowRank::rank, "", "terms kept", {1, 65536});
  d.field("color", &LowRank::color, "", "each channel, all side by side, or luma and color differences");
  d.field("method", &LowRank::method, "", "exact, randomized, or by size and rank");
}

}  // namespace sieve
