import type { Ending, Song } from "@/api/types";

export type Form = Song["forms"][number];
type Told = Form["steps"][number];
export type Step = Pick<Told, "section" | "ending"> & Partial<Told>;

/** Steps as an edit takes them. */
export const bareSteps = (steps: Step[]) =>
  steps.map(({ section, ending, cue, tacet, first, bars }) => ({
    section,
    ending: { kind: ending.kind, times: ending.times ?? 1 },
    ...(cue && { cue }),
    ...(tacet?.length && { tacet }),
    ...(first && { first }),
    ...(bars && { bars }),
  }));

export function withEnding(step: Step, kind: Ending["kind"], times = 2): Step {
  return { ...step, ending: { kind, times: kind === "repeat" ? times : 1 } };
}
