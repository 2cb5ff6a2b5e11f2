// The live page: chains A and B on pictures that the server holds.

import { state, change, on, tell, pictures, addPicture, Picture, element, number, decibels } from "page/model";
import { action, button } from "page/actions";
import { adding, focusAdding } from "page/adding";
import { told, sent } from "page/remote";
import { activeCards, card, drawCards, endOf, isGroup, stepCount, textOf, useCatalogue } from "page/cards";
import { more, showExtra } from "page/measures";
import { alone, desk, makeSlot, needed, pump, slot, stopRun, viewChanged, wantRun } from "page/running";

const keyOfInput = () => `in${desk.input}`;

// An error stands beside the step that it names, and in the line at the foot.
function problem(s, text) {
  const named = /^step (\d+): /.exec(text),
    cards = s.cards || [];
  const c = named ? activeCards(cards)[+named[1] - 1] : cards.find(e => !e.off && text.startsWith(`${e.filter}:`));
  s.problems = c ? { [c.id]: text } : {};
  tell("line", { kind: "error", text });
  if (c) column();
}

// --- changes of the chain --------------------------------------------------------------------------------------------

const copyOf = cards => cards.map(c => ({ ...c, values: { ...c.values } }));
let lastChange = "";
// Before a change: what undo goes back to. Moves of one slider are one change.
function remember(what = "") {
  const s = slot();
  if (!what || what !== lastChange) {
    s.undo.push(copyOf(s.cards));
    if (s.undo.length > 200) s.undo.shift();
    s.redo = [];
  }
  lastChange = what;
}
function changed(redrawn = true) {
  desk.moved = performance.now();
  tell("line", { kind: "", text: "" });
  if (redrawn) column();
  if (desk.slots.S && state.second === "S") wantRun("S");
  wantRun(desk.active);
  figures();
  forms();
}
function act(what, c, name, value, moving) {
  const s = slot(),
    cards = s.cards,
    i = cards.indexOf(c),
    last = isGroup(c) ? endOf(cards, i) : i;
  if (what === "open" || what === "help") {
    c[what] = !c[what];
    return column();
  }
  remember(what === "set" ? `${c.id} ${name}` : "");
  if (what === "set") {
    if (value === undefined) delete c.values[name];
    else c.values[name] = value;
    return changed(!moving);
  }
  if (what === "off") c.off = !c.off;
  if (what === "remove") cards.splice(i, last - i + 1);
  if (what === "copy")
    cards.splice(last + 1, 0, ...cards.slice(i, last + 1).map(e => ({ ...card(e.filter, e.values), off: e.off })));
  const all = cards.slice(i, last + 1);
  if (what === "up" && i > 0) {
    cards.splice(i, all.length);
    cards.splice(i - 1, 0, ...all);
  }
  if (what === "down" && last + 1 < cards.length) {
    cards.splice(i, all.length);
    cards.splice(i + 1, 0, ...all);
  }
  changed();
}
function add(name) {
  remember();
  slot().cards.push(card(name));
  if (isGroup(slot().cards.at(-1))) slot().cards.push(card("end"));
  changed();
}
function travel(from, to) {
  const s = slot();
  if (!s[from].length) return;
  s[to].push(copyOf(s.cards));
  s.cards = s[from].pop();
  lastChange = "";
  changed();
}
async function readText(text) {
  try {
    const { chain } = await told("read", { chain: text });
    remember();
    slot().cards = chain.map(c => card(c.filter, c.values));
    changed();
  } catch (e) {
    tell("line", { kind: "error", text: e.message });
  }
}

// --- the left column -------------------------------------------------------------------------------------------------

const left = document.getElementById("left"),
  strip = element("div", { class: "strip" }),
  list = element("div", { id: "cards" });
const formsNode = element("div", { class: "forms" });

function column() {
  strip.replaceChildren(
    ...desk.live.inputs.map((p, i) =>
      element("button", {
        text: p.name.split("/").pop(),
        title: `${p.name}, ${p.width}x${p.height}x${p.channels}`,
        "aria-pressed": i === desk.input ? "true" : "false",
        onclick: () => choose(i),
      }),
    ),
  );
  strip.hidden = desk.live.inputs.length < 2;
  const s = slot();
  drawCards(list, s.cards, {
    pictures: [...desk.live.inputs.map(p => p.name), desk.live.truth].filter(Boolean),
    problems: s.problems,
    reports: s.reports,
    act,
    chosen: chosenCard()?.id,
  });
}
// The card that keys act on: the one that had the focus last, or the last one.
let chosen = 0;
const choosable = () => slot().cards.filter(c => c.filter !== "end");
function chosenCard() {
  return choosable().find(c => c.id === chosen) || choosable().at(-1);
}
list.addEventListener("focusin", e => {
  chosen = +e.target.closest(".card").dataset.id || chosen;
  for (const c of list.children) c.classList.toggle("chosen", +c.dataset.id === chosen);
});
function chooseCard(by) {
  const cards = choosable(),
    next = cards[Math.max(0, Math.min(cards.length - 1, cards.indexOf(chosenCard()) + by))];
  if (next) document.getElementById(`c-${next.id}-name`).focus();
}

// What a run told of its steps, without taking a slider or a word from under the hand.
const typing = () =>
  left.contains(document.activeElement) && document.activeElement.matches("input:not([type=range]), textarea");
function facts(s) {
  if (s.name === desk.active && !left.querySelector("input[type=range]:active") && !typing()) column();
  else if (s.name === desk.active) waiting = true;
}
let waiting = false;
left.addEventListener("focusout", () => {
  if (waiting)
    setTimeout(() => {
      if (waiting && !typing()) {
        waiting = false;
        column();
      }
    }, 50);
});

function choose(i) {
  const was = keyOfInput();
  desk.input = i;
  if (state.first === was) state.first = keyOfInput();
  if (state.second === was) state.second = keyOfInput();
  for (const s of Object.values(desk.slots)) {
    s.wanted = true;
    s.settled = false;
  }
  change({ first: state.first, second: state.second });
  column();
  pump();
  forms();
}

// The chain as text, command, recipe and C++.
let formsTimer = 0,
  shownForm = "text",
  saveName = "result.png";
function forms() {
  clearTimeout(formsTimer);
  formsTimer = setTimeout(async () => {
    try {
      slot().forms = await told("forms", { input: desk.input, chain: textOf(slot().cards) });
    } catch {
      return;
    }
    drawForms();
  }, 250);
}
const kinds = { text: "text", command: "command", recipe: "recipe", source: "C++" };
function showForm(kind) {
  shownForm = kind;
  drawForms();
}
async function save(what) {
  if (!desk.live.saves) return;
  const chain = textOf(slot().cards);
  try {
    const { line } = await told("save", { what, slot: desk.active, input: desk.input, chain, name: saveName });
    tell("line", { kind: "", text: line });
  } catch (e) {
    tell("line", { kind: "error", text: e.message });
  }
}
function drawForms() {
  const area = element("textarea", {
    id: "form",
    rows: 4,
    spellcheck: "false",
    "aria-label": kinds[shownForm],
    readonly: shownForm !== "text",
  });
  area.value = slot().forms?.[shownForm] || "";
  area.addEventListener("change", () => {
    if (shownForm === "text") readText(area.value);
  });
  const name = element("input", {
    id: "save-name",
    type: "text",
    value: saveName,
    "aria-label": "name to save under",
    oninput: e => {
      saveName = e.target.value;
    },
  });
  formsNode.replaceChildren(
    element(
      "div",
      { class: "row" },
      ...Object.entries(kinds).map(([k, label]) =>
        element("button", {
          text: label,
          id: `form-${k}`,
          "aria-pressed": k === shownForm ? "true" : "false",
          onclick: () => showForm(k),
        }),
      ),
      button("copy"),
    ),
    area,
    ...(desk.live.saves
      ? [
          element(
            "div",
            { class: "row", title: `into ${desk.live.folder}` },
            name,
            button("save-result"),
            button("save-recipe"),
          ),
        ]
      : []),
  );
}

// --- the top line ----------------------------------------------------------------------------------------------------

const figuresNode = element("span", { id: "figures" });
function figures() {
  const all = [];
  for (const name of ["A", "B"]) {
    const s = desk.slots[name],
      f = s.figures;
    if (!f || !needed(name)) continue;
    const parts = [];
    if ("psnr" in f) parts.push(`PSNR ${decibels(f.psnr)} dB`, `SSIM ${number(f.ssim, 4)}`);
    if ("gain" in f) parts.push(`gain ${f.gain >= 0 ? "+" : "\u2212"}${decibels(Math.abs(f.gain))}`);
    if (f.noise !== undefined && f.noise !== null) parts.push(`noise ${number(f.noise, 4)}`);
    const ms = s.reports.reduce((t, r) => t + r.seconds, 0) * 1000;
    if (s.reports.length) parts.push(`${number(ms, 1)} ms`);
    if (parts.length)
      all.push(
        element(
          "span",
          { "data-slot": name, class: s.settled ? "" : "stale" },
          element("b", { text: name }),
          ` ${parts.join("  ")}`,
        ),
      );
  }
  figuresNode.replaceChildren(...all);
  figuresNode.title = figuresNode.textContent;
}

function useSlot(name) {
  const other = desk.active;
  desk.active = name;
  if (state.second === other) change({ second: name });
  column();
  figures();
  drawForms();
  forms();
  if (!desk.slots[name].settled) wantRun(name);
  tell("state", {});
}
function showStep(n) {
  desk.step = Math.max(0, Math.min(stepCount(slot().cards), n));
  if (!desk.slots.S) {
    makeSlot("S", null);
  }
  change({ second: "S" });
  wantRun("S");
}

export function startLive(d, top) {
  desk.live = d.live;
  useCatalogue(desk.live.catalogue);
  desk.live.inputs.forEach((p, i) => {
    const picture = addPicture(
      new Picture(
        `in${i}`,
        p.name.split("/").pop(),
        "input",
        async () => (await sent("picture", { input: i })).samples,
      ),
    );
    picture.shape = [p.width, p.height, p.channels];
  });
  if (desk.live.truth)
    addPicture(new Picture("truth", "truth", "truth", async () => (await sent("picture", { truth: true })).samples));
  makeSlot(
    "A",
    desk.live.chain.map(c => card(c.filter, c.values)),
  );
  makeSlot(
    "B",
    desk.live.chain.map(c => card(c.filter, c.values)),
  );
  for (const name of ["A", "B"])
    action(
      `chain-${name}`,
      name === "A" ? "a" : "e",
      name,
      `work on chain ${name}`,
      () => useSlot(name),
      () => desk.active === name,
    );
  action("undo", "Ctrl+z", "undo", "take the last change back", () => travel("undo", "redo"));
  action("redo", "Ctrl+y", "redo", "make it again", () => travel("redo", "undo"));
  action("add", "/", "add", "add a step", focusAdding);
  action("earlier", ",", "step \u2212", "show the result of one step earlier", () =>
    showStep((state.second === "S" ? desk.step : stepCount(slot().cards)) - 1),
  );
  action("later", ".", "step +", "show the result of one step later", () =>
    showStep((state.second === "S" ? desk.step : stepCount(slot().cards)) + 1),
  );
  for (const [what, key, help] of [
    ["off", "O", "switch the chosen step off or on"],
    ["up", "U", "the chosen step one earlier"],
    ["down", "J", "the chosen step one later"],
    ["copy", "D", "duplicate the chosen step"],
    ["remove", "Delete", "remove the chosen step"],
    ["help", "I", "what the chosen step does, and when it is the wrong choice"],
  ])
    action(`card-${what}`, key, what, help, () => {
      if (chosenCard()) act(what, chosenCard());
    });
  action("card-before", "PageUp", "card before", "choose the step before", () => chooseCard(-1));
  action("card-after", "PageDown", "card after", "choose the step after", () => chooseCard(1));
  action("within", "p", "within part=", "put the chain into a group for the rectangle", () => {
    const r = state.part;
    if (!r) return;
    remember();
    slot().cards = [card("within", { part: `${r.x},${r.y},${r.width},${r.height}` }), ...slot().cards, card("end")];
    changed();
  });
  action("copy", "C", "copy", "copy the chain in the form that is shown", () =>
    tell("copy", document.getElementById("form").value),
  );
  action("form", "F", "form", "the chain in the next form: text, command, recipe, C++", () =>
    showForm(Object.keys(kinds)[(Object.keys(kinds).indexOf(shownForm) + 1) % 4]),
  );
  action("save-result", "S", "save result", "save the result where the tool was started", () => save("result"));
  action("save-recipe", "R", "save recipe", "save the recipe, under a name that ends in .toml", () => save("recipe"));
  action("picture", "N", "picture", "the next picture", () => choose((desk.input + 1) % desk.live.inputs.length));
  action("result", "v", "result", "show the result again", () => change({ second: desk.active }));
  action(
    "truth",
    "t",
    "truth",
    "show the truth as first, or the input again",
    () => change({ first: state.first === "truth" || !desk.live.truth ? keyOfInput() : "truth" }),
    () => state.first === "truth",
  );
  action("stop", "k", "stop", "stop what runs", stopRun);
  action("spectrum", "f", "spectrum", "show the spectrum of the result", spectrum);
  action("look-step", "g", "kernel", "show kernels and curves of the last step that is shown", lookStep);
  action("end", "Ctrl+Shift+E", "end", "end the server", async () => {
    await told("goodbye", {}).catch(() => {});
    over("the page has ended: start `lsieve live` anew");
  });
  top.slots.append(button("chain-A"), button("chain-B"));
  top.figures.append(figuresNode);
  top.tail.append(button("end"));
  left.append(
    strip,
    element(
      "div",
      { class: "row" },
      button("undo"),
      button("redo"),
      button("earlier"),
      button("later"),
      button("result"),
    ),
    adding(add),
    list,
    formsNode,
  );
  more.append(button("spectrum"), button("look-step"));
  change({ first: keyOfInput(), second: "A" });
  column();
  drawForms();
  forms();
  on("state", changed => {
    figures();
    for (const name of [state.first, state.second]) if (desk.slots[name] && desk.slots[name].wanted) pump();
    if ("scale" in changed || "center" in changed) viewChanged();
  });
  on("reported", s => {
    figures();
    facts(s);
  });
  on("problem", ({ slot: s, text }) => problem(s, text));
  on("gone", () => over("the server does not answer: it has ended, or was stopped; start `lsieve live` anew"));
  new ResizeObserver(viewChanged).observe(document.getElementById("stage"));
  pump();
}
function over(text) {
  desk.gone = true;
  document.body.classList.add("gone");
  tell("progress", null);
  tell("line", { kind: "error", text });
}
const spectrum = () =>
  alone(async () => {
    const { samples } = await sent("spectrum", { slot: desk.active, input: desk.input, chain: textOf(slot().cards) });
    const key = "spectrum",
      p = pictures.get(key) || addPicture(new Picture(key, "spectrum of the result", "other", null));
    p.content = "frequencies";
    p.set(samples);
    change({ second: key, arrangement: "single" });
    showExtra({ title: "log spectrum, zero frequency in the middle" });
  });
const lookStep = () =>
  alone(async () => {
    const found = await told("step", {
      slot: "K",
      input: desk.input,
      chain: textOf(slot().cards),
      upto: state.second === "S" ? desk.step : undefined,
    });
    showExtra(found.grids.length || found.plots.length ? found : { title: "this step has no kernel and no curves" });
  });
