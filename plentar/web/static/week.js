// Moving planned calls in the week: by dragging to a day and van, by Alt with an arrow; both send the call's own form.
const HALF_HOUR = 30;

function send(call, change) {
  const form = call.querySelector(".week-move form");
  if (!form) return;
  change(form.elements);
  form.requestSubmit();
}

let dragged = null;
document.addEventListener("dragstart", (event) => {
  dragged = event.target.closest?.("[data-call]");
  dragged?.classList.add("is-dragged");
});
document.addEventListener("dragend", () => {
  dragged?.classList.remove("is-dragged");
  dragged = null;
});
document.addEventListener("dragover", (event) => {
  if (dragged && event.target.closest?.("[data-day]")) event.preventDefault();
});
document.addEventListener("drop", (event) => {
  const cell = event.target.closest?.("[data-day]");
  if (!dragged || !cell) return;
  event.preventDefault();
  send(dragged, (fields) => {
    fields.on.value = cell.dataset.day;
    fields.technician.value = cell.dataset.van;
  });
});

function shifted(day, days) {
  const at = new Date(`${day}T12:00:00Z`);
  at.setUTCDate(at.getUTCDate() + days);
  return at.toISOString().slice(0, 10);
}

function later(time, minutes) {
  const [hour, minute] = time.split(":").map(Number);
  const at = Math.min(Math.max(hour * 60 + minute + minutes, 0), 23 * 60 + 30);
  return `${String(Math.floor(at / 60)).padStart(2, "0")}:${String(at % 60).padStart(2, "0")}`;
}

document.addEventListener("keydown", (event) => {
  const call = event.target.closest?.("[data-call]");
  if (!call || !event.altKey) return;
  const days = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  const minutes = { ArrowUp: -HALF_HOUR, ArrowDown: HALF_HOUR }[event.key];
  if (days === undefined && minutes === undefined) return;
  event.preventDefault();
  send(call, (fields) => {
    if (days !== undefined) fields.on.value = shifted(fields.on.value, days);
    else fields.at.value = later(fields.at.value, minutes);
  });
});

// Moved, a call keeps the keys.
const moved = new URLSearchParams(location.search).get("call");
if (moved) {
  const link = document.getElementById(`call-${moved}`)?.querySelector("a");
  link?.scrollIntoView({ block: "center" });
  link?.focus();
}
