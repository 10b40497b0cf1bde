import FormControl from "@mui/material/FormControl";
import type { InputBaseComponentProps } from "@mui/material/InputBase";
import NativeSelect from "@mui/material/NativeSelect";
import OutlinedInput from "@mui/material/OutlinedInput";
import { styled } from "@mui/material/styles";
import { shouldForwardProp } from "@mui/system";
import { type KeyboardEvent, type ReactNode, type Ref, useId } from "react";

import { Fault, Heard } from "../parts/words";
import { ink } from "../theme/palette";
import { DateInput, TimeInput } from "./When";

export type Labelled = {
  label: string;
  /** The label stands before the field instead of above it. */
  beside?: boolean;
  /** The label is heard, not seen: what stands around the field says it. */
  unseen?: boolean;
  /** What tells this field from others of the same label; heard, not seen. */
  tail?: string;
  fault?: string;
  help?: ReactNode;
  width?: number | string;
  /** What a link to this field calls it. */
  name?: string;
};

const FieldBox = styled(FormControl, {
  shouldForwardProp: (name) => name !== "beside" && name !== "width" && shouldForwardProp(name),
})<{
  beside?: boolean;
  width?: number | string;
}>(({ beside, width }) => ({
  minWidth: width === undefined ? 120 : 0,
  maxWidth: "100%",
  width,
  flex: width === undefined ? 1 : "none",
  "& > label": { color: ink.slate, fontSize: 13, lineHeight: 1.45, marginBottom: 3 },
  ...(beside && {
    flexDirection: "row",
    alignItems: "center",
    marginLeft: "auto",
    gap: 10,
    "& > label": { color: ink.slate, fontSize: 13, margin: 0, whiteSpace: "nowrap" },
  }),
}));
const Help = styled("div")({ fontSize: 13, color: ink.slate, marginTop: 3 });

/** A label above what is filled in, its fault and its help below; all of them heard together. */
export function Labels({
  label,
  beside,
  unseen,
  tail,
  fault,
  help,
  width,
  name,
  children,
}: Labelled & { children: (id: string, described: InputBaseComponentProps) => ReactNode }) {
  const id = useId();
  const described =
    [fault ? `${id}-fault` : "", help ? `${id}-help` : ""].filter(Boolean).join(" ") || undefined;
  const words = (
    <>
      {label}
      {tail && <Heard>{tail}</Heard>}
    </>
  );
  return (
    <FieldBox data-name={name} beside={beside} width={width} error={Boolean(fault)}>
      <label htmlFor={id}>{unseen ? <Heard>{words}</Heard> : words}</label>
      {children(id, { "aria-describedby": described, "aria-invalid": fault ? true : undefined })}
      {fault && <Fault id={`${id}-fault`}>{fault}</Fault>}
      {help && <Help id={`${id}-help`}>{help}</Help>}
    </FieldBox>
  );
}

export type FieldProps = Labelled & {
  value: string;
  onChange: (value: string) => void;
  /** A date is "2027-09-09" to the form and typed as people write it; so is a time, "18:30". */
  type?: "text" | "email" | "tel" | "password" | "date" | "time";
  placeholder?: string;
  multiline?: boolean;
  autoFocus?: boolean;
  inputRef?: Ref<HTMLInputElement>;
  onKeyDown?: (event: KeyboardEvent) => void;
  onBlur?: () => void;
  input?: InputBaseComponentProps;
  end?: ReactNode;
};

/** A labelled input with its fault beside it. The label stands above and stays there. */
export function Field({
  value,
  onChange,
  type = "text",
  placeholder,
  multiline,
  autoFocus,
  inputRef,
  onKeyDown,
  onBlur,
  input,
  end,
  ...labelled
}: FieldProps) {
  const common = { value, onChange, placeholder, autoFocus, inputRef, onKeyDown, onBlur };
  return (
    <Labels {...labelled}>
      {(id, described) =>
        type === "date" ? (
          <DateInput id={id} label={labelled.label} {...common} input={{ ...input, ...described }} />
        ) : type === "time" ? (
          <TimeInput id={id} {...common} input={{ ...input, ...described }} />
        ) : (
          <OutlinedInput
            id={id}
            type={type}
            multiline={multiline}
            minRows={multiline ? 2 : undefined}
            endAdornment={end}
            {...common}
            onChange={(event) => onChange(event.target.value)}
            inputProps={{ ...input, ...described }}
          />
        )
      }
    </Labels>
  );
}

/** A labelled choice among a few. The list is the browser's own: a letter picks, as in no other. */
export function Choice({
  value,
  onChange,
  options,
  ...labelled
}: Labelled & {
  value: string;
  onChange: (value: string) => void;
  options: { value: string; text: string }[];
}) {
  return (
    <Labels {...labelled}>
      {(id, described) => (
        <NativeSelect
          input={<OutlinedInput />}
          value={value}
          onChange={(event) => onChange(event.target.value)}
          inputProps={{
            id,
            "aria-describedby": described["aria-describedby"],
            "aria-invalid": described["aria-invalid"],
          }}
        >
          {options.map((o) => (
            <option key={o.value} value={o.value}>
              {o.text}
            </option>
          ))}
        </NativeSelect>
      )}
    </Labels>
  );
}
