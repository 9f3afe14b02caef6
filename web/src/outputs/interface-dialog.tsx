import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useChosenInterface, useInterfaces } from "@/api/queries";
import type { Interface, InterfaceChoice, Interfaces, Rig } from "@/api/types";
import { RANGES } from "@/generated/core";
import { Dialog } from "@/ui/dialog";
import { Labelled } from "@/ui/form";
import { useNotices } from "@/ui/notices";
import { Trouble } from "@/ui/states";

type Choice = Omit<InterfaceChoice, "rig">;

interface Props {
  rig: Rig;
  onClose: () => void;
}

/** The interfaces that the machine has now, one to be chosen for a rig. */
export function InterfaceDialog({ rig, onClose }: Props) {
  const { t } = useTranslation();
  const interfaces = useInterfaces();
  return (
    <Dialog
      open
      wide
      onOpenChange={(open) => !open && onClose()}
      title={t("outputs.interface.choose")}
      about={t("outputs.interface.about")}
    >
      {interfaces.error ? (
        <Trouble error={interfaces.error} again={() => void interfaces.refetch()} />
      ) : interfaces.data ? (
        <Choosing
          rig={rig}
          interfaces={interfaces.data}
          look={() => void interfaces.refetch()}
          looking={interfaces.isFetching}
          onClose={onClose}
        />
      ) : (
        <p role="status" className="text-soft">
          {t("outputs.interface.looking")}
        </p>
      )}
    </Dialog>
  );
}

/** What is fed now, or what the rig has kept, to begin with. */
function firstChoice({ now }: Interfaces, rig: Rig): Choice {
  const known = rig.interface ?? now;
  const { name, outputs, block, buffer } = known ?? { name: "simulated", outputs: 8, block: 256, buffer: 4 };
  return { name, outputs, block: block as Choice["block"], buffer };
}

interface ChoosingProps extends Props {
  interfaces: Interfaces;
  look: () => void;
  looking: boolean;
}

function Choosing({ rig, interfaces, look, looking, onClose }: ChoosingProps) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const chosen = useChosenInterface();
  const [choice, setChoice] = useState(() => firstChoice(interfaces, rig));
  const change = (part: Partial<Choice>) => setChoice((old) => ({ ...old, ...part }));
  const one = interfaces.found.find((i) => i.name === choice.name);
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        chosen.mutate({ rig: rig.id, ...choice }, { onSuccess: onClose, onError: complain });
      }}
    >
      <ul className="flex flex-col">
        {interfaces.found.map((found) => (
          <Found
            key={found.name}
            found={found}
            checked={found.name === choice.name}
            choose={() => change({ name: found.name, outputs: outputsFor(found, rig) })}
          />
        ))}
      </ul>
      <Settings choice={choice} change={change} most={one?.outputs ?? 1} interfaces={interfaces} />
      <div className="flex justify-between gap-2">
        <button type="button" className="btn" onClick={look} disabled={looking}>
          {t(looking ? "outputs.interface.looking" : "outputs.interface.again")}
        </button>
        <button type="submit" className="btn pri" disabled={!one || one.refused !== "" || chosen.isPending}>
          {t("outputs.interface.use")}
        </button>
      </div>
    </form>
  );
}

/** As many outputs as the rig has sockets, if the interface has so many. */
const outputsFor = (found: Interface, rig: Rig) =>
  Math.min(found.outputs, Math.max(2, ...rig.sockets.map((s) => s.number)));

function Found({ found, checked, choose }: { found: Interface; checked: boolean; choose: () => void }) {
  const { t } = useTranslation();
  const has = t("outputs.interface.has", {
    outputs: found.outputs,
    rates: found.rates.map((r) => r / 1000).join(", "),
    ms: found.latency_ms,
  });
  return (
    <li className="border-t border-line2">
      <label className="grid grid-cols-[20px_minmax(0,1fr)] items-baseline gap-x-2 py-2">
        <input type="radio" name="interface" checked={checked} disabled={found.refused !== ""} onChange={choose} />
        <b className="font-[650]">{found.title}</b>
        <span />
        <span className={`small ${found.refused ? "text-clay" : ""}`}>
          {found.refused || (found.name === "simulated" ? t("outputs.interface.simulated") : has)}
        </span>
      </label>
    </li>
  );
}

interface SettingsProps {
  choice: Choice;
  change: (part: Partial<Choice>) => void;
  most: number;
  interfaces: Interfaces;
}

/** How many outputs, and what block and buffer mean in milliseconds. */
function Settings({ choice, change, most, interfaces }: SettingsProps) {
  const { t } = useTranslation();
  return (
    <div className="grid grid-cols-3 gap-3">
      <Labelled label={t("outputs.interface.outputs")}>
        <input
          className="field"
          type="number"
          required
          min={RANGES.SOCKETS.min}
          max={most}
          value={choice.outputs}
          onChange={(e) => change({ outputs: Number(e.target.value) })}
        />
      </Labelled>
      <Labelled label={t("outputs.interface.block")}>
        <select
          className="field"
          value={choice.block}
          onChange={(e) => change({ block: Number(e.target.value) as Choice["block"] })}
        >
          {interfaces.blocks.map(({ value, ms }) => (
            <option key={value} value={value}>
              {t("outputs.interface.blockOf", { frames: value, ms })}
            </option>
          ))}
        </select>
      </Labelled>
      <Labelled label={t("outputs.interface.buffer")}>
        <select className="field" value={choice.buffer} onChange={(e) => change({ buffer: Number(e.target.value) })}>
          {interfaces.buffers.map(({ value, ms }) => (
            <option key={value} value={value}>
              {t("outputs.interface.bufferOf", { count: value, ms })}
            </option>
          ))}
        </select>
      </Labelled>
      <p className="small col-span-3">{t("outputs.interface.bufferAbout")}</p>
    </div>
  );
}
