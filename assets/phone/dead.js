// What a phone without contact may say of the unit: which calls it has switched, which feeds it has opened, and whether
// it may go on calling it dead. The rule is the server's; this is a part of it that can only err on the side of live:
// everything it asks for was done on this phone, in order, behind this person's own lock on every feed.

// What a form that was kept did, as a short list of actions.
export function actionsOf(path, fields) {
  const at = (name) => fields.find(([field]) => field === name)?.[1] ?? "";
  const end = path.replace(/^\/calls\/[^/]+\//, "");
  if (end === "condition") {
    const [what, told] = at("switch").split("=");
    return [{ kind: "switch", what, state: (told ?? "").split("@")[0] }];
  }
  if (end === "readings")
    return [{ kind: "reading", point: at("point"), typed: at("value"), mode: at("mode"), hand: at("hand") }];
  if (end === "timing") {
    const [tapped, name] = at("what").split(":");
    return tapped === "call" || tapped === "drop"
      ? [{ kind: "run", tapped, fan: name === "fan" }]
      : [{ kind: "other" }];
  }
  if (/^(blower|control)\/row$/.test(end)) return [{ kind: "row", calls: at("calls").split(",").filter(Boolean) }];
  if (end === "fix/power") return [{ kind: "power" }];
  // What is taken back is for the server to weigh: a lock, a switch or a reading may be gone by it.
  if (end === "undo" || end.startsWith("strike/")) return [{ kind: "taken back" }];
  // Other numbers of the same meter: its dial was turned.
  if (end === "air") return [{ kind: "reading", point: "degf:return", typed: "", mode: "", hand: "" }];
  if (end === "blower/capacitor")
    return [{ kind: "reading", point: "microfarads:blower", typed: "", mode: "", hand: "" }];
  if (end !== "safe") return [{ kind: "other" }];
  const [line, about] = [at("line"), at("about")];
  if (line === "off") return [{ kind: "switch", what: about, state: "off", device: at("device") }];
  if (line === "lock") return [{ kind: "lock", feed: about, on: at("is_on") === "yes", owner: at("owner") }];
  if (line === "meter") return [{ kind: "meter", volts: at("volts"), mode: at("mode") }];
  if (line === "tick") return [{ kind: "tick", line: about, done: at("is_done") !== "no", volts: at("volts") }];
  if (line === "frame") return [{ kind: "frame", volts: at("volts") }];
  if (about) return [{ kind: "highest", about, typed: at("highest"), mode: at("mode") }];
  const pairs = fields.filter(([name, value]) => name.startsWith("pair:") && value.trim());
  return pairs.map(([name, value]) => ({
    kind: "reading",
    point: name.slice(5),
    typed: value,
    mode: at("mode"),
    hand: "",
  }));
}

// A plain number only: whatever else a meter shows is for the server to read.
const numberOf = (text) => (/^\s*\d+(\.\d+)?\s*$|^\s*\.\d+\s*$/.test(text ?? "") ? Number(text) : Number.NaN);
const isVolts = (point) => /^(dc_)?volts:/.test(point);
const isControl = (point) =>
  point
    .slice(point.indexOf(":") + 1)
    .split(":")
    .every((end) => end.startsWith("board."));

// Walk through what was done since the server last said how the unit stands (`list`).
export function standing(list, actions) {
  const now = {
    feeds: Object.fromEntries(
      Object.entries(list.feeds).map(([feed, state]) => [feed, state === "live" ? "live" : "off"]),
    ),
    control: list.control === "proven dead" ? "off" : list.control,
    calls: new Set(list.calls),
    since: { ...list.call_since },
    opened: { ...list.opened },
    locks: new Set(list.locks),
    ticks: new Set(list.ticked),
    frame: list.frame,
    shown: new Set(),
    dead: list.stands,
    provenAt: list.stands ? list.proven_at : null,
    proof: fresh(),
  };
  for (const action of actions) step(list, now, action);
  return now;
}

const fresh = () => ({ before: false, pairs: new Set() });

function end(now) {
  now.dead = false;
  now.provenAt = null;
  now.proof = fresh();
}

function wentLive(now, at) {
  end(now);
  now.ticks = new Set([...now.ticks].filter((line) => line === "safe-gear"));
  now.frame = false;
  for (const call of now.calls) now.since[call] = at;
}

function call(now, name, isOn, at) {
  if (isOn && !now.calls.has(name)) now.since[name] = at;
  if (isOn) now.calls.add(name);
  else now.calls.delete(name);
}

function step(list, now, action) {
  const { what, state, at } = action;
  if (action.kind === "power") {
    for (const feed of Object.keys(now.feeds)) now.feeds[feed] = "live";
    now.opened = {};
    now.control = "from unit";
    wentLive(now, at);
  } else if (action.kind === "taken back") {
    end(now);
    now.locks.clear();
    now.shown.clear();
    now.frame = false;
  } else if (action.kind === "switch" && what in now.feeds) {
    if (state === "live") {
      now.feeds[what] = "live";
      delete now.opened[what];
      wentLive(now, at);
    } else {
      // Opened again, or at another device: what was read before is of another state.
      if (now.feeds[what] !== "off" || (action.device && action.device !== now.opened[what])) end(now);
      now.feeds[what] = "off";
      if (action.device) now.opened[what] = action.device;
    }
  } else if (action.kind === "switch" && what === "control") {
    now.control = state;
    end(now);
  } else if (action.kind === "switch" && what === "thermostat") {
    now.calls.clear();
  } else if (action.kind === "switch") {
    call(now, what, state === "on", at);
  } else if (action.kind === "run") {
    for (const name of action.fan ? ["G"] : ["W", "W2"])
      if (list.known.includes(name)) call(now, name, action.tapped === "call", at);
  } else if (action.kind === "row") {
    for (const name of list.known) call(now, name, action.calls.includes(name), at);
  } else if (action.kind === "lock") {
    if (action.owner) end(now);
    else if (!action.on) {
      now.locks.delete(action.feed);
      end(now);
    } else if (!now.locks.has(action.feed)) {
      now.locks.add(action.feed);
      end(now);
    }
  } else if (action.kind === "tick") {
    tick(list, now, action);
  } else if (action.kind === "frame") {
    if (numberOf(action.volts) >= list.frame_volts && isOff(now)) now.frame = true;
  } else if (action.kind === "meter") {
    meter(list, now, action);
  } else if (action.kind === "highest") {
    for (const point of pairsOf(list, action.about)) read(list, now, { ...action, point });
  } else if (action.kind === "reading" && !action.hand) {
    read(list, now, action);
  }
}

// The pairs one number speaks for, the highest among them: of a feed, of two feeds, R to C; a part proves nothing here.
const CONTROL = "volts:board.r:board.c";
function pairsOf(list, about) {
  if (about === "control") return [CONTROL];
  const feeds = about.split(" ");
  const own = list.pairs.filter((point) => {
    if (point === CONTROL) return false;
    const ends = point.split(":").slice(1);
    const among = new Set(ends.filter((end) => end !== "ground").map((end) => end.split(".")[0]));
    return among.size === feeds.length && feeds.every((feed) => among.has(feed));
  });
  return own.length ? own : [`volts:${about}.1:ground`];
}

const isOff = (now) => Object.values(now.feeds).every((state) => state === "off");

function tick(list, now, action) {
  const { line } = action;
  if (!action.done) {
    now.ticks.delete(line);
    end(now);
  } else if (
    line === "safe-gear" ||
    (isOff(now) && (line !== "safe-capacitor" || numberOf(action.volts) <= list.below_volts))
  ) {
    now.ticks.add(line);
    settle(list, now, action);
  }
}

function meter(list, now, action) {
  const volts = numberOf(action.volts);
  const [low, high] = list.live_volts;
  // Proven in another mode the dial was turned: what was proven before says nothing of it now.
  if (action.mode && !now.dead) now.proof = fresh();
  if (action.mode || !(volts >= low && volts <= high)) return;
  now.proof.after = now.proof.before && list.pairs.every((point) => now.proof.pairs.has(point));
  now.proof.before = true;
  settle(list, now, action);
}

function read(list, now, action) {
  const volts = numberOf(action.typed);
  if (!action.point.startsWith("volts:") || action.mode) {
    // The dial was turned: what it was shown to read before says nothing of it now.
    if (!now.dead) now.proof = fresh();
    if (isVolts(action.point) && !(volts <= list.below_volts) && isOff(now)) end(now);
    return;
  }
  // A live leg's normal volts to the frame show the frame, once and for the whole call.
  if (volts >= list.frame_points[action.point] && Object.values(now.feeds).every((state) => state === "live")) {
    now.shown.add(action.point);
  }
  if (!isOff(now)) return;
  const isLow = volts <= list.below_volts;
  if (!isLow && (!isControl(action.point) || list.pairs.includes(action.point))) {
    end(now);
    return;
  }
  const locked = Object.keys(now.feeds).every((feed) => now.locks.has(feed) && now.opened[feed]);
  if (list.pairs.includes(action.point) && isLow && now.proof.before && locked) now.proof.pairs.add(action.point);
}

function settle(list, now, action) {
  const { proof } = now;
  const isWhole =
    proof.after &&
    isOff(now) &&
    (now.frame || Object.keys(list.frame_points).every((point) => now.shown.has(point))) &&
    now.control !== "separate source" &&
    list.ticks.every((line) => now.ticks.has(line)) &&
    Object.keys(now.feeds).every((feed) => now.locks.has(feed) && now.opened[feed]);
  if (isWhole && !now.dead) {
    now.dead = true;
    now.provenAt = action.at ?? null;
  }
}
