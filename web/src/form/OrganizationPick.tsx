import Autocomplete from "@mui/material/Autocomplete";
import OutlinedInput from "@mui/material/OutlinedInput";
import { keepPreviousData } from "@tanstack/react-query";
import { useState } from "react";

import { $api, messageOf } from "../app/server";
import { useSettled } from "../app/session";
import { Labels } from "./Field";

type Option = { value: string; text: string };

/** One of all organizations, however many there are, found by a part of the name; `fixed` are choices beside them. */
export function OrganizationPick({
  label,
  tail,
  value,
  onChange,
  fixed,
  fault,
  width,
}: {
  label: string;
  tail?: string;
  value: string;
  onChange: (value: string) => void;
  fixed: Option[];
  fault?: string;
  width?: number;
}) {
  const [typed, setTyped] = useState("");
  const q = useSettled(typed.trim(), 150);
  const include = /^\d+$/.test(value) ? Number(value) : undefined;
  const found = $api.useQuery(
    "get",
    "/api/v1/organizations",
    { params: { query: { q, include } } },
    { placeholderData: keepPreviousData },
  );
  const organizations = (found.data ?? []).map((o) => ({ value: String(o.id), text: o.name }));
  const chosen = [...fixed, ...organizations].find((o) => o.value === value) ?? null;
  const fits = (o: Option) => o.text.toLowerCase().includes(q.toLowerCase());
  return (
    <Labels label={label} tail={tail} fault={fault} width={width}>
      {(id, described) => (
        <Autocomplete
          id={id}
          fullWidth
          options={[...fixed.filter((o) => !q || fits(o)), ...organizations]}
          value={chosen}
          disableClearable={chosen !== null}
          filterOptions={(options) => options}
          getOptionLabel={(o) => o.text}
          getOptionKey={(o) => o.value}
          isOptionEqualToValue={(a, b) => a.value === b.value}
          loading={found.isFetching}
          noOptionsText={
            found.error ? messageOf(found.error) : "Nothing fits; a shorter part of the name may."
          }
          onInputChange={(_, text, reason) => setTyped(reason === "input" ? text : "")}
          onChange={(_, option) => onChange(option?.value ?? "")}
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
