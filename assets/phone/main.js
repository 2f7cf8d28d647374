// Without signal: what is recorded is kept here first; pages come from here when the server cannot be heard.

import { refresh } from "./bundle.js";
import { escaped } from "./html.js";
import { around, callOf, padFor, renewIds } from "./layout.js";
import { showLine } from "./line.js";
import { withSmallPhoto } from "./photo.js";
import * as queue from "./queue.js";
import { setUpPage, startWorker } from "./setup.js";
import { openShell } from "./shell.js";
import { database, forgetHeld, held, isOver, isPossible, onShut, shut, vaultOf } from "./store.js";
import { serverNow, wake } from "./time.js";
import { wordsOf } from "./words.js";

const html = document.documentElement;
// What of a call is recorded: the same forms, whoever sends them. A log's file is too large for a phone, a share needs the server.
const RECORDS =
  /^\/calls\/[0-9a-f-]{36}\/(condition|readings|safe|observations|marks|photos|air|causes|causes\/[^/]+\/withdraw|strike\/[^/]+|close|undo|amend|withdraw|sign|timing|fix\/.+|circuit\/interim|heat-pump\/weather|blower\/.+|control\/(map|seen|row))$/;
// A page that is not here after this long comes from the phone, where the phone has it.
const GET_MS = 7000;
const AGAIN_MS = 8000;
let missed = 0; // when the server was last not heard

const isRecord = (path, method) => method === "POST" && RECORDS.test(new URL(path, location.href).pathname);
const isMissing = () => !navigator.onLine || Date.now() - missed < AGAIN_MS;

const PLACES = {
  timing: "timing",
  fix: "fix",
  prove: "fix/prove",
  blower: "blower",
  control: "control",
  circuit: "circuit",
  "heat-pump": "heat-pump",
};
function hereUrl(call, pad) {
  const panel = pad?.dataset.panel ?? "reading";
  const point = pad?.querySelector("[name=point]")?.value ?? "";
  const there = new URL(`/calls/${call}${PLACES[panel] ? `/${PLACES[panel]}` : ""}`, location.href);
  if (!PLACES[panel]) {
    if (panel !== "reading") there.searchParams.set("panel", panel);
    if (point) there.searchParams.set("point", point);
  }
  return there;
}

const fragment = (body) => new Response(body, { status: 200, headers: { "Content-Type": "text/html" } });

async function bodyOf(request) {
  const form = new FormData();
  const source =
    request.body instanceof FormData || request.body instanceof URLSearchParams ? request.body : new FormData();
  for (const [name, value] of source) if (name !== "csrf_token") form.append(name, value);
  await withSmallPhoto(form);
  const fields = [...form].map(([name, value]) => [name, value instanceof File ? value.name : value]);
  if ([...form.values()].some((value) => value instanceof File)) {
    const whole = new Response(form);
    return { body: new Uint8Array(await whole.arrayBuffer()), type: whole.headers.get("Content-Type"), fields };
  }
  return { body: new URLSearchParams(form).toString(), type: queue.FORM, fields };
}

function saidOf(path, form, submitter, fields) {
  const value = fields.find(([name]) => name === "value")?.[1];
  const unit = form?.querySelector(".relative > span")?.textContent ?? "";
  const words = wordsOf(path, form, submitter, fields).slice(0, 90);
  return { words: words || "An entry", value: value ? `${value} ${unit}`.trim() : "" };
}

// The one way anything is recorded here: kept, then sent; the answer is the server's, or this page's own for now.
async function keepAndSend({ path, request, form, submitter, headers }) {
  const { body, type, fields } = await bodyOf(request);
  if (submitter?.name && !fields.some(([name, value]) => name === submitter.name && value === submitter.value))
    fields.push([submitter.name, submitter.value]);
  const item = await queue.keep({ path, body, type, fields, said: saidOf(path, form, submitter, fields) });
  if (form) renewIds(form);
  return { item, answer: await queue.answerOf(item, headers) };
}

const keptLine = (item) =>
  `<b>${item.said.value ? `${escaped(item.said.value)} ` : ""}saved on this phone</b>, ${item.said.value ? "judged" : "sent"} when the signal is back`;

async function localAnswer(item) {
  const call = callOf(item.path);
  const pad = document.querySelector("#pad");
  const drawn = await padFor(hereUrl(call, pad), item.said.value ? "" : keptLine(item));
  if (drawn) return fragment(drawn.html + around(drawn.state));
  if (!pad) return null;
  const copy = pad.cloneNode(true);
  for (const field of copy.querySelectorAll(".entry")) field.setAttribute("value", "");
  for (const old of copy.querySelectorAll(".kept-here, #verdict > *")) old.remove();
  renewIds(copy);
  (copy.querySelector(".pad-title, .step-head") ?? copy.firstElementChild)?.insertAdjacentHTML(
    "afterend",
    `<div class="kept-here" role="status"><p>${keptLine(item)}</p></div>`,
  );
  return fragment(copy.outerHTML);
}

async function kept(action, request) {
  const path = new URL(action, location.href).pathname;
  const headers = {};
  for (const [name, value] of Object.entries(request.headers))
    if (/^hx-/i.test(name) || name === "Accept") headers[name] = value;
  const { item, answer } = await keepAndSend({
    path,
    request,
    form: request.form,
    submitter: request.submitter,
    headers,
  });
  if (answer) return answer;
  missed = Date.now();
  return (await localAnswer(item)) ?? fragment("");
}

// A page's part: the server's, or what the phone has of it.
async function got(action, request) {
  const url = new URL(action, location.href);
  const local = async () => {
    const mark = markOf(url);
    if (mark?.wait) return fragment(mark.wait);
    const drawn = await padFor(mark?.url ?? url);
    if (!drawn) return null;
    markSpot(mark?.url ?? url);
    const isStep = url.pathname.split("/").length > 3;
    return fragment(
      drawn.html + (isStep || document.querySelector("#board .ladder") === null ? around(drawn.state) : ""),
    );
  };
  if (isMissing() && callOf(url.pathname)) {
    probe();
    const found = await local();
    if (found) return found;
  }
  try {
    const { method, headers, body } = request;
    const answer = await queue.ask(action, { method, headers, body, signal: AbortSignal.timeout(GET_MS) });
    if (answer.status < 500) return answer;
    throw new Error(String(answer.status));
  } catch (error) {
    missed = Date.now();
    if (error instanceof queue.NotOurs) queue.setState(error.message === "426" ? "update" : "not ours");
    else queue.setState("no signal");
    const found = callOf(url.pathname) && (await local());
    if (found) return found;
    if (callOf(url.pathname)) return fragment(nothingHere());
    throw error;
  }
}

// Two taps on the board, without the server: the first probe is remembered, the second makes the point.
let first = null;
function markOf(url) {
  const mark = url.searchParams.get("mark");
  if (!mark) {
    first = null;
    return null;
  }
  if (!first || first === mark) {
    first = mark;
    const pad = document.querySelector("#pad").cloneNode(true);
    pad.querySelector(".kept-here")?.remove();
    pad.insertAdjacentHTML(
      "afterbegin",
      `<div class="kept-here" role="status"><p><b>Probe 1</b> on ${escaped(mark.replaceAll(/[.-]/g, " "))}. Tap where probe 2 goes.</p></div>`,
    );
    return { wait: pad.outerHTML };
  }
  const there = new URL(url);
  there.searchParams.delete("mark");
  there.searchParams.set("point", `volts:${first}:${mark}`);
  first = null;
  return { url: there };
}
function markSpot(url) {
  const point = url.searchParams.get("point");
  for (const spot of document.querySelectorAll("#board .spot"))
    if (spot.dataset.point === point) spot.setAttribute("aria-current", "true");
    else spot.removeAttribute("aria-current");
}
const nothingHere = () => {
  const pad = document.querySelector("#pad")?.cloneNode(true);
  if (!pad) return "";
  pad.querySelector(".kept-here")?.remove();
  pad.insertAdjacentHTML(
    "afterbegin",
    '<div class="kept-here" role="status"><p>This is not on the phone; it opens when the signal is back.</p></div>',
  );
  return pad.outerHTML;
};

async function judged(ctx) {
  const form = ctx.request.form;
  const expected = form?.querySelector("[data-expected]")?.textContent.trim();
  return fragment(
    `<div id="verdict" aria-live="polite"><p class="pt-2 text-[15px]"><span class="shape-wait" aria-hidden="true"></span>Judged when the signal is back${expected && /expected/.test(expected) ? `: ${escaped(expected)}` : ""}.</p></div>`,
  );
}

let asking = false;
async function probe() {
  if (asking) return;
  asking = true;
  try {
    await queue.ask("/healthz", { cache: "no-store", signal: AbortSignal.timeout(6000) });
    const was = missed;
    missed = 0;
    if (was) queue.soon();
    if (!["signed out", "ended", "other"].includes(queue.status().state)) queue.setState("idle");
  } catch (error) {
    missed = Date.now();
    if (queue.status().state !== "update") queue.setState(error instanceof queue.NotOurs ? "not ours" : "no signal");
  } finally {
    asking = false;
  }
}

document.addEventListener("htmx:before:request", (event) => {
  const { ctx } = event.detail;
  const { request } = ctx;
  const isKeeping = Boolean(queue.status().keeper);
  if (isRecord(request.action, request.method) && isKeeping) {
    clearTimeout(ctx.requestTimeout);
    ctx.fetch = kept;
  } else if (isRecord(request.action, request.method) && request.body instanceof FormData) {
    ctx.fetch = async (action, asked) => fetch(action, { ...asked, body: await withSmallPhoto(asked.body) });
  } else if (isKeeping && /\/judge$/.test(request.action)) {
    ctx.fetch = async (action, asked) => {
      if (isMissing()) return judged(ctx);
      try {
        return await queue.ask(action, asked);
      } catch (error) {
        if (error.name === "AbortError" && asked.signal?.reason !== "timeout") throw error;
        missed = Date.now();
        return judged(ctx);
      }
    };
  } else if (isKeeping && request.method === "GET" && !/\/others(\?|$)/.test(request.action)) {
    clearTimeout(ctx.requestTimeout);
    ctx.fetch = got;
  }
});

// A form that leaves the page is kept the same way, and the page goes where the answer leads.
document.addEventListener("submit", async (event) => {
  const form = event.target;
  if (form.hasAttribute("hx-post") || !queue.status().keeper || event.defaultPrevented) return;
  if (!isRecord(form.action, form.method.toUpperCase())) return;
  event.preventDefault();
  const path = new URL(form.action, location.href).pathname;
  const body = new FormData(form, event.submitter);
  const { item, answer } = await keepAndSend({
    path,
    request: { body },
    form,
    submitter: event.submitter,
    headers: {},
  });
  if (answer?.status >= 400) location.reload();
  else if (answer) location.assign(answer.headers.get("Location") ?? location.href);
  else form.insertAdjacentHTML("beforeend", `<p class="kept-here" role="status">${keptLine(item)}</p>`);
});

// Signed out, nothing of theirs is open here any more: shut before the page leaves, in every page of this phone.
document.addEventListener("submit", async (event) => {
  const form = event.target;
  if (!/\/sign-out$/.test(form.action) || !html.dataset.person) return;
  event.preventDefault();
  await shut(html.dataset.person).catch(() => {});
  form.submit();
});
onShut(async () => {
  await queue.findKeeper(html.dataset.person ?? queue.status().keeper?.person);
  await showLine();
  await setUpPage(html.dataset.person);
});
// A page the browser had put by may be of somebody who has signed out since.
window.addEventListener("pageshow", (event) => event.persisted && location.reload());

// What came home while this page was open shows up by itself.
document.addEventListener("plentar:came", ({ detail }) => {
  const live = document.querySelector("[data-changes]");
  if (callOf(detail.path) === callOf(location.pathname) && live) window.htmx?.trigger(live, "others-moved");
});

async function begin() {
  if (!isPossible()) return setUpPage(null);
  await wake();
  html.dataset.skew = String(serverNow() - Date.now());
  const isShell = html.dataset.shell !== undefined;
  const current = isShell ? await (await database()).get("facts", "current") : null;
  const person = html.dataset.person ?? current?.person;
  if (current?.zone) html.dataset.zone = current.zone;
  if (!person) return showLine();
  // The worker is for phones that were made ready: nobody else's first page pays for the shell.
  if (await vaultOf(person)) startWorker();
  const found = await queue.findKeeper(person);
  if (isShell) {
    missed = Date.now();
    await openShell(person, current);
  } else {
    const vault = await vaultOf(person);
    const was = held();
    if (!vault && was?.person === person) await noteLost(was);
    if (found) {
      probe();
      queue.soon();
      refresh().catch(() => {});
    }
  }
  await showLine();
  await setUpPage(person);
  html.dataset.ready = "";
}

async function noteLost(was) {
  await (await database()).put("facts", was, "lost");
  forgetHeld();
}

queue.onChange(() => showLine());
window.addEventListener("online", () => {
  missed = 0;
  probe();
});
window.addEventListener("offline", () => {
  missed = Date.now();
  queue.setState("no signal");
});
setInterval(() => {
  if (isOver()) queue.findKeeper(queue.status().keeper?.person).then(() => location.reload());
  if (queue.status().keeper && (missed || queue.status().state === "no signal" || queue.status().state === "not ours"))
    probe();
  html.dataset.skew = String(serverNow() - Date.now());
}, 5000);
// A call's own copy is fetched anew once its work has rested a while.
let rest = 0;
document.addEventListener("htmx:after:request", () => {
  clearTimeout(rest);
  rest = setTimeout(() => queue.status().keeper && !isMissing() && refresh().catch(() => {}), 15_000);
});
document.addEventListener("htmx:after:swap", () => showLine());
begin();
