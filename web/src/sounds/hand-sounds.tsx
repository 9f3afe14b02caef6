import { Play, Trash2 } from "lucide-react";
import { useId, useState } from "react";
import { useTranslation } from "react-i18next";

import { useHandSoundChanges, useHandSounds } from "@/api/queries";
import type { HandSound, HandSoundChange, Song } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { hearFile } from "@/hear/hear-file";
import { figure, signed } from "@/lib/format";
import { Confirm } from "@/ui/dialog";
import { FilePicker } from "@/ui/file-picker";
import { HeadRow } from "@/ui/head-row";
import { IconButton } from "@/ui/icon-button";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

const GROUPS = ["effects", "rhythm", "tonal", "voices"] as const;

/** Sounds that are fired by hand on the stage: those of a song, and those of the band's shelf. */
export function HandSounds({ song }: { song?: Song }) {
  const { t } = useTranslation();
  const sounds = useHandSounds(song?.id);
  const all = sounds.data ?? [];
  return (
    <section aria-label={t("handSounds.title")} className="flex flex-col gap-3">
      {song && (
        <Shelf
          title={t("handSounds.ofSong", { title: song.title })}
          song={song.id}
          sounds={all.filter((s) => s.song !== null)}
        />
      )}
      <Shelf title={t("handSounds.shelf")} sounds={all.filter((s) => s.song === null)} />
      <p className="small">{t("handSounds.about")}</p>
    </section>
  );
}

function Shelf({ title, song, sounds }: { title: string; song?: string; sounds: HandSound[] }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const { add } = useHandSoundChanges();
  const named = useId();
  const take = async (files: FileList | null) => {
    for (const file of [...(files ?? [])]) await add.mutateAsync({ file, song }).catch(complain);
  };
  return (
    <section aria-labelledby={named}>
      <div className="mb-1 flex items-baseline gap-3">
        <h2 id={named}>{title}</h2>
        <FilePicker label={t("handSounds.files", { title })} accept="audio/*" onFiles={(files) => void take(files)}>
          {t(add.isPending ? "handSounds.adding" : "handSounds.add")}
        </FilePicker>
      </div>
      {sounds.length > 0 && (
        <table className="w-full border-collapse [&_td]:border-t [&_td]:border-line2 [&_td]:px-1.5 [&_td]:py-[3px] [&_th]:px-1.5 [&_th]:text-left [&_th]:text-[11.5px] [&_th]:font-[600] [&_th]:text-soft">
          <caption className="sr-only">{title}</caption>
          <HeadRow
            titles={(["name", "group", "level", "again", "only", "seconds"] as const).map((c) =>
              t(`handSounds.col_${c}`),
            )}
          />
          <tbody>
            {sounds.map((sound) => (
              <Row key={sound.id} sound={sound} />
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

type Set = (change: HandSoundChange) => Promise<boolean>;

function Row({ sound }: { sound: HandSound }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const { save } = useHandSoundChanges();
  const set: Set = (change) =>
    save.mutateAsync({ id: sound.id, ...change }).then(
      () => true,
      (error) => {
        complain(error);
        return false;
      },
    );
  const of = (what: string) => t("levels.of", { what, name: sound.name });
  return (
    <tr>
      <td className="flex items-center gap-1">
        <IconButton
          icon={Play}
          label={t("handSounds.hear", { name: sound.name })}
          onClick={() => void hearFile(`hand-sounds/${sound.id}/sound/`, sound.gain_db).catch(complain)}
        />
        <Typed
          className="min-w-0 grow"
          aria-label={of(t("handSounds.col_name"))}
          value={sound.name}
          maxLength={LENGTHS.NAME}
          onDone={(name) => set({ name })}
        />
      </td>
      <Choices sound={sound} set={set} of={of} />
      <td>
        <Typed
          className="w-[90px]"
          aria-label={of(t("handSounds.col_only"))}
          value={sound.only ?? ""}
          maxLength={LENGTHS.NAME}
          onDone={(only) => set({ only })}
        />
      </td>
      <td className="whitespace-nowrap">
        {t("handSounds.lasts", { seconds: sound.seconds.toFixed(1) })} <Remove sound={sound} />
      </td>
    </tr>
  );
}

/** Where it goes, how loud, and what firing it again does. */
function Choices({ sound, set, of }: { sound: HandSound; set: Set; of: (what: string) => string }) {
  const { t } = useTranslation();
  return (
    <>
      <td>
        <select
          className="field"
          aria-label={of(t("handSounds.col_group"))}
          value={sound.group}
          onChange={(e) => void set({ group: e.target.value as HandSound["group"] })}
        >
          {GROUPS.map((group) => (
            <option key={group} value={group}>
              {t(`groups.${group}`)}
            </option>
          ))}
        </select>
      </td>
      <td className="whitespace-nowrap">
        <Typed
          className="w-[58px]"
          inputMode="decimal"
          aria-label={of(t("handSounds.col_level"))}
          value={signed(sound.gain_db ?? 0, 1, true)}
          onDone={(text) => set({ gain_db: figure(text.replace("+", "")) })}
        />{" "}
        dB
      </td>
      <td>
        <select
          className="field"
          aria-label={of(t("handSounds.col_again"))}
          value={sound.again}
          onChange={(e) => void set({ again: e.target.value as HandSound["again"] })}
        >
          <option value="from_top">{t("handSounds.from_top")}</option>
          <option value="off">{t("handSounds.off")}</option>
        </select>
      </td>
    </>
  );
}

/** Undo does not bring a sound back: it is asked first. */
function Remove({ sound }: { sound: HandSound }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const { remove } = useHandSoundChanges();
  const [asking, setAsking] = useState(false);
  return (
    <>
      <IconButton icon={Trash2} label={t("handSounds.remove", { name: sound.name })} onClick={() => setAsking(true)} />
      <Confirm
        open={asking}
        onOpenChange={setAsking}
        title={t("handSounds.remove", { name: sound.name })}
        about={t("handSounds.sure")}
        yes={t("handSounds.yes")}
        onYes={() => remove.mutate(sound.id, { onError: complain })}
      />
    </>
  );
}
