import Button from "@mui/material/Button";
import { useRef } from "react";

import { HiddenInput } from "../parts/words";

/** A button that asks for a file. */
export function FileButton({
  label,
  text,
  accept,
  onFile,
  variant = "text",
  disabled,
  id,
}: {
  /** What the file is, for whoever hears the field. */
  label: string;
  text: string;
  accept: string;
  onFile: (file: File) => void;
  variant?: "text" | "contained";
  disabled?: boolean;
  id?: string;
}) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <HiddenInput
        ref={input}
        id={id}
        type="file"
        accept={accept}
        tabIndex={-1}
        aria-label={label}
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = "";
          if (file) onFile(file);
        }}
      />
      <Button variant={variant} disabled={disabled} onClick={() => input.current?.click()}>
        {text}
      </Button>
    </>
  );
}
