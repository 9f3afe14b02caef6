import type { ReactNode } from "react";
import { useTranslation } from "react-i18next";

import { ECHO_BEATS, RANGES, USUAL_TREATMENT } from "@/generated/core";
import { figure, signed } from "@/lib/format";
import { FigureField, Labelled, Tick } from "@/ui/form";

import { type Tone, ToneFigures } from "./figures";
import type { Treatment } from "./treatments";

interface PartProps {
  name: string;
  on: boolean;
  turn: (on: boolean) => void;
  children: ReactNode;
}

/** A part of a treatment: on or off, and where it is on its figures. */
function Part({ name, on, turn, children }: PartProps) {
  return (
    <div className="border-t border-line2 pt-2">
      <Tick label={name} checked={on} onChange={turn} />
      {on && <div className="mt-1">{children}</div>}
    </div>
  );
}

const GRID = "grid grid-cols-3 items-end gap-2";

type Of<K extends keyof Treatment> = { [key in K]: Treatment[K] } & { set: (part: Treatment[K]) => void };

export function GatePart({ gate, set }: Of<"gate">) {
  const { t } = useTranslation();
  return (
    <Part name={t("treatment.gate")} on={gate !== null} turn={(on) => set(on ? USUAL_TREATMENT.gate : null)}>
      {gate && (
        <div className={GRID}>
          <FigureField
            label={t("treatment.opens")}
            value={signed(gate.opens_db)}
            onDone={(text) => set({ ...gate, opens_db: figure(text) })}
          />
          <FigureField
            label={t("treatment.release")}
            value={String(gate.release_ms)}
            onDone={(text) => set({ ...gate, release_ms: figure(text) })}
          />
        </div>
      )}
    </Part>
  );
}

export function DrivePart({ drive, set }: Of<"drive">) {
  const { t } = useTranslation();
  return (
    <Part name={t("treatment.drive")} on={drive !== null} turn={(on) => set(on ? USUAL_TREATMENT.drive : null)}>
      {drive && (
        <div className={GRID}>
          <FigureField
            label={t("treatment.driveBy")}
            value={String(drive.db)}
            onDone={(text) => set({ db: figure(text) })}
          />
        </div>
      )}
    </Part>
  );
}

/** `children`: its curve. */
export function TonePart({ tone, set, children }: Of<"tone"> & { children: ReactNode }) {
  const { t } = useTranslation();
  const change = (part: Tone) => set({ ...USUAL_TREATMENT.tone, ...tone, ...part });
  return (
    <Part name={t("tone.title")} on={tone !== null} turn={(on) => set(on ? USUAL_TREATMENT.tone : null)}>
      {tone && (
        <>
          {children}
          <ToneFigures tone={tone} set={change} />
        </>
      )}
    </Part>
  );
}

export function EchoPart({ echo, set }: Of<"echo">) {
  const { t } = useTranslation();
  return (
    <Part name={t("treatment.echo")} on={echo !== null} turn={(on) => set(on ? USUAL_TREATMENT.echo : null)}>
      {echo && (
        <div className="grid grid-cols-4 items-end gap-2">
          <Labelled label={t("treatment.every")}>
            <select
              className="field"
              value={echo.beats}
              onChange={(e) => set({ ...echo, beats: e.target.value as typeof echo.beats })}
            >
              {ECHO_BEATS.map((beats) => (
                <option key={beats} value={beats}>
                  {t("treatment.beats", { beats })}
                </option>
              ))}
            </select>
          </Labelled>
          <Labelled label={t("treatment.repeats")}>
            <input
              type="number"
              className="field"
              {...RANGES.ECHO_REPEATS}
              value={echo.repeats}
              onChange={(e) => set({ ...echo, repeats: Math.round(Number(e.target.value)) || echo.repeats })}
            />
          </Labelled>
          <FigureField
            label={t("treatment.firstAt")}
            value={signed(echo.db)}
            onDone={(text) => set({ ...echo, db: figure(text) })}
          />
          <FigureField
            label={t("treatment.falls")}
            value={String(echo.fall_db)}
            onDone={(text) => set({ ...echo, fall_db: figure(text) })}
          />
        </div>
      )}
    </Part>
  );
}
