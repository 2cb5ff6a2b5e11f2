// Total variation denoising by the primal-dual method (Chambolle and Pock, 2011, algorithm 2): forward differences, the
// length of the gradient over all channels together.
#define HERE ((size_t)Y * p.width + X)
#define RIGHT(planes, at) (X + 1 < p.width ? (planes)[(at) + 1] : (planes)[at])
#define BELOW(planes, at) (Y + 1 < p.rows ? (planes)[(at) + p.width] : (planes)[at])
#define DIVERGENCE(xs, ys, at)                                                                       \
  ((xs)[at] - (X > 0 ? (xs)[(at) - 1] : 0) + (ys)[at] - (Y > 0 ? (ys)[(at) - p.width] : 0))

// The dual variables go along the gradient, and back into the unit ball.
kernel void dual_step(global const float* ahead, global float* xs, global float* ys, Place p, int planes, float step) {
  if (X >= p.width || Y >= p.rows) return;
  size_t plane = (size_t)p.width * p.rows;
  float x[3], y[3], squares = 0;
  for (int c = 0; c < planes; ++c) {
    size_t at = c * plane + HERE;
    float v = ahead[at];
    x[c] = fma(RIGHT(ahead, at) - v, step, xs[at]);
    y[c] = fma(BELOW(ahead, at) - v, step, ys[at]);
    squares = fma(x[c], x[c], fma(y[c], y[c], squares));
  }
  float scale = squares <= 1 ? 1 : 1 / sqrt(squares);
  for (int c = 0; c < planes; ++c) {
    size_t at = c * plane + HERE;
    xs[at] = x[c] * scale;
    ys[at] = y[c] * scale;
  }
}
// The picture goes toward the input and along the divergence, and a part of the way ahead.
kernel void primal_step(global const float* f, global const float* xs, global const float* ys, global float* u,
                        global float* ahead, Place p, float weight, float share, float momentum) {
  if (X >= p.width || Y >= p.rows) return;
  size_t at = PLANE + HERE;
  float was = u[at], goal = fma(DIVERGENCE(xs, ys, at), weight, f[at]);
  float way = (goal - was) * share, next = was + way;
  u[at] = next;
  ahead[at] = fma(way, momentum, next);
}

// u / (1 - s div (grad u / |grad u|)), each plane by itself: normals, whose gradients count as 5 s u long at least, then
// the quotient.
kernel void normals(global const float* u, global float* xs, global float* ys, Place p, float s) {
  if (X >= p.width || Y >= p.rows) return;
  size_t at = PLANE + HERE;
  float v = u[at], dx = RIGHT(u, at) - v, dy = BELOW(u, at) - v, least = 5 * s * v,
        size = sqrt(dx * dx + dy * dy + least * least + 1e-8f);
  xs[at] = dx / size;
  ys[at] = dy / size;
}
kernel void smooth_quotient(global const float* u, global const float* xs, global const float* ys, global float* out,
                            Place p, float s) {
  if (X >= p.width || Y >= p.rows) return;
  size_t at = PLANE + HERE;
  out[at] = u[at] / fmax(0.1f, 1 - s * DIVERGENCE(xs, ys, at));
}
