// The terminal ledger on the board.
const $ = (selector, root = document) => root.querySelector(selector);

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
function land(terminal) {
  const picks = [...document.querySelectorAll(".lead select[data-land]")];
  const at = picks.findIndex((pick) => "next" in pick.dataset);
  if (at < 0) return;
  picks[at].value = terminal;
  aim(picks[(at + 1) % picks.length], picks);
}
document.addEventListener("focusin", (event) => {
  if (event.target.matches?.(".lead select[data-land]")) aim(event.target);
});
document.addEventListener("click", (event) => {
  const spot = event.target.closest("#board[data-lands] .probe");
  if (spot) land(spot.dataset.terminal);
  // Where no terminal is to be tapped: on one with no contact behind it, or nowhere.
  const off = event.target.closest("[data-land-on]");
  if (off) land(off.dataset.landOn);
});
document.addEventListener("keydown", (event) => {
  const spot = event.target.closest?.("#board[data-lands] .probe");
  if (!spot || (event.key !== "Enter" && event.key !== " ")) return;
  event.preventDefault();
  land(spot.dataset.terminal);
});
document.addEventListener("htmx:after:swap", landing);
for (const came of ["DOMContentLoaded", "plentar:page"]) document.addEventListener(came, landing);
