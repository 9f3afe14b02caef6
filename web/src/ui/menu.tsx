import { Check } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";

interface MenuProps {
  label: ReactNode;
  children: ReactNode;
  className?: string;
  name?: string;
  align?: "start" | "end";
}

export function Menu({ label, children, className = "btn", name, align = "start" }: MenuProps) {
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger className={className} aria-label={name}>
        {label}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align={align}
          sideOffset={4}
          collisionPadding={8}
          className="panel z-50 max-h-[60vh] min-w-[180px] overflow-auto p-1"
        >
          {children}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

const ITEM =
  "flex min-h-[30px] cursor-pointer items-center gap-2 rounded px-2 py-1 outline-none data-[highlighted]:bg-line2 data-[disabled]:opacity-50";

interface MenuItemProps {
  children: ReactNode;
  onSelect: () => void;
  bad?: boolean;
  disabled?: boolean;
}

export function MenuItem({ children, onSelect, bad, disabled }: MenuItemProps) {
  return (
    <DropdownMenu.Item className={`${ITEM} ${bad ? "text-clay" : ""}`} onSelect={onSelect} disabled={disabled}>
      {children}
    </DropdownMenu.Item>
  );
}

interface MenuCheckProps {
  children: ReactNode;
  checked: boolean;
  onChange: (checked: boolean) => void;
  disabled?: boolean;
}

export function MenuCheck({ children, checked, onChange, disabled }: MenuCheckProps) {
  return (
    <DropdownMenu.CheckboxItem
      className={ITEM}
      checked={checked}
      onCheckedChange={onChange}
      onSelect={(e) => e.preventDefault()}
      disabled={disabled}
    >
      <span className="inline-flex w-4 justify-center">
        <DropdownMenu.ItemIndicator>
          <Check size={14} aria-hidden />
        </DropdownMenu.ItemIndicator>
      </span>
      {children}
    </DropdownMenu.CheckboxItem>
  );
}

export function MenuLabel({ children }: { children: ReactNode }) {
  return <DropdownMenu.Label className="small px-2 pb-1 pt-2 font-semibold">{children}</DropdownMenu.Label>;
}

export function MenuLine() {
  return <DropdownMenu.Separator className="my-1 border-t border-line" />;
}
