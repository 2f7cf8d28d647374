// Drills by number keys; cutaways stepped by arrows, and let run where motion is wanted.
const still = matchMedia("(prefers-reduced-motion: reduce)");

addEventListener("keydown", (event) => {
  if (event.target.closest("input, select, textarea") || event.ctrlKey || event.metaKey || event.altKey) return;
  const drill = document.querySelector("[data-drill]");
  const wanted = drill?.querySelector(`[data-drill-key="${CSS.escape(event.key)}"]`);
  if (wanted && !(event.key === "Enter" && event.target.closest("a, button"))) {
    event.preventDefault();
    wanted.click();
    return;
  }
  const part = document.querySelector("[data-cutaway]");
  const by = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
  if (part && by) {
    event.preventDefault();
    step(part, by);
  }
});

function step(part, by) {
  const last = Number(part.dataset.cutaway);
  const at = Number(part.querySelector("[data-frame]:not([hidden])").dataset.frame);
  const next = Math.min(Math.max(at + by, 0), last);
  for (const frame of part.querySelectorAll("[data-frame]")) {
    frame.toggleAttribute("hidden", Number(frame.dataset.frame) !== next);
  }
  part.querySelector("svg").setAttribute("aria-label", part.querySelector("p[data-frame]:not([hidden])").textContent);
  return next < last;
}

addEventListener("click", (event) => {
  const link = event.target.closest("[data-cutaway] [data-step]");
  if (link) {
    event.preventDefault();
    step(link.closest("[data-cutaway]"), Number(link.dataset.step));
  }
  const play = event.target.closest("[data-play]");
  if (play) {
    const part = play.closest("[data-cutaway]");
    const timer = setInterval(() => {
      if (!step(part, 1)) clearInterval(timer);
    }, 700);
  }
});

// Who wants no motion steps it by hand.
for (const button of document.querySelectorAll("[data-play]")) button.hidden = still.matches;
