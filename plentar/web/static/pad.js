// The pad: a number never lands at another point than the one shown when it was typed.
const $ = (selector, root = document) => root.querySelector(selector);
const isTyping = (target) => target.closest("input, textarea, select, dialog") !== null;

// Between a tap on the board and the pad that belongs to it nothing may be typed into the old one: a number must never
// land at the point before. Digits pressed meanwhile wait for the new pad; another request's end does not end the wait.
let waiting = "";
let isToBeKept = false;
let pending = null;
document.addEventListener("htmx:before:request", (event) => {
  const { request, target } = event.detail.ctx;
  if (target?.id === "pad" && !/\/readings$/.test(request.action)) {
    target.inert = true;
    // The same place tapped once more is the same wait: what was pressed for it stays.
    if (pending?.request.action !== request.action) [waiting, isToBeKept] = ["", false];
    pending = event.detail.ctx;
  }
});
function handOver() {
  const entry = $(".entry");
  if (!waiting || !entry || $("#pad")?.inert) return;
  // What was pressed since the new pad came stands behind what waited for it.
  entry.value = waiting + entry.value;
  entry.focus();
  entry.dispatchEvent(new Event("input", { bubbles: true }));
  const isKept = isToBeKept;
  [waiting, isToBeKept] = ["", false];
  // Enter after the digits keeps the number, where it was typed for; not from inside the swap that brought the pad.
  if (isKept) setTimeout(() => entry.form.requestSubmit());
}
document.addEventListener("htmx:after:swap", handOver);
document.addEventListener("htmx:finally:request", (event) => {
  if (event.detail.ctx !== pending) return;
  pending = null;
  const pad = $("#pad");
  if (pad) pad.inert = false;
  handOver();
  [waiting, isToBeKept] = ["", false];
});

// A call switched on while a number is half typed brings a new pad for the same point: the number goes along.
let half = null;
document.addEventListener("htmx:before:swap", (event) => {
  const entry = $(".entry");
  const sent = /\/readings$/.test(event.detail?.ctx?.request?.action ?? "");
  half = entry?.value && !sent ? { point: entry.form.elements.point.value, value: entry.value } : null;
});
document.addEventListener("htmx:after:swap", () => {
  const entry = $(".entry");
  if (half && entry && !entry.value && entry.form.elements.point.value === half.point) {
    entry.value = half.value;
    entry.dispatchEvent(new Event("input", { bubbles: true }));
  }
  half = null;
});

// A digit pressed anywhere on the call is the beginning of a number; Escape leaves it.
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key === "Escape" && event.target.matches?.(".entry")) {
    event.target.blur();
    return;
  }
  if (waiting && event.key === "Enter" && !isTyping(event.target)) {
    // Else it would tap again what has the focus, and the number would be gone.
    event.preventDefault();
    isToBeKept = true;
    return;
  }
  if (isTyping(event.target) || isToBeKept || !/^[0-9.,]$/.test(event.key)) return;
  if ($("#pad")?.inert) waiting += event.key;
  else $(".entry")?.focus(); // the digit lands in the field that now has the focus
});

document.addEventListener("click", (event) => {
  const key = event.target.closest(".keys button");
  if (key) press(key.value);
  const typed = event.target.closest("[data-type]")?.dataset.type;
  if (typed === "OL") $(".entry").value = "";
  for (const letter of typed ?? "") press(letter);
});

// The pad's own keys, for gloves: big, and without the phone's keyboard over the circuit.
function press(value) {
  const entry = $(".entry");
  entry.value = value === "back" ? entry.value.slice(0, -1) : entry.value + value;
  entry.dispatchEvent(new Event("input", { bubbles: true }));
}

// Digits typed in the moment between a pad's arrival and its wiring are judged too: once for each text.
document.addEventListener("htmx:finally:request", () => {
  const entry = $(".entry");
  const verdict = $("#verdict");
  if (!entry?.value || !verdict || verdict.childElementCount || entry.dataset.nudged === entry.value) return;
  entry.dataset.nudged = entry.value;
  entry.dispatchEvent(new Event("input", { bubbles: true }));
});

function settle() {
  const entry = $(".entry");
  if (entry && matchMedia("(pointer: coarse)").matches) entry.inputMode = "none";
}
document.addEventListener("htmx:after:settle", settle);
for (const came of ["DOMContentLoaded", "plentar:page"]) document.addEventListener(came, settle);
