// The still page: pictures, runs, tables and curves that the file holds.

import { state, change, on, tell, pictures, addPicture, Picture, element, number, decibels } from "page/model";
import { action, button } from "page/actions";
import { Samples } from "page/samples";
import { runsOf } from "page/runs";
import { more, showExtra } from "page/measures";
import { spectrumOf } from "page/spectrum";

const left = document.getElementById("left");

// The samples of a picture; the file may still be being read.
async function bytesOf(id) {
  for (let e; !((e = document.getElementById(id)) && (e.nextSibling || document.readyState !== "loading"));) {
    if (!e && document.readyState === "complete") throw new Error("the file is not whole: samples are missing");
    await new Promise(r => setTimeout(r, 5));
  }
  const text = document.getElementById(id).textContent;
  if (Uint8Array.fromBase64) return Uint8Array.fromBase64(text);
  const raw = atob(text),
    bytes = new Uint8Array(raw.length);
  for (let i = 0; i < raw.length; ++i) bytes[i] = raw.charCodeAt(i);
  return bytes;
}

const figureText = (name, v) =>
  name === "psnr"
    ? v === "infinite"
      ? "identical"
      : `PSNR ${decibels(v)} dB`
    : name === "ssim"
      ? `SSIM ${number(v, 4)}`
      : name === "bytes"
        ? `${v} bytes`
        : name === "seconds"
          ? `${number(v * 1000, 1)} ms`
          : `${name} ${number(v, 4)}`;

export function startStill(d, top) {
  d.pictures.forEach((p, i) => {
    const picture = addPicture(
      new Picture(`p${i}`, p.name, p.role, async () => Samples.decode(p.samples, await bytesOf(`samples-${i}`))),
    );
    Object.assign(picture, { content: p.content, note: p.note, chain: p.chain, figures: p.figures });
    picture.shape = [p.samples.width, p.samples.height, p.samples.channels];
  });
  const keys = [...pictures.keys()],
    ofRole = role => keys.find(k => pictures.get(k).role === role);
  const best = d.runs && d.runs.best >= 0 ? `p${d.runs.pictures[d.runs.best]}` : null;
  const first = ofRole("input") || ofRole("truth") || keys[0] || null;
  const results = keys.filter(k => pictures.get(k).role === "result");
  change({ first, second: best || results.at(-1) || keys.find(k => k !== first) || first });

  const show = key => change({ second: key });
  if (d.runs) left.append(runsOf(d, show));
  const list = element("div", { class: "list", id: "pictures" });
  const draw = () =>
    list.replaceChildren(
      ...keys.map((k, n) => {
        const p = pictures.get(k);
        return element(
          "div",
          { class: `entry${k === state.second ? " chosen" : ""}` },
          element("button", {
            text: p.name,
            "data-picture": k,
            title: [p.chain, p.note].filter(Boolean).join("; "),
            "aria-pressed": k === state.second ? "true" : "false",
            onclick: () => show(k),
          }),
          element("button", {
            text: "1st",
            title: "take it as the first picture",
            class: "tool",
            "aria-pressed": k === state.first ? "true" : "false",
            onclick: () => change({ first: k }),
          }),
        );
      }),
    );
  draw();
  on("state", changed => {
    if ("first" in changed || "second" in changed) draw();
  });
  for (const t of d.tables || []) left.append(tableOf(t, show));
  if (keys.length) left.append(element("h3", { text: "Pictures" }), list);
  if (d.plots || d.grids || d.texts)
    setTimeout(() => showExtra({ plots: d.plots, grids: d.grids, texts: d.texts }), 0);

  const figures = element("span", { id: "figures" });
  const tellFigures = () => {
    const p = pictures.get(state.second);
    const all = p ? Object.entries(p.figures).map(([n, v]) => [n, figureText(n, v)]) : [];
    figures.textContent = all
      .filter(([n]) => !["mse", "mae", "sharpness"].includes(n))
      .map(e => e[1])
      .join("  ");
    figures.title = all.map(e => e[1]).join(", ");
    tell("line", { kind: "", text: p ? [p.chain, p.note].filter(Boolean).join(" \u2014 ") : "" });
  };
  on("state", changed => {
    if ("second" in changed) tellFigures();
  });
  tellFigures();
  top.figures.append(figures);
  const around = by => show(keys[(keys.indexOf(state.second) + by + keys.length) % keys.length]);
  action("spectrum", "f", "spectrum", "show the spectrum of the second picture", () => {
    const of = pictures.get(state.second);
    if (!of || !of.samples || of.content !== "samples") return;
    const key = `spectrum of ${of.key}`,
      p = pictures.get(key) || addPicture(new Picture(key, `spectrum of ${of.name}`, "other", null));
    p.content = "frequencies";
    if (!p.samples) p.set(spectrumOf(of.samples));
    change({ second: key, arrangement: "single" });
  });
  more.append(button("spectrum"));
  action("earlier", ",", "previous", "show the previous picture", () => around(-1));
  action("later", ".", "next", "show the next picture", () => around(1));
  top.slots.append(button("earlier", "\u2039"), button("later", "\u203a"));
}

// A table whose heads sort it.
function tableOf(t, show) {
  let by = -1,
    down = false;
  const body = element("tbody"),
    order = t.rows.map((_, i) => i);
  const compare = (a, b) => {
    const [p, q] = [t.rows[a][by], t.rows[b][by]],
      [m, n] = [parseFloat(p), parseFloat(q)];
    const v = Number.isFinite(m) && Number.isFinite(n) ? m - n : p.localeCompare(q);
    return down ? -v : v;
  };
  const heads = t.columns.map((c, i) =>
    element(
      "th",
      {},
      element("button", {
        text: c,
        title: "sort by it",
        onclick: () => {
          down = by === i ? !down : false;
          by = i;
          draw();
        },
      }),
    ),
  );
  const draw = () => {
    if (by >= 0) order.sort(compare);
    heads.forEach((h, i) => h.setAttribute("aria-sort", i !== by ? "none" : down ? "descending" : "ascending"));
    body.replaceChildren(
      ...order.map(i =>
        element(
          "tr",
          {
            class: i === t.best ? "best" : "",
            onclick: () => {
              if (t.pictures[i] >= 0) show(`p${t.pictures[i]}`);
            },
          },
          ...t.rows[i].map((cell, k) =>
            element("td", {}, k === 0 && t.pictures[i] >= 0 ? element("button", { text: cell }) : cell),
          ),
        ),
      ),
    );
  };
  draw();
  return element(
    "section",
    { class: "table" },
    element("h3", { text: t.title }),
    element(
      "div",
      { class: "scroll" },
      element("table", {}, element("thead", {}, element("tr", {}, ...heads)), body),
    ),
  );
}
