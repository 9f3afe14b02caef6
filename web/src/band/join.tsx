import { useState } from "react";
import { useTranslation } from "react-i18next";
import { useSearchParams } from "react-router";

import { LENGTHS } from "@/generated/core";
import { Logo } from "@/ui/mark";

import { type Band, lastName } from "./use-band";

interface Props {
  band: Band;
  title: string;
  /** What it is called to begin with; else as it was called last. */
  named?: string;
}

/** The code of the show and a name: nothing else is asked. */
export function Join({ band, title, named }: Props) {
  const { t } = useTranslation();
  const [query] = useSearchParams();
  const [code, setCode] = useState(query.get("code") ?? "");
  const [name, setName] = useState(named ?? lastName());
  return (
    <main className="stage flex min-h-full flex-col justify-center gap-5 bg-paper px-6 py-10 text-ink">
      <div className="flex items-center gap-2 text-[18px] font-[750]">
        <Logo /> {t("app.name")}
      </div>
      <h1 className="text-[26px]!">{title}</h1>
      <form
        className="flex max-w-[420px] flex-col gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          band.join({ code, name });
        }}
      >
        <label className="flex flex-col gap-1">
          {t("band.code")}
          <input
            className="field min-h-[56px]! text-[28px]! font-[700] tracking-[0.2em] uppercase"
            value={code}
            maxLength={6}
            autoComplete="off"
            autoCapitalize="characters"
            spellCheck={false}
            required
            onChange={(e) => setCode(e.target.value)}
          />
        </label>
        <label className="flex flex-col gap-1">
          {t("band.name")}
          <input
            className="field min-h-[48px]! text-[18px]!"
            value={name}
            maxLength={Math.min(40, LENGTHS.NAME)}
            onChange={(e) => setName(e.target.value)}
          />
        </label>
        <RefusedWord refused={band.refused} />
        <button type="submit" className="btn pri min-h-[56px]! text-[18px]!">
          {t("band.go")}
        </button>
      </form>
    </main>
  );
}

/** Why the phone is not in. */
function RefusedWord({ refused }: { refused: string }) {
  const { t } = useTranslation();
  if (!refused) return null;
  return (
    <p role="alert" className="bg-claybg px-3 py-2 text-clay">
      {refused === "out" ? t("band.out") : refused}
    </p>
  );
}
