// No request fails in silence: what goes wrong is said on the page, in words, until something goes right again.
const told = () => document.querySelector("#told");

export function tell(words) {
  const line = told();
  if (!line) return;
  line.textContent = words;
  line.hidden = false;
}
const hush = () => {
  const line = told();
  if (line) line.hidden = true;
};

const wasSent = (request) => request?.method === "POST";
const isJudging = (request) => /\/judge$/.test(request?.action ?? "");

// A verdict belongs to the number it was made for: as soon as that changes, the old one is pale.
document.addEventListener("input", (event) => {
  const verdict = document.querySelector("#verdict");
  if (verdict && event.target.matches?.(".entry")) verdict.dataset.old = "";
});

document.addEventListener("htmx:before:response", (event) => {
  const { request, response, hx } = event.detail.ctx;
  const retarget = hx?.retarget ?? response.headers.get("HX-Retarget");
  if (response.status < 500 || retarget) return;
  // Not one of this application's answers: a proxy's page must not land in the middle of the screen.
  event.preventDefault();
  tell(
    wasSent(request) && !isJudging(request)
      ? `The server could not answer (${response.status}). Nothing was kept: press the button again.`
      : `The server could not answer (${response.status}). What you see may be old.`,
  );
});

document.addEventListener("htmx:after:request", (event) => {
  const { response, text } = event.detail.ctx;
  if (response.status < 400) {
    hush();
    return;
  }
  const retarget = response.headers.get("HX-Retarget");
  if (!retarget || document.querySelector(retarget)) return;
  const words = new DOMParser().parseFromString(text ?? "", "text/html").body.textContent.trim();
  tell(words || "That could not be done.");
});

document.addEventListener("htmx:error", (event) => {
  const { request } = event.detail.ctx ?? {};
  if (isJudging(request)) tell("No answer from the server: the number is not judged yet. It stays here.");
  else if (wasSent(request)) tell("No answer from the server: press the button again. Nothing is kept twice.");
  else tell("No answer from the server: this was not loaded. Try again.");
});

// What a form keeps is told at the head of its step: the panel goes there once the answer is in.
let showsHead = false;
document.addEventListener("htmx:after:request", (event) => {
  const { response, sourceElement } = event.detail.ctx;
  showsHead = response.status < 400 && sourceElement?.closest?.("form")?.dataset.head !== undefined;
});
document.addEventListener("htmx:after:swap", () => {
  if (!showsHead) return;
  showsHead = false;
  const side = document.querySelector(".side");
  if (side) side.scrollTop = 0;
});
