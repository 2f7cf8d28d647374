// What is typed but not kept survives a reload, a closed tab or a dead battery: every field of every form that is sent.
// The pad's number goes with its point; a password and a file never stay.
const place = () => `drafts ${location.pathname}`;
const LEFT_OUT = /^(csrf_token|next|point|panel|version|hand|.*_id|id)$/;

const read = () => JSON.parse(sessionStorage.getItem(place()) ?? "{}");
function write(drafts) {
  if (Object.keys(drafts).length) sessionStorage.setItem(place(), JSON.stringify(drafts));
  else sessionStorage.removeItem(place());
}

// Two forms may be sent to one address: what they carry hidden tells them apart.
function keyOf(form) {
  const carried = [...form.querySelectorAll("input[type=hidden]")].filter((field) => !LEFT_OUT.test(field.name));
  return [form.getAttribute("action"), ...carried.map((field) => `${field.name}=${field.value}`)].join(" ");
}

const isKept = (field) =>
  field.name &&
  !LEFT_OUT.test(field.name) &&
  !/^(hidden|password|file|submit|button|reset)$/.test(field.type) &&
  !field.matches(".entry");
const isSent = (form) => form?.method === "post";
const isTick = (field) => field.type === "checkbox" || field.type === "radio";

document.addEventListener("input", ({ target }) => {
  const form = target.form;
  if (!isSent(form) || !isKept(target)) return;
  const drafts = read();
  const fields = [...form.elements].filter(isKept);
  drafts[keyOf(form)] = fields.map((field) => [field.name, field.value, isTick(field) ? field.checked : null]);
  write(drafts);
});

const isUntouched = (field) =>
  field.matches("select")
    ? [...field.options].every((option) => option.selected === option.defaultSelected) ||
      ![...field.options].some((option) => option.defaultSelected)
    : isTick(field)
      ? field.checked === field.defaultChecked
      : field.value === field.defaultValue;

function bringBack(root) {
  const drafts = read();
  if (!Object.keys(drafts).length) return;
  for (const form of root.querySelectorAll("form")) {
    const kept = isSent(form) && drafts[keyOf(form)];
    if (!kept) continue;
    for (const [name, value, checked] of kept) {
      for (const field of form.querySelectorAll(`[name="${CSS.escape(name)}"]`)) {
        if (!isKept(field) || !isUntouched(field)) continue;
        if (checked === null && field.value !== value) field.value = value;
        else if (checked !== null && field.value === value) field.checked = checked;
      }
    }
  }
}

function forget(form) {
  const drafts = read();
  delete drafts[keyOf(form)];
  write(drafts);
}

document.addEventListener("htmx:after:request", (event) => {
  const { request, response, sourceElement } = event.detail.ctx;
  const form = sourceElement?.closest?.("form");
  // Judging a number on its way sends the form too, from its field: that keeps nothing.
  const isSending = sourceElement?.matches?.("form, button") && request.method === "POST";
  if (form && isSending && response.status < 400) forget(form);
});

// A plain form leaves the page: its draft goes when another page arrives, not when this one is loaded again.
document.addEventListener("submit", ({ target }) => {
  if (isSent(target) && !target.hasAttribute("hx-post")) {
    sessionStorage.setItem("draft sent", JSON.stringify([place(), keyOf(target)]));
  }
});
document.addEventListener("DOMContentLoaded", () => {
  const sent = JSON.parse(sessionStorage.getItem("draft sent") ?? "null");
  sessionStorage.removeItem("draft sent");
  const [entry] = performance.getEntriesByType("navigation");
  if (sent && entry?.type === "navigate" && (entry.responseStatus ?? 200) < 400) {
    const drafts = JSON.parse(sessionStorage.getItem(sent[0]) ?? "{}");
    delete drafts[sent[1]];
    sessionStorage.setItem(sent[0], JSON.stringify(drafts));
  }
  bringBack(document);
});
for (const came of ["htmx:after:swap", "plentar:page"]) document.addEventListener(came, () => bringBack(document));

// The pad's number: one a page, with the point it belongs to.
const entryKey = () => `draft ${location.pathname}`;
document.addEventListener("input", (event) => {
  if (!event.target.matches(".entry")) return;
  const point = event.target.form.elements.point.value;
  sessionStorage.setItem(entryKey(), JSON.stringify({ point, value: event.target.value }));
});
document.addEventListener("htmx:after:request", (event) => {
  const { request, response } = event.detail.ctx;
  if (request.method === "POST" && /\/readings$/.test(request.action) && response?.status === 200) {
    sessionStorage.removeItem(entryKey());
  }
});
for (const came of ["DOMContentLoaded", "plentar:page"])
  document.addEventListener(came, () => {
    const entry = document.querySelector(".entry");
    const draft = JSON.parse(sessionStorage.getItem(entryKey()) ?? "null");
    if (entry && draft?.value && draft.point === entry.form.elements.point.value && !entry.value) {
      entry.value = draft.value;
      entry.dispatchEvent(new Event("input", { bubbles: true }));
    }
  });
