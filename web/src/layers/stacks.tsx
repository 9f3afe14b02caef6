import { Trash2 } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Edit } from "@/api/edits";
import { useStackChanges, useStacks } from "@/api/layers";
import type { Song, Stack } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { Confirm } from "@/ui/dialog";
import { IconButton } from "@/ui/icon-button";
import { useNotices } from "@/ui/notices";

import type { HearHere } from "./loop-list";

interface Props {
  song: Song;
  edit: Edit;
  hear: HearHere;
}

/** Layers that are taken to songs together. */
export function Stacks({ song, edit, hear }: Props) {
  const { t } = useTranslation();
  const stacks = useStacks();
  return (
    <section aria-labelledby="stacks" className="flex flex-col gap-1.5">
      <h2 id="stacks">{t("layers.stacks")}</h2>
      <ul className="flex flex-col">
        {stacks.data?.map((stack) => (
          <StackRow key={stack.id} stack={stack} edit={edit} hear={hear} />
        ))}
      </ul>
      <KeepStack song={song} />
    </section>
  );
}

function StackRow({ stack, edit, hear }: { stack: Stack } & Omit<Props, "song">) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const { remove } = useStackChanges();
  const [asking, setAsking] = useState(false);
  const { name } = stack;
  return (
    <li className="flex items-center gap-2 border-t border-line2 py-[3px]">
      <span className="min-w-0 grow truncate">
        <b className="font-[600]">{name}</b>
        <span className="small ml-2">{stack.layers.map((x) => x.name).join(" · ")}</span>
      </span>
      <button
        type="button"
        className="btn"
        aria-label={t("layers.hearHereOf", { name })}
        onClick={() => hear({ stack: stack.id })}
      >
        {t("layers.hearHere")}
      </button>
      <button
        type="button"
        className="btn"
        aria-label={t("layers.takeOf", { name })}
        onClick={() => void edit("take_stack", { stack: stack.id })}
      >
        {t("layers.take")}
      </button>
      <IconButton icon={Trash2} label={t("layers.removeStack", { name })} onClick={() => setAsking(true)} />
      <Confirm
        open={asking}
        onOpenChange={setAsking}
        title={t("layers.removeStack", { name })}
        about={t("layers.removeStackAbout")}
        yes={t("layers.removeStackYes")}
        onYes={() => remove.mutate(stack.id, { onError: complain })}
      />
    </li>
  );
}

/** The layers that the song has now, under a name. */
function KeepStack({ song }: { song: Song }) {
  const { t } = useTranslation();
  const { complain, say } = useNotices();
  const { keep } = useStackChanges();
  const [name, setName] = useState("");
  const count = song.stems.filter((s) => s.layer).length;
  if (!count) return <p className="small">{t("layers.stacksAbout")}</p>;
  return (
    <form
      className="flex items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        keep.mutate(
          { song: song.id, name: name.trim() || song.title },
          {
            onSuccess: (kept) => {
              setName("");
              say(t("layers.kept", { name: kept.name }));
            },
            onError: complain,
          },
        );
      }}
    >
      <input
        className="field grow"
        aria-label={t("layers.stackName")}
        placeholder={song.title}
        maxLength={LENGTHS.NAME}
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <button type="submit" className="btn" disabled={keep.isPending}>
        {t("layers.keep", { count })}
      </button>
    </form>
  );
}
