// The pictures: zoom, drag, wipe, blink, difference, the numbers of samples, and marks that gestures leave.

import { state, change, on, tell, shown, pictures, number, element } from "page/model";
import { difference, absoluteShare } from "page/samples";
import { pixelsOf, signedColor } from "page/color";

const stage = document.getElementById("stage"),
  canvas = document.getElementById("canvas");
const captions = document.getElementById("captions"),
  context = canvas.getContext("2d", { alpha: false });
const zooms = [1 / 32, 1 / 16, 1 / 8, 1 / 6, 1 / 4, 1 / 3, 1 / 2, 1, 2, 3, 4, 6, 8, 12, 16, 24, 32, 48, 64, 96, 128];
let asked = false,
  blinkSecond = true,
  blinkTimer = 0;

export function redraw() {
  if (!asked) {
    asked = true;
    requestAnimationFrame(draw);
  }
}

const ratio = () => window.devicePixelRatio || 1;

// The rectangles of the canvas, in device pixels, with the pictures that they show.
export function tiles() {
  const [first, second] = shown(),
    w = canvas.width,
    h = canvas.height,
    all = { x: 0, y: 0, w, h };
  if (!second && !first) return [];
  switch (state.arrangement) {
    case "side": {
      const gap = Math.round(4 * ratio());
      const upright = w >= h,
        half = Math.floor(((upright ? w : h) - gap) / 2);
      const a = upright ? { x: 0, y: 0, w: half, h } : { x: 0, y: 0, w, h: half };
      const b = upright ? { x: w - half, y: 0, w: half, h } : { x: 0, y: h - half, w, h: half };
      return [
        { ...a, picture: first },
        { ...b, picture: second },
      ];
    }
    case "blink":
      return [{ ...all, picture: blinkSecond ? second : first }];
    case "wipe":
      return [{ ...all, picture: second, under: first }];
    case "difference":
      return [{ ...all, picture: second, less: first }];
    default:
      return [{ ...all, picture: second || first }];
  }
}

const shapeOf = picture => (picture && picture.shape ? { width: picture.shape[0], height: picture.shape[1] } : null);
const leading = () => shapeOf(pictures.get(state.second)) || shapeOf(pictures.get(state.first));

export function scaleIn(tile) {
  if (state.scale > 0) return state.scale;
  const shape = leading() || { width: 1, height: 1 };
  const s = Math.min(tile.w / shape.width, tile.h / shape.height);
  return s >= 1 ? Math.floor(s) : s;
}

// Where pixel (0, 0) lies in a tile.
function origin(tile) {
  const shape = leading() || { width: 1, height: 1 },
    s = scaleIn(tile);
  const c = state.center || { x: shape.width / 2, y: shape.height / 2 };
  return { x: Math.round(tile.x + tile.w / 2 - c.x * s), y: Math.round(tile.y + tile.h / 2 - c.y * s), s };
}

// The part of the leading picture that can be seen, and how many of its pixels fall on one of the screen.
export function visiblePart() {
  const tile = tiles()[0],
    shape = leading();
  if (!tile || !shape) return null;
  const o = origin(tile),
    k = Math.max(1, Math.floor(1 / o.s + 1e-9));
  const down = (v, most) => Math.max(0, Math.min(most, Math.floor(v / k) * k));
  const up = (v, most) => Math.max(0, Math.min(most, Math.ceil(v / k) * k));
  const x = down((tile.x - o.x) / o.s, shape.width),
    y = down((tile.y - o.y) / o.s, shape.height);
  const right = up((tile.x + tile.w - o.x) / o.s, shape.width),
    bottom = up((tile.y + tile.h - o.y) / o.s, shape.height);
  if (right <= x || bottom <= y) return { part: { x: 0, y: 0, width: shape.width, height: shape.height }, shrink: k };
  return { part: { x, y, width: right - x, height: bottom - y }, shrink: k };
}

const cache = new Map();
function kept(key, make) {
  let v = cache.get(key);
  if (v === undefined) {
    v = make();
    cache.set(key, v);
    while (cache.size > 12) cache.delete(cache.keys().next().value);
  }
  return v;
}
function bitmap(samples, options) {
  const off = document.createElement("canvas");
  off.width = samples.width;
  off.height = samples.height;
  off.getContext("2d", { willReadFrequently: true }).putImageData(pixelsOf(samples, options), 0, 0);
  return off;
}

// The samples that a picture shows, with the part that they are of.
function sourceOf(picture) {
  if (picture.samples) {
    const { width, height } = picture.samples;
    return { samples: picture.samples, part: { x: 0, y: 0, width, height }, shrink: 1 };
  }
  return picture.seen;
}
function signedScaleOf(picture) {
  const source = sourceOf(picture);
  return source
    ? kept(`scale ${picture.key} ${picture.version}`, () => absoluteShare(source.samples, 0.995) || 1e-6)
    : 1;
}
// Second minus first where both are there.
function differenceOf(first, second) {
  const s = sourceOf(second);
  if (!s || !first.samples) return null;
  return kept(`difference ${first.key} ${first.version} ${second.key} ${second.version}`, () => {
    const base = first.samples.reduced(s.part, s.shrink);
    if (base.width !== s.samples.width || base.height !== s.samples.height) return null;
    const samples = difference(base, s.samples);
    return { samples, part: s.part, shrink: s.shrink, scale: absoluteShare(samples, 0.995) || 1e-6 };
  });
}

function drawSource(source, tile, o, key, options) {
  const { samples, part, shrink } = source;
  // In samples of the source: what of it can be seen.
  const unit = o.s * shrink,
    left = o.x + part.x * o.s,
    top = o.y + part.y * o.s;
  const x0 = Math.max(0, Math.floor((tile.x - left) / unit)),
    y0 = Math.max(0, Math.floor((tile.y - top) / unit));
  const x1 = Math.min(samples.width, Math.ceil((tile.x + tile.w - left) / unit));
  const y1 = Math.min(samples.height, Math.ceil((tile.y + tile.h - top) / unit));
  if (x1 <= x0 || y1 <= y0) return;
  const k = Math.max(1, Math.floor(1 / unit + 1e-9));
  const ax = Math.floor(x0 / k) * k,
    ay = Math.floor(y0 / k) * k,
    w = x1 - ax,
    h = y1 - ay;
  const off = kept(`${key} ${k} ${ax} ${ay} ${w} ${h} ${options.marks} ${options.signedScale || 0}`, () =>
    bitmap(samples.reduced({ x: ax, y: ay, width: w, height: h }, k), options),
  );
  context.imageSmoothingEnabled = unit < 1;
  context.imageSmoothingQuality = "high";
  // A shrunk part ends where the picture does, though its last column stands for fewer pixels.
  const right = Math.min(left + part.width * o.s, left + (ax + w) * unit),
    bottom = Math.min(top + part.height * o.s, top + (ay + h) * unit);
  context.drawImage(off, left + ax * unit, top + ay * unit, right - left - ax * unit, bottom - top - ay * unit);
}

function drawPicture(picture, tile, o) {
  const source = sourceOf(picture);
  if (!source) return;
  const options = { marks: state.marks && picture.content === "samples" };
  if (picture.content === "differences") options.signedScale = signedScaleOf(picture);
  drawSource(source, tile, o, `${picture.key} ${picture.version}`, options);
  drawNumbers(source, tile, o);
}

function numberAt(samples, x, y, room) {
  const texts = [];
  for (let c = 0; c < samples.colors; ++c) {
    const v = samples.at(x, y, c);
    texts.push(
      samples.white > 0 && room < 44
        ? String(Math.round(v * samples.white))
        : room < 30
          ? v.toFixed(2).replace(/^(-?)0\./, "$1.")
          : v.toFixed(room < 60 ? 3 : 5),
    );
  }
  return texts;
}

// The number of every sample, where pixels are large enough.
function drawNumbers(source, tile, o) {
  const css = o.s / ratio();
  if (css < 16 || !source || source.shrink !== 1) return;
  const { samples, part } = source;
  const x0 = Math.max(part.x, Math.floor((tile.x - o.x) / o.s)),
    y0 = Math.max(part.y, Math.floor((tile.y - o.y) / o.s));
  const x1 = Math.min(part.x + samples.width, Math.ceil((tile.x + tile.w - o.x) / o.s));
  const y1 = Math.min(part.y + samples.height, Math.ceil((tile.y + tile.h - o.y) / o.s));
  const rows = samples.colors === 3 && css >= 28 ? 3 : 1;
  context.textAlign = "center";
  context.textBaseline = "middle";
  for (let y = y0; y < y1; ++y) {
    for (let x = x0; x < x1; ++x) {
      const all = numberAt(samples, x - part.x, y - part.y, css);
      const texts =
        rows === 3 || samples.colors === 1
          ? all
          : [
              samples.white > 0
                ? String(Math.round(samples.luma((y - part.y) * samples.width + x - part.x) * samples.white))
                : samples
                    .luma((y - part.y) * samples.width + x - part.x)
                    .toFixed(2)
                    .replace(/^(-?)0\./, "$1."),
            ];
      const longest = Math.max(...texts.map(t => t.length));
      const size = Math.min((o.s * 0.9) / texts.length, (o.s * 0.92) / (longest * 0.56), 13 * ratio());
      context.font = `${size}px sans-serif`;
      const dark = samples.luma((y - part.y) * samples.width + x - part.x) > 0.5;
      context.fillStyle = dark ? "#000" : "#fff";
      texts.forEach((t, i) =>
        context.fillText(
          t,
          o.x + (x + 0.5) * o.s,
          o.y + (y + 0.5) * o.s + (i - (texts.length - 1) / 2) * size * 1.05,
        ),
      );
    }
  }
}

function outlined(path, width = 1) {
  for (const [color, w] of [
    ["#000", width + 2],
    ["#fff", width],
  ]) {
    context.strokeStyle = color;
    context.lineWidth = w * ratio();
    context.stroke(path);
  }
}

function drawMarks(tile, o) {
  const at = p => [o.x + (p.x + 0.5) * o.s, o.y + (p.y + 0.5) * o.s];
  if (state.line) {
    const path = new Path2D();
    path.moveTo(...at(state.line.a));
    path.lineTo(...at(state.line.b));
    outlined(path);
  }
  if (state.part) {
    const path = new Path2D();
    path.rect(o.x + state.part.x * o.s, o.y + state.part.y * o.s, state.part.width * o.s, state.part.height * o.s);
    outlined(path);
  }
  if (state.cursor) {
    const [x, y] = at(state.cursor),
      r = Math.max(o.s / 2, 3 * ratio()),
      arm = 7 * ratio(),
      path = new Path2D();
    path.rect(x - r, y - r, 2 * r, 2 * r);
    for (const [dx, dy] of [
      [1, 0],
      [-1, 0],
      [0, 1],
      [0, -1],
    ]) {
      path.moveTo(x + dx * r, y + dy * r);
      path.lineTo(x + dx * (r + arm), y + dy * (r + arm));
    }
    outlined(path);
  }
}

// The scale of a signed picture, at the foot of its tile.
function drawScale(tile, scale) {
  const w = Math.round(Math.min(tile.w * 0.5, 260 * ratio())),
    h = Math.round(10 * ratio());
  const x = tile.x + Math.round((tile.w - w) / 2),
    y = tile.y + tile.h - Math.round(30 * ratio());
  context.fillStyle = "#000c";
  context.fillRect(x - 8 * ratio(), y - 4 * ratio(), w + 16 * ratio(), 30 * ratio());
  for (let i = 0; i < w; ++i) {
    const [r, g, b] = signedColor((2 * i) / (w - 1) - 1);
    context.fillStyle = `rgb(${r},${g},${b})`;
    context.fillRect(x + i, y, 1, h);
  }
  context.fillStyle = "#fff";
  context.font = `${11 * ratio()}px sans-serif`;
  context.textBaseline = "top";
  for (const [align, at, text] of [
    ["left", x, number(-scale, 3)],
    ["center", x + w / 2, "0"],
    ["right", x + w, `+${number(scale, 3)}`],
  ]) {
    context.textAlign = align;
    context.fillText(text, at, y + h + 2 * ratio());
  }
}

function draw() {
  asked = false;
  const w = Math.max(1, Math.round(stage.clientWidth * ratio())),
    h = Math.max(1, Math.round(stage.clientHeight * ratio()));
  if (canvas.width !== w || canvas.height !== h) {
    canvas.width = w;
    canvas.height = h;
  }
  context.fillStyle = getComputedStyle(stage).backgroundColor;
  context.fillRect(0, 0, w, h);
  const labels = [];
  // What is seen comes first, what it is measured against after it.
  const [one, other] = shown();
  other?.want();
  if (!other || sourceOf(other) || state.arrangement === "side" || state.arrangement === "wipe") one?.want();
  for (const tile of tiles()) {
    if (!tile.picture) continue;
    const o = origin(tile);
    context.save();
    context.beginPath();
    context.rect(tile.x, tile.y, tile.w, tile.h);
    context.clip();
    if (tile.less) {
      const d = differenceOf(tile.less, tile.picture);
      if (d) {
        drawSource(
          d,
          tile,
          o,
          `difference ${tile.less.key} ${tile.less.version} ${tile.picture.key} ${tile.picture.version}`,
          { signedScale: d.scale },
        );
        drawNumbers(d, tile, o);
        drawScale(tile, d.scale);
      }
      labels.push([tile, `${tile.picture.name} − ${tile.less.name}`]);
    } else {
      drawPicture(tile.picture, tile, o);
      if (tile.under) {
        const at = Math.round(tile.x + state.wipe * tile.w);
        context.save();
        context.beginPath();
        context.rect(tile.x, tile.y, at - tile.x, tile.h);
        context.clip();
        context.fillRect(tile.x, tile.y, tile.w, tile.h);
        drawPicture(tile.under, tile, o);
        context.restore();
        const path = new Path2D();
        path.moveTo(at, tile.y);
        path.lineTo(at, tile.y + tile.h);
        outlined(path);
        labels.push(
          [{ ...tile, w: at - tile.x }, tile.under.name],
          [{ ...tile, x: at, w: tile.x + tile.w - at }, tile.picture.name],
        );
      } else {
        labels.push([tile, tile.picture.name]);
        if (tile.picture.content === "differences") drawScale(tile, signedScaleOf(tile.picture));
      }
    }
    drawMarks(tile, o);
    context.restore();
  }
  // Captions are text of the page: they can be read aloud and copied.
  while (captions.children.length > labels.length) captions.lastChild.remove();
  while (captions.children.length < labels.length) captions.append(element("div", { class: "caption" }));
  labels.forEach(([tile, text], i) => {
    const e = captions.children[i];
    if (e.textContent !== text) e.textContent = text;
    e.style.left = `${tile.x / ratio() + 6}px`;
    e.style.top = `${tile.y / ratio() + 6}px`;
    e.style.maxWidth = `${Math.max(0, tile.w / ratio() - 12)}px`;
  });
  tell("drawn");
}

// The pixel under a point of the window, and its tile.
function pixelAt(event) {
  const box = canvas.getBoundingClientRect();
  const px = (event.clientX - box.left) * ratio(),
    py = (event.clientY - box.top) * ratio();
  const tile = tiles().find(t => px >= t.x && px < t.x + t.w && py >= t.y && py < t.y + t.h);
  if (!tile) return null;
  const o = origin(tile);
  return { x: Math.floor((px - o.x) / o.s), y: Math.floor((py - o.y) / o.s), px, py, tile, o };
}
const clamped = p => {
  const s = leading() || { width: 1, height: 1 };
  return { x: Math.max(0, Math.min(s.width - 1, p.x)), y: Math.max(0, Math.min(s.height - 1, p.y)) };
};

// To a scale, so that the pixel under (px, py) of a tile stays where it is.
function zoomTo(scale, at = null) {
  const tile = at ? at.tile : tiles()[0],
    shape = leading();
  if (!tile || !shape) return;
  const o = origin(tile),
    px = at ? at.px : tile.x + tile.w / 2,
    py = at ? at.py : tile.y + tile.h / 2;
  const fx = (px - o.x) / o.s,
    fy = (py - o.y) / o.s;
  if (scale === 0) return change({ scale: 0, center: null });
  change({
    scale,
    center: { x: fx + (tile.x + tile.w / 2 - px) / scale, y: fy + (tile.y + tile.h / 2 - py) / scale },
  });
}
export function zoomBy(steps, at = null) {
  const tile = at ? at.tile : tiles()[0];
  if (!tile) return;
  const s = scaleIn(tile);
  const larger = zooms.filter(z => z > s * 1.001),
    smaller = zooms.filter(z => z < s * 0.999);
  const next = steps > 0 ? larger[0] : smaller[smaller.length - 1];
  if (next) zoomTo(next, at);
}
export const zoomFit = () => zoomTo(0);
export const zoomOne = (at = null) => zoomTo(1, at || undefined);
export function pan(dx, dy) {
  const tile = tiles()[0],
    shape = leading();
  if (!tile || !shape) return;
  const s = scaleIn(tile),
    c = state.center || { x: shape.width / 2, y: shape.height / 2 };
  change({ scale: s, center: { x: c.x + (dx * tile.w) / s / 8, y: c.y + (dy * tile.h) / s / 8 } });
}
// The probe by keys: a pixel to a side.
export function moveCursor(dx, dy) {
  const shape = leading();
  if (!shape) return;
  const c = state.cursor || { x: Math.floor(shape.width / 2), y: Math.floor(shape.height / 2) };
  change({ cursor: clamped({ x: c.x + dx, y: c.y + dy }) });
  if (mark) setMark(state.cursor);
}

// A line or rectangle begins where the mark is set and ends where the probe is.
let mark = null;
function setMark(p) {
  if (state.tool === "line") change({ line: { a: mark, b: p } });
  if (state.tool === "rectangle") {
    const x = Math.min(mark.x, p.x),
      y = Math.min(mark.y, p.y);
    change({ part: { x, y, width: Math.abs(mark.x - p.x) + 1, height: Math.abs(mark.y - p.y) + 1 }, scope: "part" });
  }
}
export function placeMark() {
  if (state.tool === "move" || !state.cursor) return;
  mark = mark ? null : { ...state.cursor };
  if (mark) setMark(state.cursor);
}

let drag = null;
canvas.addEventListener("pointerdown", event => {
  stage.focus({ preventScroll: true });
  const p = pixelAt(event);
  if (!p || event.button > 1) return;
  canvas.setPointerCapture(event.pointerId);
  const wipeAt = p.tile.x + state.wipe * p.tile.w;
  if (state.arrangement === "wipe" && Math.abs(p.px - wipeAt) < 8 * ratio()) drag = { kind: "wipe" };
  else if (state.tool === "move" || event.button === 1)
    drag = { kind: "move", from: p, center: state.center || { x: leading().width / 2, y: leading().height / 2 } };
  else {
    drag = { kind: "mark" };
    mark = clamped(p);
    setMark(mark);
  }
});
canvas.addEventListener("pointermove", event => {
  const p = pixelAt(event);
  if (!drag) {
    if (p) change({ cursor: clamped(p) });
    return;
  }
  const box = canvas.getBoundingClientRect();
  const px = (event.clientX - box.left) * ratio(),
    py = (event.clientY - box.top) * ratio();
  if (drag.kind === "wipe") change({ wipe: Math.max(0, Math.min(1, px / canvas.width)) });
  else if (drag.kind === "move")
    change({
      scale: drag.from.o.s,
      center: {
        x: drag.center.x - (px - drag.from.px) / drag.from.o.s,
        y: drag.center.y - (py - drag.from.py) / drag.from.o.s,
      },
    });
  else if (p) setMark(clamped(p));
});
canvas.addEventListener("pointerup", () => {
  if (drag && drag.kind === "mark") mark = null;
  drag = null;
  tell("rested");
});
canvas.addEventListener("dblclick", event => {
  const p = pixelAt(event);
  if (state.scale === 0) zoomOne(p);
  else zoomFit();
});
canvas.addEventListener(
  "wheel",
  event => {
    event.preventDefault();
    zoomBy(event.deltaY < 0 ? 1 : -1, pixelAt(event));
  },
  { passive: false },
);

on("state", changed => {
  if ("arrangement" in changed) {
    clearInterval(blinkTimer);
    blinkSecond = true;
    if (state.arrangement === "blink")
      blinkTimer = setInterval(() => {
        blinkSecond = !blinkSecond;
        redraw();
      }, 600);
  }
  redraw();
});
// A result is drawn as it comes; a frame more would be a frame late.
on("picture", p => {
  if (p === pictures.get(state.second)) draw();
  else redraw();
});
new ResizeObserver(redraw).observe(stage);
