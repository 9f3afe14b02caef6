import { useState } from "react";

import { LENGTHS } from "@/generated/core";

interface Props {
  /** What is named, as the field says while it is empty. */
  label: string;
  button: string;
  /** Adds it; `done` empties the field. */
  add: (name: string, done: () => void) => void;
}

/** A field for a new name and the button that adds it. */
export function NewName({ label, button, add }: Props) {
  const [name, setName] = useState("");
  return (
    <form
      className="flex gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        add(name.trim(), () => setName(""));
      }}
    >
      <input
        className="field grow"
        required
        maxLength={LENGTHS.NAME}
        placeholder={label}
        aria-label={label}
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <button type="submit" className="btn pri">
        {button}
      </button>
    </form>
  );
}
