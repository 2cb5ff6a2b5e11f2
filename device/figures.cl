// What is added up of rows: a group takes a row of a plane, its items every so many samples of it.
#define ROW ((int)get_group_id(0))
#define ITEM ((int)get_local_id(0))
#define ITEMS ((int)get_local_size(0))
#define ROW_OF(planes) ((planes) + (size_t)ROW * p.width)

// Over all items of the group; every one of them calls it, and the first gets it.
float group_sum(float v, local float* shared) {
  shared[ITEM] = v;
  barrier(CLK_LOCAL_MEM_FENCE);
  float sum = 0;
  if (ITEM == 0)
    for (int i = 0; i < ITEMS; ++i) sum += shared[i];
  barrier(CLK_LOCAL_MEM_FENCE);
  return sum;
}
float group_extreme(float v, int most, local float* shared) {
  shared[ITEM] = v;
  barrier(CLK_LOCAL_MEM_FENCE);
  float found = v;
  if (ITEM == 0)
    for (int i = 0; i < ITEMS; ++i) found = most ? fmax(found, shared[i]) : fmin(found, shared[i]);
  barrier(CLK_LOCAL_MEM_FENCE);
  return found;
}

// What a report tells of samples: least, largest, below 0, above 1, not finite.
kernel void figures(global const float* in, global float* found, Place p) {
  local float shared[64];
  global const float* row = ROW_OF(in);
  float least = INFINITY, largest = -INFINITY, below = 0, above = 0, odd = 0;
  for (int x = ITEM; x < p.width; x += ITEMS) {
    float v = row[x];
    bool finite = isfinite(v);
    odd += finite ? 0 : 1;
    least = finite ? fmin(least, v) : least;
    largest = finite ? fmax(largest, v) : largest;
    below += finite && v < 0;
    above += finite && v > 1;
  }
  global float* to = found + 5 * (size_t)ROW;
  float all[5] = {group_extreme(least, 0, shared), group_extreme(largest, 1, shared), group_sum(below, shared),
                  group_sum(above, shared), group_sum(odd, shared)};
  if (ITEM == 0)
    for (int i = 0; i < 5; ++i) to[i] = all[i];
}

// What tells how far total variation denoising is from the optimum, of a row: the length of the gradient, its slack to
// the dual variables, squares of the distance to the input, and of that to the dual's picture.
kernel void variation(global const float* f, global const float* u, global const float* xs, global const float* ys,
                      global float* found, Place p, int planes, float weight) {
  local float shared[64];
  size_t plane = (size_t)p.width * p.rows, row = (size_t)ROW * p.width;
  float length = 0, slack = 0, squares = 0, apart = 0;
  for (int x = ITEM; x < p.width; x += ITEMS) {
    float steep = 0, product = 0;
    for (int c = 0; c < planes; ++c) {
      size_t at = c * plane + row + x;
      float v = u[at], gx = x + 1 < p.width ? u[at + 1] - v : 0, gy = ROW + 1 < p.rows ? u[at + p.width] - v : 0;
      float divergence = xs[at] - (x > 0 ? xs[at - 1] : 0) + ys[at] - (ROW > 0 ? ys[at - p.width] : 0);
      float off = v - f[at], away = off - weight * divergence;
      steep = fma(gx, gx, fma(gy, gy, steep));
      product = fma(gx, xs[at], fma(gy, ys[at], product));
      squares = fma(off, off, squares);
      apart = fma(away, away, apart);
    }
    float root = sqrt(steep);
    length += root;
    slack += root - product;
  }
  float all[4] = {group_sum(length, shared), group_sum(slack, shared), group_sum(squares, shared),
                  group_sum(apart, shared)};
  if (ITEM == 0)
    for (int i = 0; i < 4; ++i) found[4 * (size_t)ROW + i] = all[i];
}

// Of a row: sums, and of squares about the row's own mean, so that nothing cancels; samples at 0 or below, at 1 or
// above, beyond, not finite; the ends.
kernel void statistics(global const float* in, global float* found, Place p) {
  local float shared[64];
  local float mean;
  global const float* row = ROW_OF(in);
  float least = INFINITY, largest = -INFINITY, count = 0, sum = 0, low = 0, high = 0, below = 0, above = 0;
  for (int x = ITEM; x < p.width; x += ITEMS) {
    float v = row[x];
    if (!isfinite(v)) continue;
    count += 1;
    sum += v;
    least = fmin(least, v);
    largest = fmax(largest, v);
    low += v <= 0;
    high += v >= 1;
    below += v < 0;
    above += v > 1;
  }
  float all[9] = {group_sum(count, shared),  group_sum(sum, shared),   0, group_extreme(least, 0, shared),
                  group_extreme(largest, 1, shared), group_sum(low, shared), group_sum(high, shared),
                  group_sum(below, shared),  group_sum(above, shared)};
  if (ITEM == 0) mean = all[0] > 0 ? all[1] / all[0] : 0;
  barrier(CLK_LOCAL_MEM_FENCE);
  float squares = 0;
  for (int x = ITEM; x < p.width; x += ITEMS) {
    float off = row[x] - mean;
    squares += isfinite(row[x]) ? off * off : 0;
  }
  all[2] = group_sum(squares, shared);
  if (ITEM == 0)
    for (int i = 0; i < 9; ++i) found[9 * (size_t)ROW + i] = all[i];
}

// Squares, and squares of differences; of pairs that are finite, with their count.
kernel void squares(global const float* in, global float* found, Place p) {
  local float shared[64];
  float sum = 0;
  for (int x = ITEM; x < p.width; x += ITEMS) sum = fma(ROW_OF(in)[x], ROW_OF(in)[x], sum);
  sum = group_sum(sum, shared);
  if (ITEM == 0) found[ROW] = sum;
}
kernel void differences(global const float* a, global const float* b, global float* found, Place p) {
  local float shared[64];
  float sum = 0, count = 0;
  for (int x = ITEM; x < p.width; x += ITEMS) {
    float off = ROW_OF(a)[x] - ROW_OF(b)[x];
    bool finite = isfinite(ROW_OF(a)[x]) && isfinite(ROW_OF(b)[x]);
    sum += finite ? off * off : 0;
    count += finite;
  }
  float all[2] = {group_sum(sum, shared), group_sum(count, shared)};
  if (ITEM == 0)
    for (int i = 0; i < 2; ++i) found[2 * (size_t)ROW + i] = all[i];
}
// Of the columns from..to - 1.
kernel void sum_of_rows(global const float* in, global float* found, Place p, int from, int to) {
  local float shared[64];
  float sum = 0;
  for (int x = from + ITEM; x < to; x += ITEMS) sum += ROW_OF(in)[x];
  sum = group_sum(sum, shared);
  if (ITEM == 0) found[ROW] = sum;
}

// The structural similarity at each place, from smoothed samples and products of them, taken relative to `middle`.
kernel void similarity(global const float* a, global const float* b, global const float* aa, global const float* bb,
                       global const float* ab, global float* out, Place p, float middle, float c1, float c2) {
  if (X >= p.width || Y >= p.rows) return;
  size_t at = PLANE + (size_t)Y * p.width + X;
  float ma = a[at], mb = b[at], ua = ma + middle, ub = mb + middle;
  float va = aa[at] - ma * ma, vb = bb[at] - mb * mb, cov = ab[at] - ma * mb;
  out[at] = (2 * ua * ub + c1) * (2 * cov + c2) / ((ua * ua + ub * ub + c1) * (va + vb + c2));
}
