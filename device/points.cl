// What generated programs of points are made with: curves as the processors have them, without the library functions
// that compilers for processors make no vectors of.
#pragma OPENCL FP_CONTRACT OFF
// A call that is left in a loop keeps compilers from making vectors of it.
#define INLINE __attribute__((always_inline))

// Adding 1.5 * 2^23 leaves the nearest whole number, of sizes up to 2^22, in the lowest bits.
INLINE float nearest(float v) { return (v + 12582912.0f) - 12582912.0f; }
INLINE float power_of_two(int n) { return as_float((n + 127) << 23); }

// log2(1 + f) / f from sqrt(1/2) - 1 to sqrt(2) - 1 and (2^x - 1) / x from -1/2 to 1/2, through the zeros of Chebyshev
// polynomials.
INLINE float log2_part(float f) {
  float s = -0.107497894f;
  s = fma(s, f, 0.184760334f);
  s = fma(s, f, -0.191388377f);
  s = fma(s, f, 0.204857648f);
  s = fma(s, f, -0.239608122f);
  s = fma(s, f, 0.288552561f);
  s = fma(s, f, -0.360696542f);
  s = fma(s, f, 0.480898520f);
  s = fma(s, f, -0.721347354f);
  return fma(s, f, 1.44269504f) * f;
}
INLINE float exp2_part(float x) {
  float s = 0.000154531629f;
  s = fma(s, x, 0.00133908634f);
  s = fma(s, x, 0.00961808256f);
  s = fma(s, x, 0.0555035711f);
  s = fma(s, x, 0.240226508f);
  return fma(s, x, 0.693147188f) * x;
}
// v is 2^whole * (1 + f), f from sqrt(1/2) - 1 to sqrt(2) - 1.
INLINE int whole_of(float v) { return (as_int(v) - 0x3f3504f3) >> 23; }
INLINE float rest_of(float v, int whole) { return as_float(as_int(v) - (whole << 23)) - 1; }

// v^e of v >= 0. The whole part of the result's logarithm is taken off before it is rounded.
INLINE float power(float v, float e) {
  int whole = whole_of(v);
  float k = whole, part = log2_part(rest_of(v, whole)) * e;
  float n = nearest(clamp(fma(k, e, part), -250.0f, 250.0f));
  float x = clamp(fma(k, e, -n) + part, -1.0f, 1.0f);
  int all = (int)n, half_of = all >> 1;
  // In two halves, so that neither leaves the range of a float by itself.
  float result = (1 + exp2_part(x)) * power_of_two(half_of) * power_of_two(all - half_of);
  return v < 1.2e-38f ? 0 : result;
}
// f(|v|) with the sign of v; what is not finite stays.
INLINE float odd(float v, float of_size) { return v - v == 0 ? copysign(of_size, v) : v; }

INLINE float log_one_plus(float x) {
  float u = 1 + x, d = u - 1;
  int whole = whole_of(u);
  float log_of_u = ((float)whole + log2_part(rest_of(u, whole))) * 0.693147181f;
  return d == 0 ? x : log_of_u * (x / d);
}
// q / (q + 2) with q = e^(2x) - 1, in which nothing cancels near 0; for |x| up to 20.
INLINE float hyperbolic_tangent(float x) {
  float y = fabs(x) * 2.88539008f, n = nearest(y), scale = power_of_two((int)n);
  float q = fma(scale, exp2_part(y - n), scale - 1);
  return copysign(q / (q + 2), x);
}

INLINE float to_light(float v) {
  float a = fabs(v), curved = power(fma(a, 1 / 1.055f, 0.055f / 1.055f), 2.4f);
  return copysign(a > 0.04045f ? curved : a * (1 / 12.92f), v);
}
INLINE float from_light(float v) {
  float a = fabs(v), curved = fma(power(a, 1 / 2.4f), 1.055f, -0.055f);
  return copysign(a > 0.0031308f ? curved : a * 12.92f, v);
}
// A first guess from the bits, then two steps of Halley's iteration.
INLINE float cube_root(float v) {
  float a = fabs(v), y = as_float((int)((float)as_int(a) * (1.0f / 3)) + 709921077);
  for (int i = 0; i < 2; ++i) {
    float cube = y * y * y;
    y = y * (fma(2.0f, a, cube) / fma(2.0f, cube, a));
  }
  return copysign(a < 1.2e-38f ? 0 : y, v);
}

// What undoes 2 sqrt(n + 3/8), t, without bias (Makitalo and Foi, 2011, closed form).
INLINE float counts_of(float t) {
  float s = 1 / t;
  return t * t * 0.25f + (0.306186218f + (-1.375f + 0.765465545f * s) * s) * s - 0.125f;
}

// A smooth curve through n[0] points: levels, what they become, slopes; beyond the ends straight.
INLINE float curve_at(float v, constant float* n) {
  int count = (int)n[0];
  constant float *x = n + 1, *y = x + count, *slope = y + count;
  if (!(v >= x[0])) return y[0] + (v - x[0]) * slope[0];
  if (v >= x[count - 1]) return y[count - 1] + (v - x[count - 1]) * slope[count - 1];
  int i = 0;
  while (i + 2 < count && v >= x[i + 1]) ++i;
  float h = x[i + 1] - x[i], t = (v - x[i]) / h, u = 1 - t;
  return (1 + 2 * t) * u * u * y[i] + t * u * u * h * slope[i] + t * t * (3 - 2 * t) * y[i + 1] -
         t * t * u * h * slope[i + 1];
}

typedef struct {
  float a, b, c;
} Color;

INLINE int finite_color(Color v) { return (v.a - v.a) + (v.b - v.b) + (v.c - v.c) == 0; }
INLINE Color by_matrix(Color v, constant float* m) {
  Color r = {fma(v.a, m[0], fma(v.b, m[1], v.c * m[2])), fma(v.a, m[3], fma(v.b, m[4], v.c * m[5])),
             fma(v.a, m[6], fma(v.b, m[7], v.c * m[8]))};
  return r;
}
// With the matrices to cones, to lab and back from lab, from cones at n.
INLINE Color to_lab(Color v, constant float* n) {
  Color light = {to_light(v.a), to_light(v.b), to_light(v.c)};
  Color cones = by_matrix(light, n);
  Color roots = {cube_root(cones.a), cube_root(cones.b), cube_root(cones.c)};
  return by_matrix(roots, n + 9);
}
INLINE Color from_lab(Color v, constant float* n) {
  Color r = by_matrix(v, n + 18);
  Color cubes = {r.a * r.a * r.a, r.b * r.b * r.b, r.c * r.c * r.c};
  Color light = by_matrix(cubes, n + 27);
  Color out = {from_light(light.a), from_light(light.b), from_light(light.c)};
  return out;
}
// A color with a sample that is not finite stays.
INLINE Color lab_of(Color v, constant float* n) { return finite_color(v) ? to_lab(v, n) : v; }
INLINE Color color_of_lab(Color v, constant float* n) { return finite_color(v) ? from_lab(v, n) : v; }
// The chroma times the 2x2 matrix n[36..39].
INLINE Color with_chroma(Color v, constant float* n) {
  Color lab = to_lab(v, n);
  Color turned = {lab.a, fma(lab.b, n[36], lab.c * n[37]), fma(lab.b, n[38], lab.c * n[39])};
  return finite_color(v) ? from_lab(turned, n) : v;
}
// Hues about the direction n[36], n[37] stay colored, within n[38] and then falling over n[39] radians.
INLINE Color with_hue(Color v, constant float* n) {
  Color lab = to_lab(v, n);
  float chroma = sqrt(fma(lab.b, lab.b, lab.c * lab.c)), along = fma(lab.b, n[36], lab.c * n[37]);
  float past = acos(clamp(along / fmax(chroma, 1e-20f), -1.0f, 1.0f)) - n[38];
  float share = fma(0.5f, cos(clamp(past / n[39], 0.0f, 1.0f) * 3.14159265f), 0.5f);
  Color kept = {lab.a, lab.b * share, lab.c * share};
  return finite_color(v) ? from_lab(kept, n) : v;
}
INLINE Color to_hue(Color v) {
  float most = fmax(v.a, fmax(v.b, v.c)), spread = most - fmin(v.a, fmin(v.b, v.c));
  float inverse = (1.0f / 6) / (spread == 0 ? 1 : spread);
  float hue = most == v.a   ? (v.b - v.c) * inverse
              : most == v.b ? fma(v.c - v.a, inverse, 1.0f / 3)
                            : fma(v.a - v.b, inverse, 2.0f / 3);
  hue = hue < 0 ? hue + 1 : hue;
  Color r = {spread == 0 ? 0 : hue, most <= 0 ? 0 : spread / (most <= 0 ? 1 : most), most};
  return finite_color(v) ? r : v;
}
INLINE float channel_of_hue(float hue, float turn, float chroma, float value) {
  float k = hue + turn;
  k = k >= 6 ? k - 6 : k;
  return value - chroma * fmax(0.0f, fmin(1.0f, fmin(k, 4 - k)));
}
INLINE Color from_hue(Color v) {
  float hue = (v.a - floor(v.a)) * 6, chroma = v.c * v.b;
  Color r = {channel_of_hue(hue, 5, chroma, v.c), channel_of_hue(hue, 3, chroma, v.c),
             channel_of_hue(hue, 1, chroma, v.c)};
  return finite_color(v) ? r : v;
}
