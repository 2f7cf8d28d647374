// A call drawn without the server: of the pieces it drew ahead, the ones that fit what has been done on this phone since.

import { actionsOf, standing } from "./dead.js";
import { escaped } from "./html.js";
import { mine, status } from "./queue.js";
import { database, unseal } from "./store.js";
import { clock, heardAt, momentOf } from "./time.js";

const NEVER = /^(csrf_token|call_id|place_id|unit_id)$/;
const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/;
export const callOf = (path) => path.match(/^\/calls\/([0-9a-f-]{36})(?=[/?#]|$)/)?.[1] ?? null;

const held = new Map();
async function bundleOf(call) {
  const { keeper } = status();
  if (!keeper || !call) return null;
  const key = `${keeper.person} ${call}`;
  const kept = await (await database()).get("aboard", key);
  if (!kept) return null;
  const known = held.get(key);
  if (known?.version === kept.version && known.at === kept.at) return known.bundle;
  const bundle = await unseal(keeper.key, kept.sealed);
  held.set(key, { version: kept.version, at: kept.at, bundle });
  return bundle;
}
export async function todayPage() {
  const { keeper } = status();
  const kept = keeper && (await (await database()).get("aboard", `${keeper.person} today`));
  return kept ? unseal(keeper.key, kept.sealed) : null;
}

// Everything kept on this phone for a call that its drawn-ahead pages do not show yet, in order.
async function journal(call, bundle) {
  const items = (await mine()).filter((item) => callOf(item.path) === call && item.state !== "refused");
  const fresh = items.filter((item) => item.state === "waiting" || (item.sentAt ?? 0) > bundle.fetchedAt);
  const struck = new Set(fresh.map((item) => item.path.match(/\/strike\/([0-9a-f-]{36})$/)?.[1]).filter(Boolean));
  let last = 0;
  return fresh.map((item) => {
    last = momentOf(item.made, last).at;
    const isStruck = item.fields.some(([name, value]) => name.endsWith("_id") && struck.has(value));
    return {
      item,
      at: last,
      isStruck,
      // What the server would not keep proves nothing, and may have been what a proof rested on.
      actions: (item.state === "aside" ? [{ kind: "taken back" }] : actionsOf(item.path, item.fields)).map(
        (action) => ({
          ...action,
          at: last / 1000,
        }),
      ),
    };
  });
}

async function stateOf(call) {
  const bundle = await bundleOf(call);
  if (!bundle) return null;
  const kept = await journal(call, bundle);
  const now = standing(
    bundle.dead,
    kept.flatMap((entry) => entry.actions),
  );
  return { bundle, kept, now };
}

// Which of the pieces drawn ahead shows the unit as it stands now.
function nameOf(now) {
  if (now.dead && now.control !== "separate source") return "dead";
  const feeds = Object.values(now.feeds);
  if (feeds.every((state) => state === "off")) return "off";
  if (feeds.every((state) => state === "live") && now.control === "from unit") return [...now.calls].sort().join("+");
  return null;
}

const parse = (html) => new DOMParser().parseFromString(html, "text/html");

// A form drawn ahead is sent with an id of its own each time.
export function renewIds(root) {
  for (const field of root.querySelectorAll("input[type=hidden]")) {
    const isUndo = field.form?.getAttribute("action")?.endsWith("/undo");
    if (/_id$|^id$/.test(field.name) && !NEVER.test(field.name) && UUID.test(field.value) && !isUndo) {
      field.value = crypto.randomUUID();
      field.setAttribute("value", field.value);
    }
  }
}

function partName(url, { now, kept, bundle }) {
  const rest = url.pathname.replace(/^\/calls\/[^/]+/, "");
  const at = (name) => url.searchParams.get(name) ?? "";
  if (rest === "") {
    const panel = at("panel");
    if (panel === "safe" && now.dead) return ["dead:panel:safe"];
    if (panel === "accept") return [`panel:accept:${at("accept")}`, "panel:accept"];
    if (panel && panel !== "reading") return [`panel:${panel}`];
    const point = at("point");
    if (at("hand")) return [`hand:${at("hand")}:${point}`];
    const swapped = point.replace(/^(\w+):([^:]+):([^:]+)$/, "$1:$3:$2");
    const names = [`point:${point}`, `point:${swapped}`];
    return now.dead && point.startsWith("ohms:") ? [`dead:${point}`, `dead:${swapped}`, ...names] : names;
  }
  const did = (test) => kept.some((entry) => entry.actions.some(test));
  if (rest === "/timing") {
    const run = kept
      .flatMap((entry) => entry.actions)
      .filter((action) => action.kind === "run")
      .at(-1);
    if (run) return [run.tapped === "call" ? "step:timing:running" : "step:timing:dropped"];
    return ["step:timing"];
  }
  if (rest === "/fix/prove") return did((action) => action.kind === "power") ? ["step:prove:back"] : ["step:prove"];
  const name = rest.slice(1).replace(/^.*\//, "");
  return bundle.parts[`step:${name}`] ? [`step:${name}`] : [];
}

// The panel for an address, as it stands on this phone; null where it was not drawn ahead.
export async function padFor(url, said = "") {
  const call = callOf(url.pathname);
  const state = await stateOf(call);
  if (!state) return null;
  const names = partName(url, state);
  const found = names.map((name) => state.bundle.parts[name]).find(Boolean);
  if (!found && !(url.pathname.replace(/^\/calls\/[^/]+/, "") === "" && url.searchParams.get("point"))) return null;
  const page = parse(found ?? blank(state.bundle, url.searchParams.get("point")));
  const pad = page.querySelector("#pad");
  renewIds(pad);
  dress(pad, url, state, said);
  return { html: pad.outerHTML, state };
}

// Two places nobody drew ahead: the pad of another point, with their names and nothing expected.
function blank(bundle, point) {
  const [kind] = point.split(":");
  const like = Object.keys(bundle.parts).find((name) => name.startsWith(`point:${kind}:`));
  const page = parse(bundle.parts[like] ?? Object.values(bundle.parts)[0]);
  const pad = page.querySelector("#pad");
  for (const field of pad.querySelectorAll("[name=point]")) field.setAttribute("value", point);
  const title = pad.querySelector(".pad-title");
  if (title)
    title.innerHTML = `<label for="value" class="text-[17px] font-bold">${escaped(point.replace(/^\w+:/, "").replaceAll(":", " to ").replaceAll(/[.-]/g, " "))}</label>`;
  for (const part of pad.querySelectorAll(".functions, details.more")) part.remove();
  pad.querySelector("[data-expected]")?.remove();
  return pad.outerHTML;
}

function dress(pad, url, state, said) {
  const { bundle, now, kept } = state;
  const point = pad.querySelector("input[name=point]")?.value;
  const name = nameOf(now);
  const expected = pad.querySelector("[data-expected]");
  if (expected && point && !url.searchParams.get("hand")) {
    const there = name === null ? undefined : bundle.states[name]?.expected[point];
    const spoken = name === null ? "" : bundle.states[name].spoken;
    expected.innerHTML =
      there === undefined
        ? `<span class="text-soft">The expected value for this state is not on this phone.</span>`
        : `<b class="numeral text-[15px]">${escaped(there)}</b> expected, ${escaped(spoken)}`;
  }
  if (point?.startsWith("ohms:") && !now.dead && !url.searchParams.get("hand")) refuse(pad, state);
  if (pad.dataset.panel === "safe") tellDead(pad, state);
  if (pad.querySelector("#timing")) times(pad, state);
  const lines = keptLines(pad, point, kept);
  if (point && pad.dataset.panel === "reading" && lines.length) {
    // What was judged here before is not the verdict of what was read since.
    pad.querySelector("#verdict")?.replaceChildren();
    pad.querySelector(".entry")?.setAttribute("placeholder", "");
  }
  if (said) lines.unshift(said);
  if (lines.length) {
    const told = `<div class="kept-here" role="status">${lines.map((line) => `<p>${line}</p>`).join("")}</div>`;
    const head = pad.querySelector(".step-head, .pad-title");
    if (head) head.insertAdjacentHTML("afterend", told);
    else pad.insertAdjacentHTML("afterbegin", told);
  }
}

const WAITS = "judged when the signal is back";
function keptLines(pad, point, kept) {
  const lines = [];
  for (const { item, at, actions, isStruck } of kept) {
    const isHere =
      point &&
      actions.some((action) => action.kind === "reading" && action.point === point) &&
      /\/readings$/.test(item.path);
    if (!isHere) continue;
    const told = isStruck ? "voided" : item.state === "waiting" ? WAITS : "sent";
    const number = escaped(item.said.value);
    lines.push(
      `${isStruck ? `<s class="numeral">${number}</s>` : `<b class="numeral">${number}</b>`} saved ${clock(at)}, ${told}`,
    );
  }
  const panel = pad.dataset.panel;
  if (panel === "reading") return lines;
  const own = new Set([...pad.querySelectorAll("form[action]")].map((form) => form.getAttribute("action")));
  const done = kept.filter(({ item }) => own.has(item.path));
  for (const { item, at } of done)
    lines.push(
      `${clock(at)} ${escaped(item.said.words)}: ${item.state === "waiting" ? "saved on this phone" : "sent"}`,
    );
  return lines;
}

const WHY =
  "Off, treated as live. Without signal this phone can't know who else works on this unit. Lock every feed and verify it dead again on this phone. Then ohms may be read.";
function refuse(pad, state) {
  const form = pad.querySelector("form");
  if (!form || form.querySelector(".caution.mt-3")) return;
  for (const part of form.querySelectorAll(".relative, .keys, .ohm-keys, .actions, [data-expected], .caution"))
    part.remove();
  const call = state.bundle.id;
  form.insertAdjacentHTML(
    "beforeend",
    `<p class="caution mt-3 text-[15px] leading-snug">${WHY}</p><p class="mt-3"><a class="primary inline-flex items-center no-underline"
      href="/calls/${call}?panel=safe" hx-get="/calls/${call}?panel=safe" hx-target="#pad" hx-swap="outerHTML">Go to the Safe list</a></p>
     <input class="entry" id="value" type="hidden" name="value" value=""><div id="verdict"></div>`,
  );
}

function deadWords({ now }) {
  const others = heardAt();
  if (now.dead) {
    const proven = now.provenAt ? `verified dead by this phone ${clock(1000 * now.provenAt)}` : "verified dead";
    return others ? `${proven}, others not seen since ${clock(others)}` : proven;
  }
  return Object.values(now.feeds).some((state) => state === "live") ? "live" : "off, treated as live";
}

function tellDead(pad, state) {
  pad.querySelector("details.missing")?.remove();
  const head = pad.querySelector(".step-head");
  head?.insertAdjacentHTML(
    "afterend",
    `<p class="pt-1 pb-2 text-[15px]" data-dead><b>${escaped(deadWords(state))}.</b></p>`,
  );
  const { locks, feeds, opened } = state.now;
  for (const line of pad.querySelectorAll(".safe-line")) {
    const about = line.querySelector("[name=about]")?.value;
    const isDone =
      (line.dataset.kind === "off" && feeds[about] === "off" && opened[about]) ||
      (line.dataset.kind === "lock" && locks.has(about));
    if (isDone) line.classList.add("safe-done");
  }
  // Every line can be opened: what was done on this phone is told above, not folded into the list.
  for (const line of pad.querySelectorAll("details[name]")) line.removeAttribute("name");
}

// Times taken on this phone, each against the moment its run was begun.
function times(pad, { kept }) {
  const taps = kept
    .filter(({ item }) => /\/timing$/.test(item.path))
    .map(({ item, at }) => ({ what: item.fields.find(([name]) => name === "what")?.[1] ?? "", at }));
  const begun = taps.findLast((tap) => /^call/.test(tap.what));
  if (!begun) return;
  const ended = taps.findLast((tap) => tap.what === "drop" && tap.at >= begun.at);
  const timer = pad.querySelector(".watch-clock");
  if (timer) timer.dataset.since = new Date(ended?.at ?? begun.at).toISOString();
  for (const line of pad.querySelectorAll(".patience")) line.dataset.called = new Date(begun.at).toISOString();
  for (const form of pad.querySelectorAll(".watch-row form, .watch form")) {
    const button = form.querySelector("[name=what]");
    const tap = taps.findLast((each) => each.what === button?.value && each.at >= begun.at);
    if (!tap || !/^o(n|ff):/.test(tap.what)) continue;
    const seconds = Math.round((tap.at - (tap.what.startsWith("off") ? (ended?.at ?? begun.at) : begun.at)) / 1000);
    form.outerHTML = `<b class="numeral watch-kept">${tap.what.split(":")[0]} ${seconds} s</b>`;
  }
}

// Board and condition strip as they stand on this phone, to be put beside the panel.
export function around({ bundle, now, kept }) {
  const name = nameOf(now);
  const drawn = bundle.states[name ?? [...now.calls].sort().join("+")] ?? bundle.states[""];
  const page = parse(`${drawn.board}${drawn.strip}`);
  const [board, strip] = [page.querySelector("#board"), page.querySelector("#strip")];
  renewIds(strip);
  if (name === null) {
    const head = board.querySelector(".board-head p");
    if (head) head.innerHTML = "<b>Not drawn on this phone for this state.</b> Treat every wire as live";
  }
  dressStrip(strip, { now });
  for (const { item, actions, isStruck } of kept)
    for (const action of actions)
      if (action.kind === "reading" && item.state === "waiting" && !isStruck) waitingTag(board, action);
  for (const part of [board, strip]) part.setAttribute("hx-swap-oob", "true");
  return board.outerHTML + strip.outerHTML;
}

// A number that is not judged yet stands at its place without a verdict's colour or mark.
function waitingTag(board, { point, typed }) {
  const number = board.querySelector(`.spot[data-point="${CSS.escape(point)}"] .tag-number`);
  const group = number?.closest("g[class*=verdict-]");
  if (!group) return;
  group.setAttribute("class", "verdict-not-proven tag-waiting");
  group.querySelector("g")?.replaceChildren();
  number.textContent = typed.trim().slice(0, 6);
}

function dressStrip(strip, { now }) {
  const feeds = Object.entries(now.feeds);
  feeds.forEach(([feed, told], index) => {
    const button = [...strip.querySelectorAll("button[name=switch]")].find((each) => each.value.startsWith(`${feed}=`));
    if (!button) return;
    const isDead = told === "off" && now.dead;
    button.value = `${feed}=${told === "live" ? "off" : "live"}`;
    button.className = `switch ${told === "live" ? "switch-state" : isDead ? "switch-dead" : "switch-off"}`;
    button.textContent = `${feeds.length > 1 ? `${index + 1} ` : ""}${told === "live" ? "live" : isDead ? "verified dead" : "off, treat as live"}`;
    button.setAttribute(
      "aria-label",
      `Feed ${index + 1} is ${button.textContent}, switch to ${button.value.split("=")[1]}`,
    );
  });
  const control = [...strip.querySelectorAll("button[name=switch]")].find((each) => each.value.startsWith("control="));
  if (control) {
    const isOn = now.control === "from unit" || now.control === "separate source";
    control.value = `control=${isOn ? "off" : "from unit"}`;
    control.className = `switch ${isOn ? "switch-state" : "switch-dead"}`;
    control.textContent = isOn ? (now.control === "from unit" ? "24 V" : "24 V separate") : "24 V off";
  }
  for (const button of strip.querySelectorAll("button[name=switch][aria-pressed]")) {
    const [name] = button.value.split("=");
    if (name === "thermostat") continue;
    const isOn = now.calls.has(name);
    button.value = `${name}=${isOn ? "off" : "on"}`;
    button.setAttribute("aria-pressed", String(isOn));
  }
  const heat = ["W", "W2", "G", "Y"].find((name) => now.calls.has(name) && now.since[name]);
  const timer = strip.querySelector("[data-since]");
  if (timer && heat) timer.dataset.since = new Date(1000 * now.since[heat]).toISOString();
}

// A whole page of a call, for the shell.
export async function pageFor(url) {
  const call = callOf(url.pathname);
  const state = await stateOf(call);
  if (!state) return null;
  const page = parse(state.bundle.page);
  const pad = await padFor(
    url.pathname.replace(/^\/calls\/[^/]+/, "") === "" && !url.search ? withPoint(url, page) : url,
  );
  if (pad) page.querySelector("#pad").outerHTML = pad.html;
  const around_ = parse(around(state));
  for (const id of ["board", "strip"]) {
    const part = around_.querySelector(`#${id}`);
    part.removeAttribute("hx-swap-oob");
    page.querySelector(`#${id}`).outerHTML = part.outerHTML;
  }
  return { title: page.title, body: page.body, state };
}
function withPoint(url, page) {
  const there = new URL(url);
  there.searchParams.set("point", page.querySelector("#pad [name=point]")?.value ?? "");
  return there;
}
