import Alert from "@mui/material/Alert";
import Skeleton from "@mui/material/Skeleton";
import { styled, type SxProps, type Theme } from "@mui/material/styles";
import { shouldForwardProp } from "@mui/system";
import type { AriaRole, ElementType, FormEvent, ReactNode } from "react";

import { ink, sans } from "../theme/palette";
import { Heard } from "./words";

/** A list of ruled lines, not boxes. */
export const Ruled = styled("ul")({
  listStyle: "none",
  margin: 0,
  padding: 0,
  "& > li": { borderBottom: `1px solid ${ink.line}` },
});

/** Pages of people who are not staff: one column, for the phone. */
export const OnePage = styled("main")({
  maxWidth: 420,
  margin: "0 auto",
  padding: "24px 18px 48px",
  fontSize: 16,
  "& h1": { margin: "4px 0 6px" },
  "& .MuiButton-root": { marginTop: 12, minHeight: 44 },
  "& section": { marginTop: 20, paddingTop: 14, borderTop: `1px solid ${ink.line}` },
  "& section p": { margin: "4px 0" },
  "& section ul": { margin: "4px 0" },
  "& ul": { padding: 0, listStyle: "none" },
  "& li": { padding: "3px 0" },
  "& summary": { padding: "3px 0", cursor: "pointer" },
  "& .tick": { marginTop: 8 },
});
/** Dates in columns, each with its number and what can be done with it. */
export const DateList = styled("ol")({
  listStyle: "none",
  margin: "14px 0 0",
  padding: 0,
  borderTop: `1px solid ${ink.ink}`,
  columns: 2,
  columnGap: 28,
  "& li": {
    display: "flex",
    alignItems: "center",
    flexWrap: "wrap",
    gap: "4px 12px",
    minHeight: 36,
    padding: "3px 0",
    borderBottom: `1px solid ${ink.line}`,
    breakInside: "avoid",
  },
  "& .n": { width: 20, textAlign: "right" },
  "& .date": { fontWeight: 600, minWidth: 82 },
  "& .acts": { marginLeft: "auto" },
  "& .out .date": { textDecoration: "line-through", color: ink.slate },
  "& .out .nowrap": { textDecoration: "line-through", color: ink.slate },
  "&.wide": { columns: 1, "& .n": { width: 58 } },
});
/** Clashes, one a line, each with the ways out of it. */
export const Clashes = styled(Ruled)({
  "& > li": { display: "flex", gap: 14, alignItems: "flex-start", padding: "8px 0" },
  "& .solve": { justifyContent: "flex-end", flex: "none", maxWidth: 360 },
});

type Flow = { wrap?: boolean; mid?: boolean; end?: boolean; between?: boolean; inset?: boolean };
const FLOW = new Set<PropertyKey>(["wrap", "mid", "end", "between", "inset"]);
const setIn = { borderLeft: `3px solid ${ink.line}`, padding: "4px 0 8px 14px", marginTop: 12 };

/** Side by side. */
export const Row = styled("div", {
  shouldForwardProp: (name) => !FLOW.has(name) && shouldForwardProp(name),
})<Flow>(({ wrap, mid, end, between, inset }) => ({
  display: "flex",
  gap: 12,
  alignItems: mid ? "center" : end ? "flex-end" : "flex-start",
  ...(wrap && { flexWrap: "wrap" }),
  ...(between && { justifyContent: "space-between" }),
  ...(inset && { ...setIn, "& > h2": { fontSize: 16, width: "100%" } }),
}));

/** One below the other. */
export const Stack = styled("div")({ display: "grid", gap: 12, "& > *": { minWidth: 0 } });

/** What takes the width that is left. */
export const Grow = styled("div")({ flex: 1, minWidth: 0 });

/** A form inside the sheet, set in under what it belongs to. */
export const Inset = styled("div")({ ...setIn, "& > h2": { fontSize: 16, width: "100%" } });

/** One subject of a long form: its name at the left, its fields beside it. */
export const Part = styled("section")({
  display: "grid",
  gridTemplateColumns: "118px minmax(0, 1fr)",
  gap: "0 20px",
  padding: "16px 0 18px",
  borderTop: `1px solid ${ink.line}`,
  "& > h2": { fontSize: 17 },
  "@media (max-width: 700px)": { gridTemplateColumns: "minmax(0, 1fr)" },
  "& > div > div + div:not(.MuiFormControl-root), & form > div + div:not(.MuiFormControl-root)": {
    marginTop: 12,
  },
});

/** Fields that belong together, one group under the other. */
export const Group = styled("div")({
  "& + &": { marginTop: 14, paddingTop: 14, borderTop: `1px dotted ${ink.line}` },
  "& > .MuiButton-text": { marginTop: 10 },
});

/** What can be done with a group, at its end. */
export const Acts = styled("span")({ alignSelf: "flex-end", paddingBottom: 9 });

/** Facts in two columns: what it is at the left, the figure at the right, why below. */
export const Facts = styled("dl", {
  shouldForwardProp: (name) => name !== "scrolls" && shouldForwardProp(name),
})<{ scrolls?: boolean }>(({ scrolls }) => ({
  display: "grid",
  gridTemplateColumns: "1fr auto",
  gap: "4px 12px",
  margin: 0,
  ...(scrolls && { maxHeight: 300, overflowY: "auto" }),
  "& dt": { minWidth: 0 },
  "& dd": { margin: 0, textAlign: "right", fontWeight: 600 },
  "& .why": {
    textAlign: "left",
    fontWeight: 400,
    gridColumn: "1 / -1",
    color: ink.slate,
    fontSize: 13,
    margin: "-2px 0 4px",
  },
  "& .sum": { borderTop: `1px solid ${ink.ink}`, paddingTop: 5, marginTop: 3, fontWeight: 600 },
}));

/** What can be done with one thing, one act a line. */
export const ActList = styled("ul")({
  listStyle: "none",
  margin: "10px 0 0",
  padding: 0,
  "& > li": { borderTop: `1px solid ${ink.line}` },
  "& > li > .MuiButton-text": {
    justifyContent: "flex-start",
    margin: 0,
    padding: "7px 0",
    width: "100%",
  },
  "& > .links": { padding: "7px 0" },
});

/** Choices that belong together, with their name above. */
export const Picks = styled("fieldset")({
  border: 0,
  margin: 0,
  padding: 0,
  minWidth: 0,
  "& legend": { padding: 0 },
});

/** The head of a sheet: what it is, and what can be done at its right. */
export const Title = styled("div")({
  display: "flex",
  alignItems: "flex-start",
  justifyContent: "space-between",
  gap: 24,
  marginBottom: 16,
});

/** Where one is: what this page belongs to. */
export const Crumbs = styled("div")({
  color: ink.slate,
  marginBottom: 4,
  "& a": { color: "inherit", textDecoration: "none" },
  "& a:hover": { textDecoration: "underline" },
});

/** One kind of thing that waits. */
export const TodayPart = styled("section")({
  marginTop: 14,
  "& > h2 a": { font: `14px ${sans}`, marginLeft: 10 },
});

/** What is asked stays in sight, however long what stands above it is. */
export const Asked = styled("div")({
  display: "flex",
  gap: 12,
  position: "sticky",
  bottom: 0,
  background: "inherit",
  padding: "8px 0 2px",
});

const KINDS = {
  done: { severity: "success", color: ink.verdigris, pale: ink.verdigrisPale },
  due: { severity: "warning", color: ink.ochre, pale: ink.ochrePale },
  wrong: { severity: "error", color: ink.brick, pale: ink.brickPale },
} as const;

/** On a colored ground a price is read in ink. */
export const PALE = { "--ag-palette-copper": ink.ink };

/** What is wrong, due or just done. */
export function Note({
  kind = "done",
  row,
  role = "note",
  sx,
  children,
  ...rest
}: {
  kind?: keyof typeof KINDS;
  row?: boolean;
  role?: AriaRole;
  component?: ElementType;
  sx?: SxProps<Theme>;
  children?: ReactNode;
  id?: string;
  noValidate?: boolean;
  tabIndex?: number;
  onSubmit?: (event: FormEvent) => void;
  "aria-label"?: string;
  "aria-live"?: "polite";
}) {
  const { severity, color, pale } = KINDS[kind];
  return (
    <Alert
      icon={false}
      severity={severity}
      role={role}
      sx={
        [
          { borderColor: color, backgroundColor: pale, ...(kind === "done" ? {} : PALE) },
          { "& > .MuiAlert-message": { background: pale } },
          row ? { "& > .MuiAlert-message": { display: "flex", alignItems: "center", gap: 12 } } : {},
          ...(Array.isArray(sx) ? (sx as SxProps<Theme>[]) : [sx]),
        ] as SxProps<Theme>
      }
      {...rest}
    >
      {children}
    </Alert>
  );
}

/** The place of what is not there yet, kept still. */
export function Loading({ rows = 3 }: { rows?: number }) {
  return (
    <div aria-busy="true" role="status">
      <Heard>Loading…</Heard>
      {Array.from({ length: rows }, (_, i) => (
        <Skeleton key={i} height={28} sx={{ marginBottom: 8 }} />
      ))}
    </div>
  );
}

/** One of what a list offers; the one the keys stand on is marked. */
export const Option = styled("li")({
  padding: "8px 10px",
  borderBottom: `1px solid ${ink.line}`,
  borderLeft: "3px solid transparent",
  cursor: "pointer",
  "&[aria-selected=true]": { background: ink.verdigrisPale, borderLeftColor: ink.verdigris },
  "&:has(> [data-tight])": { padding: "4px 10px" },
});
