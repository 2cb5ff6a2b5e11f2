// The still page: pictures, runs, tables and curves that the file holds.

import { state, change, on, tell, pictures, addPicture, Picture, element, number, decibels } from "page/model";
import { action, button } from "page/actions";
import { Samples } from "page/samples";
import { plot } from "page/plots";
import { showExtra } from "page/measures";

const left = document.getElementById("left");

// The samples of a picture; the file may still be being read.
async function bytesOf(id) {
  for (let e; !((e = document.getElementById(id)) && (e.nextSibling || document.readyState !== "loading"));) {
    if (!e && document.readyState === "complete") throw new Error("the file is not whole: samples are missing");
    await new Promise(r => setTimeout(r, 5));
  }
  const text = document.getElementById(id).textContent;
  if (Uint8Array.fromBase64) return Uint8Array.fromBase64(text);
  const raw = atob(text), bytes = new Uint8Array(raw.length);
  for (let i = 0; i < raw.length; ++i) bytes[i] = raw.charCodeAt(i);
  return bytes;
}

const figureText = (name, v) => name === "psnr" ? (v === "infinite" ? "identical" : `PSNR ${decibels(v)} dB`) : name === "ssim" ? `SSIM ${number(v, 4)}` :
  name === "bytes" ? `${v} bytes` : name === "seconds" ? `${number(v * 1000, 1)} ms` : `${name} ${number(v, 4)}`;

export function startStill(d, top) {
  d.pictures.forEach((p, i) => {
    const picture = addPicture(new Picture(`p${i}`, p.name, p.role, async () => Samples.decode(p.samples, await bytesOf(`samples-${i}`))));
    Object.assign(picture, { content: p.content, note: p.note, chain: p.chain, figures: p.figures });
    picture.shape = [p.samples.width, p.samples.height, p.samples.channels];
  });
  const keys = [...pictures.keys()], ofRole = role => keys.find(k => pictures.get(k).role === role);
  const best = d.runs && d.runs.best >= 0 ? `p${d.runs.pictures[d.runs.best]}` : null;
  const first = ofRole("input") || ofRole("truth") || keys[0] || null;
  const results = keys.filter(k => pictures.get(k).role === "result");
  change({ first, second: best || results.at(-1) || keys.find(k => k !== first) || first });

  const show = key => change({ second: key });
  if (d.runs) left.append(runsOf(d, show));
  const list = element("div", { class: "list", id: "pictures" });
  const draw = () => list.replaceChildren(...keys.map((k, n) => {
    const p = pictures.get(k);
    return element("div", { class: `entry${k === state.second ? " chosen" : ""}` },
      element("button", { text: p.name, "data-picture": k, title: [p.chain, p.note].filter(Boolean).join("; "), "aria-pressed": k === state.second ? "true" : "false", onclick: () => show(k) }),
      element("button", { text: "1st", title: "take it as the first picture", class: "tool", "aria-pressed": k === state.first ? "true" : "false", onclick: () => change({ first: k }) }));
  }));
  draw();
  on("state", changed => { if ("first" in changed || "second" in changed) draw(); });
  for (const t of d.tables || []) left.append(tableOf(t, show));
  if (keys.length) left.append(element("h3", { text: "Pictures" }), list);
  if (d.plots || d.grids || d.texts) setTimeout(() => showExtra({ plots: d.plots, grids: d.grids, texts: d.texts }), 0);

  const figures = element("span", { id: "figures" });
  const tellFigures = () => {
    const p = pictures.get(state.second);
    const all = p ? Object.entries(p.figures).map(([n, v]) => [n, figureText(n, v)]) : [];
    figures.textContent = all.filter(([n]) => !["mse", "mae", "sharpness"].includes(n)).map(e => e[1]).join("  ");
    figures.title = all.map(e => e[1]).join(", ");
    tell("line", { kind: "", text: p ? [p.chain, p.note].filter(Boolean).join(" \u2014 ") : "" });
  };
  on("state", changed => { if ("second" in changed) tellFigures(); });
  tellFigures();
  top.figures.append(figures);
  const around = by => show(keys[(keys.indexOf(state.second) + by + keys.length) % keys.length]);
  action("earlier", ",", "previous", "show the previous picture", () => around(-1));
  action("later", ".", "next", "show the next picture", () => around(1));
  top.slots.append(button("earlier", "\u2039"), button("later", "\u203a"));
}

// A slider for each parameter over what was computed, and the figure over the values.
function runsOf(d, show) {
  const { axes, by } = d.runs, node = element("section", { class: "runs", id: "runs" }), at = axes.map(() => 0), chart = element("div");
  const index = () => at[0] + (axes.length > 1 ? at[1] * axes[0].values.length : 0);
  const value = i => { const v = d.pictures[d.runs.pictures[i]]?.figures[by]; return typeof v === "number" ? v : NaN; };
  const outputs = [];
  if (d.runs.best >= 0) { at[0] = d.runs.best % axes[0].values.length; if (axes.length > 1) at[1] = Math.floor(d.runs.best / axes[0].values.length); }
  const use = () => {
    outputs.forEach((o, k) => { o.text.textContent = axes[k].values[at[k]]; o.slider.value = at[k]; });
    const p = d.runs.pictures[index()];
    if (p !== undefined) show(`p${p}`);
    draw();
    if (axes.length > 1) drawMap();
  };
  axes.forEach((a, k) => {
    const text = element("output", { class: "box" });
    const slider = element("input", { type: "range", min: 0, max: a.values.length - 1, step: 1, id: `run-${k}`, "aria-label": a.key, oninput: e => { at[k] = +e.target.value; use(); } });
    outputs.push({ text, slider });
    node.append(element("div", { class: "parameter" }, element("label", { for: `run-${k}`, text: a.key }), text, slider));
  });
  const draw = () => {
    const n = axes[0].values.length, base = axes.length > 1 ? at[1] * n : 0, numeric = axes[0].values.every(v => Number.isFinite(+v));
    const x = axes[0].values.map((v, i) => numeric ? +v : i), y = axes[0].values.map((_, i) => value(base + i));
    const best = d.runs.best - base;
    if (chart.isConnected && y.some(Number.isFinite)) plot(chart, { curves: [{ name: `${by} over ${axes[0].key}`, x, y, marked: best >= 0 && best < n ? best : -1, kind: 1 },
      { name: "", x: [x[at[0]]], y: [y[at[0]]], marked: 0, kind: 0 }], height: 120, pick: i => { at[0] = i; use(); } });
  };
  node.append(chart);
  const map = element("div", { class: "scroll" });
  if (axes.length > 1) node.append(map);
  // All values of the figure at once, dark where it is large.
  const drawMap = () => {
    const n = axes[0].values.length, all = d.runs.pictures.map((_, i) => value(i)).filter(Number.isFinite), low = Math.min(...all), high = Math.max(...all);
    map.replaceChildren(element("table", { class: "map", "aria-label": `${by} over ${axes[0].key} and ${axes[1].key}` },
      element("tr", {}, element("th", { text: axes[1].key }), ...axes[0].values.map(v => element("th", { text: v }))),
      ...axes[1].values.map((v, row) => element("tr", {}, element("th", { text: v }), ...axes[0].values.map((_, column) => {
        const i = row * n + column, x = value(i), t = Number.isFinite(x) && high > low ? (x - low) / (high - low) : 0;
        const b = element("button", { text: Number.isFinite(x) ? number(x, 2) : "-", title: i === d.runs.best ? "the best" : "", "data-run": i, "aria-pressed": column === at[0] && row === at[1] ? "true" : "false",
          onclick: () => { at[0] = column; at[1] = row; use(); } });
        const level = Math.round(240 - 200 * t);
        b.style.backgroundColor = `rgb(${level},${level},${level})`;
        b.style.color = level > 130 ? "#000" : "#fff";
        if (i === d.runs.best) b.style.fontWeight = "700";
        return element("td", {}, b);
      })))));
  };
  if (d.runs.best >= 0) node.append(element("button", { id: "best", text: `best: ${axes.map((a, k) => `${a.key}=${a.values[k ? Math.floor(d.runs.best / axes[0].values.length) : d.runs.best % axes[0].values.length]}`).join(" ")}`,
    onclick: () => { at[0] = d.runs.best % axes[0].values.length; if (axes.length > 1) at[1] = Math.floor(d.runs.best / axes[0].values.length); use(); } }));
  action("run-back", "j", "back", "the run before", () => { at[0] = Math.max(0, at[0] - 1); use(); });
  action("run-on", "l", "on", "the run after", () => { at[0] = Math.min(axes[0].values.length - 1, at[0] + 1); use(); });
  setTimeout(use, 0);
  return node;
}

// A table whose heads sort it.
function tableOf(t, show) {
  let by = -1, down = false;
  const body = element("tbody"), order = t.rows.map((_, i) => i);
  const compare = (a, b) => {
    const [p, q] = [t.rows[a][by], t.rows[b][by]], [m, n] = [parseFloat(p), parseFloat(q)];
    const v = Number.isFinite(m) && Number.isFinite(n) ? m - n : p.localeCompare(q);
    return down ? -v : v;
  };
  const heads = t.columns.map((c, i) => element("th", {}, element("button", { text: c, title: "sort by it", onclick: () => { down = by === i ? !down : false; by = i; draw(); } })));
  const draw = () => {
    if (by >= 0) order.sort(compare);
    heads.forEach((h, i) => h.setAttribute("aria-sort", i !== by ? "none" : down ? "descending" : "ascending"));
    body.replaceChildren(...order.map(i => element("tr", { class: i === t.best ? "best" : "", onclick: () => { if (t.pictures[i] >= 0) show(`p${t.pictures[i]}`); } },
      ...t.rows[i].map((cell, k) => element("td", {}, k === 0 && t.pictures[i] >= 0 ? element("button", { text: cell }) : cell)))));
  };
  draw();
  return element("section", { class: "table" }, element("h3", { text: t.title }), element("div", { class: "scroll" }, element("table", {}, element("thead", {}, element("tr", {}, ...heads)), body)));
}
