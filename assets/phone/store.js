// What this phone keeps: in IndexedDB, each person's apart, sealed with a key that the PIN and this device open together.
import { openDB } from "idb";
import { ageOf, answerOf, heldNow, isFarFrom } from "./opened-key.js";

// Tried at this many turns a guess of the PIN takes a phone a good half second.
const TURNS = 600_000;
export const MOST_TRIES = 5;
const HELD = "plentar-held";
// As every cookie of the application: never over a plain line, where there is another.
const SECURE = globalThis.location?.protocol === "https:" ? "; Secure" : "";

let opening = null;
export function database() {
  opening ??= openDB("plentar", 1, {
    upgrade(db) {
      db.createObjectStore("vaults");
      db.createObjectStore("queue", { keyPath: "number", autoIncrement: true }).createIndex("id", "id", {
        unique: true,
      });
      db.createObjectStore("aboard");
      db.createObjectStore("facts");
    },
  });
  return opening;
}

export const isPossible = () => Boolean(globalThis.indexedDB && globalThis.crypto?.subtle);
const cookie = (name) => document.cookie.match(new RegExp(`(?:^|; )${name}=([^;]*)`))?.[1] ?? "";
const random = (bytes) => crypto.getRandomValues(new Uint8Array(bytes));
export const hex = (bytes) => [...new Uint8Array(bytes)].map((byte) => byte.toString(16).padStart(2, "0")).join("");
const bytesOf = (text) => Uint8Array.from(text.match(/../g) ?? [], (pair) => Number.parseInt(pair, 16));
const AES = { name: "AES-GCM", length: 256 };
const keyOf = (raw) => crypto.subtle.importKey("raw", raw, AES, false, ["encrypt", "decrypt"]);

async function lock(key, bytes) {
  const iv = random(12);
  return { iv, bytes: await crypto.subtle.encrypt({ name: "AES-GCM", iv }, key, bytes) };
}
const unlock = async (key, { iv, bytes }) => crypto.subtle.decrypt({ name: "AES-GCM", iv }, key, bytes);
const packed = ({ iv, bytes }) => new Uint8Array([...iv, ...new Uint8Array(bytes)]);
const parted = (whole) => ({ iv: whole.slice(0, 12), bytes: whole.slice(12) });

async function pinKey(pin, salt) {
  const given = await crypto.subtle.importKey("raw", new TextEncoder().encode(pin), "PBKDF2", false, ["deriveKey"]);
  return crypto.subtle.deriveKey({ name: "PBKDF2", salt, iterations: TURNS, hash: "SHA-256" }, given, AES, false, [
    "encrypt",
    "decrypt",
  ]);
}

async function squeeze(text) {
  const stream = new Blob([text]).stream().pipeThrough(new CompressionStream("gzip"));
  return new Response(stream).arrayBuffer();
}
async function unsqueeze(bytes) {
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("gzip"));
  return new Response(stream).text();
}
export const seal = async (key, value) => lock(key, await squeeze(JSON.stringify(value)));
export const unseal = async (key, kept) => JSON.parse(await unsqueeze(await unlock(key, kept)));

export async function vaultOf(person) {
  const vault = await (await database()).get("vaults", person);
  // Kept by an older page: an opened key stands in no store any more.
  if (vault && "open" in vault) {
    delete vault.open;
    await putVault(person, vault);
  }
  return vault;
}
const putVault = async (person, vault) => (await database()).put("vaults", vault, person);

// The key this page has open, and why it was shut. It is handed to the worker, whose memory lasts from page to page; with
// the browser both are gone. Neither a cookie nor a store opens anything.
let mine = null;
let shutBy = "";
let worker = null;
const listeners = new Set();
export const whyShut = () => shutBy;
export const onShut = (listener) => listeners.add(listener);
const ANSWER_MS = 1500;
// A page that has just been left hands its key over while the next one already asks.
const AGAIN_MS = [0, 150, 350];

const workerNow = async () => {
  worker ??= (await navigator.serviceWorker?.getRegistration?.("/"))?.active ?? null;
  return worker;
};
function hand() {
  if (!mine) return;
  const { person, key, opening } = mine;
  const { age, why } = ageOf(mine);
  worker?.postMessage(why ? { kind: "shut", person, why } : { kind: "hold", person, key, opening, age });
}

if (globalThis.navigator?.serviceWorker) {
  navigator.serviceWorker.ready.then((registration) => {
    worker = registration.active;
    hand();
  });
  navigator.serviceWorker.addEventListener("controllerchange", () => {
    worker = navigator.serviceWorker.controller;
    hand();
  });
  navigator.serviceWorker.addEventListener("message", ({ data, ports }) => {
    if (data?.kind === "have") {
      const isMine = mine?.person === data.person && !ageOf(mine).why;
      ports[0]?.postMessage(isMine ? { key: mine.key, opening: mine.opening, age: ageOf(mine).age } : null);
    }
    if (data?.kind === "shut" && mine?.person === data.person) {
      mine = null;
      for (const listener of listeners) listener();
    }
  });
  // The worker may have been put to sleep since: what the next page asks for is there before it asks.
  globalThis.addEventListener?.("pagehide", hand);
}

async function tell(message) {
  const to = await workerNow();
  return to ? answerOf(to, message, ANSWER_MS) : null;
}

async function hold(person, vault, raw) {
  const key = await keyOf(raw);
  await putVault(person, { ...vault, fails: 0 });
  mine = heldNow(person, key, crypto.randomUUID());
  shutBy = "";
  await workerNow();
  hand();
  const zone = document.documentElement.dataset.zone ?? vault.zone ?? "";
  await (await database()).put("facts", { person, name: vault.name, zone }, "current");
  return key;
}

export async function setUp(person, name, pin, { phone, seal: sealHex, unlock: unlockHex }) {
  const [raw, salt] = [random(32), random(16)];
  const device = await crypto.subtle.generateKey(AES, false, ["encrypt", "decrypt"]);
  const inner = packed(await lock(device, raw));
  const sealKey = await crypto.subtle.importKey("raw", bytesOf(sealHex), { name: "HMAC", hash: "SHA-256" }, false, [
    "sign",
  ]);
  const vault = {
    name,
    phone,
    salt,
    device,
    sealKey,
    byPin: await lock(await pinKey(pin, salt), inner),
    byServer: await lock(await keyOf(bytesOf(unlockHex)), inner),
    hasWords: !/^\d+$/.test(pin),
    fails: 0,
    since: Date.now(),
  };
  return hold(person, vault, raw);
}

export class WrongPin extends Error {}
export class LockedPin extends Error {}

export async function openByPin(person, pin) {
  const vault = await vaultOf(person);
  if (vault.fails >= MOST_TRIES) throw new LockedPin();
  // Counted before it is tried: a phone switched off in between has still used up a try.
  await putVault(person, { ...vault, fails: vault.fails + 1 });
  let inner;
  try {
    inner = await unlock(await pinKey(pin, vault.salt), vault.byPin);
  } catch {
    throw vault.fails + 1 >= MOST_TRIES ? new LockedPin() : new WrongPin(String(MOST_TRIES - vault.fails - 1));
  }
  return hold(person, vault, new Uint8Array(await unlock(vault.device, parted(new Uint8Array(inner)))));
}

// Signed in with signal, the server's part opens it without the old PIN, and a new one is set.
export async function openByServer(person, unlockHex, pin) {
  const vault = await vaultOf(person);
  const inner = new Uint8Array(await unlock(await keyOf(bytesOf(unlockHex)), vault.byServer));
  const raw = new Uint8Array(await unlock(vault.device, parted(inner)));
  const salt = random(16);
  const byPin = await lock(await pinKey(pin, salt), inner);
  return hold(person, { ...vault, salt, byPin, hasWords: !/^\d+$/.test(pin) }, raw);
}

export async function opened(person) {
  const vault = await vaultOf(person);
  if (!vault) return null;
  if (mine?.person !== person) mine = await fromWorker(person);
  if (!mine) return null;
  const over = ageOf(mine).why;
  if (!over) return { key: mine.key, vault };
  await shut(person, over);
  return null;
}

async function fromWorker(person) {
  for (const wait of AGAIN_MS) {
    await new Promise((resolve) => setTimeout(resolve, wait));
    const found = await tell({ kind: "ask", person });
    if (found?.why) {
      shutBy = found.why;
      return null;
    }
    if (found?.key && isFarFrom(found.now)) {
      await shut(person, "clock");
      return null;
    }
    if (found?.key) return heldNow(person, found.key, found.opening, found.age);
    // No worker, nobody to ask.
    if (!worker) return null;
  }
  return null;
}

// True once what is open here may be used no longer.
export const isOver = () => Boolean(mine && ageOf(mine).why);

export async function shut(person, why = "") {
  const opening = mine?.opening;
  mine = null;
  shutBy = why;
  await tell({ kind: "shut", person, opening, why });
}

// A cookie outlives a store the browser cleared: by it the page can say what was lost.
export function noteHeld(person, waiting, aboard) {
  const value = encodeURIComponent(JSON.stringify({ person, waiting, aboard, at: Date.now() }));
  // biome-ignore lint/suspicious/noDocumentCookie: it must be there when IndexedDB is not
  document.cookie = `${HELD}=${value}; path=/; SameSite=Strict; max-age=${90 * 86400}${SECURE}`;
}
export function held() {
  try {
    return JSON.parse(decodeURIComponent(cookie(HELD)) || "null");
  } catch {
    return null;
  }
}
export function forgetHeld() {
  // biome-ignore lint/suspicious/noDocumentCookie: see above
  document.cookie = `${HELD}=; path=/; SameSite=Strict; max-age=0${SECURE}`;
}

// What one person has taken along, by name.
export async function bundleNames(person) {
  return (await (await database()).getAllKeys("aboard")).filter((name) => name.startsWith(`${person} `));
}

// All of one person's: vault, queue, what was taken along.
export async function takeOff(person) {
  const db = await database();
  for (const { number, person: owner } of await db.getAll("queue"))
    if (owner === person) await db.delete("queue", number);
  for (const name of await bundleNames(person)) await db.delete("aboard", name);
  await db.delete("facts", `aboard ${person}`);
  if ((await db.get("facts", "current"))?.person === person) await db.delete("facts", "current");
  await db.delete("vaults", person);
  forgetHeld();
}
