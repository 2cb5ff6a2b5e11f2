// Samples of a picture: decoding what the library sent, and what is measured on them here.

const bytesOf = { levels8: 1, levels16: 2, rounded16: 2, rounded32: 4, float: 4, glimpse: 2 };

async function inflated(bytes) {
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("deflate"));
  return new Uint8Array(await new Response(stream).arrayBuffer());
}

// Words of `width` bytes from their packed form: low bytes first, each the difference to what its neighbors predict
// (the median edge detector of JPEG-LS).
function unpacked(bytes, width, row, rows, signed) {
  const n = bytes.length / width;
  const words = width === 1 ? new Uint8Array(n) : width === 2 ? new Uint16Array(n) : new Uint32Array(n);
  for (let b = 0; b < width; ++b) {
    const from = b * n,
      shift = 8 * b;
    if (b === 0) for (let i = 0; i < n; ++i) words[i] = bytes[i];
    else for (let i = 0; i < n; ++i) words[i] |= bytes[from + i] << shift;
  }
  const w = !signed ? words : width === 2 ? new Int16Array(words.buffer) : new Int32Array(words.buffer);
  for (let plane = 0; plane < n; plane += row * rows) {
    for (let x = 1; x < row; ++x) w[plane + x] += w[plane + x - 1];
    for (let y = 1; y < rows; ++y) {
      const start = plane + y * row;
      w[start] += w[start - row];
      for (let i = start + 1, end = start + row; i < end; ++i) {
        const a = w[i - 1],
          b = w[i - row],
          c = w[i - row - 1],
          low = a < b ? a : b,
          high = a < b ? b : a;
        w[i] += c >= high ? low : c <= low ? high : a + b - c;
      }
    }
  }
  return words;
}

// A picture of planes of 32-bit floats, as the library has it.
export class Samples {
  constructor(width, height, channels, white, data, glimpse = null) {
    Object.assign(this, { width, height, channels, white, floats: data, glimpse });
    this.colors = channels === 2 || channels === 4 ? channels - 1 : channels;
    this.plane = width * height;
  }
  // The samples; those of a glimpse, sent while a slider moves, are whole numbers of 1/8192 until they are asked for.
  get data() {
    if (!this.floats) {
      this.floats = new Float32Array(this.glimpse.length);
      for (let i = 0; i < this.glimpse.length; ++i)
        this.floats[i] = this.glimpse[i] === -32768 ? NaN : this.glimpse[i] / 8192;
    }
    return this.floats;
  }
  // From what the library sent: `head` says how, `bytes` lie on a multiple of four.
  static async decode(head, bytes) {
    const { width, height, channels, white, samples } = head;
    const wide = bytesOf[samples];
    let words;
    if (head.packed) {
      words = unpacked(await inflated(bytes), wide, width, height, samples.startsWith("rounded"));
    } else {
      const Words = samples === "float" ? Float32Array : wide === 1 ? Uint8Array : Uint16Array;
      words = new Words(bytes.buffer, bytes.byteOffset, width * height * channels);
    }
    if (samples === "glimpse")
      return new Samples(
        width,
        height,
        channels,
        white,
        null,
        new Int16Array(words.buffer, words.byteOffset, words.length),
      );
    let data;
    if (samples === "float") {
      data = head.packed ? new Float32Array(words.buffer) : words;
    } else {
      data = new Float32Array(words.length);
      if (samples.startsWith("levels")) {
        const table = new Float32Array(white + 1);
        for (let i = 0; i <= white; ++i) table[i] = i / white;
        for (let i = 0; i < words.length; ++i) data[i] = table[words[i]];
      } else {
        const signed = wide === 2 ? new Int16Array(words.buffer) : new Int32Array(words.buffer),
          step = 2 ** -head.bits;
        for (let i = 0; i < signed.length; ++i) data[i] = signed[i] * step;
      }
    }
    return new Samples(width, height, channels, white, data);
  }
  at(x, y, c = 0) {
    return this.data[c * this.plane + y * this.width + x];
  }
  // The mean of rec. 709 weights for color, the sample itself for gray.
  luma(i) {
    const d = this.data;
    return this.colors === 3 ? 0.2126 * d[i] + 0.7152 * d[i + this.plane] + 0.0722 * d[i + 2 * this.plane] : d[i];
  }
  inside(part) {
    const x = Math.max(0, Math.min(this.width - 1, Math.floor(part.x)));
    const y = Math.max(0, Math.min(this.height - 1, Math.floor(part.y)));
    return {
      x,
      y,
      width: Math.max(1, Math.min(this.width - x, Math.ceil(part.width))),
      height: Math.max(1, Math.min(this.height - y, Math.ceil(part.height))),
    };
  }
  // Figures of the color samples of a part.
  statistics(area) {
    const r = this.inside(area),
      s = { n: 0, low: Infinity, high: -Infinity, mean: 0, deviation: 0, below: 0, above: 0, ends: 0, notFinite: 0 };
    let sum = 0,
      squares = 0;
    for (let c = 0; c < this.colors; ++c) {
      for (let y = r.y; y < r.y + r.height; ++y) {
        for (let i = c * this.plane + y * this.width + r.x, end = i + r.width; i < end; ++i) {
          const v = this.data[i];
          if (!Number.isFinite(v)) {
            s.notFinite++;
            continue;
          }
          s.n++;
          sum += v;
          squares += v * v;
          if (v < s.low) s.low = v;
          if (v > s.high) s.high = v;
          if (v < 0) s.below++;
          else if (v > 1) s.above++;
          else if (v === 1) s.ends++;
        }
      }
    }
    s.mean = sum / s.n;
    s.deviation = Math.sqrt(Math.max(0, squares / s.n - s.mean * s.mean));
    return s;
  }
  // Counts of the luma of a part in `bins` bins over low..high; what lies outside is counted at the ends.
  histogram(area, bins, low, high) {
    const r = this.inside(area),
      counts = new Float64Array(bins),
      scale = bins / (high - low);
    for (let y = r.y; y < r.y + r.height; ++y) {
      for (let i = y * this.width + r.x, end = i + r.width; i < end; ++i) {
        const v = this.luma(i);
        if (Number.isFinite(v)) counts[Math.max(0, Math.min(bins - 1, Math.floor((v - low) * scale)))]++;
      }
    }
    return counts;
  }
  // The luma at the samples nearest to the line between two pixels.
  profile(a, b) {
    const n = Math.max(1, Math.round(Math.hypot(b.x - a.x, b.y - a.y))),
      values = [];
    for (let k = 0; k <= n; ++k) {
      const x = Math.round(a.x + ((b.x - a.x) * k) / n),
        y = Math.round(a.y + ((b.y - a.y) * k) / n);
      if (x >= 0 && y >= 0 && x < this.width && y < this.height) values.push([k, this.luma(y * this.width + x)]);
    }
    return values;
  }
  // The part as a picture of its own, each pixel the mean of `k` by `k` of it.
  reduced(area, k) {
    const r = this.inside(area);
    if (k === 1 && r.width === this.width && r.height === this.height) return this;
    const w = Math.max(1, Math.ceil(r.width / k)),
      h = Math.max(1, Math.ceil(r.height / k));
    const data = new Float32Array(w * h * this.channels);
    for (let c = 0, to = 0; c < this.channels; ++c) {
      for (let y = 0; y < h; ++y) {
        const y0 = r.y + y * k,
          y1 = Math.min(y0 + k, r.y + r.height);
        for (let x = 0; x < w; ++x, ++to) {
          const x0 = r.x + x * k,
            x1 = Math.min(x0 + k, r.x + r.width);
          let sum = 0;
          for (let v = y0; v < y1; ++v) {
            for (let i = c * this.plane + v * this.width + x0, end = i + x1 - x0; i < end; ++i) sum += this.data[i];
          }
          data[to] = sum / ((y1 - y0) * (x1 - x0));
        }
      }
    }
    return new Samples(w, h, this.channels, this.white, data);
  }
}

// Second minus first, the color channels averaged: signed.
export function difference(first, second) {
  const n = first.plane,
    data = new Float32Array(n),
    colors = Math.min(first.colors, second.colors);
  for (let c = 0; c < colors; ++c) {
    const a = c * first.plane,
      b = c * second.plane;
    for (let i = 0; i < n; ++i) data[i] += (second.data[b + i] - first.data[a + i]) / colors;
  }
  return new Samples(first.width, first.height, 1, 0, data);
}

// The value that a share of the absolute samples stays below.
export function absoluteShare(samples, share) {
  const step = Math.max(1, Math.floor(samples.plane / 20000)),
    all = [];
  for (let i = 0; i < samples.plane; i += step)
    if (Number.isFinite(samples.data[i])) all.push(Math.abs(samples.data[i]));
  all.sort((a, b) => a - b);
  return all.length ? all[Math.min(all.length - 1, Math.floor(share * all.length))] : 0;
}

// Hue in degrees, lightness and chroma in OKLab of stored sRGB samples.
export function oklab(r, g, b) {
  const linear = v => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
  const [R, G, B] = [linear(r), linear(g), linear(b)];
  const l = Math.cbrt(0.4122214708 * R + 0.5363325363 * G + 0.0514459929 * B);
  const m = Math.cbrt(0.2119034982 * R + 0.6806995451 * G + 0.1073969566 * B);
  const s = Math.cbrt(0.0883024619 * R + 0.2817188376 * G + 0.6299787005 * B);
  const L = 0.2104542553 * l + 0.793617785 * m - 0.0040720468 * s;
  const A = 1.9779984951 * l - 2.428592205 * m + 0.4505937099 * s;
  const Bb = 0.0259040371 * l + 0.7827717662 * m - 0.808675766 * s;
  return { hue: ((Math.atan2(Bb, A) * 180) / Math.PI + 360) % 360, lightness: L, chroma: Math.hypot(A, Bb) };
}
