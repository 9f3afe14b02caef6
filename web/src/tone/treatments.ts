import type { Stem } from "@/api/types";
import { TREATMENTS } from "@/generated/core";

/** What a stem goes through, in this order; null for what it does not have. */
export type Treatment = NonNullable<Stem["treatment"]>;
export type TreatmentPurpose = keyof typeof TREATMENTS;

export const TREATMENT_PURPOSES = Object.keys(TREATMENTS) as TreatmentPurpose[];

/** A treatment by what it is for; without a purpose one that has nothing, to be set by hand. */
export const treatmentFor = (purpose?: TreatmentPurpose): Treatment =>
  purpose ? { ...TREATMENTS[purpose] } : { gate: null, drive: null, tone: null, echo: null };

/** What a treatment is for: `none` without one, `own` for one that is like none. */
export function purposeOf(treatment: Treatment | null): TreatmentPurpose | "none" | "own" {
  if (treatment === null) return "none";
  const same = (a: unknown, b: unknown): boolean =>
    a === b ||
    (isObject(a) && isObject(b) && [...new Set([...Object.keys(a), ...Object.keys(b)])].every((k) => same(a[k], b[k])));
  return TREATMENT_PURPOSES.find((name) => same(treatment, TREATMENTS[name])) ?? "own";
}

const isObject = (value: unknown): value is Record<string, unknown> => typeof value === "object" && value !== null;
