import workletUrl from "./speaker.worklet.js?url";

export const RATE = 48000;

/**
 * The browser's loudspeaker: int16 stereo frames in, sound out, by way of an AudioWorklet.
 * `onPlayed` tells the frames heard since the last `clear`.
 */
export class Speaker {
  onPlayed: (frames: number) => void = () => undefined;
  private context: AudioContext | null = null;
  private node: AudioWorkletNode | null = null;
  private run = 0;

  /** Has to be called from a press the first time: a page must not make noise by itself. */
  async open(): Promise<void> {
    if (!this.context) {
      const context = new AudioContext({ sampleRate: RATE, latencyHint: "interactive" });
      this.context = context;
      await context.audioWorklet.addModule(workletUrl);
      const node = new AudioWorkletNode(context, "speaker", { numberOfInputs: 0, outputChannelCount: [2] });
      node.port.onmessage = ({ data }: MessageEvent<{ played: number; run: number }>) => {
        if (data.run === this.run) this.onPlayed(data.played);
      };
      node.connect(context.destination);
      this.node = node;
    }
    await this.context.resume();
  }

  /** Silence, and count from nought again. */
  clear(): void {
    this.run += 1;
    this.node?.port.postMessage({ clear: this.run });
  }

  push(samples: ArrayBuffer): void {
    const whole = new Int16Array(samples);
    this.node?.port.postMessage({ samples: whole, run: this.run }, [whole.buffer]);
  }

  /** Frames between what the worklet has played and what is in the air. */
  get latency(): number {
    return Math.round(((this.context?.outputLatency ?? 0) + (this.context?.baseLatency ?? 0)) * RATE);
  }

  close(): void {
    void this.context?.close();
    this.context = this.node = null;
  }
}
