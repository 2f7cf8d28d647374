// Somebody else's work shows up by itself, but never under what is being typed here.
const isTyping = (target) => target.closest("input, textarea, select, dialog") !== null;
const isDirty = (part) =>
  [...part.querySelectorAll("input, textarea, select")].some((field) =>
    field.matches("select")
      ? [...field.options].some((option) => option.selected !== option.defaultSelected)
      : field.type === "checkbox"
        ? field.checked !== field.defaultChecked
        : field.type !== "hidden" && field.value !== field.defaultValue,
  );
document.addEventListener("htmx:before:request", (event) => {
  const { sourceElement, target } = event.detail.ctx;
  if (!sourceElement?.matches?.("[data-poll]") || !target) return;
  if (isDirty(target) || (target.contains(document.activeElement) && isTyping(document.activeElement)))
    event.preventDefault();
});
