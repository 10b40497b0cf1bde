import OutlinedInput from "@mui/material/OutlinedInput";
import type { InputBaseComponentProps } from "@mui/material/InputBase";
import { useId, type KeyboardEvent, type ReactNode, type Ref } from "react";

/** A labelled input with its fault beside it. The label stands above and stays there. */
export function Field({
  label,
  beside,
  tail,
  value,
  onChange,
  type = "text",
  fault,
  help,
  width,
  placeholder,
  multiline,
  autoFocus,
  inputRef,
  onKeyDown,
  onBlur,
  input,
  end,
  name,
}: {
  label: string;
  /** The label stands before the field instead of above it. */
  beside?: boolean;
  /** What tells this field from others of the same label; heard, not seen. */
  tail?: string;
  value: string;
  onChange: (value: string) => void;
  type?: string;
  fault?: string;
  help?: ReactNode;
  width?: number | string;
  placeholder?: string;
  multiline?: boolean;
  autoFocus?: boolean;
  inputRef?: Ref<HTMLInputElement>;
  onKeyDown?: (event: KeyboardEvent) => void;
  onBlur?: () => void;
  input?: InputBaseComponentProps;
  end?: ReactNode;
  /** What a link to this field calls it. */
  name?: string;
}) {
  const id = useId();
  const described =
    [fault ? `${id}-fault` : "", help ? `${id}-help` : ""].filter(Boolean).join(" ") || undefined;
  return (
    <div
      className={beside ? "field beside" : "field"}
      data-name={name}
      style={{ width, flex: width === undefined ? 1 : "none" }}
    >
      <label htmlFor={id}>
        {label}
        {tail && <span className="sr">{tail}</span>}
      </label>
      <OutlinedInput
        id={id}
        type={type}
        value={value}
        error={Boolean(fault)}
        multiline={multiline}
        minRows={multiline ? 2 : undefined}
        placeholder={placeholder}
        autoFocus={autoFocus}
        inputRef={inputRef}
        onKeyDown={onKeyDown}
        onBlur={onBlur}
        endAdornment={end}
        onChange={(event) => onChange(event.target.value)}
        inputProps={{ ...input, "aria-describedby": described, "aria-invalid": fault ? true : undefined }}
      />
      {fault && (
        <div className="fault" id={`${id}-fault`}>
          {fault}
        </div>
      )}
      {help && (
        <div className="help" id={`${id}-help`}>
          {help}
        </div>
      )}
    </div>
  );
}

/** A labelled choice among a few. */
export function Choice({
  label,
  tail,
  value,
  onChange,
  options,
  fault,
  width,
}: {
  label: string;
  tail?: string;
  value: string;
  onChange: (value: string) => void;
  options: { value: string; text: string }[];
  fault?: string;
  width?: number | string;
}) {
  const id = useId();
  return (
    <div className="field" style={{ width, flex: width === undefined ? 1 : "none" }}>
      <label htmlFor={id}>
        {label}
        {tail && <span className="sr">{tail}</span>}
      </label>
      <select
        id={id}
        className="choice"
        value={value}
        aria-invalid={fault ? true : undefined}
        aria-describedby={fault ? `${id}-fault` : undefined}
        onChange={(event) => onChange(event.target.value)}
      >
        {options.map((o) => (
          <option key={o.value} value={o.value}>
            {o.text}
          </option>
        ))}
      </select>
      {fault && (
        <div className="fault" id={`${id}-fault`}>
          {fault}
        </div>
      )}
    </div>
  );
}
