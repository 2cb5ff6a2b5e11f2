// Puts the page together: the line on top, the line at the foot, and what the document holds.

import { state, change, on, pictures, element } from "page/model";
import { scaleIn, tiles, redraw } from "page/viewer";
import { button } from "page/actions";
import "page/measures";
import { startLive } from "page/live";
import { startStill } from "page/still";

const d = JSON.parse(document.getElementById("document").textContent);
document.body.dataset.kind = d.live ? "live" : "still";
const header = document.getElementById("top");
const slots = element("span", { class: "group" }),
  figures = element("span", { class: "figures" }),
  tail = element("span", { class: "group" });
const choice = which => {
  const select = element("select", {
    id: which,
    title: `${which} picture`,
    "aria-label": `${which} picture`,
    onchange: e => change({ [which]: e.target.value }),
  });
  const draw = () => {
    const options = [...pictures.values()].map(p => element("option", { value: p.key, text: p.name }));
    select.replaceChildren(...options);
    select.value = state[which];
  };
  on("state", draw);
  on("picture", p => {
    const o = [...select.options].find(e => e.value === p.key);
    if (!o || o.textContent !== p.name) draw();
  });
  return select;
};
const zoom = element("output", { id: "zoom" });
header.append(
  element("span", { class: "title", text: d.title.split("/").pop(), title: `${d.title} ${d.subtitle}` }),
  slots,
  choice("first"),
  choice("second"),
  button("swap", "\u21c4"),
  element("span", { class: "group" }, ...["single", "side", "wipe", "blink", "difference"].map(a => button(a))),
  element("span", { class: "group" }, ...["move", "line", "rectangle"].map(a => button(a))),
  element("span", { class: "group" }, button("out"), zoom, button("in"), button("fit"), button("one")),
  button("marks"),
  figures,
  tail,
);

const line = document.getElementById("line"),
  notes = document.getElementById("notes"),
  progress = document.getElementById("progress");
on("line", ({ kind, text }) => {
  line.className = kind;
  line.textContent = text;
});
on("error", text => {
  line.className = "error";
  line.textContent = text;
});
on("progress", p => {
  if (!p) return progress.replaceChildren();
  if (!progress.firstChild)
    progress.append(
      element("progress", { max: 1, "aria-label": "progress" }),
      element("button", { text: "stop", onclick: () => p.stop() }),
    );
  progress.firstChild.value = p.share;
});
on("copy", async text => {
  try {
    await navigator.clipboard.writeText(text);
    line.textContent = "copied";
    line.className = "";
  } catch {
    line.textContent = `copy by hand: ${text}`;
  }
});
notes.append(
  ...(d.notes || []).map(n => element("span", { text: n })),
  element("span", { class: "made", text: d.made }),
);

let drawnOnce = false;
on("drawn", () => {
  if (!drawnOnce && pictures.get(state.second)?.version > 0) {
    drawnOnce = true;
    performance.mark("first-picture");
  }
  const tile = tiles()[0];
  if (!tile) return;
  const s = scaleIn(tile),
    text = s >= 1 ? `${s}:1` : `1:${(1 / s).toFixed(s > 0.5 ? 1 : 0)}`;
  if (zoom.textContent !== text) zoom.textContent = text;
});
on("state", changed => {
  document.body.classList.toggle("no-left", state.foldLeft);
  document.body.classList.toggle("no-right", state.foldRight);
  document.getElementById("stage").dataset.tool = state.tool;
  if ("foldLeft" in changed || "foldRight" in changed) redraw();
});

if (d.live) startLive(d, { slots, figures, tail });
else startStill(d, { slots, figures, tail });
tail.append(button("theme", "\u25d0"), button("left"), button("right"), button("help"));
document.body.dataset.ready = "yes";
