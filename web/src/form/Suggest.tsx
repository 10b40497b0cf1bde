import Autocomplete from "@mui/material/Autocomplete";
import OutlinedInput from "@mui/material/OutlinedInput";

import { type Labelled, Labels } from "./Field";

/** A text with what there is already on offer; a new one may be typed. */
export function Suggest({
  value,
  onChange,
  options,
  placeholder,
  autoFocus,
  ...labelled
}: Labelled & {
  value: string;
  onChange: (value: string) => void;
  options: string[];
  placeholder?: string;
  autoFocus?: boolean;
}) {
  return (
    <Labels {...labelled}>
      {(id, described) => (
        <Autocomplete
          id={id}
          freeSolo
          fullWidth
          options={options}
          inputValue={value}
          value={value}
          onInputChange={(_, text, reason) => reason !== "reset" && onChange(text)}
          onChange={(_, picked) => onChange(picked ?? "")}
          disableClearable
          forcePopupIcon={false}
          renderInput={({ slotProps }) => (
            <OutlinedInput
              fullWidth
              ref={slotProps.input.ref}
              placeholder={placeholder}
              autoFocus={autoFocus}
              inputProps={{ ...slotProps.htmlInput, ...described }}
            />
          )}
        />
      )}
    </Labels>
  );
}
