import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { SxProps, Theme } from "@mui/material/styles";
import { type KeyboardEvent, type ReactNode, type Ref, useEffect, useRef } from "react";

import { useFocusBack } from "../parts/focus";
import { PALE, Row } from "../parts/layout";
import { Fault, T } from "../parts/words";
import { ink } from "../theme/palette";
import type { ServerForm, useServerForm } from "./useServerForm";

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

type Looks = {
  look?: keyof typeof LOOKS;
  mid?: boolean;
  onLeave?: () => void;
  sx?: SxProps<Theme>;
  ref?: Ref<HTMLFormElement>;
  label?: string;
  /** Keys of its own, before Escape. */
  onKeyDown?: (e: KeyboardEvent<HTMLFormElement>) => void;
  children: ReactNode;
};

/**
 * A form: Enter sends it, Escape leaves it as it is. With `of` it is a form of the server: sent by itself, the focus goes to
 * the first field that is wrong, and what belongs to no field is said at its end.
 */
export function Form({
  look = "plain",
  mid,
  onSend,
  of,
  onLeave,
  sx,
  ref,
  label,
  onKeyDown,
  children,
}: Looks & ({ of: ServerForm; onSend?: undefined } | { of?: undefined; onSend: () => unknown })) {
  const own = useRef<HTMLFormElement>(null);
  useFocusBack();
  const wrong = of && Object.keys(of.faults).length > 0 ? of.faults : null;
  useEffect(() => {
    if (wrong) own.current?.querySelector<HTMLElement>("[aria-invalid=true]")?.focus();
    // Only a new answer moves the focus, not typing that follows it.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [wrong && JSON.stringify(wrong)]);
  return (
    <Box
      component="form"
      ref={(form: HTMLFormElement | null) => {
        own.current = form;
        if (typeof ref === "function") ref(form);
        else if (ref) ref.current = form;
      }}
      aria-label={label}
      aria-busy={of?.busy || undefined}
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void (of ? of.submit() : onSend());
      }}
      onKeyDown={(e: KeyboardEvent<HTMLFormElement>) => {
        onKeyDown?.(e);
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
      {of?.trouble && <Fault role="alert">{of.trouble}</Fault>}
    </Box>
  );
}

/** The foot of a form that stays: saved, or kept as it was; whatever waits says so. */
export function SaveOrKeep({
  of,
}: {
  of: Pick<ReturnType<typeof useServerForm>, "busy" | "dirty" | "forget">;
}) {
  const waits = of.dirty.length > 0;
  return (
    <Row mid sx={{ marginTop: 10 }}>
      <Button type="submit" variant="contained" disabled={of.busy || !waits}>
        Save
      </Button>
      {waits && (
        <>
          <Button onClick={of.forget}>Keep as it was</Button>
          <T tone="ochre">not saved yet</T>
        </>
      )}
    </Row>
  );
}

/** The two ways out of a form: what it does, and leaving everything as it was. */
export function Ends({
  of,
  act,
  leave = "Leave it",
  onLeave,
  disabled,
}: {
  of?: ServerForm;
  act: string;
  leave?: string;
  onLeave?: () => void;
  disabled?: boolean;
}) {
  return (
    <Row sx={{ marginTop: 10 }}>
      <Button type="submit" variant="contained" disabled={disabled || of?.busy}>
        {act}
      </Button>
      {onLeave && <Button onClick={onLeave}>{leave}</Button>}
    </Row>
  );
}
