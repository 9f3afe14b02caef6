import type { TFunction } from "i18next";
import { type KeyboardEvent, useRef } from "react";
import { useTranslation } from "react-i18next";

import type { Device, MessageShown, Section, Song, SongMessages } from "@/api/types";
import { RehearsalMark } from "@/ui/mark";

import { type Cell, END, type Line, LINE_BARS, linesOf, moved, placedOn, START } from "./places";
import { meant, wordsOf } from "./says";

interface Props {
  song: Song;
  found: SongMessages;
  cell: Cell | null;
  choose: (cell: Cell) => void;
}

const COLOURS = 6;

/** The lanes of every device above the bars of each section. */
export function Lanes({ song, found, cell, choose }: Props) {
  const { t } = useTranslation();
  const area = useRef<HTMLDivElement>(null);
  const lines = linesOf(song.sections);
  const ids = found.devices.map((d) => d.id);
  const here = cell ?? { device: ids[0] ?? "", group: START, bar: 0 };
  const keys = (e: KeyboardEvent) => {
    const to = moved(lines, ids, here, e.key);
    if (!to) return;
    e.preventDefault();
    choose(to);
    area.current?.querySelector<HTMLElement>(`[data-cell="${to.device} ${to.group} ${to.bar}"]`)?.focus();
  };
  return (
    <div
      ref={area}
      role="grid"
      tabIndex={-1}
      aria-label={t("messages.of", { title: song.title })}
      aria-describedby="messages-help"
      className="flex min-h-0 flex-col overflow-auto pb-2"
      onKeyDown={keys}
    >
      {lines.map((line) => (
        <LineRow
          key={`${line.group} ${line.first}`}
          line={line}
          section={song.sections.find((s) => s.id === line.group)}
          {...{ found, here, choose }}
          chosen={cell !== null}
        />
      ))}
    </div>
  );
}

interface LineProps {
  line: Line;
  section: Section | undefined;
  found: SongMessages;
  here: Cell;
  chosen: boolean;
  choose: (cell: Cell) => void;
}

function LineRow({ line, section, found, here, chosen, choose }: LineProps) {
  return (
    <div className="grid grid-cols-[136px_minmax(0,1fr)] gap-x-2 pt-2" role="rowgroup">
      <LineHead line={line} section={section} />
      <div className="min-w-0">
        {found.devices.map((device, i) => (
          <Lane
            key={device.id}
            {...{ device, line, section, found, here, chosen, choose }}
            colour={(i % COLOURS) + 1}
          />
        ))}
        {section && (
          <div aria-hidden className="ml-[112px] flex h-[20px] bg-sheet">
            {Array.from({ length: line.bars }, (_, i) => (
              <span
                key={i}
                className="border-l-[1.5px] border-ink pl-1 text-[11px] text-soft"
                style={{ width: `${100 / LINE_BARS}%` }}
              >
                {section.first_bar + line.first + i}
              </span>
            ))}
          </div>
        )}
      </div>
    </div>
  );
}

/** What the line is of: a section with its mark, at its first line, or the song's start or end. */
function LineHead({ line, section }: Pick<LineProps, "line" | "section">) {
  const { t } = useTranslation();
  if (line.first > 0) return <span />;
  if (!section)
    return <span className="pt-[2px] font-[600]">{t(line.group === START ? "messages.start" : "messages.end")}</span>;
  return (
    <span className="flex items-start gap-2">
      <RehearsalMark mark={section.mark} colour={section.colour} />
      <span className="min-w-0 pt-[2px] leading-tight">
        <span className="block truncate font-[600]" title={section.name}>
          {section.name}
        </span>
        {section.ending.kind === "vamp" && <span className="small">{t("messages.vamp")}</span>}
        {section.ending.kind === "repeat" && (
          <span className="small">{t("messages.times", { count: section.ending.times ?? 2 })}</span>
        )}
      </span>
    </span>
  );
}

interface LaneProps extends LineProps {
  device: Device;
  colour: number;
}

function Lane({ device, line, section, found, here, chosen, choose, colour }: LaneProps) {
  const { t } = useTranslation();
  const placed = placedOn(found, device.id, line);
  const words = (i: number) =>
    placed
      .filter((p) => Math.floor(p.at) === i)
      .map(({ shown }) => passWords(shown, t) + (shown.says ? wordsOf(shown.says, shown.name, t) : t("messages.gone")));
  return (
    <div role="row" className={`k${colour} relative flex h-[26px]`}>
      <span role="rowheader" className="small w-[112px] flex-none truncate pr-2 pt-[4px]" title={device.name}>
        {device.name}
      </span>
      <div className="relative flex min-w-0 grow border-b border-dotted border-line">
        {Array.from({ length: line.bars }, (_, i) => {
          const cell = { device: device.id, group: line.group, bar: line.first + i };
          const at = here.device === cell.device && here.group === cell.group && here.bar === cell.bar;
          return (
            <button
              key={i}
              type="button"
              role="gridcell"
              data-cell={`${cell.device} ${cell.group} ${cell.bar}`}
              tabIndex={at ? 0 : -1}
              aria-selected={at && chosen}
              aria-label={[device.name, placeWords(line, section, i, t), ...words(i)].join(", ")}
              className={`relative z-10 h-full flex-none border-0 bg-transparent hover:bg-line/40 ${at && chosen ? "outline-2 -outline-offset-2 outline-ink" : ""}`}
              style={{ width: section ? `${100 / LINE_BARS}%` : "100%" }}
              onClick={() => choose(cell)}
            />
          );
        })}
        {placed.map(({ shown, at, until }) => {
          const says = meant(shown.message.send, device);
          return (
            <span
              key={shown.message.id}
              aria-hidden
              className="tight pointer-events-none absolute top-[2px] h-[21px] truncate border-l-4 border-l-[var(--k)] bg-[var(--kb)] px-[6px] pt-[1px] text-[12px] font-[600]"
              style={{ left: `${(100 * at) / LINE_BARS}%`, maxWidth: `${(100 * (until - at)) / LINE_BARS}%` }}
            >
              {passWords(shown, t)}
              {says ? wordsOf(says, shown.name, t) : t("messages.gone")}
            </span>
          );
        })}
      </div>
    </div>
  );
}

/** In which pass of its section a message goes out, where that is not every one. */
function passWords({ message }: MessageShown, t: TFunction): string {
  const only = message.at.pass;
  if (only === null) return "";
  return only === "last" ? t("messages.onlyLast") : t("messages.onlyTime", { number: only });
}

function placeWords(line: Line, section: Section | undefined, bar: number, t: TFunction): string {
  if (section) return t("messages.barOf", { bar: section.first_bar + line.first + bar, name: section.name });
  return t(line.group === END ? "messages.end" : "messages.start");
}
