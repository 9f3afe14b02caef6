import { X } from "lucide-react";
import { Toast } from "radix-ui";
import { createContext, type ReactNode, useCallback, useContext, useMemo, useState } from "react";
import { useTranslation } from "react-i18next";

import { Refused } from "@/api/client";

interface Notice {
  id: number;
  text: string;
  bad: boolean;
}
interface Notices {
  say: (text: string) => void;
  /** Shows what went wrong in one sentence; for `onError` of a mutation. */
  complain: (error: unknown) => void;
}

const Context = createContext<Notices>({ say: () => undefined, complain: () => undefined });
export const useNotices = () => useContext(Context);

let lastId = 0;

export function NoticeProvider({ children }: { children: ReactNode }) {
  const { t } = useTranslation();
  const [notices, setNotices] = useState<Notice[]>([]);
  const add = useCallback(
    (text: string, bad: boolean) =>
      setNotices((all) => [...all.filter((n) => n.text !== text).slice(-2), { id: ++lastId, text, bad }]),
    [],
  );
  const value = useMemo<Notices>(
    () => ({
      say: (text) => add(text, false),
      complain: (error) =>
        // A change made meanwhile is shown in a dialog of its own.
        !(error instanceof Refused && error.current) &&
        add(error instanceof Refused ? error.message : error instanceof Error ? error.message : String(error), true),
    }),
    [add],
  );
  return (
    <Toast.Provider label={t("common.notice")} swipeDirection="down">
      <Context.Provider value={value}>{children}</Context.Provider>
      {notices.map((n) => (
        <Toast.Root
          key={n.id}
          duration={n.bad ? 12_000 : 4_000}
          onOpenChange={(open) => !open && setNotices((all) => all.filter((other) => other.id !== n.id))}
          className={`panel flex items-start gap-3 px-4 py-3 ${n.bad ? "border-l-4 border-l-clay" : "border-l-4 border-l-pine"}`}
        >
          <Toast.Description className="grow font-[550]">{n.text}</Toast.Description>
          <Toast.Close className="btn bare" aria-label={t("common.dismiss")}>
            <X size={14} aria-hidden />
          </Toast.Close>
        </Toast.Root>
      ))}
      <Toast.Viewport className="notices fixed bottom-16 left-1/2 z-[60] flex w-[560px] max-w-[calc(100vw-24px)] -translate-x-1/2 flex-col gap-2" />
    </Toast.Provider>
  );
}
