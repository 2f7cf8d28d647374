// Day or attic.
const $ = (selector, root = document) => root.querySelector(selector);

// The page stays as it is, with everything that is typed and scrolled; the server is told for next time.
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

// Where the system chose and not the person, the switch offers the other look.
if (!document.documentElement.dataset.theme && matchMedia("(prefers-color-scheme: dark)").matches) {
  for (const form of document.querySelectorAll("[data-theme-form]")) {
    form.elements.theme.value = "day";
    $("button span", form).textContent = "day";
  }
}
