// Where chains are run: one request of the page at a time, what is seen first, the newest before all others.

import { state, tell, pictures, addPicture, Picture } from "page/model";
import { visiblePart } from "page/viewer";
import { told, sent, Superseded } from "page/remote";
import { textOf } from "page/cards";

// Above so many pixels only what is seen travels.
const mostPixels = 16e6;

// What is worked on: the pictures and filters that the server has, the chosen input, the chains A and B (and S, the
// first steps of one of them), and the one whose cards are shown.
export const desk = { live: null, input: 0, active: "A", step: 0, gone: false, moved: 0, slots: {} };
export const slot = () => desk.slots[desk.active];

export function makeSlot(name, cards) {
  desk.slots[name] = {
    name,
    cards,
    undo: [],
    redo: [],
    problems: {},
    reports: [],
    figures: {},
    forms: null,
    wanted: true,
    settled: false,
  };
  addPicture(new Picture(name, name, "result", null));
}

let busy = null,
  restTimer = 0,
  complained = false; // in the line at the foot, of a run: the next that does well takes it back
export const needed = name => [state.first, state.second, desk.active].includes(name);

// The chain of a slot changed, or what it runs on.
export function wantRun(name) {
  const s = desk.slots[name];
  s.wanted = true;
  s.settled = false;
  pump();
}
// One request at a time; one that takes long is ended by the next.
export function pump() {
  if (desk.gone) return;
  if (busy) {
    if (performance.now() - busy.since > 150 && busy.name === desk.active && desk.slots[busy.name].wanted)
      busy.stop.abort();
    return;
  }
  const next = [desk.active, "A", "B", "S"].find(n => desk.slots[n] && desk.slots[n].wanted && needed(n));
  if (next) return send(desk.slots[next], false);
  clearTimeout(restTimer);
  restTimer = setTimeout(() => {
    const rest = [desk.active, "A", "B", "S"].find(
      n => desk.slots[n] && !desk.slots[n].settled && !desk.slots[n].wanted && needed(n) && !desk.slots[n].failed,
    );
    if (rest && !busy) send(desk.slots[rest], true);
  }, 120);
}
const textOfSlot = s => (s.name === "S" ? textOf(slot().cards) : textOf(s.cards));

async function send(s, all) {
  const since = performance.now(),
    stop = new AbortController(),
    picture = pictures.get(s.name);
  busy = { name: s.name, since, stop };
  s.wanted = false;
  s.failed = false;
  const seen = visiblePart();
  const body = { slot: s.name, input: desk.input, chain: textOfSlot(s), figures: all };
  if (s.name === "S") body.upto = desk.step;
  const of = picture.shape || [desk.live.inputs[desk.input].width, desk.live.inputs[desk.input].height];
  if (seen && !(all && of[0] * of[1] <= mostPixels)) {
    body.part = [seen.part.x, seen.part.y, seen.part.width, seen.part.height];
    body.shrink = seen.shrink;
  }
  const watching = setInterval(() => watch(s, since), 200);
  try {
    const { head, samples } = await sent("run", body, stop.signal);
    const [x, y, width, height] = head.part;
    picture.name = s.name === "S" ? `step ${desk.step}` : `chain ${s.name}`;
    if (all && head.shrink === 1 && x === 0 && y === 0 && width === head.shape[0] && height === head.shape[1])
      picture.set(samples);
    else picture.setSeen({ samples, part: { x, y, width, height }, shrink: head.shrink }, head.shape);
    s.problems = {};
    if (all) {
      s.settled = !s.wanted; // the chain may have changed meanwhile
      s.figures = head.figures;
      s.reports = head.steps;
      tell("reported", s);
    }
    if (complained) tell("line", { kind: "", text: "" });
    complained = false;
    if (desk.moved) {
      const from = desk.moved;
      desk.moved = 0;
      requestAnimationFrame(() => performance.measure("slider-to-picture", { start: from, end: performance.now() }));
    }
  } catch (e) {
    if (e instanceof Superseded) {
      if (!stop.signal.aborted) s.wanted = true;
    } else if (!s.wanted) {
      s.failed = s.settled = complained = true;
      tell("problem", { slot: s, text: e.message });
    }
  }
  clearInterval(watching);
  tell("progress", null);
  busy = null;
  pump();
}
async function watch(s, since) {
  if (performance.now() - since < 300) return;
  try {
    tell("progress", { share: (await told("progress", {})).share, stop: stopRun });
  } catch {
    /* the run itself tells */
  }
}
export async function stopRun() {
  const s = busy && desk.slots[busy.name];
  if (s) {
    s.failed = true;
    busy.stop.abort();
    await told("stop", {});
    complained = true;
    tell("line", { kind: "", text: "stopped on request" });
    s.wanted = false;
    s.settled = true;
  }
}

// A part that was worked out may not be what is seen now.
let viewTimer = 0;
export function viewChanged() {
  clearTimeout(viewTimer);
  viewTimer = setTimeout(() => {
    for (const s of Object.values(desk.slots)) {
      const p = pictures.get(s.name),
        seen = visiblePart();
      if (!p.seen || !seen || p.samples || !needed(s.name)) continue;
      const have = p.seen.part,
        want = seen.part;
      if (
        want.x < have.x ||
        want.y < have.y ||
        want.x + want.width > have.x + have.width ||
        want.y + want.height > have.y + have.height ||
        seen.shrink < p.seen.shrink
      ) {
        s.wanted = true;
        pump();
      }
    }
  }, 60);
}
// Alone with the server: a run would end it, and it a run.
export async function alone(work) {
  while (busy) await new Promise(r => setTimeout(r, 10));
  busy = { name: "", since: performance.now(), stop: new AbortController() };
  try {
    await work();
  } catch (e) {
    if (!(e instanceof Superseded)) tell("line", { kind: "error", text: e.message });
  }
  busy = null;
  pump();
}
