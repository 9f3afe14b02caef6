import { sign } from "@/lib/chords";

/** The words of a section, each chord in brackets over the place it is sung at; the place of a line on screens is set apart. */
export function SectionWords({ words }: { words: string }) {
  if (!words.trim()) return null;
  return (
    <div className="pb-1 pt-[3px] text-[12.5px] leading-[1.35]">
      {words.split("\n").map((line, i) => (
        <p key={i} className="min-h-[8px]">
          {line.split(/(^@[\d.]+(?=\s|$)|\[[^[\]]*\])/).map((piece, k) =>
            piece.startsWith("@") && k === 1 ? (
              <small key={k} className="text-[10.5px] text-soft">
                {piece}
              </small>
            ) : k % 2 ? (
              <b key={k} className="tight mx-px align-super text-[10.5px] font-[650] text-pine">
                {sign(piece.slice(1, -1))}
              </b>
            ) : (
              piece
            ),
          )}
        </p>
      ))}
    </div>
  );
}
