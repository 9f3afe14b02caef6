import { useTranslation } from "react-i18next";

import type { Voice } from "@/api/types";

/** Every voice that is installed, and the chosen one where it is not any more. */
export function VoiceOptions({ voice, chosen }: { voice: Voice; chosen: string }) {
  const { t } = useTranslation();
  return (
    <>
      {voiceGroups(voice.voices, voice.translated).map(([group, voices]) => (
        <optgroup key={group} label={t(`voice.group_${group}`)}>
          {voices.map((v) => (
            <option key={v.name} value={v.name}>
              {voiceName(v)}
            </option>
          ))}
        </optgroup>
      ))}
      {chosen && !voice.voices.some((v) => v.name === chosen) && (
        <option value={chosen}>{t("voice.gone", { name: chosen })}</option>
      )}
    </>
  );
}

type Installed = Voice["voices"][number];

/** The languages that the band's usual words are translated for come first. */
function voiceGroups(voices: Installed[], translated: string[]): ["translated" | "other", Installed[]][] {
  const known = (v: Installed) => translated.includes(v.language.split("-")[0] ?? "");
  const sorted = [...voices].sort(
    (a, b) =>
      Number(b.name.startsWith("flite/")) - Number(a.name.startsWith("flite/")) ||
      voiceName(a).localeCompare(voiceName(b)),
  );
  return [
    ["translated", sorted.filter(known)],
    ["other", sorted.filter((v) => !known(v))],
  ];
}

const NAMES = new Intl.DisplayNames(["en"], { type: "language", fallback: "code" });

/** "English, flite rms"; "Spanish (Latin America)". */
export function voiceName({ name, language }: Installed): string {
  let spoken = language;
  try {
    spoken = NAMES.of(language) ?? language;
  } catch {
    // A tag that no standard knows stays as it is.
  }
  return name.startsWith("flite/") ? `${spoken}, ${name.replace("/", " ")}` : spoken;
}
