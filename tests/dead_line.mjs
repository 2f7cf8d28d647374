// Asks the phone's own rule, a line of JSON each way: what a phone without contact would say of the unit.
import { createInterface } from "node:readline";
import { deedsOf, standing } from "../assets/phone/dead.js";

for await (const line of createInterface({ input: process.stdin })) {
  const { list, forms } = JSON.parse(line);
  const deeds = forms.flatMap(({ path, fields, at }) => deedsOf(path, fields).map((deed) => ({ ...deed, at })));
  const now = standing(list, deeds);
  process.stdout.write(`${JSON.stringify({ dead: now.dead, feeds: now.feeds, calls: [...now.calls] })}\n`);
}
