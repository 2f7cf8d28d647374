// Large files, with how far they have gone.
const $ = (selector, root = document) => root.querySelector(selector);

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
