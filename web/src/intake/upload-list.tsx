import { RotateCcw, X } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Upload } from "@/api/types";
import { Progress } from "@/ui/progress";

interface Props {
  uploads: Upload[];
  has: (id: string) => boolean;
  cancel: (id: string) => void;
  retry: (id: string) => void;
}

/** Files on their way in, each with what is being done and how far it is. */
export function UploadList({ uploads, has, cancel, retry }: Props) {
  const { t } = useTranslation();
  if (!uploads.length) return null;
  const coming = uploads.filter((u) => u.status !== "refused" && u.status !== "cancelled");
  return (
    <>
      {coming.length > 1 && (
        <div>
          <p className="small">{t("uploads.together", { count: coming.length })}</p>
          <Progress label={t("uploads.togetherProgress")} done={together(coming)} className="block h-[6px] w-full" />
        </div>
      )}
      <ul aria-label={t("uploads.list")} className="flex flex-col gap-2">
        {uploads.map((u) => (
          <Row key={u.id} upload={u} here={has(u.id)} cancel={cancel} retry={retry} />
        ))}
      </ul>
    </>
  );
}

/** How far all files are: half of the way is sending, half is reading. */
function together(uploads: Upload[]): number {
  const size = uploads.reduce((sum, u) => sum + u.size, 0);
  const done = uploads.reduce(
    (sum, u) => sum + u.received / 2 + (u.status === "reading" ? (u.progress * u.size) / 2 : 0),
    0,
  );
  return done / Math.max(1, size);
}

interface RowProps extends Pick<Props, "cancel" | "retry"> {
  upload: Upload;
  /** Whether this page has the file, so that sending can go on. */
  here: boolean;
}

function Row({ upload: u, here, cancel, retry }: RowProps) {
  const { t } = useTranslation();
  const refused = u.status === "refused";
  const part = u.status === "sending" ? u.received / Math.max(1, u.size) : u.status === "waiting" ? 0 : u.progress;
  return (
    <li className={`border px-2 py-1.5 ${refused ? "border-clay bg-claybg" : "border-line bg-sheet"}`}>
      <div className="flex items-start gap-1">
        <div className="min-w-0 grow">
          <p className="truncate font-[550]" title={u.name}>
            {u.name}
          </p>
          <p className={refused ? "text-clay" : "small"}>
            {refused
              ? u.message
              : t(
                  `uploads.${u.status === "sending" && !here ? "broken" : (u.status as "sending" | "waiting" | "reading")}`,
                )}
          </p>
        </div>
        <Acts upload={u} cancel={cancel} retry={retry} />
      </div>
      {!refused && (
        <Progress label={t("uploads.progress", { name: u.name })} done={part} className="mt-1 block h-[4px] w-full" />
      )}
    </li>
  );
}

function Acts({ upload: u, cancel, retry }: Omit<RowProps, "here">) {
  const { t } = useTranslation();
  const refused = u.status === "refused";
  return (
    <>
      {refused && (
        <button
          type="button"
          className="btn bare"
          aria-label={t("uploads.retry", { name: u.name })}
          onClick={() => retry(u.id)}
        >
          <RotateCcw size={14} aria-hidden />
        </button>
      )}
      <button
        type="button"
        className="btn bare"
        aria-label={t(refused ? "uploads.dismiss" : "uploads.cancel", { name: u.name })}
        onClick={() => cancel(u.id)}
      >
        <X size={14} aria-hidden />
      </button>
    </>
  );
}
