import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { BoxNow, Control } from "@/api/types";

import { Card } from "./card";
import { Fader } from "./fader";
import { LightsButton } from "./lights-dialog";
import { bindingOf, pagesOf, type Shared } from "./shared";
import { Tile } from "./tile";
import { keyOf } from "@/api/use-hands-line";
import { useDoesWords } from "./words";

interface Props extends Shared {
  box: BoxNow;
  page: number;
  plugged: boolean | undefined;
  send: (message: unknown) => void;
}

type Printed = BoxNow["controls"][number];

/** The control that a part of a box is, as its port hears it. */
export const controlOf = (port: string, { status, number }: Printed): Control => ({
  port,
  kind: (status & 0xf0) === 0x90 ? "note" : "controller",
  channel: (status & 0x0f) + 1,
  number,
  key: "",
});

/** A simulated box, pressed by touch: it speaks the MIDI that a real one would. */
export function BoxCard({ box, page, plugged, send, ...shared }: Props) {
  const { t } = useTranslation();
  const { hands, hit, picked, pick, names, values } = shared;
  const words = useDoesWords(names);
  const pages = pagesOf(hands.bindings, box.name);
  const [chosen, setShown] = useState<number | null>(null);
  const shown = Math.min(chosen ?? page, pages);
  const speak = (one: Printed, value: number) => send({ box: box.name, data: [one.status, one.number, value] });
  return (
    <Card
      name={box.name}
      tag={t(plugged ? "hands.boxPlugged" : "hands.box")}
      {...{ pages, page, shown }}
      show={setShown}
      tools={box.shape !== "faders" && <LightsButton port={box.name} {...shared} />}
    >
      <div className="mt-[10px] grid gap-2" style={{ gridTemplateColumns: `repeat(${box.across}, minmax(0, 1fr))` }}>
        {box.controls.map((one) => {
          const control = controlOf(box.name, one);
          const binding = bindingOf(hands.bindings, control, shown);
          const key = keyOf(control);
          if (box.shape === "faders")
            return (
              <Fader
                key={one.name}
                name={one.name}
                words={binding ? words(binding.does) : t("hands.nothingYet")}
                value={values.get(key) ?? 0}
                picked={picked === key}
                onMove={(value) => speak(one, value)}
              />
            );
          return (
            <Tile
              key={one.name}
              {...{ binding, name: one.name, hit: hit.has(key), picked: picked === key, light: one.light }}
              words={binding ? words(binding.does) : ""}
              held={binding !== undefined && hands.held.includes(binding.id)}
              long={binding?.long ? words(binding.long) : undefined}
              round={box.shape === "pedals"}
              handlers={pressed(one, speak, () => pick(control))}
            />
          );
        })}
      </div>
    </Card>
  );
}

/** A pad is down as long as a finger, Enter or Space is. */
const pressed = (one: Printed, speak: (one: Printed, value: number) => void, pick: () => void) => ({
  onPointerDown: (e: React.PointerEvent) => {
    if (e.button !== 0) return;
    e.currentTarget.setPointerCapture(e.pointerId);
    pick();
    speak(one, 127);
  },
  onPointerUp: () => speak(one, 0),
  onPointerCancel: () => speak(one, 0),
  onKeyDown: (e: React.KeyboardEvent) => {
    if ((e.key !== "Enter" && e.key !== " ") || e.repeat) return;
    e.preventDefault();
    pick();
    speak(one, 127);
  },
  onKeyUp: (e: React.KeyboardEvent) => {
    if (e.key === "Enter" || e.key === " ") speak(one, 0);
  },
});
