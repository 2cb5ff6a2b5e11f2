// Levels: counting them, and giving them others.

// Bin floor(scale (v - low)) of 0..bins - 1 for samples within low..high, the last with its end in it; then, in bins of
// their own, what lies below, above, and is not finite. `rounding` is a half where bins hold levels.
kernel void count_bins(global const float* in, global uint* found, Place p, int plane, int bins, float low, float high,
                       float scale, float rounding) {
  if (X >= p.width || Y >= p.rows) return;
  float v = in[((size_t)plane * p.rows + Y) * p.width + X];
  int bin = clamp((int)((v - low) * scale + rounding), 0, bins - 1);
  bin = !isfinite(v) ? bins + 2 : v < low ? bins : v > high ? bins + 1 : bin;
  atomic_inc(found + bin);
}
// Sizes up to `top` in equal bins.
kernel void count_sizes(global const float* in, global uint* found, Place p, int plane, int bins, float top,
                        float scale) {
  if (X >= p.width || Y >= p.rows) return;
  float v = fabs(in[((size_t)plane * p.rows + Y) * p.width + X]);
  if (v <= top) atomic_inc(found + clamp((int)(v * scale), 0, bins - 1));
}

float cut(float v) { return v > 0 ? v > 1 ? 1 : v : 0; }
// A level of each plane by its own table of top + 1 entries; not fused, as the histogram has it.
#pragma OPENCL FP_CONTRACT OFF
kernel void look_up(global const float* in, global const float* table, global float* out, Place p, int apart,
                    float top) {
  if (X >= p.width || Y >= p.rows) return;
  size_t at = PLANE + (size_t)Y * p.width + X;
  float v = in[at];
  out[at] = isnan(v) ? v : table[get_global_id(2) * apart + (int)(cut(v) * top + 0.5f)];
}
kernel void luma(global const float* in, global float* out, Place p, float red, float green, float blue) {
  if (X >= p.width || Y >= p.rows) return;
  size_t plane = (size_t)p.width * p.rows, at = (size_t)Y * p.width + X;
  float sum = in[at] * red + in[plane + at] * green;
  out[at] = sum + in[2 * plane + at] * blue;
}
// Colors whose luma becomes another, with their hue kept, within 0..1.
kernel void relight(global const float* in, global const float* before, global const float* after, global float* out,
                    Place p) {
  if (X >= p.width || Y >= p.rows) return;
  size_t plane = (size_t)p.width * p.rows, at = (size_t)Y * p.width + X;
  float y = before[at], t = after[at], from = isnan(y) ? y : cut(y), goal = isnan(t) ? t : cut(t);
  bool darker = goal <= from && from > 0, lighter = goal > from;
  float up = (1 - goal) / (lighter ? 1 - from : 1), down = goal / (darker ? from : 1);
  float scale = darker ? down : lighter ? up : 1, turned = lighter ? 1 - up : 0;
  float shift = fma(-scale, y - from, turned) + (t - goal);
  for (int c = 0; c < 3; ++c) out[c * plane + at] = fma(in[c * plane + at], scale, shift);
}

// Coefficients toward 0 by their plane's threshold.
kernel void shrink(global const float* in, global float* out, Place p, constant float* thresholds, int hard) {
  if (X >= p.width || Y >= p.rows) return;
  size_t at = PLANE + (size_t)Y * p.width + X;
  float v = in[at], t = thresholds[get_global_id(2)];
  out[at] = hard ? fabs(v) > t ? v : 0 : copysign(fmax(0.0f, fabs(v) - t), v);
}
