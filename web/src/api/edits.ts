import type { components } from "@/generated/api";

type Edits = components["schemas"]["EditRequest"];
/** The name of an edit of a song. */
export type EditName = Edits["do"];
/** What an edit takes, by its name. */
export type EditArgs<Name extends EditName> = NonNullable<Extract<Edits, { do: Name }>["args"]>;
/** Makes one edit; tells whether it was taken. */
export type Edit = <Name extends EditName>(what: Name, args?: EditArgs<Name>) => Promise<boolean>;

type Presses = components["schemas"]["PressRequest"];
export type PressName = Presses["press"];
/** What a press takes, by its name; what is left out has the engine's default. */
export type PressArgs<Name extends PressName> = Partial<NonNullable<Extract<Presses, { press: Name }>["args"]>>;
export type Press = <Name extends PressName>(name: Name, args?: PressArgs<Name>) => void;
