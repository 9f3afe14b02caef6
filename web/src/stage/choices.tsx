import { ToggleGroup } from "radix-ui";

interface Props<Value extends string> {
  labelledBy: string;
  value: Value;
  set: (value: Value) => void;
  /** How they lie beside each other. */
  className: string;
  children: { value: Value; words: string }[];
}

/** One of a few values, big enough for a thumb; the focus stays where it is. */
export function Choices<Value extends string>({ labelledBy, value, set, className, children }: Props<Value>) {
  return (
    <ToggleGroup.Root
      type="single"
      value={value}
      onValueChange={(chosen) => chosen && set(chosen as Value)}
      aria-labelledby={labelledBy}
      className={`gap-[6px] ${className}`}
    >
      {children.map((one) => (
        <ToggleGroup.Item
          key={one.value}
          value={one.value}
          onMouseDown={(e) => e.preventDefault()}
          className="btn min-h-[56px]! px-2 text-[14px] leading-tight! font-semibold! whitespace-normal!"
        >
          {one.words}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
