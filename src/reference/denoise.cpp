#include <algorithm>
#include <cmath>
#include <vector>

#include "sieve/core/watch.hpp"
#include "sieve/reference/denoise.hpp"
#include "sieve/reference/spatial.hpp"

namespace sieve::reference {

namespace {

using Plane = std::vector<double>;

struct Field {
  std::vector<Plane> x, y;  // of each channel
};

// Forward differences, 0 at the last column and row.
void gradient(const Plane& u, int w, int h, Plane& gx, Plane& gy) {
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) {
      const auto i = static_cast<std::size_t>(y * w + x), next = static_cast<std::size_t>(w);
      gx[i] = x + 1 < w ? u[i + 1] - u[i] : 0;
      gy[i] = y + 1 < h ? u[i + next] - u[i] : 0;
    }
  }
}

double divergence(const Field& p, std::size_t c, int x, int y, int w, int h) {
  const auto i = static_cast<std::size_t>(y * w + x);
  double d = (x + 1 < w ? p.x[c][i] : 0) + (y + 1 < h ? p.y[c][i] : 0);
  if (x > 0) d -= p.x[c][i - 1];
  if (y > 0) d -= p.y[c][i - static_cast<std::size_t>(w)];
  return d;
}

void solve(const std::vector<Plane>& f, int w, int h, double weight, int iterations, std::vector<Plane>& u) {
  const std::size_t channels = f.size(), n = f[0].size();
  Field p{std::vector<Plane>(channels, Plane(n)), std::vector<Plane>(channels, Plane(n))}, g = p;
  for (int k = 0; k <= iterations; ++k) {
    checkpoint();
    for (std::size_t c = 0; c < channels; ++c) {
      for (int y = 0; y < h; ++y) {
        for (int x = 0; x < w; ++x) {
          const auto i = static_cast<std::size_t>(y * w + x);
          u[c][i] = f[c][i] + weight * divergence(p, c, x, y, w, h);
        }
      }
      gradient(u[c], w, h, g.x[c], g.y[c]);
    }
    if (k == iterations) break;
    for (std::size_t i = 0; i < n; ++i) {
      double length = 0;
      for (std::size_t c = 0; c < channels; ++c) length += g.x[c][i] * g.x[c][i] + g.y[c][i] * g.y[c][i];
      length = std::sqrt(length) / weight;
      for (std::size_t c = 0; c < channels; ++c) {
        p.x[c][i] = (p.x[c][i] + g.x[c][i] / weight / 8) / (1 + length / 8);
        p.y[c][i] = (p.y[c][i] + g.y[c][i] / weight / 8) / (1 + length / 8);
      }
    }
  }
}

Plane plane_of(const ConstView& in, int c) {
  Plane p;
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) p.push_back(std::isfinite(in.at(x, y, c)) ? in.at(x, y, c) : 0);
  }
  return p;
}

// The channels that belong together: all, or each by itself.
std::vector<std::vector<int>> groups_of(int color, bool together) {
  std::vector<std::vector<int>> groups;
  for (int c = 0; c < color; ++c) {
    if (groups.empty() || !together) groups.emplace_back();
    groups.back().push_back(c);
  }
  return groups;
}

// value(mean, variance, sample) from the square window of each pixel.
template <class Value>
Image by_window(const ConstView& in, int radius, Border border, Value value) {
  Image out(in);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        double sum = 0, squares = 0, n = 0;
        for (int dy = -radius; dy <= radius; ++dy) {
          for (int dx = -radius; dx <= radius; ++dx) {
            const double v = sample(in, x + dx, y + dy, c, border, 0);
            sum += v;
            squares += v * v;
            ++n;
          }
        }
        const double mean = sum / n;
        out.at(x, y, c) = static_cast<float>(
            value(mean, std::max(0.0, squares / n - mean * mean), static_cast<double>(in.at(x, y, c))));
      }
    }
  }
  return out;
}

}  // namespace

Image total_variation(const ConstView& in, double weight, int iterations, bool together) {
  Image out(in);
  const int w = in.width(), h = in.height();
  for (const auto& group : groups_of(in.shape.color_channels(), together)) {
    std::vector<Plane> f;
    for (const int c : group) f.push_back(plane_of(in, c));
    std::vector<Plane> u = f;
    solve(f, w, h, weight, iterations, u);
    for (std::size_t g = 0; g < group.size(); ++g) {
      for (int i = 0; i < w * h; ++i) {
        if (std::isfinite(in.at(i % w, i / w, group[g])))
          out.at(i % w, i / w, group[g]) = static_cast<float>(u[g][static_cast<std::size_t>(i)]);
      }
    }
  }
  return out;
}

double total_variation_objective(const ConstView& u, const ConstView& f, double weight, bool together) {
  double sum = 0;
  const int w = u.width(), h = u.height();
  for (const auto& group : groups_of(u.shape.color_channels(), together)) {
    for (int y = 0; y < h; ++y) {
      for (int x = 0; x < w; ++x) {
        double squares = 0;
        for (const int c : group) {
          const double v = u.at(x, y, c), gx = x + 1 < w ? u.at(x + 1, y, c) - v : 0,
                       gy = y + 1 < h ? u.at(x, y + 1, c) - v : 0, off = v - static_cast<double>(f.at(x, y, c));
          squares += gx * gx + gy * gy;
          sum += off * off / (2 * weight);
        }
        sum += std::sqrt(squares);
      }
    }
  }
  return sum;
}

Image nonlocal_means(const ConstView& in, int patch, int search, double strength, double noise, Border border) {
  Image out(in);
  const int color = in.shape.color_channels(), far = patch + search, stride = in.width() + 2 * far;
  const double h = strength * noise, count = (2 * patch + 1) * (2 * patch + 1) * color;
  // With the border filled in once: f(x, y) of each channel, also outside the picture.
  std::vector<Plane> f(static_cast<std::size_t>(color));
  for (int c = 0; c < color; ++c) {
    for (int y = -far; y < in.height() + far; ++y) {
      for (int x = -far; x < in.width() + far; ++x)
        f[static_cast<std::size_t>(c)].push_back(sample(in, x, y, c, border, 0));
    }
  }
  const auto at = [&](int x, int y) { return static_cast<std::size_t>((y + far) * stride + x + far); };
  for (int y = 0; y < in.height(); ++y) {
    checkpoint();
    for (int x = 0; x < in.width(); ++x) {
      double total = 0, most = 0, sum[3] = {};
      for (int dy = -search; dy <= search; ++dy) {
        for (int dx = -search; dx <= search; ++dx) {
          if (dx == 0 && dy == 0) continue;
          double distance = 0;
          for (const Plane& p : f) {
            for (int py = -patch; py <= patch; ++py) {
              const std::size_t here = at(x - patch, y + py), there = at(x + dx - patch, y + dy + py);
              for (std::size_t i = 0; i < static_cast<std::size_t>(2 * patch + 1); ++i)
                distance += (p[here + i] - p[there + i]) * (p[here + i] - p[there + i]);
            }
          }
          // What holds a NaN is like nothing.
          const double w =
              std::isnan(distance) ? 0 : std::exp(-std::max(0.0, distance / count - 2 * noise * noise) / (h * h));
          total += w;
          most = std::max(most, w);
          for (int c = 0; c < color; ++c) sum[c] += w * f[static_cast<std::size_t>(c)][at(x + dx, y + dy)];
        }
      }
      const double own = most > 1e-18 ? most : 1;
      for (int c = 0; c < color; ++c)
        out.at(x, y, c) = static_cast<float>((sum[c] + own * in.at(x, y, c)) / (total + own));
    }
  }
  return out;
}

Image bilateral(const ConstView& in, double sigma, int radius, double range, Border border) {
  Image out(in);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        const double v = in.at(x, y, c);
        double sum = 0, total = 0;
        for (int dy = -radius; dy <= radius; ++dy) {
          for (int dx = -radius; dx <= radius; ++dx) {
            const double u = sample(in, x + dx, y + dy, c, border, 0);
            const double w =
                std::exp(-(dx * dx + dy * dy) / (2 * sigma * sigma) - (u - v) * (u - v) / (2 * range * range));
            sum += w * u;
            total += w;
          }
        }
        out.at(x, y, c) = static_cast<float>(sum / total);
      }
    }
  }
  return out;
}

Image guided(const ConstView& in, const ConstView& guide, int radius, double strength, Border border) {
  Image out(in);
  const int w = in.width(), h = in.height();
  const double n = (2.0 * radius + 1) * (2.0 * radius + 1);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const int g = guide.shape.color_channels() == 1 ? 0 : c;
    Plane a(static_cast<std::size_t>(w * h)), b = a;
    for (int y = 0; y < h; ++y) {
      for (int x = 0; x < w; ++x) {
        double si = 0, sg = 0, sgi = 0, sgg = 0;
        for (int dy = -radius; dy <= radius; ++dy) {
          for (int dx = -radius; dx <= radius; ++dx) {
            const double v = sample(in, x + dx, y + dy, c, border, 0), u = sample(guide, x + dx, y + dy, g, border, 0);
            si += v / n;
            sg += u / n;
            sgi += u * v / n;
            sgg += u * u / n;
          }
        }
        const auto i = static_cast<std::size_t>(y * w + x);
        a[i] = (sgi - sg * si) / (std::max(0.0, sgg - sg * sg) + strength * strength);
        b[i] = si - a[i] * sg;
      }
    }
    for (int y = 0; y < h; ++y) {
      for (int x = 0; x < w; ++x) {
        double sa = 0, sb = 0;
        for (int dy = -radius; dy <= radius; ++dy) {
          for (int dx = -radius; dx <= radius; ++dx) {
            const auto i =
                static_cast<std::size_t>(*border_index(y + dy, h, border) * w + *border_index(x + dx, w, border));
            sa += a[i] / n;
            sb += b[i] / n;
          }
        }
        out.at(x, y, c) = static_cast<float>(sa * guide.at(x, y, g) + sb);
      }
    }
  }
  return out;
}

Image diffusion(const ConstView& in, int iterations, double rate, const std::function<double(double)>& conductance) {
  Image out(in);
  const int w = in.width(), h = in.height();
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    Plane u;
    for (int i = 0; i < w * h; ++i) u.push_back(in.at(i % w, i / w, c));
    for (int k = 0; k < iterations; ++k) {
      Plane next = u;
      for (int i = 0; i < w * h; ++i) {
        const int x = i % w, y = i / w;
        for (const auto& [dx, dy] : {std::pair{1, 0}, {-1, 0}, {0, 1}, {0, -1}}) {
          if (x + dx < 0 || x + dx >= w || y + dy < 0 || y + dy >= h) continue;
          const double d = u[static_cast<std::size_t>((y + dy) * w + x + dx)] - u[static_cast<std::size_t>(i)];
          next[static_cast<std::size_t>(i)] += rate * conductance(d) * d;
        }
      }
      u = next;
    }
    for (int i = 0; i < w * h; ++i) out.at(i % w, i / w, c) = static_cast<float>(u[static_cast<std::size_t>(i)]);
  }
  return out;
}

Image adaptive_wiener(const ConstView& in, int radius, double noise, Border border) {
  return by_window(in, radius, border, [noise](double mean, double variance, double v) {
    const double most = std::max(variance, noise * noise);
    return mean + (most > 0 ? std::max(0.0, variance - noise * noise) / most : 0) * (v - mean);
  });
}

Image lee(const ConstView& in, int radius, double speckle, Border border) {
  return by_window(in, radius, border, [speckle](double mean, double variance, double v) {
    return mean + (variance > 0 ? std::max(0.0, 1 - speckle * speckle * mean * mean / variance) : 0) * (v - mean);
  });
}

}  // namespace sieve::reference
