import { X } from "lucide-react";
import { Dialog as Primitive } from "radix-ui";
import type { ReactNode } from "react";
import { useTranslation } from "react-i18next";

interface Props {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  about?: string;
  children: ReactNode;
  wide?: boolean;
}

export function Dialog({ open, onOpenChange, title, about, children, wide }: Props) {
  const { t } = useTranslation();
  return (
    <Primitive.Root open={open} onOpenChange={onOpenChange}>
      <Primitive.Portal>
        <Primitive.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Primitive.Content
          className={`panel fixed left-1/2 top-1/2 z-50 max-h-[90vh] w-[calc(100vw-32px)] -translate-x-1/2 -translate-y-1/2 overflow-auto p-5 ${wide ? "max-w-[720px]" : "max-w-[460px]"}`}
          {...(about ? {} : { "aria-describedby": undefined })}
        >
          <div className="mb-3 flex items-start gap-3">
            <Primitive.Title className="grow text-[18px]! text-ink! font-[650]">{title}</Primitive.Title>
            <Primitive.Close className="btn bare" aria-label={t("common.close")}>
              <X size={16} aria-hidden />
            </Primitive.Close>
          </div>
          {about && <Primitive.Description className="mb-3 text-soft">{about}</Primitive.Description>}
          {children}
        </Primitive.Content>
      </Primitive.Portal>
    </Primitive.Root>
  );
}

/** Asks before what undo could not bring back. */
export function Confirm({
  open,
  onOpenChange,
  title,
  about,
  yes,
  onYes,
}: Omit<Props, "children" | "wide"> & { yes: string; onYes: () => void }) {
  const { t } = useTranslation();
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title={title} about={about}>
      <div className="flex justify-end gap-2">
        <button type="button" className="btn" onClick={() => onOpenChange(false)}>
          {t("common.keep")}
        </button>
        <button
          type="button"
          className="btn bad"
          onClick={() => {
            onOpenChange(false);
            onYes();
          }}
        >
          {yes}
        </button>
      </div>
    </Dialog>
  );
}
