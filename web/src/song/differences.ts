import type { Song } from "@/api/types";
import type { Difference } from "@/ui/conflict-dialog";

type Named = { id: string; name: string };

/** What is not the same in two states of a song, to be shown to somebody who saw the first. */
export function differences(old: Song, now: Song): Difference[] {
  const found: Difference[] = [];
  const tell: Tell = (what, was, is, name = "") => {
    if (JSON.stringify(was) !== JSON.stringify(is)) found.push({ what, name, was: text(was), is: text(is) });
  };
  facts(old, now, tell);
  pairs(old.sections, now.sections, "section", found, (a, b) => section(a, b, tell));
  pairs(old.stems, now.stems, "stem", found, (a, b) => {
    const settings = (stem: Song["stems"][number]) => ({ ...stem, sound: null, measured: null });
    if (JSON.stringify(settings(a)) !== JSON.stringify(settings(b)))
      found.push({ what: "stemSettings", name: b.name, was: "", is: "" });
  });
  pairs(old.forms, now.forms, "form", found, (a, b) => {
    if (b.id !== "full" && JSON.stringify(a.steps) !== JSON.stringify(b.steps))
      found.push({ what: "formSteps", name: b.name, was: String(a.steps.length), is: String(b.steps.length) });
  });
  chords(old, now, found);
  return found;
}

type Tell = (what: string, was: unknown, is: unknown, name?: string) => void;

function facts(old: Song, now: Song, tell: Tell) {
  tell("title", old.title, now.title);
  tell("key", old.key, now.key);
  tell(
    "tempo",
    old.tempo.map((t) => `${t.bpm} @ ${t.bar}`),
    now.tempo.map((t) => `${t.bpm} @ ${t.bar}`),
  );
  tell(
    "metre",
    old.meters.map((m) => `${m.meter} @ ${m.bar}`),
    now.meters.map((m) => `${m.meter} @ ${m.bar}`),
  );
  tell("bar1", old.bar1_s, now.bar1_s);
  tell("pickup", old.pickup, now.pickup);
  tell("note", old.note, now.note);
  tell(
    "countIn",
    [old.count_in_bars, old.count_in_aloud, old.count_in_sticks],
    [now.count_in_bars, now.count_in_aloud, now.count_in_sticks],
  );
  tell(
    "calls",
    [old.calls, old.lead, ...(old.cues ?? []).map((c) => c.text)],
    [now.calls, now.lead, ...(now.cues ?? []).map((c) => c.text)],
  );
  tell("click", old.click, now.click);
  tell("seams", [old.crossfade_ms, old.ring_on_s], [now.crossfade_ms, now.ring_on_s]);
}

function section(a: Song["sections"][number], b: Song["sections"][number], tell: Tell) {
  tell("sectionName", a.name, b.name, a.name);
  tell(
    "sectionBars",
    `${a.first_bar}–${a.first_bar + a.bars - 1}`,
    `${b.first_bar}–${b.first_bar + b.bars - 1}`,
    b.name,
  );
  tell("sectionEnding", a.ending.kind, b.ending.kind, b.name);
  tell("sectionWords", [a.words, a.note, a.cue, a.called, a.lead], [b.words, b.note, b.cue, b.called, b.lead], b.name);
}

/** The first bar whose chords are not the same. */
function chords(old: Song, now: Song, found: Difference[]) {
  const bars = Array.from({ length: Math.max(old.chords.length, now.chords.length) }, (_, i) => i + 1).filter(
    (bar) => (old.chords[bar - 1] ?? "") !== (now.chords[bar - 1] ?? ""),
  );
  if (bars.length)
    found.push({
      what: "chords",
      name: String(bars[0]),
      was: old.chords[(bars[0] ?? 1) - 1] ?? "",
      is: now.chords[(bars[0] ?? 1) - 1] ?? "",
    });
}

function pairs<T extends Named>(old: T[], now: T[], what: string, found: Difference[], both: (a: T, b: T) => void) {
  const before = new Map(old.map((x) => [x.id, x]));
  const after = new Set(now.map((x) => x.id));
  for (const x of old) if (!after.has(x.id)) found.push({ what: `${what}Gone`, name: x.name, was: "", is: "" });
  for (const x of now) {
    const a = before.get(x.id);
    if (a) both(a, x);
    else found.push({ what: `${what}New`, name: x.name, was: "", is: "" });
  }
}

const text = (value: unknown): string =>
  Array.isArray(value)
    ? value.join(", ")
    : typeof value === "string" || typeof value === "number" || typeof value === "boolean"
      ? String(value)
      : value
        ? JSON.stringify(value)
        : "";
