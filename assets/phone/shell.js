// The page that opens without the server: after the PIN it is filled from what this phone keeps.

import { bundleState } from "./bundle.js";
import { escaped } from "./html.js";
import { callOf, pageFor, renewIds, todayPage } from "./layout.js";
import { showLine } from "./line.js";
import { newCallForm } from "./newcall.js";
import * as queue from "./queue.js";
import { LockedPin, MOST_TRIES, openByPin, vaultOf, whyShut } from "./store.js";

// Why what was open is not any more.
export const WHY = {
  clock:
    '<p class="pt-1" role="status">By this phone\'s clock more than twelve hours have passed, or the clock was moved.</p>',
  time: '<p class="pt-1" role="status">Twelve hours have passed since the PIN was typed.</p>',
};

const room = () => document.querySelector("#shell");

export async function openShell(person, current) {
  const vault = person && (await vaultOf(person));
  if (!vault) {
    room().innerHTML = `<h1 class="text-2xl font-bold">No signal</h1><p class="pt-2">The server does not answer, and no Plentar data is saved on this phone.</p>${again()}`;
    return;
  }
  queue.setState("no signal");
  if (queue.status().keeper) await fill(person);
  else askPin(person, vault, current?.name ?? vault.name);
}

const again = () =>
  '<p class="pt-4"><a class="primary inline-flex items-center no-underline" href="">Try again</a></p>';

function askPin(person, vault, name) {
  const isLocked = vault.fails >= MOST_TRIES;
  room().innerHTML = `<h1 class="text-2xl font-bold">No signal</h1>
    <p class="pt-1">${escaped(name)}'s calls are on this phone.</p>${WHY[whyShut()] ?? ""}
    <form id="pin" class="grid max-w-xs gap-2 pt-4"${isLocked ? " hidden" : ""}><label class="font-semibold" for="pin-field">PIN</label>
    <input class="field" id="pin-field" name="pin" type="password"${vault.hasWords ? "" : ' inputmode="numeric"'} autocomplete="off" maxlength="64" required>
    <p class="problem" id="pin-problem" role="alert" hidden></p><button class="primary">Open</button></form>
    <p id="pin-locked" class="problem pt-3"${isLocked ? "" : " hidden"}>Five wrong PINs. Locked until this phone has signal and you sign in. Unsent entries stay here.</p>${again()}`;
  const form = room().querySelector("#pin");
  form.elements.pin.focus();
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    const problem = room().querySelector("#pin-problem");
    try {
      await openByPin(person, form.elements.pin.value);
      await queue.findKeeper(person);
      await fill(person);
    } catch (error) {
      form.elements.pin.value = "";
      if (error instanceof LockedPin) {
        form.hidden = true;
        room().querySelector("#pin-locked").hidden = false;
        return;
      }
      problem.hidden = false;
      problem.textContent = `Wrong PIN. ${error.message} ${error.message === "1" ? "try" : "tries"} left.`;
    }
  });
}

async function fill(person) {
  const url = new URL(location.href);
  const page = callOf(url.pathname) ? await pageFor(url) : null;
  if (page) return show(page.title, page.body);
  if (/^\/(today)?$/.test(url.pathname)) {
    const kept = await todayPage();
    if (kept) {
      const drawn = new DOMParser().parseFromString(kept, "text/html");
      return show(drawn.title, drawn.body);
    }
  }
  if (url.pathname === "/calls/new") {
    await showLine();
    return newCallForm(room());
  }
  const { calls } = await bundleState(person);
  const rows = calls
    .map((call) => `<li><a class="row-pick" href="/calls/${call.id}"><b>${escaped(call.place)}</b></a></li>`)
    .join("");
  room().innerHTML = `<h1 class="text-2xl font-bold">No signal</h1><p class="pt-1">This page is not on the phone. These calls are on it:</p><ul class="pt-3">${rows}</ul><p class="pt-3"><a class="secondary" href="/calls/new">New call</a></p>${again()}`;
  await showLine();
  return null;
}

// Put a kept page in this one's place: its parts wake as after any load.
function show(title, body) {
  document.title = title;
  document.body.replaceChildren(...[...body.childNodes].map((node) => document.importNode(node, true)));
  for (const part of document.body.querySelectorAll("[data-changes]")) part.removeAttribute("data-changes");
  renewIds(document.body);
  window.htmx?.process(document.body);
  document.dispatchEvent(new Event("plentar:page"));
  return showLine();
}
