import { styled, type SxProps, type Theme } from "@mui/material/styles";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import type { ReactNode } from "react";
import { NavLink } from "react-router";

import { Row } from "../parts/layout";
import { T } from "../parts/words";
import { ink } from "../theme/palette";

/** A few ways to see the same, or a few answers of which one holds. */
export function Views<V extends string>({
  label,
  value,
  onChange,
  options,
  sx,
}: {
  label: string;
  value: V | null;
  onChange: (value: V) => void;
  options: { value: V; text: ReactNode; title?: string }[];
  sx?: SxProps<Theme>;
}) {
  return (
    <ToggleButtonGroup exclusive size="small" aria-label={label} value={value} sx={sx}>
      {options.map((o) => (
        <ToggleButton key={o.value} value={o.value} title={o.title} onClick={() => onChange(o.value)}>
          {o.text}
        </ToggleButton>
      ))}
    </ToggleButtonGroup>
  );
}

const PageLinks = styled("nav")({
  display: "flex",
  flexWrap: "wrap",
  gap: "0 24px",
  borderBottom: `1px solid ${ink.line}`,
  "& a": {
    color: ink.slate,
    textDecoration: "none",
    padding: "3px 0 6px",
    borderBottom: "3px solid transparent",
    marginBottom: -1,
  },
  "& a:hover": { color: ink.ink },
  "& a.active": { color: ink.ink, fontWeight: 600, borderBottomColor: ink.ink },
});

/** The same with its name before it. */
export function Words({
  label,
  value,
  words,
  onPick,
}: {
  label: string;
  value: string;
  words: (readonly [string, string])[];
  onPick: (value: string) => void;
}) {
  return (
    <Row mid>
      <T tone="slate">{label}</T>
      <Views
        label={label}
        value={value}
        onChange={onPick}
        options={words.map(([key, text]) => ({ value: key, text }))}
      />
    </Row>
  );
}

/** The pages of one place, in one line of words. */
export function LinkTabs({ label, pages }: { label: string; pages: readonly (readonly [string, string])[] }) {
  return (
    <PageLinks aria-label={label}>
      {pages.map(([to, text]) => (
        <NavLink key={to} to={to} end>
          {text}
        </NavLink>
      ))}
    </PageLinks>
  );
}
