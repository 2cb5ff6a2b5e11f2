// Curves, histograms and grids of numbers, as drawings that can be read off.

import { element, number } from "page/model";
import { signedColor } from "page/color";

const space = "http://www.w3.org/2000/svg";
function svg(tag, attributes, text) {
  const e = document.createElementNS(space, tag);
  for (const [name, value] of Object.entries(attributes)) e.setAttribute(name, value);
  if (text !== undefined) e.textContent = text;
  return e;
}

// Round numbers between two ends.
function ticks(low, high, most) {
  const span = high - low;
  if (!(span > 0)) return [low];
  const raw = span / most,
    power = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map(m => m * power).find(s => s >= raw * 0.999);
  const all = [];
  for (let v = Math.ceil(low / step - 1e-9) * step; v <= high + step * 1e-9; v += step)
    all.push(Math.abs(v) < step / 1e6 ? 0 : v);
  return all;
}
function tickText(v) {
  const a = Math.abs(v);
  if (a >= 1e4 || (a > 0 && a < 1e-3)) return v.toExponential(0).replace("e+", "e");
  return String(+v.toPrecision(4));
}

// Curves over common axes. `curves`: {name, x, y, marked, filled, share}; a curve with `share` runs from 0 to 1 over
// the whole height. The axes fit the data. `pick` hears the index of the point nearest to a click.
export function plot(
  node,
  {
    curves,
    x = "",
    y = "",
    height = 120,
    logarithmic = false,
    logX = false,
    logY = false,
    from0 = false,
    xRange = null,
    pick = null,
  },
) {
  const width = Math.max(140, node.clientWidth || 164),
    left = 30,
    bottom = x ? 26 : 15,
    top = 4,
    right = 4;
  const w = width - left - right,
    h = height - top - bottom;
  // Along an axis of logarithms a curve is drawn by them, and read off by its values.
  const placed = (values, log) => (log ? Array.from(values, v => (v > 0 ? Math.log10(v) : NaN)) : values);
  curves = curves.map(c => ({ ...c, shownX: c.x, shownY: c.y, x: placed(c.x, logX), y: placed(c.y, logY) }));
  const own = curves.filter(c => !c.share);
  const finite = v => typeof v === "number" && Number.isFinite(v);
  const xs = curves.flatMap(c => [...c.x]).filter(finite);
  let ys = own.flatMap(c => [...c.y]).filter(v => finite(v) && (!logarithmic || v > 0));
  if (!ys.length) ys = [0, 1];
  const least = a => a.reduce((p, v) => Math.min(p, v), Infinity),
    most = a => a.reduce((p, v) => Math.max(p, v), -Infinity);
  const [x0, x1] = xRange || [least(xs), most(xs)];
  let y0 = logarithmic ? Math.log10(Math.max(0.5, least(ys))) : from0 ? Math.min(0, least(ys)) : least(ys);
  let y1 = logarithmic ? Math.log10(most(ys)) : most(ys);
  if (logarithmic) y0 = Math.min(y0, 0);
  if (!(y1 > y0)) {
    y0 -= Math.abs(y0) * 0.05 || 0.5;
    y1 += Math.abs(y1) * 0.05 || 0.5;
  }
  const X = v => left + (x1 > x0 ? (v - x0) / (x1 - x0) : 0.5) * w;
  const Y = v => top + h - (((logarithmic ? Math.log10(Math.max(v, 10 ** y0)) : v) - y0) / (y1 - y0)) * h;
  const s = svg("svg", {
    width,
    height,
    viewBox: `0 0 ${width} ${height}`,
    role: "img",
    "aria-label": curves.map(c => c.name).join(", "),
  });
  const label = (v, log) => tickText(log ? +(10 ** v).toPrecision(2) : v);
  const yTicks = logarithmic
    ? ticks(Math.ceil(y0), Math.floor(y1), 3)
        .filter(Number.isInteger)
        .map(v => 10 ** v)
    : ticks(y0, y1, 3);
  for (const v of yTicks) {
    s.append(svg("line", { class: "grid", x1: left, x2: left + w, y1: Y(v), y2: Y(v) }));
    s.append(svg("text", { class: "tick", x: left - 3, y: Y(v) + 3.5, "text-anchor": "end" }, label(v, logY)));
  }
  for (const v of ticks(x0, x1, Math.max(4, Math.floor(w / 45)))) {
    s.append(svg("line", { class: "grid", x1: X(v), x2: X(v), y1: top, y2: top + h }));
    s.append(
      svg(
        "text",
        {
          class: "tick",
          x: X(v),
          y: top + h + 11,
          "text-anchor": X(v) > left + w - 12 ? "end" : X(v) < left + 8 ? "start" : "middle",
        },
        label(v, logX),
      ),
    );
  }
  if (x) s.append(svg("text", { class: "tick", x: left + w / 2, y: height - 3, "text-anchor": "middle" }, x));
  curves.forEach((c, n) => {
    const at = v => (c.share ? top + h - v * h : Y(v));
    let d = "",
      open = false;
    for (let i = 0; i < c.x.length; ++i) {
      if (!finite(c.x[i]) || !finite(c.y[i])) {
        open = false;
        continue;
      }
      d += `${open ? "L" : "M"}${X(c.x[i]).toFixed(1)},${at(c.y[i]).toFixed(1)}`;
      open = true;
    }
    const kind = c.kind ?? n;
    if (c.filled && c.x.length)
      s.append(
        svg("path", {
          class: `area area${kind}`,
          d: `${d}L${X(c.x[c.x.length - 1])},${top + h}L${X(c.x[0])},${top + h}Z`,
        }),
      );
    s.append(svg("path", { class: `curve curve${kind}${c.share ? " share" : ""}`, d }));
    if (c.x.length <= 40 && !c.share && !c.filled)
      c.x.forEach((v, i) => {
        if (finite(c.y[i]))
          s.append(
            svg("circle", { class: `point curve${kind}`, cx: X(v), cy: at(c.y[i]), r: i === c.marked ? 4.5 : 2 }),
          );
      });
    else if (c.marked >= 0 && finite(c.y[c.marked]))
      s.append(svg("circle", { class: `point curve${kind}`, cx: X(c.x[c.marked]), cy: at(c.y[c.marked]), r: 4.5 }));
  });
  const cross = svg("line", { class: "cross", x1: -9, x2: -9, y1: top, y2: top + h });
  s.append(cross);
  const read = element("output", { class: "read" });
  const names = element(
    "div",
    { class: "legend" },
    y ? element("span", { text: y }) : null,
    ...curves
      .filter(c => c.name)
      .map(c =>
        element("span", { class: `key key${c.kind ?? curves.indexOf(c)}${c.share ? " share" : ""}`, text: c.name }),
      ),
  );
  const nearest = event => {
    const at = x0 + ((event.offsetX - left) / w) * (x1 - x0),
      c = own[0];
    if (!c || !c.x.length) return -1;
    let best = 0;
    for (let i = 1; i < c.x.length; ++i) if (Math.abs(c.x[i] - at) < Math.abs(c.x[best] - at)) best = i;
    return best;
  };
  s.addEventListener("pointermove", event => {
    const i = nearest(event);
    if (i < 0) return;
    cross.setAttribute("x1", X(own[0].x[i]));
    cross.setAttribute("x2", X(own[0].x[i]));
    read.textContent = `${number(own[0].shownX[i])}: ${own.map(c => number(c.shownY[i])).join(" | ")}`;
  });
  s.addEventListener("pointerleave", () => {
    cross.setAttribute("x1", -9);
    cross.setAttribute("x2", -9);
    read.textContent = "\u00a0";
  });
  if (pick) s.addEventListener("click", event => pick(nearest(event)));
  read.textContent = "\u00a0";
  node.replaceChildren(names, s, read);
}

// Numbers on a grid as colors about 0, each readable under the pointer.
export function grid(node, { columns, rows, values, anchor, note }) {
  const width = Math.max(140, node.clientWidth || 164),
    cell = Math.max(1, Math.min(36, Math.floor(width / columns)));
  const c = element("canvas", {
    width: columns * cell,
    height: rows * cell,
    role: "img",
    "aria-label": note || "weights",
  });
  const g = c.getContext("2d"),
    most = values.reduce((p, v) => Math.max(p, Math.abs(v)), 0) || 1;
  values.forEach((v, i) => {
    const [r, gr, b] = signedColor(v / most),
      x = i % columns,
      y = Math.floor(i / columns);
    g.fillStyle = `rgb(${r},${gr},${b})`;
    g.fillRect(x * cell, y * cell, cell, cell);
    if (cell >= 26) {
      g.fillStyle = Math.abs(v / most) > 0.6 ? "#fff" : "#000";
      g.font = "10px sans-serif";
      g.textAlign = "center";
      g.fillText(tickText(+v.toPrecision(3)), (x + 0.5) * cell, (y + 0.5) * cell + 3.5);
    }
  });
  const read = element("output", { class: "read" });
  c.addEventListener("pointermove", event => {
    const x = Math.floor(event.offsetX / cell),
      y = Math.floor(event.offsetY / cell);
    if (x < columns && y < rows)
      read.textContent = `${x - anchor[0]}, ${y - anchor[1]}: ${values[y * columns + x].toPrecision(5)}`;
  });
  read.textContent = `most ${number(most)}`;
  node.replaceChildren(c, read);
}
