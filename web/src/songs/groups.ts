/** The groups of stems, in the order of a mixing desk. */
export const GROUPS = ["rhythm", "tonal", "voices", "effects", "click", "cues", "full_mix"] as const;
