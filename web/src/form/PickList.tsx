import OutlinedInput from "@mui/material/OutlinedInput";
import { styled } from "@mui/material/styles";
import { type ReactNode, type Ref, useEffect, useId, useRef, useState } from "react";

import { Option } from "../parts/layout";
import { Fault } from "../parts/words";

const Options = styled("ul")({ listStyle: "none", margin: 0, padding: 0 });

export type Pickable = { key: string; content: ReactNode };

/** Type to find, arrows to move, Enter to pick. Enter picks and does nothing else. */
export function PickList({
  label,
  typed,
  onType,
  options,
  onPick,
  placeholder,
  inputRef,
  autoFocus,
  busy,
  trouble,
  fresh = true,
  empty,
}: {
  label: string;
  typed: string;
  onType: (text: string) => void;
  options: Pickable[];
  onPick: (key: string) => void;
  placeholder?: string;
  inputRef?: Ref<HTMLInputElement>;
  autoFocus?: boolean;
  busy?: boolean;
  /** Why nothing could be looked up. */
  trouble?: string;
  /** Whether the options are those of what is typed now; until then Enter waits for them. */
  fresh?: boolean;
  empty?: ReactNode;
}) {
  const id = useId();
  const [at, setAt] = useState(0);
  const [entered, setEntered] = useState(false);
  const cursor = Math.min(at, Math.max(0, options.length - 1));
  const first = options[cursor]?.key;
  const pick = useRef(onPick);
  useEffect(() => {
    pick.current = onPick;
  });
  useEffect(() => {
    if (!entered || !fresh) return;
    setEntered(false);
    if (first !== undefined) pick.current(first);
  }, [entered, fresh, first]);
  return (
    <div>
      <OutlinedInput
        fullWidth
        value={typed}
        placeholder={placeholder}
        inputRef={inputRef}
        autoFocus={autoFocus}
        onChange={(e) => {
          setAt(0);
          setEntered(false);
          onType(e.target.value);
        }}
        onKeyDown={(e) => {
          if (e.ctrlKey || e.altKey || e.metaKey) return;
          if (e.key === "ArrowDown") setAt(Math.min(cursor + 1, options.length - 1));
          else if (e.key === "ArrowUp") setAt(Math.max(cursor - 1, 0));
          else if (e.key === "Enter") setEntered(true);
          else return;
          e.preventDefault();
        }}
        inputProps={{
          role: "combobox",
          "aria-label": label,
          "aria-expanded": options.length > 0,
          "aria-controls": `${id}-list`,
          "aria-autocomplete": "list",
          "aria-activedescendant": options[cursor] ? `${id}-${cursor}` : undefined,
          autoComplete: "off",
        }}
      />
      <Options id={`${id}-list`} role="listbox" aria-label={label} aria-busy={busy}>
        {options.map((o, i) => (
          // The input keeps the focus and moves through the list; the mouse picks directly.

          <Option
            key={o.key}
            id={`${id}-${i}`}
            role="option"
            aria-selected={i === cursor}
            onMouseDown={(e) => e.preventDefault()}
            onClick={() => onPick(o.key)}
          >
            {o.content}
          </Option>
        ))}
      </Options>
      {trouble ? <Fault role="alert">{trouble}</Fault> : options.length === 0 && empty}
    </div>
  );
}
