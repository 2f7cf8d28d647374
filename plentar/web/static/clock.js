// The clocks: the server says since when and within what, the page only counts.
const $ = (selector, root = document) => root.querySelector(selector);

// A phone's clock may be minutes off: count by the server's.
const skewOf = (moment) => Date.parse(moment) - performance.timeOrigin - performance.now();
let skew = skewOf(document.documentElement.dataset.now);
// A practice call's own clock jumps when time is let pass: its pad says where it stands.
document.addEventListener("htmx:after:swap", () => {
  const pad = $("#pad[data-now]");
  if (pad) skew = skewOf(pad.dataset.now);
});
// A page that comes from the phone itself carries no moment of the server's: what the phone knows of its clock stands in.
const serverNow = () =>
  Number.isFinite(skew)
    ? performance.timeOrigin + performance.now() + skew
    : Date.now() + Number(document.documentElement.dataset.skew ?? 0);

// The clock of the condition strip: the server says when, the page counts.
setInterval(() => {
  for (const clock of document.querySelectorAll("[data-since]")) {
    const seconds = Math.max(0, Math.floor((serverNow() - Date.parse(clock.dataset.since)) / 1000));
    const hours = Math.floor(seconds / 3600);
    const minutes = String(Math.floor((seconds % 3600) / 60)).padStart(hours ? 2 : 1, "0");
    // A call that has stood for days is no stopwatch.
    clock.textContent =
      hours >= 24
        ? `${Math.floor(hours / 24)} d`
        : `${hours ? `${hours}:` : ""}${minutes}:${String(seconds % 60).padStart(2, "0")}`;
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
