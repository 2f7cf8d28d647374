// A tap is answered at once: what was tapped is marked until its answer is there, however slow the link.
const TAPPED = "a[hx-get], button:not([data-open]):not([popovertarget]):not([type='button'])";

document.addEventListener(
  "click",
  (event) => {
    const tapped = event.target.closest?.(TAPPED);
    if (tapped) tapped.dataset.tapped = "";
    // Two switches tapped before the first is answered are two deeds: each has an id of its own.
    if (tapped?.name === "switch") tapped.form.elements.switch_id.value = newId();
  },
  true,
);
document.addEventListener("htmx:finally:request", () => {
  for (const tapped of document.querySelectorAll("[data-tapped]")) delete tapped.dataset.tapped;
});

function newId() {
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  bytes[6] = (bytes[6] & 15) | 64;
  bytes[8] = (bytes[8] & 63) | 128;
  const hex = Array.from(bytes, (byte) => byte.toString(16).padStart(2, "0")).join("");
  return [hex.slice(0, 8), hex.slice(8, 12), hex.slice(12, 16), hex.slice(16, 20), hex.slice(20)].join("-");
}
