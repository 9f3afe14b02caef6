import { Download, Redo2, Undo2 } from "lucide-react";
import { useEffect, useMemo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { useDevices } from "@/api/devices";
import { useHands, useHandsChange } from "@/api/hands";
import { useFeeds, useHandSounds } from "@/api/queries";
import type { Hands, HandsNow } from "@/api/types";
import { HAND_STARTERS } from "@/generated/core";
import { FilePicker } from "@/ui/file-picker";
import { IconButton } from "@/ui/icon-button";
import { Menu, MenuItem } from "@/ui/menu";
import { useNotices } from "@/ui/notices";
import { Trouble, Waiting } from "@/ui/states";
import { usePageKeys } from "@/ui/use-page-keys";

import { BoxCard } from "./box-card";
import { HandsSide } from "./hands-side";
import { PortCard } from "./port-card";
import { keyOf, useHandsLine } from "@/api/use-hands-line";
import { type LightSet, usePageMidi } from "@/lib/use-page-midi";
import { type Learning, useLearning } from "./use-learning";
import { usePageKeyboard } from "./use-page-keyboard";
import { messageKey, type Names } from "./words";

/** What every key, pad, pedal and fader does; learned by pressing. */
export function HandsPage({ port }: { port: number }) {
  const hands = useHands();
  if (hands.isPending) return <Waiting />;
  if (hands.error) return <Trouble error={hands.error} again={() => void hands.refetch()} />;
  return <Page port={port} hands={hands.data} />;
}

function Page({ port, hands }: { port: number; hands: Hands }) {
  const { t } = useTranslation();
  const { say } = useNotices();
  const change = useHandsChange();
  const [now, setNow] = useState<HandsNow | null>(null);
  const learning = useLearning(hands, change, now);
  const lights = useRef<(light: LightSet) => void>(() => undefined);
  const line = useHandsLine(port, {
    onNow: setNow,
    onProblem: say,
    onSignal: learning.onSignal,
    onLight: (light) => lights.current(light),
  });
  usePageKeyboard(line.send);
  const midi = usePageMidi(line.send);
  useEffect(() => void (lights.current = midi.light), [midi.light]);
  const names = useNames(hands);
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_340px]">
      <div className="flex min-h-0 flex-col gap-3 overflow-auto px-5 pt-[14px] pb-6">
        <Head hands={hands} now={now} change={change} />
        {line.line !== "there" && (
          <p role="status" className="panel px-3 py-2">
            {t(`hands.line.${line.line}`)}
          </p>
        )}
        <Cards {...{ hands, now, line, names, change, learning }} />
      </div>
      <HandsSide {...{ hands, now, names, line, midi, learning, change }} />
    </div>
  );
}

type Change = ReturnType<typeof useHandsChange>;

/** What the page is for, undo, starter sets, the file. */
function Head({ hands, now, change }: { hands: Hands; now: HandsNow | null; change: Change }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const travel = (way: "undo" | "redo", able: boolean) => () => {
    if (able) change.mutate({ travel: way }, { onError: complain });
  };
  const [undo, redo] = [travel("undo", hands.can_undo), travel("redo", hands.can_redo)];
  usePageKeys({ undo, redo });
  return (
    <div className="flex items-end gap-2">
      <div className="min-w-0 grow">
        <h1>{t("places.hands")}</h1>
        <p className="text-soft">{t("hands.about")}</p>
      </div>
      <IconButton label={t("song.undo")} icon={Undo2} disabled={!hands.can_undo} onClick={undo} />
      <IconButton label={t("song.redo")} icon={Redo2} disabled={!hands.can_redo} onClick={redo} />
      <FileMenu now={now} change={change} />
    </div>
  );
}

interface CardsProps {
  hands: Hands;
  now: HandsNow | null;
  line: ReturnType<typeof useHandsLine>;
  names: Names;
  change: Change;
  learning: Learning;
}

/** The simulated boxes, then every port that is there or that bindings wait for. */
function Cards({ hands, now, line, names, change, learning }: CardsProps) {
  const { picked, pick } = learning;
  const ports = now?.ports ?? [];
  const boxes = now?.boxes ?? [];
  const others = ports.filter((p) => p.kind !== "box" && p.kind !== "stand_in");
  const shared = { hands, values: line.values, hit: line.hit, picked: picked && keyOf(picked), pick, names, change };
  const pageOf = (name: string) => now?.pages[name] ?? 1;
  return (
    <>
      {others
        .filter((p) => p.kind !== "page" || hands.bindings.some((b) => b.control.port === p.name))
        .map((p) => (
          <PortCard key={p.name} port={p} page={pageOf(p.name)} {...shared} />
        ))}
      {boxes.map((box) => (
        <BoxCard key={box.name} box={box} page={pageOf(box.name)} plugged={now?.plugged} send={line.send} {...shared} />
      ))}
    </>
  );
}

/** Starter sets for a port, and the file in which hands travel. */
function FileMenu({ now, change }: { now: HandsNow | null; change: Change }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const ports = now?.ports.filter((p) => p.into) ?? [];
  const portOf = (starter: string) =>
    ({ nine_pads: "Nine pads", four_pedals: "Four pedals", two_pedals: "Four pedals", eight_faders: "Eight faders" })[
      starter
    ] ?? ports.find((p) => p.kind === "page")?.name;
  const read = (files: FileList | null) => {
    void files?.[0]
      ?.text()
      .then((text) => JSON.parse(text) as unknown)
      .then((file) => change.mutateAsync({ file }))
      .catch((error: unknown) => complain(error instanceof SyntaxError ? new Error(t("hands.fileBroken")) : error));
  };
  return (
    <>
      <Menu label={t("hands.starters")} align="end">
        {HAND_STARTERS.map((starter) => (
          <MenuItem
            key={starter}
            disabled={!portOf(starter)}
            onSelect={() => change.mutate({ starter, port: portOf(starter) ?? "" }, { onError: complain })}
          >
            {t(`hands.starter.${starter}`)}
          </MenuItem>
        ))}
      </Menu>
      <FilePicker label={t("hands.import")} accept=".json" onFiles={read}>
        {t("hands.import")}
      </FilePicker>
      <a className="btn" href="/api/hands/file/" download>
        <Download size={14} aria-hidden />
        {t("hands.export")}
      </a>
    </>
  );
}

/** Names of feeds and sounds by hand, and of the sections of songs. */
function useNames({ sections }: Hands): Names {
  const feeds = useFeeds().data;
  const sounds = useHandSounds().data;
  const devices = useDevices().data?.devices;
  return useMemo(() => {
    const named = [...(feeds ?? []), ...(sounds ?? [])].map(({ id, name }) => [id, name] as const);
    const messages = (devices ?? []).flatMap((d) =>
      d.messages.map((m) => [messageKey({ device: d.id, message: m.id }), `${d.name}: ${m.name}`] as const),
    );
    return new Map([...named, ...messages, ...Object.entries(sections)]);
  }, [feeds, sounds, devices, sections]);
}
