import IconButton from "@mui/material/IconButton";
import type { InputBaseComponentProps } from "@mui/material/InputBase";
import OutlinedInput from "@mui/material/OutlinedInput";
import { type KeyboardEvent, lazy, type Ref, Suspense, useContext, useRef, useState } from "react";

import { MeContext } from "../app/session";
import { dayTyped, isDay, timeTyped } from "../parts/dates";
import { day } from "../parts/text";
import { Fault } from "../parts/words";

const Calendar = lazy(() => import("./Calendar"));

type Props = {
  id: string;
  value: string;
  onChange: (value: string) => void;
  placeholder?: string;
  autoFocus?: boolean;
  inputRef?: Ref<HTMLInputElement>;
  onKeyDown?: (event: KeyboardEvent) => void;
  onBlur?: () => void;
  input: InputBaseComponentProps;
};

/** Today at the center; on pages without anybody signed in, of this machine. */
function useToday(): string {
  return useContext(MeContext)?.today ?? new Date().toISOString().slice(0, 10);
}

/**
 * A date, typed in any usual form and shown as "Thu 9 Sep 2027", with a calendar beside it (Alt+Down). What is no date
 * stays as it was typed, says so, and is sent as it is: the server refuses it rather than doing without.
 */
export function DateInput({
  id,
  label,
  value,
  onChange,
  onKeyDown,
  onBlur,
  input,
  ...rest
}: Props & { label: string }) {
  const today = useToday();
  const [typed, setTyped] = useState<string | null>(null);
  const [open, setOpen] = useState<HTMLElement | null>(null);
  const box = useRef<HTMLDivElement>(null);
  const wrong = typed === null && value !== "" && !isDay(value);
  return (
    <>
      <OutlinedInput
        id={id}
        ref={box}
        sx={{ minWidth: 150, paddingRight: "2px", "& input": { paddingRight: 0 } }}
        value={typed ?? (isDay(value) ? day(value) : value)}
        {...rest}
        placeholder={rest.placeholder ?? "9 Sep 2027"}
        error={wrong || undefined}
        onFocus={(e) => e.target.select()}
        onChange={(e) => {
          const text = e.target.value;
          setTyped(text);
          onChange(text.trim() === "" ? "" : (dayTyped(text, today) ?? text));
        }}
        onBlur={() => {
          setTyped(null);
          onBlur?.();
        }}
        onKeyDown={(e) => {
          if (e.altKey && e.key === "ArrowDown") {
            e.preventDefault();
            setOpen(box.current);
          }
          onKeyDown?.(e);
        }}
        endAdornment={
          <IconButton
            tabIndex={-1}
            sx={{ padding: "5px" }}
            aria-label={`Calendar: ${label}`}
            onMouseDown={(e) => e.preventDefault()}
            onClick={() => setOpen(box.current)}
          >
            <svg
              width="14"
              height="14"
              viewBox="0 0 14 14"
              aria-hidden="true"
              fill="none"
              stroke="currentColor"
            >
              <path d="M1 2.5h12v10.5H1zM1 5.5h12M4.5 1v3M9.5 1v3M5 8.5h0M9 8.5h0M5 11h0M9 11h0" />
            </svg>
          </IconButton>
        }
        inputProps={{ autoComplete: "off", ...input }}
      />
      {wrong && <Fault>This is no date; write it like 9 Sep 2027 or 9/9/2027.</Fault>}
      {open && (
        <Suspense fallback={null}>
          <Calendar
            anchor={open}
            value={isDay(value) ? value : today}
            onClose={() => setOpen(null)}
            onPick={(picked) => {
              setTyped(null);
              onChange(picked);
              setOpen(null);
            }}
          />
        </Suspense>
      )}
    </>
  );
}

/** A time, typed as 18:30, 1830 or 6:30 pm and shown as 18:30; the arrows move it by a quarter of an hour. */
export function TimeInput({ id, value, onChange, onKeyDown, onBlur, input, ...rest }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const time = timeTyped(value);
  const wrong = typed === null && value !== "" && time === null;
  return (
    <>
      <OutlinedInput
        id={id}
        value={typed ?? time ?? value}
        {...rest}
        placeholder={rest.placeholder ?? "18:30"}
        error={wrong || undefined}
        onFocus={(e) => e.target.select()}
        onChange={(e) => {
          setTyped(e.target.value);
          onChange(e.target.value.trim() === "" ? "" : (timeTyped(e.target.value) ?? e.target.value));
        }}
        onBlur={() => {
          setTyped(null);
          onBlur?.();
        }}
        onKeyDown={(e) => {
          const step = e.key === "ArrowUp" ? 15 : e.key === "ArrowDown" ? -15 : 0;
          if (step && time) {
            e.preventDefault();
            setTyped(null);
            onChange(moved(time, step));
          }
          onKeyDown?.(e);
        }}
        inputProps={{ autoComplete: "off", ...input }}
      />
      {wrong && <Fault>This is no time; write it like 18:30.</Fault>}
    </>
  );
}

function moved(time: string, minutes: number): string {
  const at = (Number(time.slice(0, 2)) * 60 + Number(time.slice(3)) + minutes + 1440) % 1440;
  return `${String(Math.floor(at / 60)).padStart(2, "0")}:${String(at % 60).padStart(2, "0")}`;
}
