// A signature drawn by finger or pen, as strokes in thousandths of its field.
const MOST_POINTS = 2900;
const pads = new WeakMap();

function strokesOf(field) {
  if (!pads.has(field)) pads.set(field, []);
  return pads.get(field);
}

function draw(field) {
  const strokes = strokesOf(field);
  const path = strokes.map(
    ([first, ...rest]) => `M${first.join(" ")}${rest.map((at) => `L${at.join(" ")}`).join("") || "l0 1"}`,
  );
  field.querySelector("path").setAttribute("d", path.join(""));
  field.closest("form").elements.strokes.value = strokes.length ? JSON.stringify(strokes) : "";
  field.toggleAttribute("data-signed", strokes.length > 0);
}

const at = (event, field) => {
  const box = field.getBoundingClientRect();
  const share = (value, start, size) => Math.round(Math.min(1000, Math.max(0, (1000 * (value - start)) / size)));
  // The field is drawn 1000 wide and 300 high.
  return [share(event.clientX, box.left, box.width), Math.round(0.3 * share(event.clientY, box.top, box.height))];
};

let drawing = null;
document.addEventListener("pointerdown", (event) => {
  const field = event.target.closest?.("[data-sign-field]");
  if (!field) return;
  event.preventDefault();
  field.setPointerCapture?.(event.pointerId);
  drawing = field;
  strokesOf(field).push([at(event, field)]);
  draw(field);
});
document.addEventListener("pointermove", (event) => {
  if (!drawing) return;
  const strokes = strokesOf(drawing);
  if (strokes.reduce((sum, stroke) => sum + stroke.length, 0) >= MOST_POINTS) return;
  const [x, y] = at(event, drawing);
  const last = strokes.at(-1).at(-1);
  if (Math.hypot(x - last[0], y - last[1]) < 6) return;
  strokes.at(-1).push([x, y]);
  draw(drawing);
});
for (const end of ["pointerup", "pointercancel"]) {
  document.addEventListener(end, () => {
    drawing = null;
  });
}
document.addEventListener("click", (event) => {
  const field = event.target.closest("[data-sign-clear]")?.closest("form").querySelector("[data-sign-field]");
  if (!field) return;
  pads.delete(field);
  draw(field);
});
