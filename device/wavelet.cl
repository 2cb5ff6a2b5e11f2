// One step of a wavelet transform along rows or columns: filters with their taps at a distance, and back. `scale` is 2
// where every second place is kept, 1 where all are.
//   low[k] = sum over t of taps[t] x[scale k + (t - at) distance], high[k] likewise.
float at_place(global const float* plane, Place p, int along_row, int line, int i, int border) {
  int n = along_row ? p.width : p.rows, k = inside(i, n, border);
  return plane[along_row ? (size_t)line * p.width + k : (size_t)k * p.width + line];
}
kernel void split(global const float* in, global float* out, Place p, Place result, constant float* taps, int count,
                  int at, int scale, int distance, int along_row) {
  if (X >= result.width || Y >= result.rows) return;
  global const float* plane = in + PLANE;
  int k = along_row ? X : Y, line = along_row ? Y : X;
  float sum = 0;
  for (int t = 0; t < count; ++t)
    sum = fma(taps[t], at_place(plane, p, along_row, line, scale * k + (t - at) * distance, p.border), sum);
  out[((size_t)get_global_id(2) * result.rows + Y) * result.width + X] = sum;
}

// Without decimation: half the sum over both bands of taps[t] band[i - (t - at) distance].
kernel void join_all(global const float* low, global const float* high, global float* out, Place p,
                     constant float* taps, int lows, int low_at, int highs, int high_at, int distance, int along_row) {
  if (X >= p.width || Y >= p.rows) return;
  int i = along_row ? X : Y, line = along_row ? Y : X;
  float sum = 0;
  for (int t = 0; t < lows; ++t)
    sum = fma(taps[t], at_place(low + PLANE, p, along_row, line, i - (t - low_at) * distance, p.border), sum);
  for (int t = 0; t < highs; ++t)
    sum = fma(taps[lows + t], at_place(high + PLANE, p, along_row, line, i - (t - high_at) * distance, p.border), sum);
  out[PLANE + (size_t)Y * p.width + X] = 0.5f * sum;
}

// With decimation: sum of taps[i - 2k + at] band[k]. Symmetric wavelets have their coefficients, low and high in turns,
// reflected at the ends; the others have all that they need.
float coefficient(global const float* band, int width, int rows, int along_row, int line, int k) {
  int n = along_row ? width : rows;
  if (k < 0 || k >= n) return 0;
  return band[along_row ? (size_t)line * width + k : (size_t)k * width + line];
}
kernel void join(global const float* low, global const float* high, global float* out, Place p, Place result,
                 constant float* taps, int lows, int low_at, int highs, int high_at, int high_width, int high_rows,
                 int symmetric, int along_row) {
  if (X >= result.width || Y >= result.rows) return;
  int i = along_row ? X : Y, line = along_row ? Y : X, n = along_row ? result.width : result.rows;
  low += (size_t)get_global_id(2) * p.width * p.rows;
  high += (size_t)get_global_id(2) * high_width * high_rows;
  float sum = 0;
  for (int t = 0; t < lows; ++t) {
    int j = i - t + low_at;  // 2k, before it is reflected
    if (j & 1) continue;
    int k = symmetric ? inside(j, n, REFLECT) / 2 : j / 2;
    sum = fma(taps[t], coefficient(low, p.width, p.rows, along_row, line, k), sum);
  }
  for (int t = 0; t < highs; ++t) {
    int j = i - t + high_at;
    if (j & 1) continue;
    int k = symmetric ? (inside(j + 1, n, REFLECT) - 1) / 2 : j / 2;
    if (symmetric && n == 1) continue;
    sum = fma(taps[lows + t], coefficient(high, high_width, high_rows, along_row, line, k), sum);
  }
  out[((size_t)get_global_id(2) * result.rows + Y) * result.width + X] = sum;
}

// A plane with its mirror images around it, and the middle of it again.
kernel void surround(global const float* in, global float* out, Place p, Place result, int margin) {
  if (X >= result.width || Y >= result.rows) return;
  int x = inside(X - margin, p.width, MIRROR), y = inside(Y - margin, p.rows, MIRROR);
  out[((size_t)get_global_id(2) * result.rows + Y) * result.width + X] = in[PLANE + (size_t)y * p.width + x];
}
kernel void take_middle(global const float* in, global float* out, Place p, Place result, int margin) {
  if (X >= result.width || Y >= result.rows) return;
  out[((size_t)get_global_id(2) * result.rows + Y) * result.width + X] =
      in[PLANE + (size_t)(Y + margin) * p.width + X + margin];
}
