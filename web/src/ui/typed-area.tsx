import { type ComponentProps, useEffect, useState } from "react";

type Props = Omit<ComponentProps<"textarea">, "value" | "onChange" | "onBlur"> & {
  value: string;
  /** Called on leaving the field, where the text is another; false keeps what was typed. */
  onDone: (text: string) => void;
  /** One line of text that breaks where it has to: Enter is done. */
  oneLine?: boolean;
};

/** A field of several lines that says nothing until it is left; Escape brings the old text back. */
export function TypedArea({ value, onDone, oneLine, className = "", ...rest }: Props) {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  const done = () => {
    const written = oneLine ? text.replace(/\s+/g, " ").trim() : text;
    if (written !== value) onDone(written);
  };
  return (
    <textarea
      {...rest}
      className={`field h-auto! py-1 ${className}`}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={done}
      onKeyDown={(e) => {
        if (e.key === "Escape" && text !== value) {
          e.stopPropagation();
          setText(value);
        }
        if (e.key === "Enter" && (oneLine || e.ctrlKey || e.metaKey)) {
          e.preventDefault();
          e.currentTarget.blur();
        }
      }}
    />
  );
}
