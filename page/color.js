// From samples to the colors of the screen.

// Blue below, orange above, pale at 0: told apart without relying on red and green.
export function signedColor(t) {
  const a = Math.min(1, Math.abs(t)),
    end = t < 0 ? [20, 84, 190] : [196, 88, 0];
  return end.map(v => Math.round(236 + (v - 236) * Math.sqrt(a)));
}

const signedTable = Array.from({ length: 513 }, (_, i) => signedColor((i - 256) / 256));

// Pixels of the screen for samples. `marks`: what is below 0 turns blue, what is above 1 orange, the more the farther;
// samples at 1 itself, where a sensor ends, are hatched.
export function pixelsOf(samples, { marks = true, signedScale = 0 } = {}) {
  const { width, height, plane, colors } = samples;
  const image = new ImageData(width, height),
    out = new Uint32Array(image.data.buffer);
  if (!signedScale && samples.glimpse) return glimpsed(samples, image, out, marks);
  const data = samples.data;
  if (signedScale > 0) {
    for (let i = 0; i < plane; ++i) {
      const c = signedTable[Math.max(0, Math.min(512, Math.round(256 + (256 * data[i]) / signedScale)))] || [
        128, 0, 128,
      ];
      out[i] = 0xff000000 | (c[2] << 16) | (c[1] << 8) | c[0];
    }
    return image;
  }
  const opaque = 0xff000000;
  for (let i = 0; i < plane; ++i) {
    const r = data[i],
      g = colors === 3 ? data[i + plane] : r,
      b = colors === 3 ? data[i + 2 * plane] : r;
    // False for NaN, too.
    if (r >= 0 && r < 1 && g >= 0 && g < 1 && b >= 0 && b < 1) {
      out[i] = opaque | ((b * 255 + 0.5) << 16) | ((g * 255 + 0.5) << 8) | (r * 255 + 0.5);
      continue;
    }
    out[i] = marked(r, g, b, i, width, marks);
  }
  return image;
}

// A pixel with a sample at an end of the range or outside.
function marked(r, g, b, i, width, marks) {
  const byte = v => (v > 0 ? (v < 1 ? (v * 255 + 0.5) | 0 : 255) : 0);
  let R = byte(r),
    G = byte(g),
    B = byte(b);
  if (marks) {
    const least = Math.min(r, g, b),
      most = Math.max(r, g, b);
    if (!(Number.isFinite(least) && Number.isFinite(most))) [R, G, B] = [160, 0, 160];
    else if (least < 0) [R, G, B] = mixed(R, G, B, 20, 84, 190, Math.min(1, 0.35 + 2 * -least));
    else if (most > 1) [R, G, B] = mixed(R, G, B, 216, 96, 0, Math.min(1, 0.35 + 2 * (most - 1)));
    else if (most === 1 && ((i % width) + Math.floor(i / width)) % 4 === 0) [R, G, B] = [90, 90, 90];
  }
  return 0xff000000 | (B << 16) | (G << 8) | R;
}

const byteOf = Uint8Array.from({ length: 8192 }, (_, i) => (i / 8192) * 255 + 0.5);
function glimpsed(samples, image, out, marks) {
  const w = samples.glimpse,
    { width, plane, colors } = samples,
    p1 = colors === 3 ? plane : 0,
    p2 = 2 * p1;
  const value = v => (v === -32768 ? NaN : v / 8192);
  for (let i = 0; i < plane; ++i) {
    const r = w[i],
      g = w[i + p1],
      b = w[i + p2];
    // None negative, none at 1 or above: their bits together are below 8192.
    if ((r | g | b) >>> 13 === 0) out[i] = 0xff000000 | (byteOf[b] << 16) | (byteOf[g] << 8) | byteOf[r];
    else out[i] = marked(value(r), value(g), value(b), i, width, marks);
  }
  return image;
}

function mixed(r, g, b, r2, g2, b2, t) {
  return [r + (r2 - r) * t, g + (g2 - g) * t, b + (b2 - b) * t];
}
