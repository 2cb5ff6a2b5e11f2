// What has no weight is left out, infinite or not: ZEROS are a bit a tap, ALL_TAPS says that there is none.
#if defined(ALL_TAPS)
#define COUNTS(k) 1
#elif defined(ZEROS)
#define COUNTS(k) (!(ZEROS >> (k) & 1))
#else
#define COUNTS(k) (weights[k] != 0)
#endif

// Correlation with weights by rows from the upper left: TAPS_ACROSS x TAPS_DOWN of them are known when this is built, so
// that loops over few of them are laid out flat. A group shares the samples that its items see.
#ifdef TAPS_ACROSS
#if TAPS_ACROSS * TAPS_DOWN <= 256
#define FLAT _Pragma("unroll")
#else
#define FLAT
#endif
kernel void weigh(global const float* in, global float* out, Place p, constant float* weights, int anchor_x,
                  int anchor_y, local float* tile) {
  int across = get_local_size(0) * WIDE + TAPS_ACROSS - 1, down = get_local_size(1) * HIGH + TAPS_DOWN - 1;
  fill(in + PLANE, tile, GROUP_LEFT - anchor_x,
       GROUP_TOP - anchor_y + p.first, across, down, p);
  if (X * WIDE >= p.width || Y * HIGH >= p.rows) return;
  local const float* from = tile + get_local_id(1) * HIGH * across + get_local_id(0) * WIDE;
  Some sum[HIGH];
  for (int r = 0; r < HIGH; ++r) sum[r] = 0;
  FLAT for (int j = 0; j < TAPS_DOWN + HIGH - 1; ++j) {
    FLAT for (int i = 0; i < TAPS_ACROSS; ++i) {
      Some v = GET(from + j * across + i);
      FLAT for (int r = 0; r < HIGH; ++r) {
        if (j - r >= 0 && j - r < TAPS_DOWN && COUNTS((j - r) * TAPS_ACROSS + i))
          sum[r] = fma((Some)weights[(j - r) * TAPS_ACROSS + i], v, sum[r]);
      }
    }
  }
  for (int r = 0; r < HIGH && Y * HIGH + r < p.rows; ++r)
    put(sum[r], out + PLANE + (size_t)(Y * HIGH + r) * p.width, X * WIDE, p.width);
}
#endif

// Weighted sums along x or y, for kernels that are the product of a row and a column. Short ones are laid out flat:
// FIXED_TAPS is known then when this is built.
#ifdef FIXED_TAPS
#define LENGTH FIXED_TAPS
#define EACH_TAP _Pragma("unroll")
#else
#define LENGTH taps
#define EACH_TAP
#endif
#define EACH_ROW _Pragma("unroll") for (int r = 0; r < HIGH; ++r)
kernel void along_row(global const float* in, global float* out, Place p, constant float* weights, int taps, int anchor,
                      local float* tile) {
  int across = get_local_size(0) * WIDE + LENGTH - 1;
  fill(in + PLANE, tile, GROUP_LEFT - anchor, GROUP_TOP + p.first, across, get_local_size(1) * HIGH, p);
  if (X * WIDE >= p.width || Y * HIGH >= p.rows) return;
  local const float* from = tile + get_local_id(1) * HIGH * across + get_local_id(0) * WIDE;
  Some sum[HIGH] = {0, 0, 0, 0};
  EACH_TAP for (int i = 0; i < LENGTH; ++i) {
    if (!COUNTS(i)) continue;
    Some w = weights[i];
    EACH_ROW sum[r] = fma(w, GET(from + r * across + i), sum[r]);
  }
  for (int r = 0; r < HIGH && Y * HIGH + r < p.rows; ++r)
    put(sum[r], out + PLANE + (size_t)(Y * HIGH + r) * p.width, X * WIDE, p.width);
}
kernel void along_column(global const float* in, global float* out, Place p, constant float* weights, int taps,
                         int anchor) {
  int x = X * WIDE, y = Y * HIGH, top = y + p.first - anchor, rows = min(HIGH, p.rows - y);
  if (x >= p.width || rows <= 0) return;
  global const float* plane = in + PLANE;
  global float* to = out + PLANE + (size_t)y * p.width;
  bool within = top >= p.first && top + LENGTH + HIGH - 1 <= p.first + p.rows && rows == HIGH;
  if (within && x + WIDE <= p.width) {
    global const float* from = plane + (size_t)(top - p.first) * p.width + x;
    Some sum[HIGH] = {0, 0, 0, 0};
    EACH_TAP for (int j = 0; j < LENGTH + HIGH - 1; ++j, from += p.width) {
      Some v = GET(from);
      EACH_ROW {
        if (j >= r && j < LENGTH + r && COUNTS(j - r)) sum[r] = fma((Some)weights[j - r], v, sum[r]);
      }
    }
    EACH_ROW PUT(sum[r], to + (size_t)r * p.width + x);
    return;
  }
  for (int r = 0; r < rows; ++r) {
    for (int i = x; i < min(x + WIDE, p.width); ++i) {
      float sum = 0;
      for (int j = 0; j < LENGTH; ++j) {
        if (weights[j] == 0) continue;
        int row = strip_row(top + r + j, p);
        sum = fma(weights[j], row < 0 ? p.fill : plane[(size_t)row * p.width + i], sum);
      }
      to[(size_t)r * p.width + i] = sum;
    }
  }
}

// The same where the window moves by more than a sample or the result has other sides: window (x, y) of the result
// begins at (left + stride x, top + stride y) of the picture.
kernel void weigh_apart(global const float* in, global float* out, Place p, Place result, constant float* weights,
                        int taps_across, int taps_down, int left, int top, int stride) {
  if (X >= result.width || Y >= result.rows) return;
  int x = left + stride * X, y = top + stride * Y;
  global const float* plane = in + PLANE;
  float sum = 0;
  if (x >= 0 && y >= 0 && x + taps_across <= p.width && y + taps_down <= p.rows) {
    for (int j = 0; j < taps_down; ++j) {
      for (int i = 0; i < taps_across; ++i)
        if (weights[j * taps_across + i] != 0)
          sum = fma(weights[j * taps_across + i], plane[(size_t)(y + j) * p.width + x + i], sum);
    }
  } else {
    for (int j = 0; j < taps_down; ++j) {
      for (int i = 0; i < taps_across; ++i)
        if (weights[j * taps_across + i] != 0)
          sum = fma(weights[j * taps_across + i], sample(plane, x + i, y + j, p), sum);
    }
  }
  out[((size_t)get_global_id(2) * result.rows + Y) * result.width + X] = sum;
}

// How steep the picture is, or in which direction: differences of 3x3 samples, with the weights `corner`, `middle`,
// `corner` along the edge. Differences are taken first, so that they are 0 where neighbors are equal.
Some angle(Some x, Some y) {
  Some ax = fabs(x), ay = fabs(y), more = fmax(ax, ay), less = fmin(ax, ay);
  Some t = more > 0 ? less / more : (Some)0, s = t * t;
  // atan(t) / t in powers of t^2 (minimax on 0..1).
  Some p = (Some)0.00282363896258175373f;
  p = fma(p, s, (Some)-0.0159569028764963150f);
  p = fma(p, s, (Some)0.0425049886107444763f);
  p = fma(p, s, (Some)-0.0748900920152664185f);
  p = fma(p, s, (Some)0.106347933411598206f);
  p = fma(p, s, (Some)-0.142027363181114197f);
  p = fma(p, s, (Some)0.199926957488059998f);
  p = fma(p, s, (Some)-0.333331018686294556f);
  Some a = fma(p * s, t, t);
  a = ay > ax ? (Some)1.57079632679f - a : a;
  a = x < 0 ? (Some)3.14159265359f - a : a;
  a = y < 0 ? -a : a;
  return isnan(x + y) ? x + y : a;
}
kernel void gradient(global const float* in, global float* out, Place p, int direction, float corner, float middle,
                     local float* tile) {
  int across = get_local_size(0) * WIDE + 2;
  fill(in + PLANE, tile, GROUP_LEFT - 1, GROUP_TOP - 1 + p.first, across, get_local_size(1) * HIGH + 2, p);
  if (X * WIDE >= p.width || Y * HIGH >= p.rows) return;
  for (int r = 0; r < HIGH && Y * HIGH + r < p.rows; ++r) {
    local const float* from = tile + (get_local_id(1) * HIGH + r) * across + get_local_id(0) * WIDE;
    Some left[3], center[3], right[3];
    for (int j = 0; j < 3; ++j) {
      left[j] = GET(from + j * across);
      center[j] = GET(from + j * across + 1);
      right[j] = GET(from + j * across + 2);
    }
    Some gx = corner * (right[0] - left[0]) + middle * (right[1] - left[1]) + corner * (right[2] - left[2]);
    Some gy = (corner * left[2] + middle * center[2] + corner * right[2]) -
              (corner * left[0] + middle * center[0] + corner * right[0]);
    put(direction ? angle(gx, gy) : sqrt(fma(gx, gx, gy * gy)), out + PLANE + (size_t)(Y * HIGH + r) * p.width,
        X * WIDE, p.width);
  }
}
