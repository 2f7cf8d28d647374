// Asks the phone's own rule, a line of JSON each way: what a phone without contact would say of the unit.
import { createInterface } from "node:readline";
import { actionsOf, standing } from "../assets/phone/dead.js";

for await (const line of createInterface({ input: process.stdin })) {
  const { list, forms } = JSON.parse(line);
  const actions = forms.flatMap(({ path, fields, at }) => actionsOf(path, fields).map((action) => ({ ...action, at })));
  const now = standing(list, actions);
  process.stdout.write(`${JSON.stringify({ dead: now.dead, feeds: now.feeds, calls: [...now.calls] })}\n`);
}
