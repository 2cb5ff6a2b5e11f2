#include "sieve/lowrank/principal.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "core/finite.hpp"
#include "lowrank/matrix.hpp"
#include "lowrank/symmetric.hpp"
#include "run/validate.hpp"
#include "sieve/core/watch.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, PrincipalComponents::Of>> ChoiceNames<PrincipalComponents::Of>::all() {
  static constexpr std::pair<const char*, PrincipalComponents::Of> names[] = {
      {"rows", PrincipalComponents::Of::rows}, {"patches", PrincipalComponents::Of::patches}};
  return names;
}

static void check_components(const char* who, int k, int most) {
  if (k < 1 || k > most) throw InvalidArgument(fmt::format("{}: k={}: there are 1 to {}", who, k, most));
}

std::size_t Principal::numbers(int k) const {
  check_components("Principal::numbers", k, components);
  return static_cast<std::size_t>(k) * (static_cast<std::size_t>(length) + static_cast<std::size_t>(observations)) +
         static_cast<std::size_t>(length);
}

double Principal::energy(int k) const {
  check_components("Principal::energy", k, components);
  double sum = 0;
  for (int i = 0; i < k; ++i) sum += variance[static_cast<std::size_t>(i)];
  return total > 0 ? std::min(1.0, sum / total) : 1;
}

namespace {

// Below that share of the largest variance, axes made of the product of rows are not yet orthogonal.
constexpr double kSmall = 1e-10;

using Rows = Eigen::Matrix<float, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;

Principal principal_of(Matrix data, int components, const char* who) {
  if (!data.allFinite())
    throw InvalidArgument(
        fmt::format("{}: a sample is not finite: it would be in every component; replace it first", who));
  const auto n = data.rows(), length = data.cols();
  const int all = static_cast<int>(std::min(n, length));
  if (components < 0 || components > all)
    throw InvalidArgument(fmt::format("{}: components={}: there are 1 to {}, or 0 for all", who, components, all));
  const int k = components == 0 ? all : components;
  Principal p{static_cast<int>(n), static_cast<int>(length), k, {}, {}, {}, {}, 0};
  const Eigen::RowVectorXd mean = data.cast<double>().colwise().mean();
  checkpoint();
  data.rowwise() -= mean.cast<float>();
  // The smaller of the two products has the same eigenvalues.
  const bool wide = length > n;
  const Eigen::MatrixXd centered = data.cast<double>();
  checkpoint();
  const auto small = std::min(n, length);
  const double gram_cost = cost_of_gram(std::max(n, length), small), eigen_cost = cost_of_eigensystem(small, k),
               product_cost = cost_of_product(n, length, k);
  Progress progress(gram_cost + eigen_cost + product_cost * (wide ? 2 : 1));
  progress.expect(gram_cost);
  const Eigen::MatrixXd products = gram(wide ? turned(centered) : centered) / static_cast<double>(n);
  p.total = products.trace();
  progress.add(gram_cost);
  progress.expect(eigen_cost);
  const Eigensystem system = eigensystem(products, k);
  progress.add(eigen_cost);
  progress.expect(product_cost);
  Eigen::MatrixXd axes = wide ? times(centered, system.vectors, true) : system.vectors;
  int across = 0;  // axes that are orthogonal already
  for (int i = 0; i < k; ++i) {
    p.variance.push_back(std::max(0.0, system.values(i)));
    // Of the others, directions without variance, rounding is all that is left.
    if (wide && across == i && system.values(i) > kSmall * system.values(0)) {
      axes.col(i).normalize();
      ++across;
    }
  }
  if (wide) orthonormalize(axes, across);
  const Eigen::MatrixXf coordinates = times(centered, axes).cast<float>();
  p.mean.resize(static_cast<std::size_t>(length));
  for (Eigen::Index i = 0; i < length; ++i) p.mean[static_cast<std::size_t>(i)] = static_cast<float>(mean(i));
  p.axes.reserve(static_cast<std::size_t>(length) * static_cast<std::size_t>(k));
  for (int i = 0; i < k; ++i) {
    for (Eigen::Index j = 0; j < length; ++j) p.axes.push_back(static_cast<float>(axes(j, i)));
  }
  p.coordinates.reserve(static_cast<std::size_t>(n) * static_cast<std::size_t>(k));
  for (Eigen::Index i = 0; i < n; ++i) {
    for (int j = 0; j < k; ++j) p.coordinates.push_back(coordinates(i, j));
  }
  return p;
}

Matrix observations_of(const Principal& p, int k) {
  if (k < 1 || k > p.components)
    throw InvalidArgument(fmt::format("principal components: k={}: there are 1 to {}", k, p.components));
  const Matrix axes = Eigen::Map<const Matrix>(p.axes.data(), p.length, p.components).leftCols(k).transpose(),
               coordinates = Eigen::Map<const Rows>(p.coordinates.data(), p.observations, p.components).leftCols(k);
  Matrix r = times(coordinates, axes);
  r.rowwise() += Eigen::Map<const Eigen::RowVectorXf>(p.mean.data(), p.length);
  return r;
}

// Where each number of an observation lies in the picture: visit(observation, number, x, y, channel), border samples
// repeated.
template <class Visit>
void each_patch_sample(const Shape& s, int side, Visit visit) {
  const int across = (s.width + side - 1) / side, down = (s.height + side - 1) / side;
  for (int j = 0; j < down; ++j) {
    checkpoint();
    for (int i = 0; i < across; ++i) {
      int number = 0;
      for (int c = 0; c < s.color_channels(); ++c) {
        for (int y = 0; y < side; ++y) {
          for (int x = 0; x < side; ++x) visit(j * across + i, number++, i * side + x, j * side + y, c);
        }
      }
    }
  }
}

void check_side(int side) {
  if (side < 2 || side > 32)
    throw InvalidArgument(fmt::format("principal_patches: side={}: give 2 to 32 pixels", side));
}

// How many components a filter keeps of those there are.
int component_count(const PrincipalComponents& f, const Principal& p) {
  if (!f.share) return std::min(f.components, p.components);
  for (int k = 1; k <= p.components; ++k) {
    if (p.energy(k) >= static_cast<double>(*f.share) - 1e-9) return k;
  }
  return p.components;
}

Principal principal_for(const PrincipalComponents& f, const ConstView& in) {
  return f.of == PrincipalComponents::Of::rows ? principal_rows(in) : principal_patches(in, f.side);
}

}  // namespace

Principal principal_rows(const ConstView& in, int components) {
  require_input(in, "principal_rows");
  ConstView color = in;
  color.shape.channels = in.shape.color_channels();
  return principal_of(matrix_of(color), components, "principal_rows");
}

Image picture_of_rows(const Principal& p, const Shape& shape, int k) {
  const Matrix r = observations_of(p, k);
  if (r.rows() != shape.height || r.cols() != static_cast<Eigen::Index>(shape.width) * shape.color_channels())
    throw InvalidArgument("picture_of_rows: the components are not those of rows of that shape");
  Image out(Shape{shape.width, shape.height, shape.color_channels()});
  picture_of_matrix(r, out.view());
  return out;
}

Principal principal_patches(const ConstView& in, int side, int components) {
  require_input(in, "principal_patches");
  check_side(side);
  const int across = (in.width() + side - 1) / side, down = (in.height() + side - 1) / side;
  Matrix data(static_cast<Eigen::Index>(across) * down,
              static_cast<Eigen::Index>(side) * side * in.shape.color_channels());
  each_patch_sample(in.shape, side, [&](int o, int n, int x, int y, int c) {
    data(o, n) = in.at(std::min(x, in.width() - 1), std::min(y, in.height() - 1), c);
  });
  return principal_of(std::move(data), components, "principal_patches");
}

Image picture_of_patches(const Principal& p, const Shape& shape, int side, int k) {
  check_side(side);
  const Matrix r = observations_of(p, k);
  const int across = (shape.width + side - 1) / side, down = (shape.height + side - 1) / side;
  if (r.rows() != static_cast<Eigen::Index>(across) * down ||
      r.cols() != static_cast<Eigen::Index>(side) * side * shape.color_channels())
    throw InvalidArgument("picture_of_patches: the components are not those of such patches of that shape");
  Image out(Shape{shape.width, shape.height, shape.color_channels()});
  each_patch_sample(shape, side, [&](int o, int n, int x, int y, int c) {
    if (x < shape.width && y < shape.height) out.at(x, y, c) = r(o, n);
  });
  return out;
}

Image PrincipalComponents::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void PrincipalComponents::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  on_finite(in, out, [&](const ConstView& finite, const View& result) {
    const Principal p = principal_for(*this, finite);
    const int k = component_count(*this, p);
    const Image made_of = of == Of::rows ? picture_of_rows(p, in.shape, k) : picture_of_patches(p, in.shape, side, k);
    for (int c = 0; c < in.shape.color_channels(); ++c) copy(made_of.view().channel(c), result.channel(c));
    const auto numbers = static_cast<double>(p.numbers(k)),
               all = static_cast<double>(in.shape.pixels()) * in.shape.color_channels();
    note(fmt::format("{} of {} components, {:.3f} % of the variance; {:.0f} numbers instead of {:.0f}: {:.1f} %", k,
                     p.components, 100 * p.energy(k), numbers, all, 100 * numbers / all));
  });
  copy_alpha(in, out);
}

static std::vector<Stage> stages_of_principal_components(const PrincipalComponents& f, const ConstView& in) {
  const Principal p = principal_for(f, map_samples(in, [](float v) { return std::isfinite(v) ? v : 0; }));
  Stage s;
  s.name = "explained variance";
  s.x_name = "components";
  s.y_name = "share";
  s.curves = {{"explained", {}, {}, component_count(f, p) - 1}};
  for (int k = 1; k <= p.components; ++k) {
    s.curves[0].x.push_back(k);
    s.curves[0].y.push_back(p.energy(k));
  }
  return {s};
}

void PrincipalComponents::describe(Description<PrincipalComponents>& d) {
  d.called("principal_components", "lowrank", "What a few directions of most variance keep of rows or patches.");
  d.also({"PCA", "Karhunen", "eigen", "compress"});
  d.wrong("bytes matter: packing by wavelet or cosine is smaller at the same quality.");
  d.stages(stages_of_principal_components);
  d.field("of", &PrincipalComponents::of, "", "rows, or patches of side x side");
  d.field("components", &PrincipalComponents::components, "", "how many", {1, 65536});
  d.field("share", &PrincipalComponents::share, "of the variance", "as many as explain it; auto: components says",
          {0, 1});
  d.field("side", &PrincipalComponents::side, "pixels", "of a patch", {2, 32});
}

}  // namespace sieve
