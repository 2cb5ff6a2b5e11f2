#include "restore/window_power.hpp"

#include <cmath>
#include <numbers>

#include "fft/fft.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal {

std::vector<double> window_power(const ConstView& plane, int side,
                                 const std::function<double(const std::complex<float>* spectrum)>& weight) {
  const auto fft = RealFft2d::of(side, side);
  const std::size_t numbers = fft->spectrum_size();
  const int columns = windows_along(plane.width(), side), rows = windows_along(plane.height(), side);
  std::vector<float> taper;
  for (int i = 0; i < side; ++i)
    taper.push_back(static_cast<float>(0.5 - 0.5 * std::cos(2 * std::numbers::pi * (i + 0.5) / side)));
  // Row by row, so that the order of the sums does not depend on the threads.
  struct Sum {
    std::vector<double> powers;
    double weights = 0;
  };
  std::vector<Sum> of_row(static_cast<std::size_t>(rows), Sum{std::vector<double>(numbers)});
  parallel_rows(
      rows, RowCost(static_cast<std::size_t>(side * side * columns), 16),
      [&](int first, int last) {
        const FftArray<float> samples(static_cast<std::size_t>(side * side));
        const FftArray<std::complex<float>> spectrum(numbers);
        for (int j = first; j < last; ++j) {
          checkpoint();
          Sum& sum = of_row[static_cast<std::size_t>(j)];
          for (int i = 0; i < columns; ++i) {
            const ConstView window = plane.part({i * side / 2, j * side / 2, side, side});
            // The taper would spread the mean over low frequencies.
            double all = 0;
            for (int y = 0; y < side; ++y) {
              for (int x = 0; x < side; ++x) all += static_cast<double>(window.row(y)[x]);
            }
            const auto mean = static_cast<float>(all / side / side);
            for (int y = 0; y < side; ++y) {
              const float *row = window.row(y), down = taper[static_cast<std::size_t>(y)];
              float* to = samples.data() + y * side;
              for (int x = 0; x < side; ++x) to[x] = (row[x] - mean) * taper[static_cast<std::size_t>(x)] * down;
            }
            fft->forward(samples.data(), spectrum.data());
            const double counts = weight(spectrum.data());
            for (std::size_t k = 0; k < numbers; ++k)
              sum.powers[k] += counts * static_cast<double>(std::norm(spectrum[k]));
            sum.weights += counts;
          }
        }
      },
      1);
  Sum all{std::vector<double>(numbers)};
  for (const Sum& row : of_row) {
    for (std::size_t k = 0; k < numbers; ++k) all.powers[k] += row.powers[k];
    all.weights += row.weights;
  }
  for (double& p : all.powers) p /= all.weights;
  return all.powers;
}

}  // namespace sieve::internal
