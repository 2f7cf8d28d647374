// What an entry that waits is called in the list: what was done and to what, not what its button says.

const KINDS = {
  close: "Call closed",
  undo: "Last entry undone",
  amend: "Complaint corrected",
  withdraw: "Call withdrawn",
  air: "Air temperatures",
  "control/map": "Thermostat wires",
  "heat-pump/weather": "Weather",
};

const clean = (text) => (text ?? "").replace(/\s+/g, " ").trim();
const upper = (text) => text.charAt(0).toUpperCase() + text.slice(1);

export function wordsOf(path, form, submitter, fields) {
  const at = (name) => fields.find(([field]) => field === name)?.[1] ?? "";
  const end = path.replace(/^\/calls\/[^/]+\//, "");
  const named = (name) => {
    const field = form?.querySelector(`[name="${name}"]`);
    return clean(field?.selectedOptions?.[0]?.textContent ?? at(name));
  };
  if (end === "readings") return clean(form?.querySelector(".pad-title label")?.textContent);
  if (end === "photos") return `Photo of ${named("part") || "the unit"}`;
  if (end === "condition") {
    const [what, state] = at("switch").split("@")[0].split("=");
    return `${upper(what.replaceAll("-", " "))}: ${state}`;
  }
  if (end === "safe") return clean(form?.closest(".safe-line")?.querySelector(".safe-words")?.textContent);
  if (end === "marks") return `Marked on the part: ${at("words")}`;
  if (end === "sign") return `Signature: ${at("name")}`;
  if (end === "causes") return `Cause: ${at("title")}`;
  if (end.startsWith("strike/")) return "Voided";
  if (KINDS[end]) return KINDS[end];
  return clean(
    submitter?.getAttribute("aria-label") ?? submitter?.textContent ?? form?.querySelector("button")?.textContent,
  );
}
