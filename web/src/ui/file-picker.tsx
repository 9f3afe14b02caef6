import { type ReactNode, useRef } from "react";

interface Props {
  /** What is asked for: the name of the hidden file field. */
  label: string;
  accept?: string;
  /** A whole folder is chosen in place of single files. */
  folder?: boolean;
  onFiles: (files: FileList | null) => void;
  /** What stands on the button. */
  children: ReactNode;
}

/** A button that asks for files; the same files may be chosen twice. */
export function FilePicker({ label, accept, folder, onFiles, children }: Props) {
  const picker = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={(element) => {
          picker.current = element;
          if (folder) element?.setAttribute("webkitdirectory", "");
        }}
        type="file"
        multiple
        {...(accept && { accept })}
        className="sr-only"
        tabIndex={-1}
        aria-label={label}
        onChange={(e) => {
          onFiles(e.target.files);
          e.target.value = "";
        }}
      />
      <button type="button" className="btn" onClick={() => picker.current?.click()}>
        {children}
      </button>
    </>
  );
}
