// The column on the right: histogram, probe, statistics, profile, spectrum and what a step shows of itself.

import { state, change, on, tell, shown, number, element } from "page/model";
import { action, button } from "page/actions";
import { visiblePart } from "page/viewer";
import { plot, grid } from "page/plots";
import { oklab } from "page/samples";

const column = document.getElementById("right");

// What a live page adds: buttons of the spectrum and the step.
export const more = element("div", { class: "row" });
const sections = {};
function section(key, title, ...tools) {
  const body = element("div", { class: "body" });
  sections[key] = body;
  column.append(
    element(
      "details",
      { open: true, id: `panel-${key}` },
      element("summary", { text: title }),
      element("div", { class: "row" }, ...tools),
      body,
    ),
  );
}

for (const [name, key, help] of [
  ["whole", "W", "measure the whole pictures"],
  ["visible", "V", "measure what is visible"],
  ["part", "P", "measure the rectangle"],
])
  action(
    name,
    key,
    name,
    help,
    () => change({ scope: name }),
    () => state.scope === name,
  );
action(
  "log",
  "h",
  "log",
  "counts on a logarithmic axis",
  () => change({ logarithmic: !state.logarithmic }),
  () => state.logarithmic,
);
action(
  "sum",
  "y",
  "sum",
  "the cumulative curve",
  () => change({ cumulative: !state.cumulative }),
  () => state.cumulative,
);
action("clear", "z", "clear", "take rectangle and line away", () =>
  change({ part: null, line: null, scope: "whole" }),
);
action("detail", "L", "copy --detail", "for lineup: the square at the upper left of the rectangle", () => {
  const r = state.part;
  if (r) tell("copy", `--detail ${r.x},${r.y},${Math.max(2, Math.min(r.width, r.height))}`);
});

section("histogram", "Histogram", ...["whole", "visible", "part", "log", "sum"].map(id => button(id)));
section("probe", "Probe");
section("statistics", "Statistics");
section("profile", "Profile along the line");
section("extra", "More", more);

// The pictures on the screen that there are, each once.
function present() {
  const [first, second] = shown();
  return [...new Set([first, second])].filter(p => p);
}
// Samples and the area to measure in them; a picture that is still a part is measured as far as it is there.
function measured(p) {
  const s = p.samples,
    seen = p.seen;
  if (!s && !seen) return null;
  const whole = { x: 0, y: 0, width: p.shape[0], height: p.shape[1] };
  const area =
    state.scope === "part" && state.part
      ? state.part
      : state.scope === "visible" && visiblePart()
        ? visiblePart().part
        : whole;
  if (s) return { samples: s, area, exact: true };
  const k = seen.shrink,
    x = Math.max(area.x, seen.part.x),
    y = Math.max(area.y, seen.part.y);
  return {
    samples: seen.samples,
    exact: false,
    area: {
      x: (x - seen.part.x) / k,
      y: (y - seen.part.y) / k,
      width: Math.max(1, (Math.min(area.x + area.width, seen.part.x + seen.part.width) - x) / k),
      height: Math.max(1, (Math.min(area.y + area.height, seen.part.y + seen.part.height) - y) / k),
    },
  };
}

const bins = 256;
function drawHistogram() {
  const all = present()
    .map(p => ({ p, m: measured(p) }))
    .filter(e => e.m && e.p.content === "samples");
  if (!all.length) return sections.histogram.replaceChildren();
  let low = 0,
    high = 1;
  const stats = all.map(e => e.m.samples.statistics(e.m.area));
  for (const s of stats) {
    if (s.n && s.low < 0) low = Math.min(low, s.low);
    if (s.n && s.high > 1) high = Math.max(high, s.high);
  }
  const step = (high - low) / bins,
    x = Array.from({ length: bins }, (_, i) => low + (i + 0.5) * step),
    curves = [];
  all.forEach(({ p, m }, n) => {
    const kind = all.length === 1 && p === shown()[1] ? 1 : n,
      y = m.samples.histogram(m.area, bins, low, high);
    curves.push({ name: p.name, x, y, filled: true, kind });
    if (state.cumulative) {
      let sum = 0;
      const total = y.reduce((a, b) => a + b, 0) || 1;
      curves.push({ name: "", x, y: Array.from(y, v => (sum += v) / total), share: true, kind });
    }
  });
  plot(sections.histogram, { curves, height: 120, logarithmic: state.logarithmic, from0: true, xRange: [low, high] });
}

function drawStatistics() {
  const all = present()
    .map(p => [p, measured(p)])
    .filter(([, m]) => m);
  const stats = all.map(([, m]) => m.samples.statistics(m.area));
  const rows = [
    ["mean", s => number(s.mean)],
    ["deviation", s => number(s.deviation)],
    ["least", s => number(s.low)],
    ["most", s => number(s.high)],
    ["below 0", s => String(s.below)],
    ["above 1", s => String(s.above)],
    ["at 1", s => String(s.ends)],
    ["not finite", s => String(s.notFinite)],
  ];
  const table = element(
    "table",
    { class: "figures" },
    element("tr", {}, element("th"), ...all.map(([p]) => element("th", { text: p.name, title: p.name }))),
    ...rows.map(([name, text]) =>
      element(
        "tr",
        {},
        element("th", { text: name }),
        ...stats.map((s, i) => element("td", { text: text(s), "data-figure": `${all[i][0].key} ${name}` })),
      ),
    ),
  );
  const parts = [table];
  if (all.some(([, m]) => !m.exact))
    parts.push(element("p", { class: "hint", text: "of the part that is worked out so far" }));
  if (state.part) {
    const r = state.part,
      words = `${r.x},${r.y},${r.width},${r.height}`;
    parts.push(
      element(
        "div",
        { class: "row" },
        element("code", { id: "rectangle", text: words }),
        button("detail"),
        document.body.dataset.kind === "live" ? button("within") : null,
        button("clear"),
      ),
    );
  }
  sections.statistics.replaceChildren(...parts);
}

// A sample at a pixel of a picture, where it is there.
function sampleAt(p, x, y) {
  if (p.samples && x < p.samples.width && y < p.samples.height) return [p.samples, x, y];
  const s = p.seen;
  if (
    s &&
    s.shrink === 1 &&
    x >= s.part.x &&
    y >= s.part.y &&
    x < s.part.x + s.samples.width &&
    y < s.part.y + s.samples.height
  )
    return [s.samples, x - s.part.x, y - s.part.y];
  return null;
}
function drawProbe() {
  const c = state.cursor;
  if (!c)
    return sections.probe.replaceChildren(
      element("p", { class: "hint", text: "point at a pixel, or move the probe with Shift and the arrows" }),
    );
  const rows = [];
  for (const p of present()) {
    const found = sampleAt(p, c.x, c.y);
    rows.push(element("tr", { class: "name" }, element("th", { text: p.name, colspan: "3" })));
    if (!found) {
      rows.push(element("tr", {}, element("td", { colspan: "3", text: "not worked out here yet" })));
      continue;
    }
    if (p.content === "frequencies") {
      const fx = (c.x - (p.shape[0] >> 1)) / p.shape[0],
        fy = (c.y - (p.shape[1] >> 1)) / p.shape[1],
        f = Math.hypot(fx, fy);
      rows.push(
        element(
          "tr",
          {},
          element("th", { text: "cycles" }),
          element("td", { text: fx.toFixed(4) }),
          element("td", { text: fy.toFixed(4) }),
        ),
        element(
          "tr",
          {},
          element("th", { text: "period" }),
          element("td", { text: f > 0 ? number(1 / f, 2) : "\u221e" }),
          element("td", { text: `${((Math.atan2(-fy, fx) * 180) / Math.PI).toFixed(1)}\u00b0` }),
        ),
      );
    }
    const [s, x, y] = found,
      names = s.colors === 3 ? ["red", "green", "blue"] : ["gray"];
    names.forEach((name, i) => {
      const v = s.at(x, y, i),
        out = v < 0 || v > 1;
      rows.push(
        element(
          "tr",
          {},
          element("th", { text: name }),
          element("td", {
            text: s.white > 0 && Number.isFinite(v) ? number(v * s.white, 2).replace(/\.?0+$/, "") : "",
            "data-stored": `${p.key} ${i}`,
          }),
          element("td", {
            text: Number.isFinite(v) ? v.toFixed(5) : String(v),
            class: out ? "outside" : "",
            "data-value": `${p.key} ${i}`,
          }),
        ),
      );
    });
    if (s.channels > s.colors)
      rows.push(
        element(
          "tr",
          {},
          element("th", { text: "alpha" }),
          element("td"),
          element("td", { text: s.at(x, y, s.colors).toFixed(6) }),
        ),
      );
    if (s.colors === 3) {
      const o = oklab(s.at(x, y, 0), s.at(x, y, 1), s.at(x, y, 2));
      rows.push(
        element(
          "tr",
          {},
          element("th", { text: "hue" }),
          element("td", { text: o.chroma < 0.004 ? "gray" : `${o.hue.toFixed(0)}\u00b0` }),
          element("td", { text: `L ${o.lightness.toFixed(4)}`, "data-lightness": p.key }),
        ),
      );
    }
  }
  sections.probe.replaceChildren(
    element("div", { id: "place", text: `x ${c.x}, y ${c.y}` }),
    element(
      "table",
      { class: "figures probe" },
      element("tr", {}, element("th"), element("td", { text: "stored" }), element("td", { text: "0..1" })),
      ...rows,
    ),
  );
}

function drawProfile() {
  document.getElementById("panel-profile").hidden = !state.line;
  if (!state.line) return;
  const curves = present()
    .filter(p => p.samples)
    .map((p, n) => {
      const values = p.samples.profile(state.line.a, state.line.b);
      return { name: p.name, x: values.map(v => v[0]), y: values.map(v => v[1]), kind: n };
    });
  if (curves.length) plot(sections.profile, { curves, x: "pixels", height: 110 });
}

export function showExtra(values) {
  const { title = "", plots = [], grids = [], texts = [] } = values;
  sections.extra.replaceChildren(...(title ? [element("h3", { text: title })] : []));
  for (const t of texts)
    sections.extra.append(element("h3", { text: t.title }), element("pre", { text: t.lines.join("\n") }));
  for (const g of grids) drawGrid(g);
  for (const p of plots) {
    const node = element("div");
    sections.extra.append(element("h3", { text: p.title }), node);
    plot(node, { curves: p.curves, x: p.x, y: p.y, height: 130, logX: p.log_x, logY: p.log_y });
    if (p.note) sections.extra.append(element("p", { class: "hint", text: p.note }));
  }
}
// Weights as a heat map, and the row through their anchor.
function drawGrid(g) {
  const node = element("div"),
    profile = element("div"),
    [ax, ay] = g.anchor;
  sections.extra.append(
    element("h3", { text: g.title }),
    node,
    g.note ? element("p", { class: "hint", text: g.note }) : "",
    profile,
  );
  grid(node, g);
  const row = g.values.slice(ay * g.columns, (ay + 1) * g.columns);
  plot(profile, {
    curves: [{ name: "row through the anchor", x: row.map((_, i) => i - ax), y: row, marked: -1 }],
    x: "pixels",
    height: 100,
    from0: true,
  });
}

function draw() {
  if (state.foldRight) return;
  drawHistogram();
  drawProbe();
  drawStatistics();
  drawProfile();
}
// Measuring waits until the hand rests: while a slider moves, the time is the pictures'.
let timer = 0;
function later() {
  clearTimeout(timer);
  timer = setTimeout(draw, 90);
}
on("picture", later);
on("state", changed => {
  if ("cursor" in changed && Object.keys(changed).length === 1) return state.foldRight ? undefined : drawProbe();
  later();
});
