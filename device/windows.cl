// What every kernel knows: where it works. Pictures lie plane by plane, rows without gaps. A strip has rows first to
// first + rows - 1 of a picture of `height` rows.
typedef struct {
  int width, rows, first, height, border;
  float fill;
} Place;

enum { EDGE, MIRROR, REFLECT, WRAP, FIXED };

// The row or column that stands for i of 0..n-1, -1 for the fill.
int inside(int i, int n, int border) {
  if (i >= 0 && i < n) return i;
  if (border == EDGE) return clamp(i, 0, n - 1);
  if (border == FIXED) return -1;
  if (border == WRAP) return (i % n + n) % n;
  if (border == REFLECT) {
    if (n == 1) return 0;
    int period = 2 * n - 2, k = (i % period + period) % period;
    return k < n ? k : period - k;
  }
  int k = (i % (2 * n) + 2 * n) % (2 * n);
  return k < n ? k : 2 * n - 1 - k;
}
// A row of the strip for a row of the picture; those that a strip does not hold are needed by rows alone that are
// thrown away.
int strip_row(int y, Place p) {
  int row = inside(y, p.height, p.border);
  return row < 0 ? -1 : clamp(row - p.first, 0, p.rows - 1);
}
float sample(global const float* plane, int x, int y, Place p) {
  int column = inside(x, p.width, p.border), row = strip_row(y, p);
  return column < 0 || row < 0 ? p.fill : plane[(size_t)row * p.width + column];
}

#define X ((int)get_global_id(0))
#define Y ((int)get_global_id(1))
#define PLANE ((size_t)get_global_id(2) * p.width * p.rows)

// An item of the weighing kernels works on WIDE samples of HIGH rows. Processors have vectors and take 16 of them; items
// of a card run side by side and take one each.
#if WIDE == 16
typedef float16 Some;
#define GET(from) vload16(0, from)
#define PUT(v, to) vstore16(v, 0, to)
#else
typedef float Some;
#define GET(from) (*(from))
#define PUT(v, to) (*(to) = (v))
#endif
#define HIGH 4
// What is not of a whole item at the right rim.
void put(Some v, global float* row, int x, int width) {
  if (x + WIDE <= width) {
    PUT(v, row + x);
    return;
  }
#if WIDE > 1
  float each[WIDE];
  vstore16(v, 0, each);
  for (int i = 0; x + i < width; ++i) row[x + i] = each[i];
#endif
}

// The samples that a group sees, from (left, top) of the picture on.
void fill(global const float* plane, local float* tile, int left, int top, int across, int down, Place p) {
  bool within = left >= 0 && left + across <= p.width && top >= p.first && top + down <= p.first + p.rows;
  for (int j = get_local_id(1); j < down; j += get_local_size(1)) {
    local float* row = tile + j * across;
    if (within) {
      global const float* from = plane + (size_t)(top + j - p.first) * p.width + left;
      for (int i = get_local_id(0); i < across; i += get_local_size(0)) row[i] = from[i];
    } else {
      for (int i = get_local_id(0); i < across; i += get_local_size(0)) row[i] = sample(plane, left + i, top + j, p);
    }
  }
  barrier(CLK_LOCAL_MEM_FENCE);
}

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
  fill(in + PLANE, tile, get_group_id(0) * get_local_size(0) * WIDE - anchor_x,
       get_group_id(1) * get_local_size(1) * HIGH - anchor_y + p.first, across, down, p);
  if (X * WIDE >= p.width || Y * HIGH >= p.rows) return;
  local const float* from = tile + get_local_id(1) * HIGH * across + get_local_id(0) * WIDE;
  Some sum[HIGH];
  for (int r = 0; r < HIGH; ++r) sum[r] = 0;
  FLAT for (int j = 0; j < TAPS_DOWN + HIGH - 1; ++j) {
    FLAT for (int i = 0; i < TAPS_ACROSS; ++i) {
      Some v = GET(from + j * across + i);
      FLAT for (int r = 0; r < HIGH; ++r) {
        if (j - r >= 0 && j - r < TAPS_DOWN) sum[r] = fma((Some)weights[(j - r) * TAPS_ACROSS + i], v, sum[r]);
      }
    }
  }
  for (int r = 0; r < HIGH && Y * HIGH + r < p.rows; ++r)
    put(sum[r], out + PLANE + (size_t)(Y * HIGH + r) * p.width, X * WIDE, p.width);
}
#endif

// Weighted sums along x or y, for kernels that are the product of a row and a column.
kernel void along_row(global const float* in, global float* out, Place p, constant float* weights, int taps, int anchor,
                      local float* tile) {
  int across = get_local_size(0) * WIDE + taps - 1;
  fill(in + PLANE, tile, get_group_id(0) * get_local_size(0) * WIDE - anchor,
       get_group_id(1) * get_local_size(1) * HIGH + p.first, across, get_local_size(1) * HIGH, p);
  if (X * WIDE >= p.width || Y * HIGH >= p.rows) return;
  local const float* from = tile + get_local_id(1) * HIGH * across + get_local_id(0) * WIDE;
  Some a = 0, b = 0, c = 0, d = 0;
  for (int i = 0; i < taps; ++i, ++from) {
    Some w = weights[i];
    a = fma(w, GET(from), a);
    b = fma(w, GET(from + across), b);
    c = fma(w, GET(from + 2 * across), c);
    d = fma(w, GET(from + 3 * across), d);
  }
  Some sum[HIGH] = {a, b, c, d};
  for (int r = 0; r < HIGH && Y * HIGH + r < p.rows; ++r)
    put(sum[r], out + PLANE + (size_t)(Y * HIGH + r) * p.width, X * WIDE, p.width);
}
kernel void along_column(global const float* in, global float* out, Place p, constant float* weights, int taps,
                         int anchor) {
  int x = X * WIDE, y = Y * HIGH, top = y + p.first - anchor, rows = min(HIGH, p.rows - y);
  if (x >= p.width || rows <= 0) return;
  global const float* plane = in + PLANE;
  global float* to = out + PLANE + (size_t)y * p.width;
  bool within = top >= p.first && top + taps + HIGH - 1 <= p.first + p.rows && rows == HIGH;
  if (within && x + WIDE <= p.width) {
    global const float* from = plane + (size_t)(top - p.first) * p.width + x;
    Some a = 0, b = 0, c = 0, d = 0;
    for (int j = 0; j < taps + HIGH - 1; ++j, from += p.width) {
      Some v = GET(from);
      if (j < taps) a = fma((Some)weights[j], v, a);
      if (j >= 1 && j < taps + 1) b = fma((Some)weights[j - 1], v, b);
      if (j >= 2 && j < taps + 2) c = fma((Some)weights[j - 2], v, c);
      if (j >= 3) d = fma((Some)weights[j - 3], v, d);
    }
    PUT(a, to + x);
    PUT(b, to + p.width + x);
    PUT(c, to + 2 * p.width + x);
    PUT(d, to + 3 * p.width + x);
    return;
  }
  for (int r = 0; r < rows; ++r) {
    for (int i = x; i < min(x + WIDE, p.width); ++i) {
      float sum = 0;
      for (int j = 0; j < taps; ++j) {
        int row = strip_row(top + r + j, p);
        sum = fma(weights[j], row < 0 ? p.fill : plane[(size_t)row * p.width + i], sum);
      }
      to[(size_t)r * p.width + i] = sum;
    }
  }
}

// Minima and maxima along x or y, and the median of 3x3 samples. A NaN counts as infinite.
Some numbered(Some v) { return isnan(v) ? (Some)INFINITY : v; }
Some extreme(Some a, Some b, int most) { return most ? fmax(a, b) : fmin(a, b); }
kernel void extreme_along_row(global const float* in, global float* out, Place p, int radius, int most,
                              local float* tile) {
  int across = get_local_size(0) * WIDE + 2 * radius;
  fill(in + PLANE, tile, get_group_id(0) * get_local_size(0) * WIDE - radius,
       get_group_id(1) * get_local_size(1) * HIGH + p.first, across, get_local_size(1) * HIGH, p);
  if (X * WIDE >= p.width || Y * HIGH >= p.rows) return;
  for (int r = 0; r < HIGH && Y * HIGH + r < p.rows; ++r) {
    local const float* from = tile + (get_local_id(1) * HIGH + r) * across + get_local_id(0) * WIDE;
    Some found = numbered(GET(from));
    for (int i = 1; i <= 2 * radius; ++i) found = extreme(found, numbered(GET(from + i)), most);
    put(found, out + PLANE + (size_t)(Y * HIGH + r) * p.width, X * WIDE, p.width);
  }
}
kernel void extreme_along_column(global const float* in, global float* out, Place p, int radius, int most,
                                 local float* tile) {
  int across = get_local_size(0) * WIDE;
  fill(in + PLANE, tile, get_group_id(0) * across, get_group_id(1) * get_local_size(1) * HIGH - radius + p.first,
       across, get_local_size(1) * HIGH + 2 * radius, p);
  if (X * WIDE >= p.width || Y * HIGH >= p.rows) return;
  for (int r = 0; r < HIGH && Y * HIGH + r < p.rows; ++r) {
    local const float* from = tile + (get_local_id(1) * HIGH + r) * across + get_local_id(0) * WIDE;
    Some found = numbered(GET(from));
    for (int i = 1; i <= 2 * radius; ++i) found = extreme(found, numbered(GET(from + i * across)), most);
    put(found, out + PLANE + (size_t)(Y * HIGH + r) * p.width, X * WIDE, p.width);
  }
}

// Columns are sorted, then the largest of the least, the middle of the middle ones and the least of the largest (Smith,
// "Implementing median filters in XC4000E FPGAs", Xcell 23, 1996).
#define SORT(a, b)       \
  {                      \
    Some t = fmin(a, b); \
    b = fmax(a, b);      \
    a = t;               \
  }
Some middle(Some a, Some b, Some c) { return fmax(fmin(a, b), fmin(fmax(a, b), c)); }
kernel void median_of_nine(global const float* in, global float* out, Place p, local float* tile) {
  int across = get_local_size(0) * WIDE + 2;
  fill(in + PLANE, tile, get_group_id(0) * get_local_size(0) * WIDE - 1,
       get_group_id(1) * get_local_size(1) * HIGH - 1 + p.first, across, get_local_size(1) * HIGH + 2, p);
  if (X * WIDE >= p.width || Y * HIGH >= p.rows) return;
  for (int r = 0; r < HIGH && Y * HIGH + r < p.rows; ++r) {
    local const float* from = tile + (get_local_id(1) * HIGH + r) * across + get_local_id(0) * WIDE;
    Some a[3], b[3], c[3];
    for (int i = 0; i < 3; ++i) {
      a[i] = numbered(GET(from + i));
      b[i] = numbered(GET(from + across + i));
      c[i] = numbered(GET(from + 2 * across + i));
      SORT(a[i], b[i]);
      SORT(b[i], c[i]);
      SORT(a[i], b[i]);
    }
    Some m = middle(fmax(fmax(a[0], a[1]), a[2]), middle(b[0], b[1], b[2]), fmin(fmin(c[0], c[1]), c[2]));
    put(m, out + PLANE + (size_t)(Y * HIGH + r) * p.width, X * WIDE, p.width);
  }
}

// What a report tells of samples, a group of rows of a plane at a time: least, largest, below 0, above 1, not finite.
kernel void figures(global const float* in, int width, int from, int to, int rows, int planes, global float* found,
                    global int* counts) {
  int part = get_global_id(0), parts = get_global_size(0);
  float least = INFINITY, largest = -INFINITY;
  int below = 0, above = 0, odd = 0;
  for (int i = part; i < (to - from) * planes; i += parts) {
    global const float* row = in + ((size_t)(i / (to - from)) * rows + from + i % (to - from)) * width;
    for (int x = 0; x < width; ++x) {
      float v = row[x];
      if (!isfinite(v)) {
        ++odd;
        continue;
      }
      least = fmin(least, v);
      largest = fmax(largest, v);
      below += v < 0;
      above += v > 1;
    }
  }
  found[2 * part] = least;
  found[2 * part + 1] = largest;
  counts[3 * part] = below;
  counts[3 * part + 1] = above;
  counts[3 * part + 2] = odd;
}
