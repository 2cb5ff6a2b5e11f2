// Minima and maxima along x or y, and the median of 3x3 samples. A NaN counts as infinite.
Some numbered(Some v) { return isnan(v) ? (Some)INFINITY : v; }
Some extreme(Some a, Some b, int most) { return most ? fmax(a, b) : fmin(a, b); }
kernel void extreme_along_row(global const float* in, global float* out, Place p, int radius, int most,
                              local float* tile) {
  int across = get_local_size(0) * WIDE + 2 * radius;
  fill(in + PLANE, tile, GROUP_LEFT - radius,
       GROUP_TOP + p.first, across, get_local_size(1) * HIGH, p);
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
  fill(in + PLANE, tile, GROUP_LEFT, GROUP_TOP - radius + p.first,
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
  fill(in + PLANE, tile, GROUP_LEFT - 1,
       GROUP_TOP - 1 + p.first, across, get_local_size(1) * HIGH + 2, p);
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

// The median of larger windows: of one more than half of the samples, the least and the largest cannot be it; they are
// dropped and another sample is taken in, until three are left (Smith, as above).
#ifdef MEDIAN_RADIUS
#define SIDE (2 * MEDIAN_RADIUS + 1)
#define COUNT (SIDE * SIDE)
#define KEPT (COUNT / 2 + 2)
kernel void median(global const float* in, global float* out, Place p, local float* tile) {
  int across = get_local_size(0) * WIDE + 2 * MEDIAN_RADIUS;
  fill(in + PLANE, tile, GROUP_LEFT - MEDIAN_RADIUS, GROUP_TOP - MEDIAN_RADIUS + p.first, across,
       get_local_size(1) * HIGH + 2 * MEDIAN_RADIUS, p);
  if (X * WIDE >= p.width || Y * HIGH >= p.rows) return;
  for (int r = 0; r < HIGH && Y * HIGH + r < p.rows; ++r) {
    local const float* from = tile + (get_local_id(1) * HIGH + r) * across + get_local_id(0) * WIDE;
    Some kept[KEPT];
    _Pragma("unroll") for (int i = 0; i < KEPT; ++i) kept[i] = numbered(GET(from + i / SIDE * across + i % SIDE));
    _Pragma("unroll") for (int round = 0; round < COUNT - KEPT; ++round) {
      int last = KEPT - 1 - round;
      // The least goes to the front, the largest to the end.
      _Pragma("unroll") for (int i = 0; i < KEPT / 2; ++i) {
        if (i < last - i) SORT(kept[i], kept[last - i])
      }
      _Pragma("unroll") for (int i = 1; i < KEPT; ++i) {
        if (i <= last / 2) SORT(kept[0], kept[i])
        if (i < last && i >= last - last / 2) SORT(kept[i], kept[last])
      }
      int next = KEPT + round;
      kept[0] = numbered(GET(from + next / SIDE * across + next % SIDE));
    }
    put(middle(kept[0], kept[1], kept[2]), out + PLANE + (size_t)(Y * HIGH + r) * p.width, X * WIDE, p.width);
  }
}
#endif
