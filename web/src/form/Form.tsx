import Box from "@mui/material/Box";
import type { SxProps, Theme } from "@mui/material/styles";
import type { ReactNode, Ref } from "react";

import { PALE } from "../parts/layout";
import { ink } from "../theme/palette";

const pale = { borderLeft: "3px solid", padding: "10px 12px", marginBottom: 14 };
const row = { display: "flex", flexWrap: "wrap", gap: 12, alignItems: "flex-start" };
const inset = { borderLeft: `3px solid ${ink.line}`, padding: "4px 0 8px 14px", marginTop: 12 };
const LOOKS = {
  plain: {},
  row,
  inset,
  "row inset": { ...row, ...inset, "& > h2": { fontSize: 16, width: "100%" } },
  done: { ...pale, borderColor: ink.verdigris, background: ink.verdigrisPale },
  due: { ...pale, ...PALE, borderColor: ink.ochre, background: ink.ochrePale },
} as const;

/** A form: Enter sends it, Escape leaves it as it is. What is wrong is said by the server, beside each field. */
export function Form({
  look = "plain",
  mid,
  onSend,
  onLeave,
  sx,
  ref,
  label,
  children,
}: {
  look?: keyof typeof LOOKS;
  mid?: boolean;
  onSend: () => unknown;
  onLeave?: () => void;
  sx?: SxProps<Theme>;
  ref?: Ref<HTMLFormElement>;
  label?: string;
  children: ReactNode;
}) {
  return (
    <Box
      component="form"
      ref={ref}
      aria-label={label}
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void onSend();
      }}
      onKeyDown={(e) => {
        if (e.key === "Escape") onLeave?.();
      }}
      sx={
        [
          LOOKS[look],
          mid ? { alignItems: "center" } : {},
          ...(Array.isArray(sx) ? sx : [sx]),
        ] as SxProps<Theme>
      }
    >
      {children}
    </Box>
  );
}
