// e^-v of v >= 0 as the processors have it, within 1e-5 of itself and 0 from 60 on: 2^k by its bits, the rest by a
// polynomial.
#if WIDE == 16
#define AS_BITS as_int16
#define AS_SOME as_float16
#define WHOLE convert_int16
#else
#define AS_BITS as_int
#define AS_SOME as_float
#define WHOLE convert_int
#endif
Some falling(Some v) {
  Some down = fmin(v, (Some)60.0f) * -1.44269504f, whole = rint(down), part = down - whole;
  Some low = fma(part, (Some)0.69313673f, (Some)1.0f), middle = fma(part, (Some)0.055838283f, (Some)0.2402253f);
  Some p = fma(part * part, fma(part * part, (Some)0.0096567103f, middle), low);
  return select((Some)0.0f, AS_SOME(AS_BITS(p) + (WHOLE(whole) << 23)), v < (Some)60.0f);
}

// Bilateral: weights by place (their logarithms) and by difference of level. Differences are averaged, so that an even
// picture stays exactly as it is.
kernel void bilateral(global const float* in, global float* out, Place p, constant float* logs, int radius,
                      float falloff, local float* tile) {
  int side = 2 * radius + 1, across = get_local_size(0) * WIDE + 2 * radius;
  fill(in + PLANE, tile, GROUP_LEFT - radius, GROUP_TOP - radius + p.first, across,
       get_local_size(1) * HIGH + 2 * radius, p);
  if (X * WIDE >= p.width || Y * HIGH >= p.rows) return;
  for (int r = 0; r < HIGH && Y * HIGH + r < p.rows; ++r) {
    local const float* from = tile + (get_local_id(1) * HIGH + r) * across + get_local_id(0) * WIDE;
    Some v = GET(from + radius * across + radius), sum = 0, weight = 0;
    for (int j = 0; j < side; ++j) {
      for (int i = 0; i < side; ++i) {
        Some off = GET(from + j * across + i) - v, w = falling(off * off * falloff - logs[j * side + i]);
        sum = fma(w, off, sum);
        weight += w;
      }
    }
    put(v + sum / weight, out + PLANE + (size_t)(Y * HIGH + r) * p.width, X * WIDE, p.width);
  }
}

// Guided by itself: the mean of a row of a window and the sum of squares about it; then of the whole window, and from
// its variance the line slope * v + offset (He, Sun and Tang, 2013). Squares are taken about means, so that nothing
// cancels.
kernel void row_spread(global const float* in, global float* means, global float* squares, Place p, int radius,
                       local float* tile) {
  int across = get_local_size(0) * WIDE + 2 * radius;
  fill(in + PLANE, tile, GROUP_LEFT - radius, GROUP_TOP + p.first, across, get_local_size(1) * HIGH, p);
  if (X * WIDE >= p.width || Y * HIGH >= p.rows) return;
  for (int r = 0; r < HIGH && Y * HIGH + r < p.rows; ++r) {
    local const float* from = tile + (get_local_id(1) * HIGH + r) * across + get_local_id(0) * WIDE;
    Some sum = 0, square = 0;
    for (int i = 0; i <= 2 * radius; ++i) sum += GET(from + i);
    Some mean = sum / (float)(2 * radius + 1);
    for (int i = 0; i <= 2 * radius; ++i) {
      Some off = GET(from + i) - mean;
      square = fma(off, off, square);
    }
    size_t at = PLANE + (size_t)(Y * HIGH + r) * p.width;
    put(mean, means + at, X * WIDE, p.width);
    put(square, squares + at, X * WIDE, p.width);
  }
}
kernel void fit_lines(global const float* means, global const float* squares, global float* slopes,
                      global float* offsets, Place p, int radius, float eps) {
  if (X >= p.width || Y >= p.rows) return;
  means += PLANE + X;
  squares += PLANE + X;
  float sum = 0, square = 0, n = 2 * radius + 1;
  for (int j = -radius; j <= radius; ++j) sum += means[(size_t)strip_row(Y + p.first + j, p) * p.width];
  float mean = sum / n;
  for (int j = -radius; j <= radius; ++j) {
    size_t row = (size_t)strip_row(Y + p.first + j, p) * p.width;
    float off = means[row] - mean;
    square += squares[row] + n * off * off;
  }
  float variance = square / (n * n), slope = variance / (variance + eps);
  size_t at = PLANE + (size_t)Y * p.width + X;
  slopes[at] = slope;
  offsets[at] = mean - slope * mean;
}

// Non-local means. For each place of the search window the group sums squared differences down the patches into its
// memory, then along them; a weight is the same for all channels.
#ifdef COLORS
kernel void nonlocal(global const float* in, global float* out, Place p, int patch, int search, float scale,
                     float floor, local float* tile) {
  int around = patch + search, wide = get_local_size(0) * WIDE, high = get_local_size(1) * HIGH;
  int across = wide + 2 * around, down = high + 2 * around, size = across * down;
  size_t plane = (size_t)p.width * p.rows;
  for (int c = 0; c < COLORS; ++c)
    fill(in + c * plane, tile + c * size, GROUP_LEFT - around, GROUP_TOP - around + p.first, across, down, p);
  // Rows of `high`, of so many columns that whole vectors fit behind the last patch.
  local float* columns = tile + COLORS * size + WIDE;
  int spread = wide + 2 * patch + WIDE;
  Some sum[COLORS][HIGH], weight[HIGH], most[HIGH];
  for (int r = 0; r < HIGH; ++r) {
    weight[r] = most[r] = 0;
    for (int c = 0; c < COLORS; ++c) sum[c][r] = 0;
  }
  int x0 = get_local_id(0) * WIDE, y0 = get_local_id(1) * HIGH;
  for (int dy = -search; dy <= search; ++dy) {
    for (int dx = -search; dx <= search; ++dx) {
      if (dx == 0 && dy == 0) continue;
      for (int x = x0; x < wide + 2 * patch; x += wide) {
        for (int r = 0; r < HIGH; ++r) {
          Some total = 0;
          for (int c = 0; c < COLORS; ++c) {
            local const float* a = tile + c * size + (y0 + r + search) * across + x + search;
            for (int j = 0; j <= 2 * patch; ++j, a += across) {
              Some off = GET(a) - GET(a + dy * across + dx);
              total = fma(off, off, total);
            }
          }
          PUT(total, columns + (y0 + r) * spread + x);
        }
      }
      barrier(CLK_LOCAL_MEM_FENCE);
      for (int r = 0; r < HIGH; ++r) {
        local const float* from = columns + (y0 + r) * spread + x0;
        Some total = 0;
        for (int i = 0; i <= 2 * patch; ++i) total += GET(from + i);
        // Not fmax: a NaN is to stay one.
        Some d = total * scale - floor, w = falling(d < 0 ? (Some)0 : d);
        for (int c = 0; c < COLORS; ++c)
          sum[c][r] = fma(w, GET(tile + c * size + (y0 + r + around + dy) * across + x0 + around + dx), sum[c][r]);
        weight[r] += w;
        most[r] = fmax(most[r], w);
      }
      barrier(CLK_LOCAL_MEM_FENCE);
    }
  }
  if (X * WIDE >= p.width) return;
  for (int r = 0; r < HIGH && Y * HIGH + r < p.rows; ++r) {
    Some own = most[r] > 1e-18f ? most[r] : (Some)1;
    for (int c = 0; c < COLORS; ++c) {
      Some self = GET(tile + c * size + (y0 + r + around) * across + x0 + around);
      put((sum[c][r] + own * self) / (weight[r] + own), out + c * plane + (size_t)(Y * HIGH + r) * p.width, X * WIDE,
          p.width);
    }
  }
}
#endif
