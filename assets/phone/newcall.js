// A call begun without signal: on a unit that is on this phone, or on a new one by how it is wired.
import { escaped } from "./html.js";
import { keepForm, status } from "./queue.js";
import { database, seal, unseal } from "./store.js";

export async function newCallForm(room) {
  const { keeper } = status();
  const facts = await (await database()).get("facts", `aboard ${keeper.person}`);
  const [units, wirings] = [facts.fresh.filter((each) => each.unit), facts.fresh.filter((each) => !each.unit)];
  const option = ({ key, words }) => `<option value="${key}">${escaped(words)}</option>`;
  const ticks = facts.complaints.map(
    (name) =>
      `<label class="check"><input type="checkbox" name="complaints" value="${escaped(name)}"> ${escaped(name)}</label>`,
  );
  room.innerHTML = `<h1 class="text-2xl font-bold">New call, without signal</h1>
    <form id="new-call" class="grid gap-2 pt-3" novalidate><label class="font-semibold" for="fresh">Unit</label>
    <select class="field" id="fresh" name="fresh">${units.map(option).join("")}${wirings.length ? `<optgroup label="A new place and unit, wired as">${wirings.map(option).join("")}</optgroup>` : ""}</select>
    ${wirings.length ? "" : '<p class="text-[14px] text-soft">A new place needs its wiring on the phone. Save the wirings under Without signal.</p>'}
    <div id="new-place" class="grid gap-2" hidden><label class="font-semibold" for="place_name">Address</label><input class="field" id="place_name" name="place_name" maxlength="120">
    <p class="text-[14px] text-soft">Its plate is set right when the signal is back; until then the board is drawn by the wiring picked.</p></div>
    <fieldset class="checks"><legend class="font-semibold">Complaint</legend>${ticks.join("")}</fieldset>
    <label class="font-semibold" for="words">Customer's description</label><input class="field" id="words" name="words" maxlength="400">
    <p class="problem" role="alert" hidden></p><button class="primary">Start the call</button></form>`;
  const form = room.querySelector("form");
  const pick = () => {
    form.querySelector("#new-place").hidden = form.elements.fresh.value.startsWith("unit=");
  };
  form.elements.fresh.addEventListener("change", pick);
  pick();
  form.addEventListener("submit", (event) => {
    event.preventDefault();
    begin(form, facts).catch((error) => tell(form, error.message));
  });
}

function tell(form, words) {
  const problem = form.querySelector(".problem");
  problem.textContent = words;
  problem.hidden = false;
}

async function begin(form, facts) {
  const { person, key } = status().keeper;
  const chosen = facts.fresh.find((each) => each.key === form.elements.fresh.value);
  const name = form.elements.place_name.value.trim();
  const data = new FormData(form);
  if (!data.getAll("complaints").length && !data.get("words").trim())
    return tell(form, "tick a complaint, or enter the customer's description");
  if (!chosen.unit && !name) return tell(form, "enter the address of the new place");
  const db = await database();
  const kept = await db.get("aboard", `${person} fresh ${chosen.key}`);
  if (!kept) return tell(form, "this one is not on this phone");
  const call = crypto.randomUUID();
  const fields = [["call_id", call], ...[...data].filter(([field]) => field === "complaints" || field === "words")];
  if (chosen.unit) fields.push(["unit_id", chosen.unit], ["place_id", chosen.place]);
  else
    fields.push(
      ["unit_id", "new"],
      ["place_id", "new"],
      ["place_name", name],
      ["unit_label", "unit 1"],
      ["start_from", `pattern:${chosen.key.split("=")[1]}`],
    );
  const fresh = await unseal(key, kept.sealed);
  let text = JSON.stringify(fresh).replaceAll(fresh.id, call);
  if (!chosen.unit) text = text.replaceAll(`New place ${call}`, escaped(name).replaceAll('"', ""));
  const sealed = await seal(key, { ...JSON.parse(text), fetchedAt: 0 });
  await db.put(
    "aboard",
    { version: "fresh", at: Date.now(), size: sealed.bytes.byteLength, sealed },
    `${person} ${call}`,
  );
  await db.put(
    "facts",
    { ...facts, calls: [...facts.calls, { id: call, place: name || chosen.words, mine: true }] },
    `aboard ${person}`,
  );
  await keepForm({
    path: "/calls/new",
    fields,
    said: { words: `Call started at ${name || chosen.words}`, value: "" },
  });
  location.assign(`/calls/${call}`);
  return undefined;
}
