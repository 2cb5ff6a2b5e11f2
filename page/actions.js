// Every gesture has a key and a button: one list of them.

import { state, change, on, tell, element } from "page/model";
import { zoomBy, zoomFit, zoomOne, pan, moveCursor, placeMark } from "page/viewer";

const all = [];
// `key` as the keyboard names it, with Shift+ or Ctrl+ before it. `pressed`: whether it is on.
export function action(id, key, label, help, run, pressed = null) {
  all.push({ id, key, label, help, run, pressed });
}

export function button(id, label = null) {
  const a = all.find(e => e.id === id);
  const b = element("button", {
    text: label || a.label,
    title: `${a.help} (${a.key})`,
    id: `do-${id}`,
    onclick: () => a.run(),
  });
  if (a.pressed) {
    const show = () => b.setAttribute("aria-pressed", a.pressed() ? "true" : "false");
    on("state", show);
    show();
  }
  return b;
}

const arrangements = [
  ["single", "q", "one", "the second picture alone"],
  ["side", "s", "side", "first and second side by side"],
  ["wipe", "w", "wipe", "first and second with an edge to drag"],
  ["blink", "b", "blink", "first and second in turns"],
  ["difference", "d", "diff", "second minus first, signed"],
];
for (const [name, key, label, help] of arrangements)
  action(
    name,
    key,
    label,
    help,
    () => change({ arrangement: name }),
    () => state.arrangement === name,
  );
for (const [name, key, label, help] of [
  ["move", "m", "move", "drag the pictures"],
  ["line", "l", "line", "draw a line: the profile of all views"],
  ["rectangle", "r", "rect", "draw a rectangle: its histogram and statistics"],
])
  action(
    name,
    key,
    label,
    help,
    () => change({ tool: name }),
    () => state.tool === name,
  );
action("fit", "0", "fit", "fit the whole picture", zoomFit, () => state.scale === 0);
action(
  "one",
  "1",
  "1:1",
  "a pixel of the picture on one of the screen",
  () => zoomOne(),
  () => state.scale === 1,
);
action("in", "+", "+", "zoom in", () => zoomBy(1));
action("out", "-", "\u2212", "zoom out", () => zoomBy(-1));
action(
  "marks",
  "o",
  "marks",
  "tint samples outside 0..1, hatch those at 1",
  () => change({ marks: !state.marks }),
  () => state.marks,
);
action("swap", "x", "swap", "first becomes second, second first", () =>
  change({ first: state.second, second: state.first }),
);
action("mark", "Enter", "mark", "begin or end a line or rectangle at the probe", placeMark);
for (const [key, dx, dy] of [
  ["ArrowLeft", -1, 0],
  ["ArrowRight", 1, 0],
  ["ArrowUp", 0, -1],
  ["ArrowDown", 0, 1],
]) {
  const name = key.slice(5).toLowerCase();
  action(`pan-${name}`, key, name, `move the view ${name}`, () => pan(dx, dy));
  action(`probe-${name}`, `Shift+${key}`, name, `move the probe ${name} by a pixel`, () => moveCursor(dx, dy));
}
for (const [key, dx, dy] of [
  ["ArrowLeft", -1, 0],
  ["ArrowRight", 1, 0],
  ["ArrowUp", 0, -1],
  ["ArrowDown", 0, 1],
]) {
  const name = key.slice(5).toLowerCase();
  action(`wipe-${name}`, `Alt+${key}`, name, `move the edge of the wipe, or the probe by ten, ${name}`, () => {
    if (state.arrangement === "wipe" && dx) change({ wipe: Math.max(0, Math.min(1, state.wipe + dx * 0.02)) });
    else moveCursor(10 * dx, 10 * dy);
  });
}
action(
  "left",
  "[",
  "\u25e7",
  "fold the left column away",
  () => change({ foldLeft: !state.foldLeft }),
  () => !state.foldLeft,
);
action(
  "right",
  "]",
  "\u25e8",
  "fold the right column away",
  () => change({ foldRight: !state.foldRight }),
  () => !state.foldRight,
);
action("theme", "n", "light", "light or dark", () => {
  const root = document.documentElement,
    dark = (root.dataset.theme || (matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light")) === "dark";
  root.dataset.theme = dark ? "light" : "dark";
  tell("state", {});
});
action("help", "?", "?", "the keys", () => {
  const help = document.getElementById("help");
  help.hidden = !help.hidden;
  if (help.hidden) return;
  help.replaceChildren(
    element("h2", { text: "Keys" }),
    element(
      "table",
      {},
      ...all.map(a =>
        element("tr", {}, element("th", {}, element("kbd", { text: a.key })), element("td", { text: a.help })),
      ),
    ),
    element("button", {
      text: "close (Esc)",
      onclick: () => {
        help.hidden = true;
      },
    }),
  );
});

const written = event => {
  const named = event.key.startsWith("Arrow") || event.key.length > 1;
  return (
    (event.ctrlKey || event.metaKey ? "Ctrl+" : "") +
    (event.altKey ? "Alt+" : "") +
    (event.shiftKey && (named || event.ctrlKey) ? "Shift+" : "") +
    event.key
  );
};
// The field in which something is typed that was not taken over yet.
let half = null;
document.addEventListener("input", event => (half = event.target));
document.addEventListener("change", () => (half = null));

document.addEventListener("keydown", event => {
  const into = event.target;
  const typing = into.matches("input:not([type=range]), textarea, select");
  if (event.key === "Escape") {
    document.getElementById("help").hidden = true;
    if (typing) into.blur();
    return;
  }
  // Keys of fields and sliders are theirs; so is undo, as long as something typed is not taken over.
  const own = event.key === "z" || event.key === "y" ? half === into : false;
  if (typing && (!event.ctrlKey || own)) return;
  if (into.matches("input[type=range]") && /^(Arrow|Page|Home|End)/.test(event.key)) return;
  if (into.matches("button, summary, a") && (event.key === "Enter" || event.key === " ")) return;
  const a = all.find(e => e.key === written(event));
  if (!a) return;
  event.preventDefault();
  a.run();
});
