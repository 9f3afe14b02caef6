import { type ComponentProps, useEffect, useRef, useState } from "react";

type Props = Omit<ComponentProps<"input">, "value" | "onChange" | "onBlur"> & {
  value: string;
  /** Called once the text is done: on Enter or on leaving the field. Where it answers false, what stood there comes back. */
  onDone: (text: string) => void | Promise<boolean>;
};

/** A text field that says nothing until the text is done; Escape brings the old text back. */
export function Typed({ value, onDone, className = "", ...rest }: Props) {
  const [text, setText] = useState(value);
  const given = useRef(false);
  useEffect(() => setText(value), [value]);
  const done = () => {
    if (!given.current && text.trim() !== value)
      void Promise.resolve(onDone(text.trim())).then((taken) => taken === false && setText(value));
    given.current = false;
  };
  return (
    <input
      {...rest}
      className={`field ${className}`}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={done}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") {
          given.current = true;
          setText(value);
          e.currentTarget.blur();
        }
      }}
    />
  );
}
