// Adding a step: a field that finds filters by their names and by the words that people use.

import { element } from "page/model";
import { search } from "page/cards";

const found = element("div", { class: "found", role: "listbox", hidden: true }),
  box = element("input", {
    type: "search",
    id: "search",
    placeholder: "add a step: name or word",
    "aria-label": "add a step",
  });
// The field with what it finds; `add` is given the name that was chosen.
let add = () => {};
export function adding(act) {
  add = act;
  return element("div", { class: "adding" }, box, found);
}
export const focusAdding = () => box.focus();

let hit = 0;
function offer() {
  const all = document.activeElement === box ? search(box.value) : [];
  hit = Math.max(0, Math.min(hit, all.length - 1));
  found.replaceChildren(
    ...all.slice(0, 40).map((f, i) =>
      element(
        "button",
        {
          role: "option",
          "aria-selected": i === hit ? "true" : "false",
          title: f.summary,
          onpointerdown: e => {
            e.preventDefault();
            pick(f);
          },
        },
        element("b", { text: f.name }),
        ` ${f.summary}`,
      ),
    ),
  );
  found.hidden = !all.length;
  found.style.top = `${box.getBoundingClientRect().bottom}px`;
  found.children[hit]?.scrollIntoView({ block: "nearest" });
}
function pick(f) {
  box.value = "";
  box.blur();
  add(f.name);
}
box.addEventListener("input", () => {
  hit = 0;
  offer();
});
box.addEventListener("focus", offer);
box.addEventListener("blur", offer);
box.addEventListener("keydown", e => {
  if (e.key === "ArrowDown" || e.key === "ArrowUp") {
    hit += e.key === "ArrowDown" ? 1 : -1;
    e.preventDefault();
    offer();
  }
  if (e.key === "Enter") {
    const f = search(box.value)[hit];
    if (f) pick(f);
  }
});
