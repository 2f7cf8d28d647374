// A person's opened key, in the memory of a page or of the worker and nowhere else: how long it may stay there.

// A working day with its drive home is shorter.
const OPEN_MS = 12 * 3600 * 1000;
// A clock set right by the network moves by seconds.
const MOVED_MS = 5 * 60 * 1000;

// `opening` is of the PIN that was typed: what was shut once is not handed on again by a page that did not hear of it.
export const heldNow = (person, key, opening, age = 0) => ({
  person,
  key,
  opening,
  age,
  wall: Date.now(),
  mono: performance.now(),
});

// How old it is by whichever clock says more, and why it may be used no longer; nothing while it may.
export function ageOf(held) {
  const [wall, mono] = [Date.now() - held.wall, performance.now() - held.mono];
  const age = held.age + Math.max(wall, mono);
  const isMoved = wall < mono - MOVED_MS || wall > mono + OPEN_MS;
  return { age, why: isMoved ? "clock" : age > OPEN_MS ? "time" : "" };
}

export const isFarFrom = (moment) => Math.abs(Date.now() - moment) > MOVED_MS;

// What a page or the worker answers to a message; nothing where it says nothing in time.
export function answerOf(to, message, ms) {
  const { port1, port2 } = new MessageChannel();
  to.postMessage(message, [port2]);
  return new Promise((resolve) => {
    port1.onmessage = ({ data }) => resolve(data);
    setTimeout(() => resolve(null), ms);
  });
}
