// The board: what is under test in sight, the place kept through a swap, zoom, moving by keyboard.
const $ = (selector, root = document) => root.querySelector(selector);

// The server draws the ladder for the width it is told of. A page that came before it was told is asked for once more.
const narrow = matchMedia("(max-width: 600px)");
function tellWidth() {
  const wasTold = document.cookie.includes("narrow=");
  const secure = location.protocol === "https:" ? "; secure" : "";
  // biome-ignore lint/suspicious/noDocumentCookie: the Cookie Store API is not there over plain HTTP.
  document.cookie = `narrow=${narrow.matches ? 1 : 0}; path=/; max-age=31536000; samesite=lax${secure}`;
  if (!wasTold && narrow.matches && $("#board .ladder") && document.cookie.includes("narrow=1")) location.reload();
}
narrow.addEventListener("change", tellWidth);
document.addEventListener("DOMContentLoaded", tellWidth);

// On a phone the board is one rung high; all of it opens by one tap, and folds when a point is picked.
function foldBoard(isWhole) {
  const call = $(".call");
  if (!call) return;
  call.classList.toggle("board-whole", isWhole);
  const button = $("[data-whole-board]");
  button?.setAttribute("aria-pressed", String(isWhole));
  showSelected();
}
// On its way down: a tap on a point is answered where it is made and goes no further.
document.addEventListener(
  "click",
  (event) => {
    if (event.target.closest("[data-whole-board]")) foldBoard(!$(".call").classList.contains("board-whole"));
    else if (event.target.closest("#board .spot[data-point]")) foldBoard(false);
  },
  true,
);

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
  // One rung is in sight at a time on a phone: the whole of it, not its edge.
  const isRung = $("#board .ladder-narrow") && !$(".board-whole");
  if (isRung || box.top < view.top || box.bottom > view.bottom) {
    frame.scrollTop += (box.top + box.bottom) / 2 - (view.top + view.bottom) / 2;
  }
  $("#runsheet [aria-current]")?.scrollIntoView({ block: "nearest", inline: "nearest" });
}

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
  // Only where the swap took it away: who has begun to type in the pad stays there.
  if (held && document.activeElement === document.body) frame.querySelector(held)?.focus({ preventScroll: true });
  keep = null;
  showSelected();
});

// Zoom: buttons, wheel with Ctrl, two fingers. 1 is the size the screen gives by itself.
let scale = 1;
function applyZoom() {
  const frame = $("#board .board-frame");
  const ladder = $("#board .ladder");
  if (!frame || !ladder) return;
  if (scale === 1) {
    delete frame.dataset.scale;
    ladder.removeAttribute("style");
    return;
  }
  frame.dataset.scale = scale;
  const isNarrow = ladder.classList.contains("ladder-narrow");
  const base = innerWidth <= 900 && !isNarrow ? 780 : frame.clientWidth - (isNarrow ? 0 : 8);
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

// By keyboard: from one place to the nearest one in the direction of the arrow.
document.addEventListener("keydown", (event) => {
  const spot = event.target.closest?.("#board .spot");
  if (!spot || !event.key.startsWith("Arrow") || event.ctrlKey || event.metaKey || event.altKey) return;
  event.preventDefault();
  nearest(spot, event.key)?.focus();
});
document.addEventListener("click", (event) => {
  const zoom = event.target.closest("[data-zoom]");
  if (zoom) zoomTo(scale * (zoom.dataset.zoom === "in" ? 1.3 : 1 / 1.3));
});
for (const came of ["DOMContentLoaded", "plentar:page"]) document.addEventListener(came, showSelected);

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
