import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useNavigate } from "react-router";

import { useLineUps, useRigs, useSavedShow, useVoice } from "@/api/queries";
import type { Setlist, Show } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { Dialog } from "@/ui/dialog";
import { Labelled } from "@/ui/form";
import { useNotices } from "@/ui/notices";

import { useTaking } from "@/shows/use-taking";
import { VoiceOptions } from "@/voice/voice-options";

interface Props {
  setlist: Setlist;
  show: Show | null;
  onClose: () => void;
}

/** What is typed and chosen; empty for what is left open. */
interface Draft {
  title: string;
  rig: string;
  date: string;
  line_up: string;
  voice: string;
}

/** A setlist on a rig, with who is on: made or changed, and taken to the stage. */
export function ShowDialog({ setlist, show, onClose }: Props) {
  const { t } = useTranslation();
  const rigs = useRigs();
  const [draft, setDraft] = useState<Draft>({
    title: show?.title ?? setlist.name,
    rig: show?.rig ?? "",
    date: show?.date ?? "",
    line_up: show?.line_up ?? "",
    voice: show?.voice ?? "",
  });
  const chosen = { ...draft, rig: draft.rig || rigs.data?.[0]?.id || "" };
  const { take, keep, taking } = useShowActs({ setlist, show, draft: chosen, onClose });
  const busy = take.isPending || keep.isPending || taking.busy;
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={show ? show.title : t("show.new")}
      about={t("show.about")}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          take.mutate();
        }}
      >
        <Fields draft={chosen} change={(part) => setDraft((d) => ({ ...d, ...part }))} />
        {(take.isPending || taking.busy) && (
          <p role="status" className="small">
            {t("show.loading")}
          </p>
        )}
        <div className="mt-2 flex justify-end gap-2">
          <button type="button" className="btn" disabled={busy || !chosen.rig} onClick={() => keep.mutate()}>
            {t("show.keep")}
          </button>
          <button type="submit" className="btn pri" disabled={busy || !chosen.rig}>
            {t("setlist.take")}
          </button>
        </div>
      </form>
      {taking.question}
    </Dialog>
  );
}

/** Keeping the show, and taking it to the stage once it is kept. */
function useShowActs({ setlist, show, draft, onClose }: Props & { draft: Draft }) {
  const { t } = useTranslation();
  const { complain, say } = useNotices();
  const navigate = useNavigate();
  const { create, save } = useSavedShow();
  const taking = useTaking(() => void navigate("/stage"));
  const saved = () => {
    const change = {
      ...draft,
      title: draft.title.trim(),
      setlist: setlist.id,
      date: draft.date || null,
      line_up: draft.line_up || null,
    };
    return show ? save.mutateAsync({ id: show.id, ...change }) : create.mutateAsync(change);
  };
  const take = useMutation({
    mutationFn: async () => {
      const kept = await saved();
      taking.take(kept.id);
    },
    onError: complain,
  });
  const keep = useMutation({
    mutationFn: saved,
    onSuccess: () => {
      say(t("show.saved"));
      onClose();
    },
    onError: complain,
  });
  return { take, keep, taking };
}

interface FieldsProps {
  draft: Draft;
  change: (part: Partial<Draft>) => void;
}

function Fields({ draft, change }: FieldsProps) {
  const { t } = useTranslation();
  const rigs = useRigs();
  return (
    <>
      <Labelled label={t("show.title")}>
        <input
          className="field"
          required
          maxLength={LENGTHS.TITLE}
          value={draft.title}
          onChange={(e) => change({ title: e.target.value })}
        />
      </Labelled>
      <div className="flex gap-3">
        <Labelled label={t("show.rig")} className="grow">
          <select className="field" value={draft.rig} onChange={(e) => change({ rig: e.target.value })} required>
            {rigs.data?.map((r) => (
              <option key={r.id} value={r.id}>
                {r.name}
              </option>
            ))}
          </select>
        </Labelled>
        <Labelled label={t("show.date")}>
          <input type="date" className="field" value={draft.date} onChange={(e) => change({ date: e.target.value })} />
        </Labelled>
      </div>
      {rigs.data?.length === 0 && (
        <p className="text-clay">
          {t("show.noRig")}{" "}
          <Link to="/outputs" className="underline">
            {t("show.toOutputs")}
          </Link>
        </p>
      )}
      <WhoAndVoice draft={draft} change={change} />
    </>
  );
}

/** Who is on, and in whose voice words are said that night. */
function WhoAndVoice({ draft, change }: FieldsProps) {
  const { t } = useTranslation();
  const lineUps = useLineUps();
  const bands = useVoice();
  return (
    <>
      <Labelled label={t("show.on")}>
        <select className="field" value={draft.line_up} onChange={(e) => change({ line_up: e.target.value })}>
          <option value="">{t("lineUp.everybody")}</option>
          {lineUps.data?.map((l) => (
            <option key={l.id} value={l.id}>
              {l.name}
            </option>
          ))}
        </select>
      </Labelled>
      {/* There before its voices are known: a dialog that grows moves what is being pressed. */}
      <Labelled label={t("show.voice")}>
        <select
          className="field"
          disabled={!bands.data}
          value={draft.voice}
          onChange={(e) => change({ voice: e.target.value })}
        >
          <option value="">{t("show.bandsVoice")}</option>
          {bands.data && <VoiceOptions voice={bands.data} chosen={draft.voice} />}
        </select>
      </Labelled>
    </>
  );
}
