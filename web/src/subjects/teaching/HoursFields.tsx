import Button from "@mui/material/Button";

import type { Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Row } from "../../parts/layout";
import { P } from "../../parts/words";
import { DAY_NAMES, DAYS } from "../schedule/PatternFields";

type Hours = Schemas["HoursForm"];

/** The weekly hours at which somebody can teach; none: at any time. */
export function HoursFields({
  hours,
  onChange,
  faults,
}: {
  hours: Hours[];
  onChange: (hours: Hours[]) => void;
  faults: Record<string, string>;
}) {
  const change = (n: number, part: Partial<Hours>) =>
    onChange(hours.map((h, i) => (i === n ? { ...h, ...part } : h)));
  const last = hours.at(-1);
  const next = DAYS[(DAYS.indexOf(last?.weekday ?? "SU") + 1) % 7] as Hours["weekday"];
  return (
    <>
      {hours.map((h, n) => (
        <Row wrap end key={n} sx={{ marginTop: 8 }}>
          <Choice
            label="Can teach on"
            tail={`, hours ${n + 1}`}
            width={130}
            value={h.weekday}
            onChange={(weekday) => change(n, { weekday: weekday as Hours["weekday"] })}
            options={DAYS.map((d, i) => ({ value: d, text: DAY_NAMES[i]! }))}
            fault={faults[`/hours/${n}`]}
          />
          <Field
            label="from"
            tail={`, hours ${n + 1}`}
            type="time"
            width={90}
            value={h.from}
            onChange={(from) => change(n, { from })}
            fault={faults[`/hours/${n}/from`]}
          />
          <Field
            label="to"
            tail={`, hours ${n + 1}`}
            type="time"
            width={90}
            value={h.to}
            onChange={(to) => change(n, { to })}
            fault={faults[`/hours/${n}/to`]}
          />
          <Button
            variant="text"
            color="secondary"
            aria-label={`Take out hours ${n + 1}`}
            onClick={() => onChange(hours.filter((_, i) => i !== n))}
          >
            take out
          </Button>
        </Row>
      ))}
      <P sx={{ margin: "8px 0 0" }}>
        <Button
          variant="text"
          onClick={() =>
            onChange([...hours, { weekday: next, from: last?.from ?? "17:00", to: last?.to ?? "21:00" }])
          }
        >
          {hours.length ? "More weekly hours" : "Only at certain hours"}
        </Button>
      </P>
    </>
  );
}
