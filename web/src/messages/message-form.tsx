import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Device, Message } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { figure } from "@/lib/format";
import { Labelled } from "@/ui/form";
import { Typed } from "@/ui/typed";

import { argsOf, begun, KINDS_OF, meant, type Says, wordsOf } from "./says";

type Send = Message["send"];

interface Props {
  device: Device;
  send: Send;
  onChange: (send: Send) => void;
}

/** What is sent: a message that the device has by a name, or one of a kind with its numbers. */
export function SendFields({ device, send, onChange }: Props) {
  const { t } = useTranslation();
  const chosen = send.kind === "named" ? `named ${send.message}` : send.kind;
  const choose = (value: string) => {
    const [kind, message] = [value.split(" ")[0] ?? "", value.slice(6)];
    onChange(kind === "named" ? { kind: "named", message } : begun(kind as Says["kind"]));
  };
  return (
    <>
      <Labelled label={t("messages.what")} wide>
        <select className="field" value={chosen} onChange={(e) => choose(e.target.value)}>
          {device.messages.map((m) => (
            <option key={m.id} value={`named ${m.id}`}>
              {wordsOf(m.send, m.name, t)}
            </option>
          ))}
          {KINDS_OF[device.kind].map((kind) => (
            <option key={kind} value={kind}>
              {t(`messages.kind.${kind}`)}
            </option>
          ))}
          {send.kind === "named" && !meant(send, device) && <option value={chosen}>{t("messages.gone")}</option>}
        </select>
      </Labelled>
      {send.kind !== "named" && <Numbers send={send} onChange={onChange} />}
    </>
  );
}

type Figure = "program" | "bank" | "controller" | "value" | "over" | "note" | "velocity" | "beats";

/** The numbers of a message, by its kind. */
export function Numbers({ send, onChange }: { send: Says; onChange: (send: Says) => void }) {
  const { t } = useTranslation();
  const number = (label: Figure, value: number | null, put: (value: number | null) => void) => (
    <Labelled label={t(`messages.field.${label}`)}>
      <Typed
        inputMode="decimal"
        value={value === null ? "" : String(value)}
        onDone={(text) => put(text === "" ? null : figure(text))}
      />
    </Labelled>
  );
  switch (send.kind) {
    case "program":
      return (
        <>
          {number("program", send.program, (v) => onChange({ ...send, program: v ?? 1 }))}
          {number("bank", send.bank, (bank) => onChange({ ...send, bank }))}
        </>
      );
    case "controller":
      return (
        <>
          {number("controller", send.controller, (v) => onChange({ ...send, controller: v ?? 0 }))}
          {number("value", send.value, (v) => onChange({ ...send, value: v ?? 0 }))}
          {number("over", send.over_beats, (over_beats) => onChange({ ...send, over_beats }))}
        </>
      );
    case "note":
      return (
        <>
          {number("note", send.note, (v) => onChange({ ...send, note: v ?? 0 }))}
          {number("velocity", send.velocity, (v) => onChange({ ...send, velocity: v ?? 1 }))}
          {number("beats", send.beats, (v) => onChange({ ...send, beats: v ?? 1 }))}
        </>
      );
    case "osc":
      return <OscFields send={send} onChange={onChange} />;
  }
}

function OscFields({ send, onChange }: { send: Extract<Says, { kind: "osc" }>; onChange: (send: Says) => void }) {
  const { t } = useTranslation();
  const [typed, setTyped] = useState(send.args.join(" "));
  return (
    <>
      <Labelled label={t("messages.field.address")} wide>
        <input
          className="field"
          value={send.address}
          maxLength={LENGTHS.REASON}
          onChange={(e) => onChange({ ...send, address: e.target.value })}
        />
      </Labelled>
      <Labelled label={t("messages.field.args")} wide>
        <input
          className="field"
          value={typed}
          onChange={(e) => {
            setTyped(e.target.value);
            onChange({ ...send, args: argsOf(e.target.value) });
          }}
        />
      </Labelled>
    </>
  );
}
