// Somebody else's work shows up by itself. A page asks for one number, the last event's; only when it moved does the
// page fetch what changed. Two seconds apart, a little uneven so that pages do not ask in step; ten only while nobody can
// see it, or nobody has touched it and nothing has moved for five minutes.
const [OFTEN, SELDOM, IDLE, JITTER] = [1900, 10_000, 300_000, 0.1];
let [touched, moved, asked] = [Date.now(), Date.now(), 0];
let [timer, failures, asking] = [0, 0, false];

const isQuiet = () => document.hidden || (Date.now() - touched > IDLE && Date.now() - moved > IDLE);
function later() {
  clearTimeout(timer);
  const base = isQuiet() ? SELDOM : OFTEN;
  timer = setTimeout(ask, base * (1 - JITTER + 2 * JITTER * Math.random()));
}

async function ask() {
  const part = document.querySelector("[data-changes]");
  if (!part || asking) return later();
  asking = true;
  asked = Date.now();
  const version = part.dataset.version;
  try {
    const headers = { "If-None-Match": `"${version}"` };
    const answer = await fetch(part.dataset.changes, { headers, cache: "no-store", signal: AbortSignal.timeout(8000) });
    if (answer.status >= 500) throw new Error(String(answer.status));
    failures = 0;
    if (answer.status === 200) {
      moved = Date.now();
      const now = document.querySelector("[data-changes]");
      if (now?.dataset.version === version) window.htmx?.trigger(now, "others-moved");
    }
  } catch {
    failures += 1;
  } finally {
    asking = false;
    const line = document.querySelector("#lost");
    // One answer that did not come is a truck passing; two are worth a line.
    if (line) line.hidden = failures < 2;
    later();
  }
}

const soon = () => {
  const was = isQuiet();
  touched = Date.now();
  if (was && Date.now() - asked > OFTEN) ask();
};
for (const kind of ["pointerdown", "keydown", "wheel"]) document.addEventListener(kind, soon, { passive: true });
document.addEventListener("visibilitychange", () => {
  if (document.hidden) later();
  else ask();
});
window.addEventListener("online", ask);
for (const came of ["DOMContentLoaded", "plentar:page"]) document.addEventListener(came, later);
