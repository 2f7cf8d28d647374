// The plate's form drawn anew after a tap stays where it was, with the hand on the same field.
let kept = null;
document.addEventListener("htmx:before:swap", () => {
  const form = document.querySelector("#plate");
  if (!form) return;
  const { name, value } = document.activeElement ?? {};
  const open = [...form.querySelectorAll(".plate-part[open]")].map((part) => part.dataset.part);
  kept = { open, top: form.scrollTop, page: scrollY, name, value: name === "do" ? value : null };
});
document.addEventListener("htmx:after:swap", () => {
  const form = document.querySelector("#plate");
  if (!form || !kept) return;
  for (const part of form.querySelectorAll(".plate-part")) part.open ||= kept.open.includes(part.dataset.part);
  form.scrollTop = kept.top;
  scrollTo(0, kept.page);
  const named = kept.name ? [...form.querySelectorAll(`[name="${CSS.escape(kept.name)}"]`)] : [];
  const held = kept.value === null ? named[0] : named.find((each) => each.value === kept.value);
  if (document.activeElement === document.body) held?.focus({ preventScroll: true });
  kept = null;
});

// While one tap is on its way no other is taken: neither by the form it was tapped on nor by the one that just arrived.
let isBusy = false;
const hold = () => {
  const form = document.querySelector("#plate");
  if (form) form.inert = isBusy;
};
document.addEventListener("htmx:before:request", (event) => {
  if (event.detail.ctx.target?.id !== "plate") return;
  isBusy = true;
  hold();
});
document.addEventListener("htmx:before:settle", () => isBusy && hold());
document.addEventListener("htmx:finally:request", (event) => {
  if (event.detail.ctx.target?.id !== "plate") return;
  isBusy = false;
  hold();
});
