import Autocomplete from "@mui/material/Autocomplete";
import OutlinedInput from "@mui/material/OutlinedInput";
import { keepPreviousData } from "@tanstack/react-query";
import { useState } from "react";

import { $api, messageOf, type Schemas } from "../app/server";
import { useSettled } from "../app/session";
import { day } from "../parts/text";
import { Labels } from "./Field";

type Option = { value: string; text: string };
const option = (r: Schemas["RunLine"]): Option => ({
  value: String(r.id),
  text: [r.code, r.title, day(r.starts_on)].filter(Boolean).join(", "),
});

/** Whoever types a code or a title means that; what fits otherwise, by its place for one, comes after. */
export function nearestFirst(options: Option[], q: string): Option[] {
  const word = q.toLowerCase();
  const rank = ({ text }: Option) =>
    text.toLowerCase().startsWith(word) ? 0 : text.toLowerCase().includes(word) ? 1 : 2;
  return [...options].sort((a, b) => rank(a) - rank(b));
}

/** One of all runs, past ones too, found by its code or title; none is a choice too. */
export function RunPick({
  label,
  value,
  onChange,
  width,
  fault,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  width?: number;
  fault?: string;
}) {
  const [typed, setTyped] = useState("");
  const [chosen, setChosen] = useState<Option | null>(null);
  const q = useSettled(typed.trim(), 150);
  const found = $api.useQuery(
    "get",
    "/api/v1/runs",
    { params: { query: { q, limit: 12, teaching: "all" } } },
    { placeholderData: keepPreviousData },
  );
  const before = $api.useQuery(
    "get",
    "/api/v1/runs/{run_id}",
    { params: { path: { run_id: Number(value) } } },
    { enabled: value !== "" && chosen?.value !== value },
  );
  const known = before.data && { value, text: [before.data.code, before.data.title].join(", ") };
  const shown = value === "" ? null : chosen?.value === value ? chosen : (known ?? null);
  return (
    <Labels label={label} fault={fault} width={width}>
      {(id, described) => (
        <Autocomplete
          id={id}
          fullWidth
          options={nearestFirst((found.data?.items ?? []).map(option), q)}
          value={shown}
          filterOptions={(options) => options}
          getOptionLabel={(o) => o.text}
          getOptionKey={(o) => o.value}
          isOptionEqualToValue={(a, b) => a.value === b.value}
          loading={found.isFetching}
          noOptionsText={found.error ? messageOf(found.error) : "No run fits; part of its code or title may."}
          onInputChange={(_, text, reason) => setTyped(reason === "input" ? text : "")}
          onChange={(_, picked) => {
            setChosen(picked);
            onChange(picked?.value ?? "");
          }}
          forcePopupIcon={false}
          renderInput={({ slotProps }) => (
            <OutlinedInput
              fullWidth
              ref={slotProps.input.ref}
              inputProps={{ ...slotProps.htmlInput, ...described }}
            />
          )}
        />
      )}
    </Labels>
  );
}
