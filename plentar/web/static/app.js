// Keyboard, clock, keypad and what must survive a swap. Every rule of the trade stays on the server.
const $ = (selector, root = document) => root.querySelector(selector);
const isTyping = (target) => target.closest("input, textarea, select, dialog") !== null;

// A phone's clock may be minutes off: count by the server's.
const skew = Date.parse(document.documentElement.dataset.now) - performance.timeOrigin - performance.now() || 0;
const serverNow = () => performance.timeOrigin + performance.now() + skew;

// The clock of the condition strip: the server says when, the page counts.
setInterval(() => {
  for (const clock of document.querySelectorAll("[data-since]")) {
    const seconds = Math.max(0, Math.floor((serverNow() - Date.parse(clock.dataset.since)) / 1000));
    const hours = Math.floor(seconds / 3600);
    const minutes = String(Math.floor((seconds % 3600) / 60)).padStart(hours ? 2 : 1, "0");
    clock.textContent = `${hours ? `${hours}:` : ""}${minutes}:${String(seconds % 60).padStart(2, "0")}`;
  }
}, 250);

// The patience clock: the server gives the limits, the page only tells the time against them.
setInterval(() => {
  for (const line of document.querySelectorAll(".patience")) {
    const { called, min, max, late, never } = line.dataset;
    const seconds = (serverNow() - Date.parse(called)) / 1000;
    const [state, words] =
      seconds < min
        ? ["early", `not before ${min} s`]
        : seconds < max
          ? ["window", `in its window, ${Math.ceil(max - seconds)} s left`]
          : seconds < late
            ? ["late", "past its window"]
            : seconds < never
              ? ["very-late", `late; did not close at ${never} s`]
              : ["never", "did not close"];
    line.dataset.state = state;
    $("i", line).style.width = `${Math.min(100, (100 * seconds) / never)}%`;
    const says = $(".patience-words", line);
    if (says.textContent !== words) says.textContent = words;
  }
  for (const left of document.querySelectorAll("[data-left]")) {
    left.dataset.until ??= Date.now() + 1000 * left.dataset.left;
    left.textContent = Math.max(0, Math.ceil((left.dataset.until - Date.now()) / 1000));
  }
}, 250);

// A large file shows how far it has gone; without scripts the form is sent as it is.
document.addEventListener("submit", (event) => {
  const form = event.target;
  if (!form.matches("[data-upload]")) return;
  event.preventDefault();
  const bar = $(".upload", form);
  const send = new XMLHttpRequest();
  bar.hidden = false;
  send.upload.addEventListener("progress", (step) => {
    $("progress", bar).value = (100 * step.loaded) / step.total;
    $(".upload-words", bar).textContent =
      `${(step.loaded / 1048576).toFixed(1)} of ${(step.total / 1048576).toFixed(1)} MB`;
  });
  send.upload.addEventListener("load", () => {
    $(".upload-words", bar).textContent = "reading the log";
  });
  send.addEventListener("load", () => {
    if (send.status < 400) {
      location.assign(send.responseURL);
      return;
    }
    // What is typed stays: only the page's own part is replaced by the answer's, which holds it.
    const answer = new DOMParser().parseFromString(send.responseText, "text/html");
    const part = answer.querySelector("#timing") ?? answer.querySelector("main");
    document.querySelector("#timing")?.replaceWith(document.importNode(part, true));
    window.htmx?.process(document.querySelector("main"));
  });
  send.addEventListener("error", () => {
    $(".upload-words", bar).textContent = "The network gave up. What is typed stays: press the button again.";
  });
  send.open("POST", form.action);
  send.send(new FormData(form));
});

// Day or attic: the page stays as it is, with everything that is typed and scrolled; the server is told for next time.
document.addEventListener("submit", (event) => {
  const form = event.target;
  if (!form.matches("[data-theme-form]")) return;
  event.preventDefault();
  const now = form.elements.theme.value;
  fetch(form.action, { method: "POST", body: new FormData(form), redirect: "manual" }).catch(() => {});
  document.documentElement.dataset.theme = now;
  form.elements.theme.value = now === "attic" ? "day" : "attic";
  $("button span", form).textContent = form.elements.theme.value;
});

// Bring the point under test into view, without moving anything that is already in sight.
function showSelected() {
  const spot = $("#board .spot[aria-current]") ?? $("#board .mark-on");
  const frame = $("#board .board-frame");
  if (!spot || !frame) return;
  const box = spot.getBoundingClientRect();
  const view = frame.getBoundingClientRect();
  if (box.left < view.left || box.right > view.right) {
    frame.scrollLeft += (box.left + box.right) / 2 - (view.left + view.right) / 2;
  }
  if (box.top < view.top || box.bottom > view.bottom) {
    frame.scrollTop += (box.top + box.bottom) / 2 - (view.top + view.bottom) / 2;
  }
  $("#runsheet [aria-current]")?.scrollIntoView({ block: "nearest", inline: "nearest" });
}

// Between a tap on the board and the pad that belongs to it nothing may be typed into the old one: a number must never
// land at the point before. Digits pressed meanwhile wait for the new pad.
let waiting = "";
document.addEventListener("htmx:before:request", (event) => {
  const { request, target } = event.detail.ctx;
  if (target?.id === "pad" && !/\/readings$/.test(request.action)) {
    target.inert = true;
    waiting = "";
  }
});
document.addEventListener("htmx:finally:request", () => {
  const pad = $("#pad");
  if (pad) pad.inert = false;
  const entry = $(".entry");
  if (waiting && entry) {
    entry.value = waiting;
    entry.focus();
    entry.dispatchEvent(new Event("input", { bubbles: true }));
  }
  waiting = "";
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

// Swapping the board must not lose the place of someone who is moving through it by keyboard or has scrolled it.
let keep = null;
document.addEventListener("htmx:before:swap", () => {
  const frame = $("#board .board-frame");
  if (!frame) return;
  const { point, terminal } = document.activeElement?.closest?.("#board .spot")?.dataset ?? {};
  keep = { left: frame.scrollLeft, top: frame.scrollTop, point, terminal };
});
document.addEventListener("htmx:after:swap", () => {
  const frame = $("#board .board-frame");
  if (!frame || !keep) return;
  applyZoom();
  frame.scrollLeft = keep.left;
  frame.scrollTop = keep.top;
  const held = keep.point
    ? `[data-point="${CSS.escape(keep.point)}"]`
    : keep.terminal && `[data-terminal="${CSS.escape(keep.terminal)}"]`;
  if (held) frame.querySelector(held)?.focus({ preventScroll: true });
  keep = null;
  showSelected();
});

// Somebody else's work shows up by itself, but never under what is being typed here.
const isDirty = (part) =>
  [...part.querySelectorAll("input, textarea, select")].some((field) =>
    field.matches("select")
      ? [...field.options].some((option) => option.selected !== option.defaultSelected)
      : field.type === "checkbox"
        ? field.checked !== field.defaultChecked
        : field.type !== "hidden" && field.value !== field.defaultValue,
  );
document.addEventListener("htmx:before:request", (event) => {
  const { sourceElement, target } = event.detail.ctx;
  if (!sourceElement?.matches?.("[data-poll]") || !target) return;
  if (isDirty(target) || (target.contains(document.activeElement) && isTyping(document.activeElement)))
    event.preventDefault();
});

// Zoom: buttons, wheel with Ctrl, two fingers. 1 is the size the screen gives by itself.
let scale = 1;
function applyZoom() {
  const frame = $("#board .board-frame");
  const ladder = $("#board .ladder");
  if (!frame || !ladder) return;
  if (scale === 1) {
    delete frame.dataset.scale;
    ladder.style.width = "";
    return;
  }
  frame.dataset.scale = scale;
  const base = innerWidth <= 900 ? 780 : frame.clientWidth - 8;
  ladder.style.width = `${Math.round(base * scale)}px`;
}
function zoomTo(next, x, y) {
  const frame = $("#board .board-frame");
  const ladder = $("#board .ladder");
  if (!frame || !ladder) return;
  const before = ladder.getBoundingClientRect();
  const [px, py] = [x ?? before.left + before.width / 2, y ?? before.top + before.height / 2];
  const [rx, ry] = [(px - before.left) / before.width, (py - before.top) / before.height];
  scale = Math.min(4, Math.max(0.5, Math.abs(next - 1) < 0.06 ? 1 : next));
  applyZoom();
  const after = ladder.getBoundingClientRect();
  frame.scrollLeft += after.left + rx * after.width - px;
  frame.scrollTop += after.top + ry * after.height - py;
}
document.addEventListener(
  "wheel",
  (event) => {
    if (!event.ctrlKey || !event.target.closest?.(".board-frame")) return;
    event.preventDefault();
    zoomTo(scale * (event.deltaY < 0 ? 1.12 : 1 / 1.12), event.clientX, event.clientY);
  },
  { passive: false },
);
const fingers = new Map();
let pinch = 0;
const spread = () => {
  const [a, b] = [...fingers.values()];
  return Math.hypot(a.clientX - b.clientX, a.clientY - b.clientY);
};
document.addEventListener("pointerdown", (event) => {
  if (event.pointerType === "touch" && event.target.closest?.(".board-frame")) fingers.set(event.pointerId, event);
  if (fingers.size === 2) pinch = spread() / scale;
});
document.addEventListener("pointermove", (event) => {
  if (!fingers.has(event.pointerId)) return;
  fingers.set(event.pointerId, event);
  if (fingers.size !== 2 || !pinch) return;
  const [a, b] = [...fingers.values()];
  zoomTo(spread() / pinch, (a.clientX + b.clientX) / 2, (a.clientY + b.clientY) / 2);
});
for (const end of ["pointerup", "pointercancel"]) {
  document.addEventListener(end, (event) => {
    fingers.delete(event.pointerId);
    pinch = 0;
  });
}

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const help = $("#help");
  if (event.key === "?" && !event.target.closest("dialog")) {
    event.preventDefault();
    help?.showModal();
    return;
  }
  if (event.key === "Escape" && event.target.matches?.(".entry")) {
    event.target.blur();
    return;
  }
  if (isTyping(event.target)) return;
  const entry = $(".entry");
  if ($("#pad")?.inert && /^[0-9.,]$/.test(event.key)) {
    waiting += event.key;
    return;
  }
  if (entry && /^[0-9.,]$/.test(event.key)) {
    entry.focus();
    return; // the digit lands in the field that now has the focus
  }
  const shortcut = document.querySelector(`[data-key="${CSS.escape(event.key.toLowerCase())}"]`);
  if (shortcut) {
    event.preventDefault();
    shortcut.click();
    return;
  }
  const spot = event.target.closest?.("#board .spot");
  if (spot && event.key.startsWith("Arrow")) {
    event.preventDefault();
    nearest(spot, event.key)?.focus();
  }
});

// From one spot to the nearest one in the direction of the arrow.
function nearest(from, key) {
  const here = from.getBoundingClientRect();
  const [x, y] = [here.left + here.width / 2, here.top + here.height / 2];
  let best = null;
  let least = Number.POSITIVE_INFINITY;
  for (const spot of document.querySelectorAll("#board .spot")) {
    const box = spot.getBoundingClientRect();
    const [dx, dy] = [box.left + box.width / 2 - x, box.top + box.height / 2 - y];
    const along = { ArrowRight: dx, ArrowLeft: -dx, ArrowDown: dy, ArrowUp: -dy }[key];
    const across = Math.abs(key === "ArrowRight" || key === "ArrowLeft" ? dy : dx);
    const cost = along + 3 * across;
    if (along > 4 && cost < least) [best, least] = [spot, cost];
  }
  return best;
}

document.addEventListener("click", (event) => {
  const opener = event.target.closest("[data-open]");
  if (opener) $(opener.dataset.open)?.showModal();
  if (event.target.closest("[data-close]")) event.target.closest("dialog").close();
  const key = event.target.closest(".keys button");
  if (key) press(key.value);
  if (event.target.closest("[data-print]")) window.print();
  const zoom = event.target.closest("[data-zoom]");
  if (zoom) zoomTo(scale * (zoom.dataset.zoom === "in" ? 1.3 : 1 / 1.3));
  const typed = event.target.closest("[data-type]")?.dataset.type;
  if (typed === "OL") $(".entry").value = "";
  for (const letter of typed ?? "") press(letter);
});

// The ledger by tapping: the next tap on a terminal lands the lead whose Before or Now is marked, then the mark moves on.
function landing() {
  const picks = [...document.querySelectorAll(".lead select[data-land]")];
  if (!picks.length || !$("#board[data-lands]")) return;
  const next = picks.find((pick) => "next" in pick.dataset) ?? picks[0];
  aim(next, picks);
}
function aim(pick, picks = [...document.querySelectorAll(".lead select[data-land]")]) {
  for (const other of picks) delete other.dataset.next;
  pick.dataset.next = "";
  $("[data-land-words]").textContent = `${pick.dataset.land}: tap its terminal`;
  const frame = $("#board .board-frame");
  const view = frame.getBoundingClientRect();
  const box = $(`#board [data-terminal="${CSS.escape(pick.value)}"]`)?.getBoundingClientRect();
  if (box) frame.scrollTop += (box.top + box.bottom - view.top - view.bottom) / 2;
  if (box) frame.scrollLeft += (box.left + box.right - view.left - view.right) / 2;
  drawMoves(picks);
  for (const spot of document.querySelectorAll("#board .probe")) {
    spot.toggleAttribute(
      "data-taken",
      picks.some((p) => p.value === spot.dataset.terminal && p.name.startsWith("after:")),
    );
  }
}
// A lead that goes somewhere else is drawn from its old terminal to the new one.
function drawMoves(picks) {
  const layer = $("#board [data-moves]");
  if (!layer) return;
  const at = (terminal) => $(`#board [data-terminal="${CSS.escape(terminal)}"] .terminal`);
  const drawn = picks
    .filter((pick) => pick.name.startsWith("after:"))
    .map((after) => [picks.find((p) => p.name === `before:${after.name.slice(6)}`), after])
    .filter(([before, after]) => before && before.value !== after.value)
    .map(([before, after]) => [at(before.value), at(after.value)])
    .filter(([from, to]) => from && to)
    .map(([from, to]) => {
      const [x1, y1, x2, y2] = [from, to].flatMap((end) => [end.cx.baseVal.value, end.cy.baseVal.value]);
      const path = document.createElementNS("http://www.w3.org/2000/svg", "path");
      path.setAttribute("d", `M${x1} ${y1}Q${(x1 + x2) / 2} ${Math.min(y1, y2) - 34} ${x2} ${y2}`);
      path.setAttribute("class", "moved-lead");
      return path;
    });
  layer.replaceChildren(...drawn);
}
function land(spot) {
  const picks = [...document.querySelectorAll(".lead select[data-land]")];
  const at = picks.findIndex((pick) => "next" in pick.dataset);
  if (at < 0) return;
  picks[at].value = spot.dataset.terminal;
  aim(picks[(at + 1) % picks.length], picks);
}
document.addEventListener("focusin", (event) => {
  if (event.target.matches?.(".lead select[data-land]")) aim(event.target);
});
document.addEventListener("click", (event) => {
  const spot = event.target.closest("#board[data-lands] .probe");
  if (spot) land(spot);
});
document.addEventListener("keydown", (event) => {
  const spot = event.target.closest?.("#board[data-lands] .probe");
  if (!spot || (event.key !== "Enter" && event.key !== " ")) return;
  event.preventDefault();
  land(spot);
});
document.addEventListener("htmx:after:swap", landing);
document.addEventListener("DOMContentLoaded", landing);

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
document.addEventListener("DOMContentLoaded", () => {
  settle();
  showSelected();
});
