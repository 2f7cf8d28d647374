// One queue for everything that is recorded, with signal and without: kept here first, sent in order, told once it is kept.
import { bundleNames, database, hex, noteHeld, opened, seal, unseal } from "./store.js";
import { heard, momentOf, stamp } from "./time.js";

export const BUILD = document.documentElement.dataset.build ?? "";
// With somebody waiting an answer may take this long; then the page goes on and the queue goes on by itself.
const WAIT_MS = 9000;
export const FORM = "application/x-www-form-urlencoded";
const [RETRY_MS, MOST_RETRY_MS] = [2000, 30_000];

// Who keeps: person, their key, their vault. Null while nothing can be kept here.
let keeper = null;
let state = "idle"; // idle | sending | no signal | signed out | ended | update | other
const waiters = new Map();
const listeners = new Set();
let retry = 0;
let timer = 0;

export const status = () => ({ state, keeper });
export const onChange = (listener) => listeners.add(listener);
export const setState = (next) => {
  state = next;
  tell();
};
const tell = () => {
  for (const listener of listeners) listener();
};

// Whoever's store is open here keeps from now on; nobody while it is shut.
export async function findKeeper(person) {
  const found = await opened(person);
  keeper = found ? { person, ...found } : null;
  return keeper;
}

export class NotOurs extends Error {}

// Ask the server; what does not come from this application (a network's own page, a proxy's) is no answer.
export async function ask(path, options = {}) {
  const began = performance.now();
  const headers = { ...(options.headers ?? {}), "Plentar-Version": BUILD };
  const answer = await fetch(path, { ...options, headers });
  if (!answer.headers.has("Plentar-Version")) throw new NotOurs(String(answer.status));
  const moment = Number(answer.headers.get("Plentar-Now"));
  if (moment) await heard(moment, performance.now() - began);
  if (answer.status === 426) {
    setState("update");
    throw new NotOurs("426");
  }
  return answer;
}

// Keep one form: not before it is in the store does anybody say "kept".
export async function keep({ path, body, type, fields, said }) {
  const db = await database();
  const made = stamp();
  const bytes = body instanceof Uint8Array ? body : new TextEncoder().encode(body);
  const kept = { path, type, fields, said, made, body: [...bytes] };
  const item = {
    id: crypto.randomUUID(),
    person: keeper.person,
    state: "waiting",
    sealed: await seal(keeper.key, kept),
  };
  const tx = db.transaction("queue", "readwrite", { durability: "strict" });
  item.number = await tx.store.add(item);
  await tx.done;
  await count();
  return { ...item, ...kept };
}

// A plain form that no page of a call shows: kept as one of its fields.
export const keepForm = ({ path, fields, said }) =>
  keep({ path, body: new URLSearchParams(fields).toString(), type: FORM, fields, said });

const ownRows = async () => (await (await database()).getAll("queue")).filter((row) => row.person === keeper?.person);

// An entry never changes: unsealed once a page.
const unsealed = new Map();
async function openedOf({ sealed, ...row }) {
  if (!unsealed.has(row.id)) unsealed.set(row.id, await unseal(keeper.key, sealed));
  return { ...row, ...unsealed.get(row.id) };
}

export const mine = async () => (keeper ? Promise.all((await ownRows()).map(openedOf)) : []);

// What others on this phone have waiting, as a number only.
export async function othersWaiting() {
  const rows = await (await database()).getAll("queue");
  return rows.filter((row) => row.person !== keeper?.person && row.state !== "sent").length;
}

export async function count() {
  if (keeper) {
    const waiting = (await ownRows()).filter((row) => row.state === "waiting").length;
    noteHeld(keeper.person, waiting, (await bundleNames(keeper.person)).length);
  }
  tell();
}

async function change(item, values) {
  const db = await database();
  const row = await db.get("queue", item.number);
  if (row) await db.put("queue", { ...row, ...values });
  await count();
}

export async function drop(item) {
  await (await database()).delete("queue", item.number);
  await count();
}

// What was sent stays until the page's own copy of the call has it.
export async function forgetSent(call, before) {
  for (const item of await mine())
    if (item.state === "sent" && item.sentAt < before && item.path.startsWith(`/calls/${call}/`)) await drop(item);
}

// Send what waits, one after the other; in one page at a time.
export function pump() {
  clearTimeout(timer);
  return navigator.locks.request("plentar-send", { ifAvailable: true }, async (lock) => {
    if (!keeper) return;
    if (!lock) {
      // Another page of this phone sends: it takes this one along.
      setTimeout(letGo, 1500);
      return;
    }
    for (;;) {
      const head = (await ownRows()).find((row) => row.state === "waiting");
      if (!head) break;
      if (!(await send(await openedOf(head)))) return;
    }
    if (state !== "other") setState("idle");
  });
}

// Whoever waits goes on without the server: one that cannot be sent holds up all behind it.
function letGo() {
  for (const { give } of [...waiters.values()]) give(null);
}

function later() {
  retry = Math.min(MOST_RETRY_MS, retry ? retry * 2 : RETRY_MS);
  clearTimeout(timer);
  timer = setTimeout(pump, retry * (0.8 + 0.4 * Math.random()));
}

async function send(item) {
  const waiter = waiters.get(item.id);
  // A page's part is answered with a part; whatever else is pressed or was kept, with a line that says it is kept.
  const isQuiet = !waiter?.headers["HX-Request"];
  const headers = { "Content-Type": item.type, ...(await sealed(item, isQuiet)), ...waiter?.headers };
  setState("sending");
  let answer;
  try {
    const body = new Uint8Array(item.body);
    answer = await ask(item.path, {
      method: "POST",
      headers,
      body,
      redirect: "manual",
      signal: AbortSignal.timeout(30_000),
    });
  } catch (error) {
    if (state !== "update") setState(error instanceof NotOurs ? "not ours" : "no signal");
    letGo();
    later();
    return false;
  }
  if (answer.status === 401 || answer.status === 403) {
    const told = await answer.json().catch(() => ({}));
    setState(answer.status === 401 ? "signed out" : told.phone === "ended" ? "ended" : "other");
    letGo();
    return false;
  }
  if (answer.status >= 500 || answer.status === 429) {
    setState("no signal");
    letGo();
    later();
    return false;
  }
  retry = 0;
  await remember(item);
  if (!isQuiet) {
    // Refused in front of the one who pressed: it is told beside the field, and what was typed is still there.
    if (answer.status >= 400) await drop(item);
    else await change(item, { state: "sent", sentAt: Date.now() });
    // Nobody waits any more: the page has gone on without, and is told that something came.
    if (waiters.has(item.id)) waiters.get(item.id).give(answer);
    else document.dispatchEvent(new CustomEvent("plentar:came", { detail: item }));
    return true;
  }
  const told = await answer
    .clone()
    .json()
    .catch(() => ({}));
  if (answer.status < 400 && told.aside) await change(item, { state: "aside", why: told.why, sentAt: Date.now() });
  else if (answer.status < 400) await change(item, { state: "sent", sentAt: Date.now() });
  else await change(item, { state: "refused", why: told.why ?? `(${answer.status})` });
  waiters.get(item.id)?.give(answer);
  document.dispatchEvent(new CustomEvent("plentar:came", { detail: item }));
  return true;
}

async function remember(item) {
  const { at } = momentOf(item.made, await lastMoment());
  await (await database()).put("facts", at, `last ${item.person}`);
}
const lastMoment = async () => (await (await database()).get("facts", `last ${keeper.person}`)) ?? 0;

async function sealed(item, isLate) {
  const { at, doubt } = momentOf(item.made, await lastMoment());
  const headers = {
    "Plentar-Phone": keeper.vault.phone,
    "Plentar-Sent": item.id,
    "Plentar-Done": new Date(at).toISOString().replace("Z", "+00:00"),
    "Plentar-Clock": (doubt / 1000).toFixed(3),
    "Plentar-Late": isLate ? "yes" : "",
  };
  const digest = hex(await crypto.subtle.digest("SHA-256", new Uint8Array(item.body)));
  const names = ["Plentar-Sent", "Plentar-Done", "Plentar-Clock", "Plentar-Late"];
  const lines = ["POST", item.path, ...names.map((name) => headers[name]), digest].join("\n");
  headers["Plentar-Seal"] = hex(
    await crypto.subtle.sign("HMAC", keeper.vault.sealKey, new TextEncoder().encode(lines)),
  );
  return headers;
}

// Send one that was just kept, and wait for its answer a while: the server's, or null where the page goes on without.
export function answerOf(item, headers) {
  return new Promise((resolve) => {
    const give = (answer) => {
      clearTimeout(patience);
      waiters.delete(item.id);
      resolve(answer);
    };
    const patience = setTimeout(() => give(null), WAIT_MS);
    waiters.set(item.id, { headers, give });
    pump().then(() => waiters.has(item.id) && pump());
  });
}

export function soon() {
  retry = 0;
  if (keeper) pump();
}

// In pieces: as arguments of one call a photo is more than a browser's stack holds.
function base64(bytes) {
  let text = "";
  for (let at = 0; at < bytes.length; at += 8192) text += String.fromCharCode(...bytes.slice(at, at + 8192));
  return btoa(text);
}

// All that waits, as a file: where this phone may not send any more.
export async function asFile() {
  const items = (await mine()).filter((item) => item.state === "waiting" || item.state === "refused");
  const told = items.map(({ id, path, type, fields, said, made, body }) => {
    return { id, path, type, fields, said, made, body: base64(body) };
  });
  return JSON.stringify({ format: "plentar.waiting/1", person: keeper.person, items: told }, null, 1);
}
