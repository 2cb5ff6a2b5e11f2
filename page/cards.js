// The chain as cards: a step each, a control for every parameter, made from what the filter says of itself.

import { element, number } from "page/model";

let catalogue = new Map();
export function useCatalogue(all) {
  catalogue = new Map(all.map(f => [f.name, f]));
}
const filterOf = name => catalogue.get(name);

let ids = 0;
export const card = (filter, values = {}) => ({ id: ++ids, filter, values: { ...values }, off: false, open: true });

// The cards that the text names, in its order.
export function activeCards(cards) {
  const all = [];
  for (let i = 0; i < cards.length; ++i) {
    if (!cards[i].off) all.push(cards[i]);
    else if (isGroup(cards[i])) i = endOf(cards, i);
  }
  return all;
}
const word = v => v.replace(/[\s\\]/g, c => "\\" + c);
// The chain text of cards; what is switched off is left out, a group with all that it holds.
export function textOf(cards) {
  return activeCards(cards)
    .map(c => [c.filter, ...Object.entries(c.values).map(([k, v]) => `${k}=${word(String(v))}`)].join(" "))
    .join(" then ");
}
export const isGroup = c => filterOf(c.filter)?.group === true;
export function endOf(cards, i) {
  for (let k = i + 1, deep = 1; k < cards.length; ++k) {
    if (isGroup(cards[k])) deep++;
    if (cards[k].filter === "end" && --deep === 0) return k;
  }
  return cards.length - 1;
}
// Which top-level step of the text each card belongs to, from 0; -1 for one that is switched off with its group.
function stepIndices(cards) {
  const all = [];
  let n = -1,
    deep = 0;
  for (let i = 0; i < cards.length; ++i) {
    const c = cards[i];
    if (c.off && isGroup(c)) {
      for (const end = endOf(cards, i); i < end; ++i) all.push(-1);
      all.push(-1);
      continue;
    }
    if (!c.off) {
      if (deep === 0) n++;
      if (isGroup(c)) deep++;
      if (c.filter === "end") deep--;
    }
    all.push(n);
  }
  return all;
}
export const stepCount = cards => 1 + Math.max(-1, ...stepIndices(cards));

// Slider positions 0..1000 and values.
function valueAt(p, t) {
  const { low, high, log, floor } = p.slider;
  let v = t <= 0 ? low : !log ? low + ((high - low) * t) / 1000 : floor * (high / floor) ** (t / 1000);
  if (p.slider.whole) return String(Math.round(v));
  if (log) v = +v.toPrecision(3);
  else {
    const step = 10 ** Math.floor(Math.log10((high - low) / 400));
    v = +(Math.round(v / step) * step).toPrecision(6);
  }
  return String(Math.max(low, Math.min(high, v)));
}
function positionOf(p, v) {
  const { low, high, log, floor } = p.slider;
  if (!(v > low)) return 0;
  return Math.min(
    1000,
    Math.max(
      0,
      log
        ? (1000 * Math.log(Math.max(v, floor) / floor)) / Math.log(high / floor)
        : (1000 * (v - low)) / (high - low),
    ),
  );
}

// Words that people use find a filter: by its name, by its other words, then by what it does.
export function search(text) {
  const plain = s => s.toLowerCase().replace(/[\s_-]/g, "");
  const t = plain(text);
  if (!t) return [...catalogue.values()];
  const rank = f => {
    const names = [f.name, ...f.also].map(plain);
    if (names[0] === t) return 0;
    if (names.includes(t)) return 1;
    if (names.some(n => n.startsWith(t))) return 2;
    if (names.some(n => n.includes(t))) return 3;
    return plain(f.summary).includes(t) ? 4 : 9;
  };
  return [...catalogue.values()]
    .map(f => [rank(f), f])
    .filter(([r]) => r < 9)
    .sort((a, b) => a[0] - b[0])
    .map(e => e[1]);
}

// The control of one parameter. `set(value, moving)` changes it; undefined stands for the default.
function control(c, p, pictures, set, measured) {
  const value = c.values[p.name] ?? p.standard,
    id = `p-${c.id}-${p.name}`;
  const label = element(
    "label",
    { for: id, title: `${p.help}; allowed: ${p.allowed}`, text: p.name },
    p.unit ? element("small", { text: ` ${p.unit}` }) : null,
  );
  const store = (v, moving) => set(p.name, v === p.standard ? undefined : v, moving);
  const row = (...children) => element("div", { class: "parameter", "data-parameter": p.name }, ...children);
  const auto = p.auto
    ? element("button", {
        id: `${id}-auto`,
        text: "auto",
        title: "left to the filter",
        "aria-pressed": value === "auto" ? "true" : "false",
        onclick: () => store(value === "auto" ? (measured[p.name] ?? valueAt(p, 500)) : "auto"),
      })
    : null;
  if (p.kind === "flag")
    return row(
      label,
      element("button", {
        id,
        text: value,
        "aria-pressed": value === "yes" ? "true" : "false",
        onclick: () => store(value === "yes" ? "no" : "yes"),
      }),
    );
  if (p.kind === "choice") {
    if (p.choices.length <= 4)
      return row(
        label,
        element(
          "div",
          { class: `choices${p.choices.join("").length > 17 ? " wide" : ""}`, role: "group", id },
          ...p.choices.map(v =>
            element("button", {
              id: `${id}-${v}`,
              text: v,
              "aria-pressed": v === value ? "true" : "false",
              onclick: () => store(v),
            }),
          ),
        ),
      );
    const select = element(
      "select",
      { id, onchange: e => store(e.target.value) },
      ...p.choices.map(v => element("option", { value: v, text: v })),
    );
    select.value = value;
    return row(label, select);
  }
  if (p.picture) {
    const select = element(
      "select",
      { id, onchange: e => store(e.target.value) },
      ...["none", ...new Set([...pictures, ...(value === "none" ? [] : [value])])].map(v =>
        element("option", { value: v, text: v }),
      ),
    );
    select.value = value;
    return row(label, select);
  }
  if (p.kind === "text") {
    const input = element("input", {
      id,
      type: "text",
      value,
      spellcheck: "false",
      onchange: e => store(e.target.value),
    });
    return element("div", { class: "parameter text", "data-parameter": p.name }, label, input);
  }
  const v = value === "auto" ? +(measured[p.name] ?? NaN) : +value;
  const box = element("input", {
    id,
    type: "text",
    inputmode: "decimal",
    class: "box",
    value: value === "auto" ? "auto" : value,
    "aria-label": `${p.name} of ${c.filter}`,
    onchange: e => store(e.target.value.trim() || p.standard),
  });
  const slider = element("input", {
    id: `${id}-slider`,
    type: "range",
    min: 0,
    max: 1000,
    step: 1,
    class: p.hue ? "hue" : "",
    "aria-label": `${p.name} of ${c.filter}, slider`,
    oninput: e => {
      const n = valueAt(p, +e.target.value);
      box.value = n;
      if (auto) auto.setAttribute("aria-pressed", "false");
      store(n, true);
    },
  });
  slider.value = Number.isFinite(v) ? positionOf(p, v) : 500;
  return row(label, auto, box, slider);
}

// All cards into a node; what has the focus keeps it. `act` changes the chain: set, up, down, remove, copy, off, open,
// help. `chosen`: the card that keys act on.
export function drawCards(node, cards, { pictures, problems, reports, act, chosen }) {
  let deep = 0;
  const indices = stepIndices(cards);
  const held = node.contains(document.activeElement) ? document.activeElement.id : "";
  node.replaceChildren(
    ...cards.map((c, i) => {
      const f = filterOf(c.filter);
      if (c.filter === "end") {
        deep = Math.max(0, deep - 1);
        return element("div", { class: "card end" }, element("span", { text: "end of the group" }));
      }
      const n = indices[i],
        report = deep === 0 ? reports[n] : null,
        measured = {};
      // What it chose by itself stands in its text as it was run ("noise=0.03") or in a note ("noise deviation 0.03").
      const chose = report ? [report.measured, ...report.notes].join(", ") : "";
      for (const p of f.parameters) {
        const m = p.auto && new RegExp(`\\b${p.name}(?: \\w+)?[ =](-?\\d[\\d.e-]*)`).exec(chose);
        if (m && Number.isFinite(+m[1])) measured[p.name] = m[1];
      }
      const tool = (text, title, what) =>
        element("button", {
          text,
          title,
          class: "tool",
          id: `c-${c.id}-${what}`,
          onclick: () => act(what, c),
          "data-act": what,
        });
      const head = element(
        "div",
        { class: "head" },
        element("button", {
          class: "name",
          id: `c-${c.id}-name`,
          text: `${n >= 0 && !c.off && deep === 0 ? n + 1 + "." : "\u2013"} ${c.filter}`,
          "aria-expanded": c.open ? "true" : "false",
          title: f.summary,
          onclick: () => act("open", c),
        }),
      );
      const tools = element(
        "div",
        { class: "head" },
        tool(c.off ? "off" : "on", "switch this step off or on", "off"),
        tool("\u2191", "one step earlier", "up"),
        tool("\u2193", "one step later", "down"),
        tool("2\u00d7", "duplicate", "copy"),
        tool("\u00d7", "remove", "remove"),
        tool("i", "what it does, and when it is the wrong choice", "help"),
      );
      const parts = [head, tools];
      if (c.help)
        parts.push(
          element(
            "p",
            { class: "help" },
            f.summary,
            element("br"),
            element("b", { text: "wrong when: " }),
            f.wrong_when || "nothing is known",
            ...f.parameters.map(p =>
              element("div", {}, element("b", { text: `${p.name} ` }), `${p.help} (${p.allowed})`),
            ),
          ),
        );
      if (c.open)
        parts.push(
          ...f.parameters.map(p =>
            control(c, p, pictures, (name, v, moving) => act("set", c, name, v, moving), measured),
          ),
        );
      const facts = [];
      if (report && !c.off) {
        if (report.meaning) facts.push(report.meaning);
        facts.push(`${number(report.seconds * 1000, 2)} ms`, `${number(report.low, 3)} .. ${number(report.high, 3)}`);
        if (report.below + report.above > 0) facts.push(`${report.below + report.above} outside 0..1`);
        facts.push(...report.notes);
      }
      if (facts.length) parts.push(element("p", { class: "facts", text: facts.join(", ") }));
      if (problems[c.id]) parts.push(element("p", { class: "problem", role: "alert", text: problems[c.id] }));
      const e = element(
        "section",
        {
          class: `card${c.off ? " off" : ""}${chosen === c.id ? " chosen" : ""}`,
          "data-card": c.filter,
          "data-id": c.id,
          "aria-label": `step ${c.filter}`,
        },
        ...parts,
      );
      e.style.marginLeft = `${deep * 8}px`;
      if (isGroup(c)) deep++;
      return e;
    }),
  );
  if (held) document.getElementById(held)?.focus({ preventScroll: true });
}
