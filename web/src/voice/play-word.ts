import { Refused } from "@/api/client";
import type { Problem } from "@/api/types";

let context: AudioContext | null = null;

/** A word as the band's voice says it, or as it would with another name, speed or pitch. Throws `Refused`. */
export async function playWord(text: string, other: Record<string, string> = {}): Promise<void> {
  const answer = await fetch(`/api/voice/word/?${new URLSearchParams({ text, ...other })}`);
  if (!answer.ok) {
    const refusal = (await answer.json().catch(() => null)) as { problems?: Problem[] } | null;
    throw new Refused(
      refusal?.problems ?? [{ code: "server-silent", message: "The server does not answer: try again in a moment." }],
      answer.status,
    );
  }
  context ??= new AudioContext();
  await context.resume();
  const source = context.createBufferSource();
  source.buffer = await context.decodeAudioData(await answer.arrayBuffer());
  source.connect(context.destination);
  source.start();
}
