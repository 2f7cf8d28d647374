// The service worker serves the shell and its scripts, nothing else: it keeps nobody's data and sends nothing.
import { clientsClaim } from "workbox-core";
import { cleanupOutdatedCaches, matchPrecache, precacheAndRoute } from "workbox-precaching";
import { NavigationRoute, registerRoute } from "workbox-routing";

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
