import type { Patch, Rig } from "@/api/types";
import type { Difference } from "@/ui/conflict-dialog";

const wire = (p: Patch) => `${p.feed} ${p.side} ${p.socket} ${p.trim_db} ${p.delay_ms} ${p.invert}`;

/** What is not the same in two states of a rig, to be shown to somebody who saw the first. */
export function rigDifferences(old: Rig, now: Rig): Difference[] {
  const found: Difference[] = [];
  const tell = (what: string, name: string, was = "", is = "") => found.push({ what, name, was, is });
  if (old.name !== now.name) tell("name", "", old.name, now.name);
  const before = new Map(old.sockets.map((s) => [s.number, s]));
  const after = new Set(now.sockets.map((s) => s.number));
  for (const s of old.sockets) if (!after.has(s.number)) tell("socketGone", String(s.number));
  for (const s of now.sockets) {
    const known = before.get(s.number);
    if (!known) tell("socketNew", String(s.number));
    else if (JSON.stringify(known) !== JSON.stringify(s))
      tell("socketChanged", String(s.number), known.label ?? "", s.label ?? "");
  }
  const [was, is] = [new Set(old.patches.map(wire)), new Set(now.patches.map(wire))];
  for (const p of old.patches) if (!is.has(wire(p))) tell("wireGone", String(p.socket));
  for (const p of now.patches) if (!was.has(wire(p))) tell("wireNew", String(p.socket));
  return found;
}
