// What the page shows, and who wants to know when it changes.

const listeners = new Map();
export function on(what, act) {
  listeners.set(what, [...(listeners.get(what) || []), act]);
}
export function tell(what, value) {
  for (const act of listeners.get(what) || []) act(value);
}

// Everything that gestures change. `first` and `second` are keys of pictures.
export const state = {
  first: null,
  second: null,
  arrangement: "single", // single, side, wipe, blink, difference
  tool: "move", // move, line, rectangle
  scale: 0, // device pixels for a pixel of the picture; 0: fitted
  center: null, // pixel in the middle of a view; null: of the picture
  wipe: 0.5,
  marks: true,
  cursor: null,
  line: null,
  part: null,
  scope: "whole", // of histogram and statistics: whole, visible, part
  logarithmic: false,
  cumulative: true,
  foldLeft: false,
  foldRight: false,
};

export function change(values) {
  Object.assign(state, values);
  tell("state", values);
}

// A picture of the page. `load` brings its samples; until then `samples` is null. `seen` is a stand-in: a part at a
// scale that was worked out before the rest. `version` rises whenever either changes.
export class Picture {
  constructor(key, name, role, load) {
    Object.assign(this, {
      key,
      name,
      role,
      load,
      samples: null,
      seen: null,
      version: 0,
      content: "samples",
      note: "",
      chain: "",
      figures: {},
      shape: null,
      loading: null,
    });
  }
  set(samples) {
    this.samples = samples;
    this.shape = [samples.width, samples.height, samples.channels];
    this.seen = null;
    this.version++;
    tell("picture", this);
  }
  setSeen(seen, shape) {
    this.seen = seen;
    this.shape = shape;
    this.samples = null;
    this.version++;
    tell("picture", this);
  }
  // Asks for the samples, once.
  want() {
    if (this.samples || this.seen || !this.load || this.loading) return;
    this.loading = this.load()
      .then(s => {
        this.set(s);
      })
      .catch(e => tell("error", e.message))
      .finally(() => {
        this.loading = null;
      });
  }
}

export const pictures = new Map();
export function addPicture(p) {
  pictures.set(p.key, p);
  return p;
}
export const shown = () => [pictures.get(state.first), pictures.get(state.second)];

// Digits of equal number, so that nothing jumps.
export function number(v, digits = 4) {
  if (v === null || v === undefined) return "-";
  if (v === "infinite") return "\u221e";
  if (!Number.isFinite(v)) return String(v);
  const a = Math.abs(v);
  if (v !== 0 && (a < 1e-3 || a >= 1e6)) return v.toExponential(2);
  return v.toFixed(Math.max(0, Math.min(digits, digits - Math.floor(Math.log10(Math.max(a, 1))))));
}

export const decibels = v => (typeof v === "number" ? v.toFixed(2) : number(v));

export function element(tag, attributes = {}, ...children) {
  const e = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) {
    if (name.startsWith("on")) e.addEventListener(name.slice(2), value);
    else if (name === "text") e.textContent = value;
    else if (value === true) e.setAttribute(name, "");
    else if (value !== false && value !== null && value !== undefined) e.setAttribute(name, value);
  }
  e.append(...children.filter(c => c !== null && c !== undefined && c !== ""));
  return e;
}
