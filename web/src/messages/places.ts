import type { MessageShown, Section, SongMessages } from "@/api/types";

/** A cell of the lanes: a device, and a bar of a section from 0, or the song's start or end. */
export interface Cell {
  device: string;
  group: string;
  bar: number;
}

/** Some bars of a section beside each other. */
export interface Line {
  group: string;
  first: number;
  bars: number;
}

export const [START, END] = ["start", "end"];
export const LINE_BARS = 8;

/** The lines of the lanes from top to bottom: the start, every section cut into lines, the end. */
export function linesOf(sections: Section[]): Line[] {
  const inside = sections.flatMap((s) =>
    Array.from({ length: Math.ceil(s.bars / LINE_BARS) }, (_, i) => ({
      group: s.id,
      first: i * LINE_BARS,
      bars: Math.min(LINE_BARS, s.bars - i * LINE_BARS),
    })),
  );
  return [{ group: START, first: 0, bars: 1 }, ...inside, { group: END, first: 0, bars: 1 }];
}

/** The group that a message stands in; none where its place is gone. */
export function groupOf({ message, section }: MessageShown): string | null {
  return message.at.place === "start" || message.at.place === "end" ? message.at.place : section;
}

/** The messages of a cell. */
export const inCell = (messages: MessageShown[], cell: Cell): MessageShown[] =>
  messages.filter((m) => m.message.device === cell.device && groupOf(m) === cell.group && (m.bar ?? 0) === cell.bar);

/** A message on a line: where it begins, and how far it may be written, in bars of the line. */
export interface Placed {
  shown: MessageShown;
  at: number;
  until: number;
}

/** The messages of a device on a line. */
export function placedOn(found: SongMessages, device: string, line: Line): Placed[] {
  const beats = found.sections.find((s) => s.id === line.group)?.beats ?? [];
  const own = found.messages.filter((m) => {
    const bar = m.bar ?? 0;
    return (
      m.message.device === device && groupOf(m) === line.group && bar >= line.first && bar < line.first + line.bars
    );
  });
  const at = own.map((m) => {
    const bar = m.bar ?? 0;
    const beat = m.message.at.place === "bar" ? m.message.at.beat - 1 : 0;
    return bar - line.first + beat / (beats[bar] ?? 4);
  });
  return own.map((shown, i) => {
    const later = at.filter((other) => other > (at[i] ?? 0));
    return { shown, at: at[i] ?? 0, until: Math.min(line.bars, ...later) };
  });
}

/** Where a key takes the hand from a cell; null for a key that does not move it. */
export function moved(lines: Line[], devices: string[], cell: Cell, key: string): Cell | null {
  const row = lines.findIndex(
    (l) => l.group === cell.group && cell.bar >= l.first && cell.bar < Math.max(l.first + l.bars, 1),
  );
  const line = lines[row];
  const lane = devices.indexOf(cell.device);
  if (!line || lane < 0) return null;
  const on = (to: Line | undefined, device: number, bar: number): Cell | null =>
    to === undefined
      ? cell
      : {
          device: devices[device] ?? cell.device,
          group: to.group,
          bar: to.first + Math.min(to.bars - 1, Math.max(0, bar)),
        };
  const bar = cell.bar - line.first;
  switch (key) {
    case "ArrowLeft":
      return bar > 0 ? on(line, lane, bar - 1) : on(lines[row - 1], lane, LINE_BARS);
    case "ArrowRight":
      return bar < line.bars - 1 ? on(line, lane, bar + 1) : on(lines[row + 1], lane, 0);
    case "ArrowUp":
      return lane > 0 ? on(line, lane - 1, bar) : on(lines[row - 1], devices.length - 1, bar);
    case "ArrowDown":
      return lane < devices.length - 1 ? on(line, lane + 1, bar) : on(lines[row + 1], 0, bar);
    case "Home":
      return on(lines[0], lane, 0);
    case "End":
      return on(lines.at(-1), lane, 0);
    default:
      return null;
  }
}
