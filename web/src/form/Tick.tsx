import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Radio from "@mui/material/Radio";
import type { ReactNode } from "react";

/** A thing that is so or not, with its words beside it. */
export function Tick({
  checked,
  onChange,
  children,
  disabled,
}: {
  checked: boolean;
  onChange: (checked: boolean) => void;
  children: ReactNode;
  disabled?: boolean;
}) {
  return (
    <FormControlLabel
      sx={{ alignItems: "flex-start", paddingBottom: 6 }}
      disabled={disabled}
      control={<Checkbox checked={checked} onChange={(e) => onChange(e.target.checked)} />}
      label={<span>{children}</span>}
      slotProps={{ typography: { component: "div", sx: { paddingTop: 3 } } }}
    />
  );
}

/** One of a few, in a RadioGroup. */
export function Pick({ value, children }: { value: string; children: ReactNode }) {
  return <FormControlLabel value={value} control={<Radio />} label={children} />;
}
