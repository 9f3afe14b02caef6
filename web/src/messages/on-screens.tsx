import { X } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Edit } from "@/api/edits";
import { useScreenFileChanges, useScreenFiles } from "@/api/screens";
import type { ScreenFile, Song } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { duration, figure } from "@/lib/format";
import { FilePicker } from "@/ui/file-picker";
import { Labelled } from "@/ui/form";
import { IconButton } from "@/ui/icon-button";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

type Screen = NonNullable<Song["screen"]>;
type Still = NonNullable<Screen["stills"]>[number];

interface Props {
  song: Song;
  edit: Edit;
}

const asShown = ({ content, name, type, fps, seconds }: ScreenFile) => ({ id: content, name, type, fps, seconds });

/** What screens for the audience show with a song: a film, pictures by section or time. */
export function OnScreens({ song, edit }: Props) {
  const { t } = useTranslation();
  const files = useScreenFiles().data ?? [];
  const screen = song.screen ?? {};
  const keep = (part: Partial<Screen>) => edit("set_screen", { screen: { ...screen, ...part } });
  const films = files.filter((f) => f.kind === "film");
  const film = screen.film ?? null;
  return (
    <section aria-labelledby="on-screens" className="flex flex-col gap-2">
      <h2 id="on-screens" className="text-[15px]!">
        {t("onScreens.title")}
      </h2>
      <p className="small">{t("onScreens.about")}</p>
      <Labelled label={t("onScreens.film")}>
        <select
          className="field"
          value={film?.file.id ?? ""}
          onChange={(e) => {
            const chosen = films.find((f) => f.content === e.target.value);
            void keep({ film: chosen ? { file: asShown(chosen), starts_s: film?.starts_s ?? 0 } : null });
          }}
        >
          <option value="">{t("onScreens.noFilm")}</option>
          <Options files={films} kept={film?.file} />
        </select>
      </Labelled>
      {film && (
        <Labelled label={t("onScreens.starts")}>
          <Typed
            inputMode="decimal"
            value={String(film.starts_s ?? 0)}
            onDone={(text) => keep({ film: { ...film, starts_s: figure(text) } })}
          />
        </Labelled>
      )}
      <Stills song={song} files={files.filter((f) => f.kind === "still")} stills={screen.stills ?? []} keep={keep} />
      <AddFiles />
    </section>
  );
}

/** Files by their names; one that is gone from the shelf keeps its name. */
function Options({ files, kept }: { files: ScreenFile[]; kept: { id: string; name?: string } | null | undefined }) {
  const { t } = useTranslation();
  return (
    <>
      {kept && !files.some((f) => f.content === kept.id) && (
        <option value={kept.id}>{kept.name ?? t("onScreens.gone")}</option>
      )}
      {files.map((f) => (
        <option key={f.id} value={f.content}>
          {`${f.name} · ${t(f.kind === "film" ? "onScreens.facts" : "onScreens.still", {
            width: f.width,
            height: f.height,
            length: duration(f.seconds),
          })}`}
        </option>
      ))}
    </>
  );
}

interface StillsProps {
  song: Song;
  files: ScreenFile[];
  stills: readonly Still[];
  keep: (part: Partial<Screen>) => Promise<boolean>;
}

function Stills({ song, files, stills, keep }: StillsProps) {
  const { t } = useTranslation();
  const put = (at: number, still: Still) => keep({ stills: stills.map((s, i) => (i === at ? still : s)) });
  const first = song.sections[0]?.id;
  return (
    <div className="flex flex-col gap-1">
      {stills.length > 0 && <h3 className="small">{t("onScreens.pictures")}</h3>}
      {stills.map((still, i) => (
        <StillRow
          key={i}
          {...{ song, files, still }}
          put={(now) => void put(i, now)}
          remove={() => void keep({ stills: stills.filter((_, other) => other !== i) })}
        />
      ))}
      {first && files.length > 0 && (
        <button
          type="button"
          className="btn self-start"
          onClick={() => void keep({ stills: [...stills, { file: null, section: first, at_s: null }] })}
        >
          {t("onScreens.addPicture")}
        </button>
      )}
    </div>
  );
}

interface RowProps {
  song: Song;
  files: ScreenFile[];
  still: Still;
  put: (still: Still) => void;
  remove: () => void;
}

const TIME = "time";

/** From where on which picture is shown. */
function StillRow({ song, files, still, put, remove }: RowProps) {
  const { t } = useTranslation();
  return (
    <div className="flex flex-wrap items-center gap-1">
      <select
        className="field min-w-0 grow"
        aria-label={t("onScreens.from")}
        value={still.section ?? TIME}
        onChange={(e) =>
          put(
            e.target.value === TIME
              ? { ...still, section: null, at_s: 0 }
              : { ...still, section: e.target.value, at_s: null },
          )
        }
      >
        {song.sections.map((s) => (
          <option key={s.id} value={s.id}>
            {`${s.mark} ${s.name}`}
          </option>
        ))}
        <option value={TIME}>{t("onScreens.atTime")}</option>
      </select>
      {still.section === null && (
        <Typed
          className="w-[70px]"
          inputMode="decimal"
          aria-label={t("onScreens.seconds")}
          value={String(still.at_s ?? 0)}
          onDone={(text) => put({ ...still, at_s: figure(text) })}
        />
      )}
      <select
        className="field min-w-0 grow"
        aria-label={t("onScreens.picture")}
        value={still.file?.id ?? ""}
        onChange={(e) => {
          const chosen = files.find((f) => f.content === e.target.value);
          put({ ...still, file: chosen ? asShown(chosen) : null });
        }}
      >
        <option value="">{t("onScreens.black")}</option>
        <Options files={files} kept={still.file} />
      </select>
      <IconButton icon={X} label={t("onScreens.remove")} onClick={remove} />
    </div>
  );
}

function AddFiles() {
  const { t } = useTranslation();
  const { complain, say } = useNotices();
  const { add } = useScreenFileChanges();
  const bring = async (files: FileList | null) => {
    for (const file of files ?? []) {
      if (file.size > LENGTHS.FILM_BYTES)
        say(t("onScreens.big", { name: file.name, gb: LENGTHS.FILM_BYTES / 2 ** 30 }));
      else await add.mutateAsync(file).catch(complain);
    }
  };
  return (
    <div className="flex items-center gap-2">
      <FilePicker
        label={t("onScreens.add")}
        accept="video/webm,video/mp4,image/*"
        onFiles={(files) => void bring(files)}
      >
        {t("onScreens.add")}
      </FilePicker>
      {add.isPending && <span role="status">{t("onScreens.adding")}</span>}
    </div>
  );
}
