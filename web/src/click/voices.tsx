import { useTranslation } from "react-i18next";

import type { ClickPage, OwnSound, Song } from "@/api/types";
import { figure, signed } from "@/lib/format";
import { Typed } from "@/ui/typed";
import { HeadRow } from "@/ui/head-row";

export const VOICES = ["accent", "beat", "division", "count_in"] as const;

interface Props {
  whole: ClickPage["whole"];
  own: OwnSound[];
  set: (click: Record<string, unknown>) => Promise<boolean>;
}

/** The four voices of the click: sound, pitch, level. */
export function Voices({ song, whole, own, set }: Props & { song: Song }) {
  const { t } = useTranslation();
  return (
    <table className="border-collapse [&_td]:py-[3px] [&_td]:pr-2 [&_th]:pr-2 [&_th]:text-left [&_th]:text-[11.5px] [&_th]:font-[600] [&_th]:text-soft">
      <HeadRow titles={(["voice", "sound", "pitch", "level"] as const).map((c) => t(`click.col_${c}`))} />
      <tbody>
        {VOICES.map((voice) => (
          <VoiceRow key={voice} voice={voice} sounds={song.click_sounds} whole={whole} own={own} set={set} />
        ))}
      </tbody>
    </table>
  );
}

interface VoiceProps extends Props {
  voice: (typeof VOICES)[number];
  sounds: string[];
}

function VoiceRow({ voice, sounds, whole, own, set }: VoiceProps) {
  const { t } = useTranslation();
  return (
    <tr>
      <th scope="row" className="text-[13px]! font-[600]! text-ink!">
        {t(`click.${voice}`)}
      </th>
      <td>
        <select
          className="field w-[92px]"
          aria-label={t("click.soundOf", { voice: t(`click.${voice}`) })}
          value={whole[voice]}
          onChange={(e) => set({ [voice]: e.target.value })}
        >
          {sounds.map((sound) => (
            <option key={sound} value={sound}>
              {t(`click.sounds.${sound as "wood"}`)}
            </option>
          ))}
          {own.map((sound) => (
            <option key={sound.id} value={sound.click_name}>
              {sound.name}
            </option>
          ))}
        </select>
      </td>
      <td>
        <Typed
          className="w-[52px]"
          inputMode="decimal"
          aria-label={t("click.pitchOf", { voice: t(`click.${voice}`) })}
          value={signed(whole.pitches?.[voice] ?? 0, 0, true)}
          onDone={(text) => set({ pitches: { ...whole.pitches, [voice]: figure(text) } })}
        />
      </td>
      <td>
        <Typed
          className="w-[58px]"
          inputMode="decimal"
          aria-label={t("click.levelOf", { voice: t(`click.${voice}`) })}
          value={signed(whole.levels?.[voice] ?? 0, 1, true)}
          onDone={(text) => set({ levels: { ...whole.levels, [voice]: figure(text) } })}
        />
      </td>
    </tr>
  );
}
