// When something was done, by a phone whose clock may be wrong, may jump, and may sleep: a moment and how wrong it can be.
import { database } from "./store.js";

const PAGE = crypto.randomUUID();
let anchor = null; // of this page: the server's moment at one of its own
let contact = null; // of an earlier one: what the phone's clock was wrong by then

export const pageId = () => PAGE;
export const heardAt = () => anchor?.server ?? contact?.server ?? null;

export async function wake() {
  contact = (await (await database()).get("facts", "contact")) ?? null;
}

// The server's answer came: its Date is a second coarse, half of the way there and back is not known.
export async function heard(server, tripMs) {
  const now = { server, wall: Date.now(), mono: performance.now(), doubt: tripMs / 2 };
  if (anchor && now.doubt > anchor.doubt && now.mono - anchor.mono < 60_000) return;
  anchor = now;
  contact = { server, wall: now.wall, doubt: now.doubt };
  await (await database()).put("facts", contact, "contact");
}

// Two ways to count on from one moment: by the steady clock and by the wall's. Where they part, either may be right.
function spread(from, mono, wall) {
  const [steady, told] = [from.server + (mono - from.mono), from.server + (wall - from.wall)];
  if (Math.abs(steady - told) < 1500) return { at: steady, doubt: from.doubt };
  return { at: (steady + told) / 2, doubt: Math.abs(steady - told) / 2 + from.doubt };
}

export function stamp() {
  const [wall, mono] = [Date.now(), performance.now()];
  return {
    wall,
    mono,
    page: PAGE,
    exact: anchor ? spread(anchor, mono, wall) : null,
    skew: contact ? contact.server - contact.wall : null,
    doubt: contact?.doubt ?? 0,
  };
}

// The moment of a stamp as it is sent, in order after the one before.
export function momentOf(made, last) {
  let found = made.exact;
  if (!found && anchor && made.page === PAGE) found = spread(anchor, made.mono, made.wall);
  if (!found) {
    const skews = [made.skew, anchor ? anchor.server - anchor.wall : null].filter((skew) => skew !== null);
    const [low, high] = [Math.min(...skews), Math.max(...skews)];
    found = skews.length
      ? { at: made.wall + (low + high) / 2, doubt: (high - low) / 2 + made.doubt + 500 }
      : { at: made.wall, doubt: 1000 * document.documentElement.dataset.doubt };
  }
  if (last && found.at < last) found = { at: last, doubt: found.doubt + (last - found.at) };
  return found;
}

// What the page counts by: the server's time as well as it is known here.
export function serverNow() {
  const [wall, mono] = [Date.now(), performance.now()];
  if (anchor) return anchor.server + (mono - anchor.mono);
  return wall + (contact ? contact.server - contact.wall : 0);
}

// As the rest of the application says times: the shop's own clock, twenty-four hours.
const zoned = (options) => ({
  hour12: false,
  timeZone: document.documentElement.dataset.zone || undefined,
  ...options,
});
export const clock = (ms) => new Date(ms).toLocaleTimeString("en-GB", zoned({ hour: "2-digit", minute: "2-digit" }));
export const dayClock = (ms) =>
  new Date(ms).toLocaleString("en-GB", zoned({ weekday: "short", hour: "2-digit", minute: "2-digit" }));
export const day = (ms) =>
  new Date(ms).toLocaleDateString("en-US", zoned({ weekday: "long", month: "long", day: "numeric" }));
