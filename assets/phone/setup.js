// How ready this phone is without signal, said plainly, and how it is made so.

import { bundleState, refresh } from "./bundle.js";
import { escaped } from "./html.js";
import { showLine } from "./line.js";
import * as queue from "./queue.js";
import { WHY } from "./shell.js";
import * as store from "./store.js";
import { clock, day, dayClock } from "./time.js";

const megabytes = (bytes) => `${(bytes / 1e6).toFixed(1)} MB`;
const place = () => document.querySelector("#phone-page");

export const startWorker = () => navigator.serviceWorker?.register("/sw.js").catch(() => {});

export async function setUpPage(person) {
  if (!place()) return hint(person);
  if (!person || !store.isPossible() || !("serviceWorker" in navigator)) {
    place().innerHTML = `<p class="problem">This browser keeps nothing for later here${globalThis.isSecureContext ? "" : ": the address is not a safe one (https)"}. Everything is sent as you press, as long as there is signal.</p>`;
    return;
  }
  const vault = await store.vaultOf(person);
  const lost = await (await store.database()).get("facts", "lost");
  const note = lost
    ? `<div class="problem pb-3" role="alert"><p><b>This browser has cleared the data saved here.</b> Last noted ${dayClock(lost.at)}: ${lost.waiting ? `${lost.waiting} entries that had not been sent are lost` : "nothing waited to be sent"}; ${lost.aboard} pages taken along are gone.</p><p><button type="button" class="plain underline" id="lost-seen">Seen</button></p></div>`
    : "";
  if (!vault) place().innerHTML = note + fresh();
  else if (!queue.status().keeper) place().innerHTML = note + shut(vault);
  else place().innerHTML = note + (await ready(person, vault));
  wire(person);
}

async function hint(person) {
  const line = document.querySelector("#ready-line");
  if (!line || !person) return;
  const vault = await store.vaultOf(person);
  const bundle = vault && (await bundleState(person));
  line.hidden = false;
  line.innerHTML = !vault
    ? '<a class="underline" href="/phone">Make this phone ready without signal</a>'
    : !queue.status().keeper
      ? '<a class="underline" href="/phone">Type your PIN</a> to keep work on this phone'
      : `<a class="underline" href="/phone">Ready without signal</a>${bundle.at ? ` since ${dayClock(bundle.at)}` : ""}, ${bundle.calls.length} call${bundle.calls.length === 1 ? "" : "s"}, ${megabytes(bundle.size)}`;
}

const pinFields = (what, two, hasWords = two) => `<form id="${what}" class="grid max-w-xs gap-2 pt-3" novalidate>
  <label class="font-semibold" for="${what}-pin">${two ? "A PIN of six digits or more, or a few words" : "PIN"}</label><input class="field" id="${what}-pin" name="pin" type="password"${hasWords ? "" : ' inputmode="numeric"'} maxlength="64" autocomplete="off">
  ${two ? `<label class="font-semibold" for="${what}-again">Repeat it</label><input class="field" id="${what}-again" name="again" type="password" maxlength="64" autocomplete="off">` : ""}
  <p class="problem" role="alert" hidden></p><button class="primary">${two ? "Make this phone ready" : "Open"}</button></form>`;

const fresh =
  () => `<p class="max-w-xl text-[16px]">Today's calls are saved on this phone, with nameplates, boards and expected readings. What you enter without signal is saved here and sent when the signal is back.</p>
  ${pinFields("set-pin", true)}${plain()}`;
const shut = (vault) =>
  vault.fails >= store.MOST_TRIES
    ? `<p class="problem">Five wrong PINs. You are signed in with signal, so you can set a new PIN. Unsent entries stay.</p>${pinFields("new-pin", true)}`
    : `<p>Saved on this phone and locked. Enter the PIN to open it.</p>${WHY[store.whyShut()] ?? ""}${pinFields("open-pin", false, vault.hasWords)}<details class="more"><summary>Forgot the PIN</summary><p class="text-[14px]">Signed in with signal, you set a new one here; what waits stays.</p>${pinFields("new-pin", true)}</details>`;
// For a phone that is given away, or was signed out from elsewhere and is to be set up anew.
const off = (waiting) =>
  `<details class="more"><summary>Remove everything from this phone</summary><p class="text-[14px]">${waiting ? `${waiting} unsent entries will be lost. Save them as a file first.` : "Nothing waits to be sent."}</p><p class="flex flex-wrap gap-3">${waiting ? '<button type="button" class="secondary" data-save>Save as a file</button>' : ""}<button type="button" class="secondary" id="take-off">Take it off</button></p></details>`;
const plain = () =>
  `<p class="max-w-xl pt-6 text-[14px] text-soft">What is kept here is sealed with the PIN and with this device together. A phone that is out of contact cannot be wiped from afar: if this one is lost, sign it out under your name on another device; from then on the server takes nothing from it. Five wrong PINs lock it until it has signal. Someone with this phone and hours of time can still try every six-digit PIN. A longer PIN, or a few words, takes them far longer.</p>`;

// By day and time, as the week has them; a call begun here without signal has no hour yet.
function callList(calls) {
  const days = new Map();
  for (const call of [...calls].sort((one, other) => (one.at ?? 0) - (other.at ?? 0))) {
    const name = call.at ? day(call.at) : "Started on this phone";
    days.set(name, [...(days.get(name) ?? []), call]);
  }
  const row = (call) =>
    `<li><a class="row-pick" href="/calls/${call.id}"><b class="numeral">${call.at ? clock(call.at) : ""}</b><span><b>${escaped(call.place)}</b> <span class="text-[15px]">${escaped(call.complaint ?? "")}</span></span>${call.mine || !call.by ? "" : `<span class="text-[14px] text-soft">${escaped(call.by)}</span>`}</a></li>`;
  return [...days]
    .map(([name, rows]) => `<h2 class="start-head">${name}</h2><ul class="phone-calls">${rows.map(row).join("")}</ul>`)
    .join("");
}

document.addEventListener("plentar:progress", ({ detail: { done, all, what } }) => {
  const line = document.querySelector("#taking");
  if (!line) return;
  line.innerHTML =
    done < all
      ? `<progress value="${done}" max="${all}" aria-label="Getting ready"></progress> Getting ready: <b class="numeral">${done} of ${all}</b> · ${escaped(what)}`
      : "";
});

async function ready(person, vault) {
  const bundle = await bundleState(person);
  const granted = (await navigator.storage?.persisted?.()) || (await navigator.storage?.persist?.()) || false;
  const { quota = 0, usage = 0 } = (await navigator.storage?.estimate?.()) ?? {};
  const items = await queue.mine();
  const waiting = items.filter((item) => item.state === "waiting").length;
  return `<p class="text-[18px]"><b>Ready without signal</b> ${bundle.at ? `since ${dayClock(bundle.at)}` : "once the calls are on it"}</p>
    <dl class="phone-facts"><dt>Waiting to be sent</dt><dd class="numeral">${waiting}</dd>
    <dt>Saved calls</dt><dd><b class="numeral">${bundle.calls.length}</b> call${bundle.calls.length === 1 ? "" : "s"}, <span class="numeral">${megabytes(bundle.size)}</span> of 25 MB</dd>
    <dt>Storage</dt><dd>${granted ? "granted: the browser will not clear it by itself" : "not promised: a browser short of room may clear it. Send before that; what was lost is said here"}, <span class="numeral">${megabytes(usage)}</span> of <span class="numeral">${megabytes(quota)}</span></dd>
    <dt>Set up</dt><dd>${dayClock(vault.since)}</dd></dl>
    <p id="taking" class="text-[15px]" role="status"></p>
    ${callList(bundle.calls)}
    <p class="flex flex-wrap gap-3 pt-3"><button type="button" class="secondary" id="take-again">Save again</button>${bundle.wirings ? "" : '<button type="button" class="secondary" id="take-wirings">Wirings for new places, 1 MB</button>'}<button type="button" class="plain underline" id="shut-now">Shut with the PIN now</button></p>${plain()}${off(waiting)}`;
}

async function keysOf(phone) {
  const body = new URLSearchParams({ phone, csrf_token: place().dataset.csrf });
  const answer = await fetch("/phone/key", { method: "POST", body });
  if (!answer.ok)
    throw new Error(
      answer.status === 403
        ? "This phone was signed out from elsewhere. Clear the browser's data for this address, then set it up anew."
        : "The server does not answer: try again with signal.",
    );
  return answer.json();
}

function wire(person) {
  const on = (id, action) =>
    document.getElementById(id)?.addEventListener("submit", (event) => {
      event.preventDefault();
      run(event.target, action);
    });
  on("set-pin", async (pin) => {
    const phone = crypto.randomUUID();
    const { person: id, name } = document.documentElement.dataset;
    await store.setUp(id, name, pin, { phone, ...(await keysOf(phone)) });
    startWorker();
  });
  on("open-pin", (pin) => store.openByPin(person, pin));
  on("new-pin", async (pin) => {
    const vault = await store.vaultOf(person);
    await store.openByServer(person, (await keysOf(vault.phone)).unlock, pin);
  });
  document.getElementById("take-wirings")?.addEventListener("click", async (event) => {
    event.target.disabled = true;
    await refresh({ wirings: true }).catch(() => {});
    await setUpPage(person);
  });
  document.getElementById("take-again")?.addEventListener("click", async (event) => {
    event.target.disabled = true;
    await refresh().catch(() => {});
    await setUpPage(person);
  });
  document.getElementById("shut-now")?.addEventListener("click", async () => {
    await store.shut(person);
    await queue.findKeeper(person);
    await setUpPage(person);
    await showLine();
  });
  document.getElementById("take-off")?.addEventListener("click", async () => {
    await store.takeOff(person);
    await queue.findKeeper(person);
    queue.setState("idle");
    await setUpPage(person);
    await showLine();
  });
  document.getElementById("lost-seen")?.addEventListener("click", async () => {
    await (await store.database()).delete("facts", "lost");
    await setUpPage(person);
  });
}

async function run(form, action) {
  const problem = form.querySelector(".problem");
  const say = (words) => {
    problem.textContent = words;
    problem.hidden = false;
  };
  const { pin, again } = form.elements;
  if (again && pin.value.trim().length < 6) return say("at least six digits or letters");
  if (again && pin.value !== again.value) return say("the two entries differ");
  const button = form.querySelector("button");
  button.disabled = true;
  const person = document.documentElement.dataset.person;
  try {
    await action(pin.value);
    await queue.findKeeper(person);
    queue.soon();
    await setUpPage(person);
    await refresh();
  } catch (error) {
    button.disabled = false;
    if (error instanceof store.WrongPin) return say(`Wrong PIN. ${error.message} left.`);
    if (!(error instanceof store.LockedPin)) return say(error.message);
  }
  await setUpPage(person);
  return showLine();
}
