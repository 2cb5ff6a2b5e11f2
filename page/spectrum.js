// The spectrum of a picture that the page holds: for files, which have no server to ask.

import { Samples } from "page/samples";

// The discrete Fourier transform of `n` complex numbers in place, by the factors of n (Cooley and Tukey 1965); where a
// factor is a large prime, as a convolution of a power of two (Bluestein 1970).
function transformOf(n) {
  let factor = 2;
  while (factor * factor <= n && n % factor) ++factor;
  if (n === 1) return () => {};
  if (n % factor) factor = n;
  if (factor === n) return n > 31 ? chirp(n) : direct(n);
  const rest = n / factor,
    part = transformOf(rest),
    small = transformOf(factor);
  const [cos, sin] = roots(n);
  const re = new Float64Array(n),
    im = new Float64Array(n),
    a = new Float64Array(factor),
    b = new Float64Array(factor);
  return (x, y) => {
    for (let r = 0; r < factor; ++r) {
      for (let i = 0; i < rest; ++i) {
        re[r * rest + i] = x[i * factor + r];
        im[r * rest + i] = y[i * factor + r];
      }
      part(re.subarray(r * rest, (r + 1) * rest), im.subarray(r * rest, (r + 1) * rest));
    }
    for (let i = 0; i < rest; ++i) {
      for (let r = 0; r < factor; ++r) {
        const c = cos[r * i],
          s = sin[r * i],
          u = re[r * rest + i],
          v = im[r * rest + i];
        a[r] = u * c - v * s;
        b[r] = u * s + v * c;
      }
      small(a, b);
      for (let k = 0; k < factor; ++k) {
        x[k * rest + i] = a[k];
        y[k * rest + i] = b[k];
      }
    }
  };
}
function roots(n) {
  const cos = Float64Array.from({ length: n }, (_, k) => Math.cos((2 * Math.PI * k) / n)),
    sin = Float64Array.from({ length: n }, (_, k) => -Math.sin((2 * Math.PI * k) / n));
  return [cos, sin];
}
function direct(n) {
  const [cos, sin] = roots(n),
    a = new Float64Array(n),
    b = new Float64Array(n);
  return (x, y) => {
    a.set(x);
    b.set(y);
    for (let k = 0; k < n; ++k) {
      let re = 0,
        im = 0;
      for (let i = 0, at = 0; i < n; ++i, at = (at + k) % n) {
        re += a[i] * cos[at] - b[i] * sin[at];
        im += a[i] * sin[at] + b[i] * cos[at];
      }
      x[k] = re;
      y[k] = im;
    }
  };
}
function chirp(n) {
  const m = 2 ** Math.ceil(Math.log2(2 * n)),
    forward = transformOf(m);
  // exp(-i pi k^2 / n), whose phase is taken modulo a turn while it is whole.
  const c = Float64Array.from({ length: n }, (_, k) => Math.cos((Math.PI * ((k * k) % (2 * n))) / n)),
    s = Float64Array.from({ length: n }, (_, k) => -Math.sin((Math.PI * ((k * k) % (2 * n))) / n));
  const p = new Float64Array(m),
    q = new Float64Array(m);
  for (let k = 0; k < n; ++k) {
    p[k] = p[(m - k) % m] = c[k];
    q[k] = q[(m - k) % m] = -s[k];
  }
  forward(p, q);
  const re = new Float64Array(m),
    im = new Float64Array(m);
  return (x, y) => {
    re.fill(0);
    im.fill(0);
    for (let k = 0; k < n; ++k) {
      re[k] = x[k] * c[k] - y[k] * s[k];
      im[k] = x[k] * s[k] + y[k] * c[k];
    }
    forward(re, im);
    for (let k = 0; k < m; ++k) {
      const u = re[k] * p[k] - im[k] * q[k];
      // Conjugated, so that the forward transform is the backward one.
      im[k] = -(re[k] * q[k] + im[k] * p[k]);
      re[k] = u;
    }
    forward(re, im);
    for (let k = 0; k < n; ++k) {
      const u = re[k] / m,
        v = -im[k] / m;
      x[k] = u * c[k] - v * s[k];
      y[k] = u * s[k] + v * c[k];
    }
  };
}

function transform2(re, im, w, h) {
  const across = transformOf(w),
    down = transformOf(h);
  for (let y = 0; y < h; ++y) across(re.subarray(y * w, (y + 1) * w), im.subarray(y * w, (y + 1) * w));
  const a = new Float64Array(h),
    b = new Float64Array(h);
  for (let x = 0; x < w; ++x) {
    for (let y = 0; y < h; ++y) {
      a[y] = re[y * w + x];
      b[y] = im[y * w + x];
    }
    down(a, b);
    for (let y = 0; y < h; ++y) {
      re[y * w + x] = a[y];
      im[y * w + x] = b[y];
    }
  }
}

// The logarithmic spectrum of the luma, zero frequency in the middle, of the picture's periodic part (Moisan 2011): what
// unlike opposite borders would add is taken off.
export function spectrumOf(samples) {
  const { width: w, height: h, plane: n } = samples;
  const u = new Float64Array(n),
    v = new Float64Array(n);
  for (let i = 0; i < n; ++i) u[i] = samples.luma(i);
  for (let x = 0; x < w; ++x) {
    const d = u[(h - 1) * w + x] - u[x];
    v[x] += d;
    v[(h - 1) * w + x] -= d;
  }
  for (let y = 0; y < h; ++y) {
    const d = u[y * w + w - 1] - u[y * w];
    v[y * w] += d;
    v[y * w + w - 1] -= d;
  }
  // Both are real: one transform of u + iv holds both, apart by their symmetry.
  transform2(u, v, w, h);
  const out = new Float32Array(n);
  let most = 0;
  for (let y = 0; y < h; ++y) {
    for (let x = 0; x < w; ++x) {
      const i = y * w + x,
        k = ((h - y) % h) * w + ((w - x) % w);
      let re = (u[i] + u[k]) / 2,
        im = (v[i] - v[k]) / 2;
      if (i > 0) {
        const d = 2 * Math.cos((2 * Math.PI * x) / w) + 2 * Math.cos((2 * Math.PI * y) / h) - 4;
        re -= (v[i] + v[k]) / 2 / d;
        im -= (u[k] - u[i]) / 2 / d;
      }
      const value = Math.log1p(Math.hypot(re, im));
      if (value > most) most = value;
      out[((y + (h >> 1)) % h) * w + ((x + (w >> 1)) % w)] = value;
    }
  }
  if (most > 0) for (let i = 0; i < n; ++i) out[i] /= most;
  return new Samples(w, h, 1, 0, out);
}
