// The server of a live page: one request after the other, the newest first.

import { tell } from "page/model";
import { Samples } from "page/samples";

const page = Math.random().toString(36).slice(2) + Date.now().toString(36);
const base = location.href.replace(/[?#].*$/, "");

export class Superseded extends Error {}

async function post(path, body, signal) {
  let response;
  try {
    response = await fetch(base + path, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ page, ...body }),
      signal,
    });
  } catch (e) {
    if (e.name === "AbortError") throw new Superseded();
    tell("gone");
    throw new Error("the server does not answer: it has ended, or was stopped; start `lsieve live` anew");
  }
  if (response.ok) return response;
  const { error } = await response.json().catch(() => ({ error: `the server answers ${response.status}` }));
  if (response.status === 409) throw new Superseded();
  throw new Error(error);
}

export async function told(path, body) {
  return (await post(path, body)).json();
}

// A reply with samples: the length of the words, the words, the samples.
export async function sent(path, body, signal) {
  const bytes = await (await post(path, body, signal)).arrayBuffer();
  const words = new DataView(bytes).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, words)));
  const samples = await Samples.decode(head.samples, new Uint8Array(bytes, 4 + words));
  return { head, samples };
}
