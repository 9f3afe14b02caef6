/** What the engine tells, some thirty times a second (playout/engine.py, `snapshot`). */
export interface Position {
  entry: number;
  step: number;
  round: number;
  bar: number;
  beat: number;
  beats?: number;
  phase: number;
  counting: boolean;
}
export interface Coming {
  step: number | null;
  bar: number;
  asked: "go_to" | "release" | "once_more" | null;
  when: string;
}
export interface Outcome {
  press: string;
  accepted: boolean;
  message: string;
  late: boolean;
}
export interface Playing {
  status: "standby" | "count_in" | "playing" | "stopped" | "finished";
  show: string;
  show_title: string;
  loads: number;
  entry: number;
  position: Position;
  coming: Coming | null;
  landings: Partial<Record<When, number>>;
  house_pulled: boolean;
  fallback: boolean;
  peak: number[];
  dropouts: number;
  latency_ms: number;
  device: string;
  recording: boolean;
}
export interface NotPlaying {
  status: "silent" | "empty" | "other";
}
export type EngineState = Playing | NotPlaying;

export const WHENS = ["at_once", "next_bar", "in_2_bars", "in_4_bars", "section_end"] as const;
export type When = (typeof WHENS)[number];

export const isPlaying = (state: EngineState | null): state is Playing => state !== null && "position" in state;
