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

// Weighted sums along x or y: the weight i is of the sample at i - anchor. A group shares the samples that its items
// see.
kernel void along_row(global const float* in, global float* out, Place p, constant float* weights, int taps, int anchor,
                      local float* tile) {
  global const float* plane = in + PLANE;
  int left = get_group_id(0) * get_local_size(0) - anchor, across = get_local_size(0) + taps - 1;
  local float* row = tile + get_local_id(1) * across;
  int y = min(Y, p.rows - 1) + p.first;
  if (left >= 0 && left + across <= p.width) {
    global const float* from = plane + (size_t)(y - p.first) * p.width + left;
    for (int i = get_local_id(0); i < across; i += get_local_size(0)) row[i] = from[i];
  } else {
    for (int i = get_local_id(0); i < across; i += get_local_size(0)) row[i] = sample(plane, left + i, y, p);
  }
  barrier(CLK_LOCAL_MEM_FENCE);
  if (X >= p.width || Y >= p.rows) return;
  float sum = 0;
  for (int i = 0; i < taps; ++i) sum = fma(weights[i], row[get_local_id(0) + i], sum);
  out[PLANE + (size_t)Y * p.width + X] = sum;
}
kernel void along_column(global const float* in, global float* out, Place p, constant float* weights, int taps,
                         int anchor) {
  if (X >= p.width || Y >= p.rows) return;
  global const float* plane = in + PLANE + X;
  int top = Y + p.first - anchor;
  float sum = 0;
  if (top >= p.first && top + taps <= p.first + p.rows && top >= 0 && top + taps <= p.height) {
    global const float* from = plane + (size_t)(top - p.first) * p.width;
    for (int i = 0; i < taps; ++i) sum = fma(weights[i], from[(size_t)i * p.width], sum);
  } else {
    for (int i = 0; i < taps; ++i) {
      int row = strip_row(top + i, p);
      sum = fma(weights[i], row < 0 ? p.fill : plane[(size_t)row * p.width], sum);
    }
  }
  out[PLANE + (size_t)Y * p.width + X] = sum;
}

// Correlation with any weights, by rows from the upper left.
kernel void weigh(global const float* in, global float* out, Place p, constant float* weights, int wide, int high,
                  int anchor_x, int anchor_y, local float* tile) {
  global const float* plane = in + PLANE;
  int across = get_local_size(0) + wide - 1, down = get_local_size(1) + high - 1;
  int left = get_group_id(0) * get_local_size(0) - anchor_x,
      top = get_group_id(1) * get_local_size(1) - anchor_y + p.first;
  bool within = left >= 0 && left + across <= p.width && top >= p.first && top + down <= p.first + p.rows;
  for (int j = get_local_id(1); j < down; j += get_local_size(1)) {
    for (int i = get_local_id(0); i < across; i += get_local_size(0))
      tile[j * across + i] = within ? plane[(size_t)(top + j - p.first) * p.width + left + i]
                                    : sample(plane, left + i, top + j, p);
  }
  barrier(CLK_LOCAL_MEM_FENCE);
  if (X >= p.width || Y >= p.rows) return;
  float sum = 0;
  for (int j = 0; j < high; ++j) {
    local const float* row = tile + (get_local_id(1) + j) * across + get_local_id(0);
    for (int i = 0; i < wide; ++i) sum = fma(weights[j * wide + i], row[i], sum);
  }
  out[PLANE + (size_t)Y * p.width + X] = sum;
}

// Minima and maxima along x or y; a NaN counts as infinite.
float numbered(float v) { return isnan(v) ? INFINITY : v; }
kernel void extreme_along_row(global const float* in, global float* out, Place p, int radius, int most) {
  if (X >= p.width || Y >= p.rows) return;
  global const float* row = in + PLANE + (size_t)Y * p.width;
  float found = most ? -INFINITY : INFINITY;
  for (int i = -radius; i <= radius; ++i) {
    int column = inside(X + i, p.width, p.border);
    float v = numbered(column < 0 ? p.fill : row[column]);
    found = most ? fmax(found, v) : fmin(found, v);
  }
  out[PLANE + (size_t)Y * p.width + X] = found;
}
kernel void extreme_along_column(global const float* in, global float* out, Place p, int radius, int most) {
  if (X >= p.width || Y >= p.rows) return;
  global const float* plane = in + PLANE + X;
  float found = most ? -INFINITY : INFINITY;
  for (int i = -radius; i <= radius; ++i) {
    int row = strip_row(Y + p.first + i, p);
    float v = numbered(row < 0 ? p.fill : plane[(size_t)row * p.width]);
    found = most ? fmax(found, v) : fmin(found, v);
  }
  out[PLANE + (size_t)Y * p.width + X] = found;
}

// The median of 3x3 samples: columns are sorted, then the largest of the least, the middle of the middle ones and the
// least of the largest (Smith, "Implementing median filters in XC4000E FPGAs", Xcell 23, 1996).
#define SORT(a, b)       \
  {                      \
    float t = fmin(a, b); \
    b = fmax(a, b);      \
    a = t;               \
  }
float middle(float a, float b, float c) { return fmax(fmin(a, b), fmin(fmax(a, b), c)); }
kernel void median_of_nine(global const float* in, global float* out, Place p) {
  if (X >= p.width || Y >= p.rows) return;
  global const float* plane = in + PLANE;
  float a[3], b[3], c[3];
  for (int i = 0; i < 3; ++i) {
    a[i] = numbered(sample(plane, X + i - 1, Y + p.first - 1, p));
    b[i] = numbered(sample(plane, X + i - 1, Y + p.first, p));
    c[i] = numbered(sample(plane, X + i - 1, Y + p.first + 1, p));
    SORT(a[i], b[i]);
    SORT(b[i], c[i]);
    SORT(a[i], b[i]);
  }
  out[PLANE + (size_t)Y * p.width + X] =
      middle(fmax(fmax(a[0], a[1]), a[2]), middle(b[0], b[1], b[2]), fmin(fmin(c[0], c[1]), c[2]));
}

// What a report tells of samples, a group of rows of a plane at a time: least, largest, below 0, above 1, not finite.
kernel void figures(global const float* in, int width, int from, int to, int rows, int planes, int each,
                    global float* found, global int* counts) {
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
