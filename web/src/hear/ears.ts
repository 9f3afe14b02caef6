import type { Problem } from "@/api/types";

import { RATE, Speaker } from "./speaker";

export interface Place {
  bar: number;
  /** How far into the bar, 0 to 1. */
  phase: number;
}
interface HeardBar {
  frame: number;
  bar: number;
  frames: number;
}
export interface Wish {
  song: string;
  bar: number;
  form: string;
  click: boolean;
  cues: boolean;
  /** A mend to be heard done, or not done, whatever the song has now. */
  finding?: { stem: string; code: string; mended: boolean };
  /** So many bars from `bar` on, round and round. */
  loop?: number;
  /** The last two bars of one section into the first two of another. */
  seam?: { old: string; new: string };
  /** The end of an entry of a setlist into the song that follows it. */
  join?: { setlist: string; entry: string };
  /** As if the song had these. */
  crossfade_ms?: number;
  ring_on_s?: number;
  /** In another key and tempo than it was recorded in. */
  semitones?: number;
  tempo_percent?: number;
  /** With a loop or a stack of the shelf that the song does not have yet. */
  layer?: string;
  stack?: string;
  /** As it leaves on a feed. */
  feed?: string;
  /** A stem by itself, where it is tacet too. */
  alone?: string;
  /** As it sounds with these players on ("" all of them), instead of every stem. */
  line_up?: string;
  /** Stems to be heard alone or not at all; may be changed while it plays. */
  solo?: string[];
  mute?: string[];
  /** How the recording begins and ends, whatever the song has now. */
  edges?: Record<string, unknown>;
}
export type EarsState = "idle" | "opening" | "hearing";

/** Hears a song from the server's renderer. One at a time; a new wish replaces the old one. */
export class Ears {
  onState: (state: EarsState) => void = () => undefined;
  onProblem: (problems: Problem[]) => void = () => undefined;
  private speaker = new Speaker();
  private socket: WebSocket | null = null;
  private bars: HeardBar[] = [];
  private played = 0;
  private end: number | null = null;
  private heardAt = 0;

  async hear(wish: Wish): Promise<void> {
    this.stop();
    this.onState("opening");
    await this.speaker.open();
    this.speaker.clear();
    this.speaker.onPlayed = (frames) => this.onFrames(frames);
    const socket = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/ws/listen/`);
    socket.binaryType = "arraybuffer";
    const { song, form, ...rest } = wish;
    socket.onopen = () => socket.send(JSON.stringify({ hear: song, form: form === "full" ? null : form, ...rest }));
    socket.onmessage = ({ data }: MessageEvent<string | ArrayBuffer>) => {
      if (socket !== this.socket) return;
      if (typeof data === "string")
        this.read(JSON.parse(data) as { bars?: HeardBar[]; ended?: number; problems?: Problem[] });
      else this.speaker.push(data);
    };
    socket.onclose = () => socket === this.socket && this.end === null && this.stop();
    this.socket = socket;
  }

  /** Other stems to be heard alone, or not to be heard, from now on. */
  apart(solo: string[], mute: string[]): void {
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify({ solo, mute }));
  }

  stop(): void {
    const socket = this.socket;
    this.socket = null;
    socket?.close();
    this.speaker.clear();
    this.bars = [];
    this.played = 0;
    this.end = null;
    this.onState("idle");
  }

  close(): void {
    this.stop();
    this.speaker.close();
  }

  /** Where the song is now as it is heard; null before it begins. */
  place(): Place | null {
    const since = this.played ? ((performance.now() - this.heardAt) / 1000) * RATE : 0;
    const now = this.played + Math.min(since, 4800) - this.speaker.latency;
    let found: HeardBar | undefined;
    for (const bar of this.bars) if (bar.frame <= now) found = bar;
    return found ? { bar: found.bar, phase: Math.min(1, (now - found.frame) / found.frames) } : null;
  }

  private read(message: { bars?: HeardBar[]; ended?: number; problems?: Problem[] }): void {
    if (message.bars) this.bars = [...this.bars.slice(-8), ...message.bars];
    if (message.ended !== undefined) this.end = message.ended;
    if (message.problems) {
      this.stop();
      this.onProblem(message.problems);
    }
  }

  private onFrames(frames: number): void {
    if (!this.played) this.onState("hearing");
    this.played = frames;
    this.heardAt = performance.now();
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify({ played: frames }));
    if (this.end !== null && frames >= this.end - 1024) this.stop();
  }
}
