/** 228.4 seconds as 3:48; hours where there are any. */
export function duration(seconds: number): string {
  const whole = Math.max(0, Math.round(seconds));
  const [h, m, s] = [Math.floor(whole / 3600), Math.floor(whole / 60) % 60, whole % 60];
  const tail = `${h ? String(m).padStart(2, "0") : m}:${String(s).padStart(2, "0")}`;
  return h ? `${h}:${tail}` : tail;
}

/** Seconds of "3:30", "210" or "1:02:03"; NaN for what is none of these. */
export function secondsOf(text: string): number {
  const parts = text.trim().split(":");
  if (parts.length > 3 || !parts.every((p) => /^\d+([.,]\d+)?$/.test(p))) return NaN;
  return parts.reduce((sum, p) => 60 * sum + Number(p.replace(",", ".")), 0);
}

/** −3.0 with a true minus and the sign of a gain where asked for. */
export function signed(value: number, digits = 1, plus = false): string {
  const shown = Math.abs(value).toFixed(digits);
  const zero = Number(shown) === 0;
  return `${value < 0 && !zero ? "−" : plus && !zero ? "+" : ""}${shown}`;
}

/** A figure as people type it, with any minus and a comma or a point, as the server reads it. */
export const typed = (text: string): string => text.replace("−", "-").replace(",", ".");

/** A figure that people typed, as a number; NaN where it is none, which the server refuses in a sentence. */
export const figure = (text: string): number => (text.trim() ? Number(typed(text)) : NaN);

/** A factor of full scale as dBFS; −∞ for silence. */
export function dbfs(level: number): number {
  return level > 0 ? 20 * Math.log10(level) : -Infinity;
}

export function clock(date: Date): string {
  return date.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit", second: "2-digit" });
}

/** A moment in seconds since 1970, as day and time of day. */
export function dayAndClock(seconds: number): string {
  const date = new Date(1000 * seconds);
  return `${date.toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" })}, ${clock(date)}`;
}

/** The time of day `seconds` after "20:15" or "20:15:00". */
export function timeAfter(start: string, seconds: number): string {
  const [h = 0, m = 0, s = 0] = start.split(":").map(Number);
  const total = h * 3600 + m * 60 + s + Math.round(seconds);
  return `${String(Math.floor(total / 3600) % 24).padStart(2, "0")}:${String(Math.floor(total / 60) % 60).padStart(2, "0")}`;
}

const UNITS: Record<string, string> = { "1": "♩", "3/2": "♩.", "1/2": "♪", "2": "𝅗𝅥" };
export const beatUnit = (unit: string | undefined): string => UNITS[unit ?? "1"] ?? "♩";

/** 126.5 as 126.50; a third decimal only where there is one. */
export function tempo(bpm: string | number): string {
  return Number(bpm).toFixed(3).replace(/0$/, "");
}

export function grouping(parts: number[] | undefined): string {
  return parts && parts.length > 1 ? parts.join("+") : "";
}
