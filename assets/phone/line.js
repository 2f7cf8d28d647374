// The small count by the clock, the list behind it, and one calm line about where things stand.
import { escaped } from "./html.js";
import { callOf } from "./layout.js";
import { asFile, drop, keepForm, mine, othersWaiting, soon, status } from "./queue.js";
import { clock, heardAt } from "./time.js";

const WORDS = {
  "no signal": (since) => `No signal${since}. What you enter is saved on this phone and sent when the signal is back.`,
  "not ours": () =>
    "The network shows its own sign-in page. Sign in to it, or wait. What you enter is saved on this phone.",
  "signed out": () => "You are signed out on the server. Sign in again to send what is waiting here.",
  ended: () => "This phone was signed out from another device and can't send. Save what is waiting as a file.",
  other: () => "Entries of another person are waiting here. They are sent when that person signs in.",
  update: () => "The server has a newer version of Plentar. Reload this page to continue. Nothing is lost.",
};
const TOLD = { waiting: "waits", sent: "sent", aside: "not accepted", refused: "refused" };

// What is struck out stays on record with the reason, like anything else; these are the kinds that can be.
const idOf = (item) =>
  /\/(readings|photos|marks)$/.test(item.path) ? item.fields.find(([name]) => /_id$/.test(name))?.[1] : null;

let last = [0, 0];
export async function showLine() {
  // A swap takes the count away with its strip: it is back at once, and right a moment later.
  place(...last);
  const { state, keeper } = status();
  const items = keeper ? await mine() : [];
  const waiting = items.filter((item) => item.state === "waiting");
  const trouble = items.filter((item) => item.state === "aside" || item.state === "refused");
  last = [waiting.length, trouble.length];
  place(...last);
  const line = document.querySelector("#signal");
  if (line) {
    const since = heardAt() ? ` since ${clock(heardAt())}` : "";
    const words = keeper || state === "update" ? WORDS[state]?.(since) : "";
    line.hidden = !words;
    document.body.toggleAttribute("data-kept", Boolean(words));
    if (words && line.dataset.words !== words) {
      line.dataset.words = words;
      line.innerHTML = `<span>${escaped(words)}</span>${state === "signed out" || state === "other" ? ' <a class="underline" href="/sign-in">Sign in</a>' : state === "update" ? ' <a class="underline" href="">Load again</a>' : state === "ended" ? ' <button type="button" class="plain underline" data-save>Save as a file</button>' : ""}`;
    }
  }
  stale(waiting.some((item) => callOf(item.path) === callOf(location.pathname) && callOf(item.path)));
  await list(items);
}

// Suspects and the next test are of what the server knew: said so while something of this call waits.
function stale(isStale) {
  const box = document.querySelector("#findings");
  const note = document.querySelector("#stale-note");
  // What the server would take back is not the last thing done here.
  document.body.toggleAttribute("data-stale", isStale);
  if (!isStale || !box) note?.remove();
  else if (!note)
    box.insertAdjacentHTML(
      "afterbegin",
      '<p id="stale-note" class="pb-2 text-[14px] text-soft">As the server last knew it: what waits on this phone is not in it.</p>',
    );
}

function place(waiting, trouble) {
  let button = document.querySelector("#waits");
  if (!waiting && !trouble) {
    button?.remove();
    return;
  }
  const home = document.querySelector("#strip .strip-form") ?? document.querySelector("header.top");
  if (!home) return;
  if (!button || button.parentElement !== home) {
    button?.remove();
    button = document.createElement("button");
    Object.assign(button, { type: "button", id: "waits", className: "waits" });
    button.setAttribute("popovertarget", "waiting");
    const before = home.querySelector(".clock");
    if (before) before.before(button);
    else home.append(button);
  }
  const words = [
    waiting ? `${waiting} ${waiting === 1 ? "waits" : "wait"}` : "",
    trouble ? `${trouble} to look at` : "",
  ]
    .filter(Boolean)
    .join(", ");
  if (button.dataset.words !== words) {
    button.dataset.words = words;
    button.setAttribute("aria-label", `On this phone: ${words}`);
    button.innerHTML = `<span class="narrow numeral">${waiting || trouble}<svg viewBox="0 0 10 12" aria-hidden="true"><path d="M5 11V2M1.5 5.5L5 2l3.5 3.5"/></svg></span><span class="wide">${words}</span>`;
  }
  button.toggleAttribute("data-trouble", trouble > 0);
}

async function list(items) {
  const box = document.querySelector("#waiting");
  if (!box) return;
  const shown = items.filter((item) => item.state !== "sent").slice(-60);
  const others = await othersWaiting().catch(() => 0);
  const struck = new Set(items.map((item) => item.path.match(/\/strike\/([^/]+)$/)?.[1]));
  const rows = shown
    .map(
      (
        item,
      ) => `<li class="wait-row wait-${item.state}"><b class="numeral">${clock(item.made.wall)}</b><span><b>${escaped(item.said.words)}</b>${item.said.value ? ` <span class="numeral">${escaped(item.said.value)}</span>` : ""}
      ${item.why ? `<small>${escaped(item.why)}</small>` : ""}</span><i>${TOLD[item.state]}</i>
      ${item.state === "waiting" && idOf(item) && !struck.has(idOf(item)) ? `<button type="button" class="plain underline" data-strike="${item.number}">Delete</button>` : ""}
      ${item.state === "aside" || item.state === "refused" ? `<button type="button" class="plain underline" data-leave="${item.number}">OK</button>` : ""}</li>`,
    )
    .join("");
  const html = `<p class="pb-1 text-[16px] font-bold">On this phone</p>
    ${rows ? `<ol>${rows}</ol>` : '<p class="text-soft">Nothing waits: all of it is on the server.</p>'}
    ${others ? `<p class="pt-2 text-[14px] text-soft">${others} more of another person on this phone, shown and sent when they sign in.</p>` : ""}
    <p class="flex gap-4 pt-2"><button type="button" class="secondary" data-send>Send now</button><button type="button" class="plain underline" data-save>Save as a file</button>
    <a class="inline-flex min-h-[44px] items-center underline" href="/phone">Without signal</a></p>`;
  if (box.dataset.html !== html) {
    box.dataset.html = html;
    box.innerHTML = html;
  }
}

document.addEventListener("click", async (event) => {
  const target = event.target.closest?.("[data-leave], [data-send], [data-save], [data-strike]");
  if (!target) return;
  if ("send" in target.dataset) soon();
  if ("save" in target.dataset) save(await asFile());
  if ("strike" in target.dataset) {
    const item = (await mine()).find((each) => each.number === Number(target.dataset.strike));
    const path = `/calls/${callOf(item.path)}/strike/${idOf(item)}`;
    const fields = [
      ["reason", "voided on the phone before it was sent"],
      ["strike_id", crypto.randomUUID()],
    ];
    const said = { words: `Voided: ${item.said.words} ${item.said.value}`.trim(), value: "" };
    await keepForm({ path, fields, said });
    soon();
  }
  if ("leave" in target.dataset) {
    const item = (await mine()).find((each) => each.number === Number(target.dataset.leave));
    if (item?.state === "refused") save(await asFile());
    if (item) await drop(item);
  }
});

function save(text) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type: "application/json" }));
  link.download = "plentar-waiting.json";
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
