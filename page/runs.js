// What a slider runs over: pictures that were computed for the values of one or two parameters.

import { element, number } from "page/model";
import { action } from "page/actions";
import { plot } from "page/plots";

// Sliders, the figure over the values, and over two parameters a map of it. `show` is given the key of a picture.
export function runsOf(d, show) {
  const { axes, by, best } = d.runs,
    columns = axes[0].values.length,
    two = axes.length > 1;
  const node = element("section", { class: "runs", id: "runs" }),
    chart = element("div"),
    map = element("div", { class: "scroll" });
  const placeOf = i => (two ? [i % columns, Math.floor(i / columns)] : [i]);
  let at = placeOf(Math.max(0, best));
  const index = () => at[0] + (two ? at[1] * columns : 0);
  const value = i => {
    const v = d.pictures[d.runs.pictures[i]]?.figures[by];
    return typeof v === "number" ? v : NaN;
  };
  const use = place => {
    at = place;
    controls.forEach((c, k) => {
      c.text.textContent = axes[k].values[at[k]];
      c.slider.value = at[k];
    });
    const p = d.runs.pictures[index()];
    if (p !== undefined) show(`p${p}`);
    drawChart();
    if (two) drawMap();
  };
  const along = (k, v) => at.map((old, i) => (i === k ? v : old));
  const controls = axes.map((a, k) => ({
    text: element("output", { class: "box" }),
    slider: element("input", {
      type: "range",
      min: 0,
      max: a.values.length - 1,
      step: 1,
      id: `run-${k}`,
      "aria-label": a.key,
      oninput: e => use(along(k, +e.target.value)),
    }),
  }));

  // The figure over the first parameter, at the value of the second.
  function drawChart() {
    const base = two ? at[1] * columns : 0,
      numeric = axes[0].values.every(v => Number.isFinite(+v));
    const x = axes[0].values.map((v, i) => (numeric ? +v : i)),
      y = x.map((_, i) => value(base + i)),
      marked = best >= base && best < base + columns ? best - base : -1;
    if (!chart.isConnected || !y.some(Number.isFinite)) return;
    plot(chart, {
      curves: [
        { name: `${by} over ${axes[0].key}`, x, y, marked, kind: 1 },
        { name: "", x: [x[at[0]]], y: [y[at[0]]], marked: 0, kind: 0 },
      ],
      height: 120,
      pick: i => use(along(0, i)),
    });
  }

  // All values of the figure at once, dark where it is large.
  function drawMap() {
    const all = d.runs.pictures.map((_, i) => value(i)).filter(Number.isFinite),
      low = Math.min(...all),
      high = Math.max(...all);
    const cell = i => {
      const v = value(i),
        level = Math.round(240 - (Number.isFinite(v) && high > low ? (200 * (v - low)) / (high - low) : 0));
      const b = element("button", {
        text: Number.isFinite(v) ? number(v, 2) : "-",
        title: i === best ? "the best" : "",
        "data-run": i,
        "aria-pressed": i === index() ? "true" : "false",
        onclick: () => use(placeOf(i)),
      });
      b.style.backgroundColor = `rgb(${level},${level},${level})`;
      b.style.color = level > 118 ? "#000" : "#fff";
      b.style.fontWeight = i === best ? "700" : "400";
      return element("td", {}, b);
    };
    const head = element(
      "tr",
      {},
      element("th", { text: axes[1].key }),
      ...axes[0].values.map(v => element("th", { text: v })),
    );
    const rows = axes[1].values.map((v, r) =>
      element("tr", {}, element("th", { text: v }), ...axes[0].values.map((_, c) => cell(r * columns + c))),
    );
    map.replaceChildren(
      element("table", { class: "map", "aria-label": `${by} over ${axes[0].key} and ${axes[1].key}` }, head, ...rows),
    );
  }

  controls.forEach((c, k) =>
    node.append(
      element(
        "div",
        { class: "parameter" },
        element("label", { for: `run-${k}`, text: axes[k].key }),
        c.text,
        c.slider,
      ),
    ),
  );
  node.append(chart, map);
  if (best >= 0) {
    const text = placeOf(best).map((v, k) => `${axes[k].key}=${axes[k].values[v]}`);
    node.append(
      element("button", { id: "best", text: `best: ${text.join(" ")}`, onclick: () => use(placeOf(best)) }),
    );
  }
  action("run-back", "j", "back", "the run before", () => use(along(0, Math.max(0, at[0] - 1))));
  action("run-on", "u", "on", "the run after", () => use(along(0, Math.min(columns - 1, at[0] + 1))));
  setTimeout(() => use(at), 0);
  return node;
}
