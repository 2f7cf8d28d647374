// The service worker serves the shell and its scripts, and hands an opened key from one page to the next. It keeps the key
// in its memory alone, and nobody's data; it sends nothing.
import { clientsClaim } from "workbox-core";
import { cleanupOutdatedCaches, matchPrecache, precacheAndRoute } from "workbox-precaching";
import { NavigationRoute, registerRoute } from "workbox-routing";

import { ageOf, answerOf, heldNow } from "./opened-key.js";

// A page that has not come after this long is opened from the phone.
const WAIT_MS = 7000;

self.skipWaiting();
clientsClaim();
cleanupOutdatedCaches();
precacheAndRoute(self.__SHELL);

const isOurs = (answer) => answer.type === "opaqueredirect" || answer.headers.has("Plentar-Version");
registerRoute(
  new NavigationRoute(
    async ({ request }) => {
      try {
        const answer = await fetch(request, { signal: AbortSignal.timeout(WAIT_MS) });
        if (isOurs(answer) && ![502, 503, 504].includes(answer.status)) return answer;
      } catch {
        // No signal, or a server that is down: the shell says so.
      }
      return (await matchPrecache("/phone/shell")) ?? Response.error();
    },
    { denylist: [/\.(csv|json|pdf|svg|jpg|ics|webmanifest)$/, /^\/s\//, /^\/(healthz|readyz|sign-in|sign-out)/] },
  ),
);

// How long a page that is still there may take to say whether it holds the key.
const ASK_MS = 400;
let held = null;
// Openings that were shut: a page that is just being left may still hand one on.
const over = new Set();
// Why it was shut, where nobody pressed the button.
let shutBy = "";

self.addEventListener("message", (event) => {
  const { kind, person, key, opening, age, why } = event.data ?? {};
  const port = event.ports[0];
  if (kind === "hold" && !over.has(opening)) [held, shutBy] = [heldNow(person, key, opening, age), ""];
  if (kind === "shut") event.waitUntil(shut(person, opening, why).then(() => port?.postMessage(true)));
  if (kind === "ask") event.waitUntil(find(person, event.source?.id).then((found) => port?.postMessage(found)));
});

async function shut(person, opening, why) {
  for (const each of [opening, held?.person === person ? held.opening : null]) if (each) over.add(each);
  if (held?.person === person) held = null;
  shutBy = why ?? "";
  for (const client of await self.clients.matchAll({ type: "window", includeUncontrolled: true }))
    client.postMessage({ kind: "shut", person });
}

async function find(person, asker) {
  if (held?.person !== person) held = null;
  if (!held) {
    const pages = await self.clients.matchAll({ type: "window", includeUncontrolled: true });
    const answers = await Promise.all(
      pages.filter(({ id }) => id !== asker).map((page) => answerOf(page, { kind: "have", person }, ASK_MS)),
    );
    const found = answers.find((each) => each && !over.has(each.opening));
    if (found && !held) held = heldNow(person, found.key, found.opening, found.age);
  }
  if (!held) return shutBy ? { why: shutBy } : null;
  const { age, why } = ageOf(held);
  if (why) [held, shutBy] = [null, why];
  return why ? { why } : { key: held.key, opening: held.opening, age, now: Date.now() };
}
