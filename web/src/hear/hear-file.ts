let context: AudioContext | null = null;
let playing: AudioBufferSourceNode | null = null;

/** Plays a short file of the API at a gain in dB; what was played before ends. */
export async function hearFile(path: string, gain_db = 0): Promise<void> {
  const answer = await fetch(`/api/${path}`);
  if (!answer.ok) throw new Error(answer.statusText);
  context ??= new AudioContext();
  await context.resume();
  const source = context.createBufferSource();
  source.buffer = await context.decodeAudioData(await answer.arrayBuffer());
  const level = new GainNode(context, { gain: 10 ** (gain_db / 20) });
  source.connect(level).connect(context.destination);
  playing?.stop();
  playing = source;
  source.start();
}
