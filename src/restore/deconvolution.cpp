#include "restore/deconvolution.hpp"

#include <fmt/format.h>

#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

#include "core/finite.hpp"
#include "core/opponent.hpp"
#include "restore/beyond.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve {

using namespace internal;

Kernel internal::checked_psf(const Kernel& psf, const char* who) {
  if (!(psf.sum() > 0) || !std::isfinite(psf.sum()))
    throw InvalidArgument(
        fmt::format("{}: the PSF sums to {:g}; a point spread function has a sum above 0", who, psf.sum()));
  return psf.normalized();
}

bool internal::mirrors_alike(const Kernel& psf) {
  double most = 0;
  for (const double t : psf.taps()) most = std::max(most, std::abs(t));
  const auto alike = [&](double a, double b) { return std::abs(a - b) <= 1e-9 * most; };
  if (2 * psf.anchor_x() + 1 != psf.width() || 2 * psf.anchor_y() + 1 != psf.height()) return false;
  for (int y = 0; y < psf.height(); ++y) {
    for (int x = 0; x < psf.width(); ++x) {
      if (!alike(psf.at(x, y), psf.at(psf.width() - 1 - x, y)) || !alike(psf.at(x, y), psf.at(x, psf.height() - 1 - y)))
        return false;
    }
  }
  return true;
}

namespace {

// H(u, v) = sum over the quarter of the taps from the anchor on of k cos(pi u x / w) cos(pi v y / h), as two matrix
// products.
FftArray<double> cosine_transfer(const Kernel& k, int w, int h) {
  const int across = k.width() - k.anchor_x(), down = k.height() - k.anchor_y();
  const auto waves = [](int n, int taps) {
    Eigen::MatrixXd m(n, taps);
    for (int x = 0; x < taps; ++x) {
      for (int u = 0; u < n; ++u)
        m(u, x) = (x == 0 ? 1 : 2) *
                  std::cos(std::numbers::pi * static_cast<double>(static_cast<long long>(u) * x % (2LL * n)) / n);
    }
    return m;
  };
  Eigen::MatrixXd quarter(down, across);
  for (int y = 0; y < down; ++y) {
    for (int x = 0; x < across; ++x) quarter(y, x) = k.at(k.anchor_x() + x, k.anchor_y() + y);
  }
  const Eigen::MatrixXd rows = quarter * waves(w, across).transpose();
  FftArray<double> values(static_cast<std::size_t>(w) * static_cast<std::size_t>(h));
  const Eigen::MatrixXd columns = waves(h, down);
  // Column by column of the result, as it is stored.
  parallel_rows(
      (w + 63) / 64, static_cast<std::size_t>(h) * 64 * static_cast<std::size_t>(down), [&](int first, int last) {
        const int x0 = 64 * first, n = std::min(w, 64 * last) - x0;
        Eigen::Map<Eigen::MatrixXd>(values.data() + static_cast<std::size_t>(x0) * static_cast<std::size_t>(h), h, n)
            .noalias() = columns * rows.middleCols(x0, n);
      });
  return values;
}

}  // namespace

Transfer2d internal::transfer_of(const Kernel& psf, int width, int height) {
  const Kernel k = checked_psf(psf, "transfer function");
  const Grid grid{{width, height, Border::wrap}, false, width / 2 + 1, height};
  Transfer2d t{grid, FftArray<std::complex<double>>(grid.size()), FftArray<double>(0)};
  // Each row of taps at its distance from the anchor, wrapped around; rows that meet add up. All other rows are 0.
  std::map<int, std::vector<double>> rows;
  for (int y = 0; y < k.height(); ++y) {
    auto& row = rows[*border_index(y - k.anchor_y(), height, Border::wrap)];
    row.resize(static_cast<std::size_t>(width));
    for (int x = 0; x < k.width(); ++x)
      row[static_cast<std::size_t>(*border_index(x - k.anchor_x(), width, Border::wrap))] += k.at(x, y);
  }
  const HalfPlane<double> across(width, static_cast<int>(rows.size()));
  const auto line_fft_plan = LineFft<double>::of(width);
  const LineFft<double>& line_fft = *line_fft_plan;
  const FftArray<double> line(static_cast<std::size_t>(width));
  std::vector<int> places;
  for (const auto& [y, row] : rows) {
    std::copy(row.begin(), row.end(), line.data());
    line_fft.forward(line.data(), across.row(static_cast<int>(places.size())));
    places.push_back(y);
  }
  const auto down_plan = LineFft<double>::of(height);
  const LineFft<double>& down = *down_plan;
  parallel_rows(grid.columns, RowCost(height, 16), [&](int first, int last) {
    const FftArray<std::complex<double>> column(static_cast<std::size_t>(height));
    for (int u = first; u < last; ++u) {
      std::fill_n(column.data(), height, 0.0);
      for (std::size_t i = 0; i < places.size(); ++i)
        column[static_cast<std::size_t>(places[i])] = across.row(static_cast<int>(i))[u];
      down.forward(column.data());
      std::copy_n(column.data(), height, t.fourier.data() + grid.place(u, 0));
    }
  });
  return t;
}

Transfer2d internal::transfer_of(const Kernel& psf, const Shape& shape, Border border) {
  const Frame f = frame_of(shape, psf, border);
  if (border == Border::mirror && mirrors_alike(psf)) {
    return {{f, true, shape.width, shape.height},
            FftArray<std::complex<double>>(0),
            cosine_transfer(checked_psf(psf, "transfer function"), shape.width, shape.height)};
  }
  Transfer2d t = transfer_of(psf, f.width, f.height);
  t.grid.frame = f;
  return t;
}

ChannelSpectrum::ChannelSpectrum(const ConstView& channel, const Transfer2d& transfer)
    : transfer_(transfer), noise_share_(noise_share(channel.shape, transfer.grid.frame)) {
  const Grid& g = transfer.grid;
  if (g.cosine) {
    cosine_ = std::make_unique<CosinePlane>(channel.width(), channel.height());
    cosine_rows(channel, *cosine_);
  } else {
    fourier_ = std::make_unique<HalfPlane<double>>(g.frame.width, g.frame.height);
    if (g.frame.border == Border::taper) {
      forward_rows(in_frame(channel, transfer), g.frame.width, Border::wrap, *fourier_);
    } else {
      forward_rows(channel, g.frame.width, g.frame.border, *fourier_);
    }
  }
}

Measured ChannelSpectrum::measure() {
  const Grid& g = transfer_.grid;
  Measured m{g, noise_share_, std::vector<double>(g.size()), std::vector<double>(g.size())};
  const auto keep = [&](int u, auto power) {
    for (int v = 0; v < g.rows; ++v) {
      m.transfer[g.place(u, v)] = std::norm(transfer_.at(u, v));
      m.picture[g.place(u, v)] = power(v);
    }
  };
  const bool first = !whole_;
  if (cosine_) {
    // The orthonormal coefficients as those of the mirrored frame.
    const double all = 4.0 * static_cast<double>(g.frame.width) * g.frame.height;
    each_cosine_column(*cosine_, [&](const auto& dct, const auto& s, int u, double* line) {
      if (first) dct.forward(line, line, s);
      keep(u, [&](int v) { return line[v] * line[v] * all / g.times(u, v); });
    });
  } else {
    const auto down_plan = LineFft<double>::of(g.rows);
    const LineFft<double>& down = *down_plan;
    each_column<double>(*fourier_, [&](int u, std::complex<double>* line) {
      if (first) down.forward(line);
      keep(u, [&](int v) { return std::norm(line[v]); });
    });
  }
  whole_ = true;
  return m;
}

void ChannelSpectrum::restore(const Factor& factor, const View& out) {
  const Grid& g = transfer_.grid;
  if (cosine_) {
    each_cosine_column(*cosine_, [&](const auto& dct, const auto& s, int u, double* line) {
      if (!whole_) dct.forward(line, line, s);
      for (int v = 0; v < g.rows; ++v) line[v] *= factor(u, v, transfer_.cosine[g.place(u, v)]).real();
      dct.inverse(line, line, s);
    });
    cosine_rows_back(*cosine_, out);
  } else {
    const auto down_plan = LineFft<double>::of(g.rows);
    const LineFft<double>& down = *down_plan;
    each_column<double>(*fourier_, [&](int u, std::complex<double>* line) {
      if (!whole_) down.forward(line);
      for (int v = 0; v < g.rows; ++v) line[v] *= factor(u, v, transfer_.fourier[g.place(u, v)]);
      down.inverse(line);
    });
    inverse_rows(*fourier_, g.frame.width, 1.0 / (static_cast<double>(g.frame.width) * g.frame.height), out);
  }
}

Blurring::Blurring(const Transfer2d& t)
    : grid_(t.grid), fourier_(grid_.cosine ? 0 : grid_.size()), cosine_(grid_.cosine ? grid_.size() : 0) {
  parallel_rows(grid_.columns, grid_.rows, [&](int first, int last) {
    for (std::size_t i = grid_.place(first, 0); i < grid_.place(last, 0); ++i) {
      if (grid_.cosine) {
        cosine_[i] = static_cast<float>(t.cosine[i]);
      } else {
        fourier_[i] = std::complex<float>(t.fourier[i]);
      }
    }
  });
}

void Blurring::filter(const ConstView& in, const View& out, bool turned) const {
  filter_in_frame(grid_, in, out, [&]<class T>(int u, T* column) {
    const std::size_t first = grid_.place(u, 0);
    for (int v = 0; v < grid_.rows; ++v) {
      const std::size_t i = first + static_cast<std::size_t>(v);
      if constexpr (std::is_same_v<T, float>) {
        column[v] *= cosine_[i];
      } else {
        // Real and imaginary part by hand: the product of std::complex checks for infinities, which is slow.
        const float re = fourier_[i].real(), im = turned ? -fourier_[i].imag() : fourier_[i].imag();
        column[v] = {column[v].real() * re - column[v].imag() * im, column[v].real() * im + column[v].imag() * re};
      }
    }
  });
}

Stage internal::iteration_stage(const std::vector<double>& residuals) {
  Stage s;
  s.name = "residual over the iterations";
  s.x_name = "iteration";
  s.y_name = "log10 residual";
  s.curves = {{"residual", {}, {}, static_cast<int>(residuals.size()) - 1}};
  for (std::size_t i = 0; i < residuals.size(); ++i) {
    s.curves[0].x.push_back(static_cast<double>(i));
    s.curves[0].y.push_back(std::log10(std::max(1e-9, residuals[i])));
  }
  return s;
}

void internal::tell_of_mirrors(const Kernel& psf, Border border) {
  if (border != Border::mirror || !notes_heard() || mirrors_alike(psf)) return;
  note("this PSF is another one in a mirror, so that mirrored borders may ring: try border=taper");
}

void internal::tell_of_noise(const ConstView& in, const ConstView& result) {
  if (!notes_heard()) return;
  const auto before = statistics(in), after = statistics(result);
  for (std::size_t c = 0; c < static_cast<std::size_t>(in.shape.color_channels()); ++c) {
    const double width = before[c].maximum - before[c].minimum;
    if (!(after[c].minimum < before[c].minimum - width && after[c].maximum > before[c].maximum + width)) continue;
    return note(fmt::format(
        "the result lies in {:.3g} .. {:.3g} and the picture in {:.3g} .. {:.3g}: noise rules it; this PSF did not "
        "blur it, or it has more noise than was reckoned with: measure the PSF, give a larger noise, or take wiener",
        after[c].minimum, after[c].maximum, before[c].minimum, before[c].maximum));
  }
}

void internal::restore_linear(const ConstView& in, const View& out, const Kernel& psf, Border border,
                              const Prepare& prepare, Measures measures) {
  tell_of_mirrors(psf, border);
  const Transfer2d transfer = transfer_of(psf, in.shape, border);
  const auto each_channel = [&](const ConstView& from, const View& to) {
    for (int c = 0; c < from.shape.color_channels(); ++c) {
      checkpoint();
      ChannelSpectrum spectrum(from.channel(c), transfer);
      const ChannelSpectrum::Factor factor = prepare(transfer.grid, [&] { return spectrum.measure(); });
      spectrum.restore(factor, to.channel(c));
    }
  };
  on_finite(in, out, [&](const ConstView& finite, const View& result) {
    if (measures == Measures::nothing || finite.shape.color_channels() != 3) return each_channel(finite, result);
    Image planes = opponent_colors(finite, false);
    each_channel(planes, planes.view());
    const Image colors = opponent_colors(planes, true);
    for (int c = 0; c < 3; ++c) copy(colors.view().channel(c), result.channel(c));
  });
  copy_alpha(in, out);
}

}  // namespace sieve
