// What is taken along: today's calls drawn ahead, and Today itself; each fetched anew only when it has changed.
import { ask, count, forgetSent, status } from "./queue.js";
import { database, seal } from "./store.js";

let busy = false;
export async function refresh() {
  const { keeper } = status();
  if (!keeper || busy) return null;
  busy = true;
  try {
    return await fetchAll(keeper);
  } finally {
    busy = false;
  }
}

async function fetchAll({ person, key }) {
  const db = await database();
  const list = await (await ask("/phone/aboard", { cache: "no-store" })).json();
  if (list.person?.id !== person) return null;
  const wanted = new Set(list.calls.map((call) => `${person} ${call.id}`));
  for (const call of list.calls) {
    const name = `${person} ${call.id}`;
    const kept = await db.get("aboard", name);
    if (kept?.version === call.version && kept.build === document.documentElement.dataset.build) continue;
    const at = Date.now();
    const answer = await ask(`/phone/aboard/${call.id}`, { cache: "no-store" });
    if (!answer.ok) continue;
    const bundle = await answer.json();
    const sealed = await seal(key, { ...bundle, fetchedAt: at });
    const build = document.documentElement.dataset.build;
    await db.put(
      "aboard",
      { version: bundle.version, build, at, place: null, size: sealed.bytes.byteLength, sealed },
      name,
    );
    await forgetSent(call.id, at);
  }
  const today = await ask("/today", { cache: "no-store", headers: { Accept: "text/html" } });
  if (today.ok && !today.redirected) {
    const sealed = await seal(key, await today.text());
    await db.put(
      "aboard",
      { version: "today", at: Date.now(), size: sealed.bytes.byteLength, sealed },
      `${person} today`,
    );
    wanted.add(`${person} today`);
  }
  const waiting = new Set(
    (await db.getAll("queue")).filter((row) => row.person === person && row.state === "waiting").map(() => true),
  );
  for (const name of await db.getAllKeys("aboard"))
    if (name.startsWith(`${person} `) && !wanted.has(name) && !waiting.size) await db.delete("aboard", name);
  await db.put("facts", { at: Date.now(), calls: list.calls }, `aboard ${person}`);
  await count();
  return list;
}

export async function aboardOf(person) {
  const db = await database();
  const keys = (await db.getAllKeys("aboard")).filter((name) => name.startsWith(`${person} `));
  const rows = await Promise.all(keys.map((name) => db.get("aboard", name)));
  const facts = await db.get("facts", `aboard ${person}`);
  return {
    calls: facts?.calls ?? [],
    at: facts?.at ?? null,
    size: rows.reduce((sum, row) => sum + row.size, 0),
    count: keys.length,
  };
}
