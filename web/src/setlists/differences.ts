import type { Entry, Setlist } from "@/api/types";
import type { Difference } from "@/ui/conflict-dialog";

const named = (entry: Entry) => entry.title || entry.set_name || `${entry.interval_minutes} min`;

/** What is not the same in two states of a setlist, to be shown to somebody who saw the first. */
export function setlistDifferences(old: Setlist, now: Setlist): Difference[] {
  const found: Difference[] = [];
  const tell = (what: string, was: string, is: string, name = "") => {
    if (was !== is) found.push({ what, name, was, is });
  };
  tell("name", old.name, now.name);
  tell("slot", String(old.slot_minutes), String(now.slot_minutes));
  tell("starts", old.starts_at ?? "", now.starts_at ?? "");
  const before = new Map(old.entries.map((e) => [e.id, e]));
  const after = new Map(now.entries.map((e) => [e.id, e]));
  for (const e of old.entries) if (!after.has(e.id)) found.push({ what: "entryGone", name: named(e), was: "", is: "" });
  for (const e of now.entries) {
    const known = before.get(e.id);
    const settings = (x: Entry) =>
      [
        x.form,
        x.link,
        x.link_seconds,
        x.pad,
        x.call_title,
        x.timecode,
        x.screen,
        x.note,
        x.colour,
        x.set_name,
        JSON.stringify(x.players),
        x.interval_minutes,
      ].join(" ");
    if (!known) found.push({ what: "entryNew", name: named(e), was: "", is: "" });
    else if (settings(known) !== settings(e)) found.push({ what: "entryChanged", name: named(e), was: "", is: "" });
  }
  const order = (list: Setlist, others: Map<string | undefined, Entry>) =>
    list.entries
      .filter((e) => others.has(e.id))
      .map(named)
      .join(", ");
  tell("order", order(old, after), order(now, before));
  return found;
}
