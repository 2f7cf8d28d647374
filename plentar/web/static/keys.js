// Keys that press what stands on the page; help, dialogs, print, copy.
const $ = (selector, root = document) => root.querySelector(selector);
const isTyping = (target) => target.closest("input, textarea, select, dialog") !== null;

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key === "?" && !event.target.closest("dialog")) {
    event.preventDefault();
    $("#help")?.showModal();
    return;
  }
  if (isTyping(event.target)) return;
  const shortcut = $(`[data-key="${CSS.escape(event.key.toLowerCase())}"]`);
  if (!shortcut) return;
  event.preventDefault();
  shortcut.click();
});

document.addEventListener("click", (event) => {
  const opener = event.target.closest("[data-open]");
  if (opener) $(opener.dataset.open)?.showModal();
  if (event.target.closest("[data-close]")) event.target.closest("dialog").close();
  if (event.target.closest("[data-print]")) window.print();
  const copy = event.target.closest("[data-copy]");
  if (copy) navigator.clipboard?.writeText(copy.dataset.copy).then(() => (copy.textContent = "Copied"));
  event.target.closest("[data-select]")?.select();
});
