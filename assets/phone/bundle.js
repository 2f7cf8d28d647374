// What is taken along: today's calls drawn ahead, and Today itself; each fetched anew only when it has changed.
import { ask, BUILD, count, forgetSent, status } from "./queue.js";
import { bundleNames, database, seal } from "./store.js";

// One at a time: a second one that is asked for meanwhile comes after the first.
let busy = Promise.resolve();
export function refresh({ wirings = false } = {}) {
  const { keeper } = status();
  if (!keeper) return Promise.resolve(null);
  const next = busy.then(() => fetchAll(keeper, wirings));
  busy = next.catch(() => {});
  return next;
}

// One piece, fetched and sealed unless what is here is of the same state and build.
async function take({ person, key }, what, path, version) {
  const db = await database();
  const [name, build, at] = [`${person} ${what}`, BUILD, Date.now()];
  const kept = await db.get("aboard", name);
  if (version !== null && kept?.version === version && kept.build === build) return null;
  const answer = await ask(path, { cache: "no-store" });
  if (!answer.ok || answer.redirected) return null;
  const found = path === "/today" ? await answer.text() : { ...(await answer.json()), fetchedAt: at };
  const sealed = await seal(key, found);
  await db.put("aboard", { version, build, at, size: sealed.bytes.byteLength, sealed }, name);
  return at;
}

async function fetchAll(keeper, wirings) {
  const db = await database();
  const { person } = keeper;
  const list = await (await ask("/phone/aboard", { cache: "no-store" })).json();
  if (list.person?.id !== person) return null;
  const wanted = list.fresh.filter((each) => each.unit || wirings);
  const step = counter(list.calls.length + 1 + wanted.length);
  for (const { id, version, place } of list.calls) {
    step(place);
    const at = await take(keeper, id, `/phone/aboard/${id}`, version);
    if (at) await forgetSent(id, at);
  }
  step("Today");
  await take(keeper, "today", "/today", null);
  const had = await db.get("facts", `aboard ${person}`);
  const facts = { at: Date.now(), calls: list.calls, complaints: list.complaints, wirings: wirings || had?.wirings };
  const fresh = list.fresh.filter((each) => each.unit || facts.wirings);
  await db.put("facts", { ...facts, fresh }, `aboard ${person}`);
  await count();
  await clear(
    person,
    new Set(["today", ...list.calls.map((call) => call.id), ...fresh.map(({ key }) => `fresh ${key}`)]),
  );
  for (const { key, version, words } of fresh) {
    step(words);
    await take(keeper, `fresh ${key}`, `/calls/new/aboard?${key}`, version);
  }
  step("");
  return list;
}

// How far getting ready has come, for whoever looks on.
function counter(all) {
  let done = 0;
  return (what) => {
    done = Math.min(done + 1, all + 1);
    const detail = { done: done - 1, all, what };
    document.dispatchEvent(new CustomEvent("plentar:progress", { detail }));
  };
}

// What is of no use any more goes, but not while something waits that may belong to it.
async function clear(person, wanted) {
  const db = await database();
  const rows = await db.getAll("queue");
  if (rows.some((row) => row.person === person && row.state === "waiting")) return;
  for (const name of await bundleNames(person))
    if (!wanted.has(name.slice(person.length + 1))) await db.delete("aboard", name);
}

export async function bundleState(person) {
  const db = await database();
  const rows = await Promise.all((await bundleNames(person)).map((name) => db.get("aboard", name)));
  const facts = await db.get("facts", `aboard ${person}`);
  return {
    calls: facts?.calls ?? [],
    wirings: Boolean(facts?.wirings),
    at: facts?.at ?? null,
    size: rows.reduce((sum, row) => sum + row.size, 0),
  };
}
