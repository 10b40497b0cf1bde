import Button from "@mui/material/Button";
import { type ReactNode, useId } from "react";

import { $api } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Tick } from "../../form/Tick";
import { Acts, Picks, Row } from "../../parts/layout";
import { Fault, Heard, T } from "../../parts/words";
import type { ExtraForm, GroupForm, TaxForm } from "../courses/form";

type Editor<T> = {
  value: T[];
  onChange: (value: T[]) => void;
  faults: Record<string, string>;
  at: string;
};

/** Lines of one kind, each with a way out, and one more on request. */
function Lines<T>({
  value,
  onChange,
  faults,
  at,
  line,
  name,
  fresh,
  more,
  most = 30,
}: Editor<T> & {
  line: (held: T, set: (change: Partial<T>) => void, i: number) => ReactNode;
  name: (held: T, i: number) => string;
  fresh: T;
  more: string;
  most?: number;
}) {
  return (
    <>
      {faults[at] && <Fault role="alert">{faults[at]}</Fault>}
      {value.map((held, i) => (
        <Row wrap key={i} role="group" aria-label={name(held, i)} sx={{ marginTop: 10 }}>
          {line(held, (change) => onChange(value.map((v, n) => (n === i ? { ...v, ...change } : v))), i)}
          <Acts sx={{ alignSelf: "flex-end", paddingBottom: 9 }}>
            <Button
              variant="text"
              color="secondary"
              aria-label={`Take out ${name(held, i)}`}
              onClick={() => onChange(value.filter((_, n) => n !== i))}
            >
              take out
            </Button>
          </Acts>
        </Row>
      ))}
      {value.length < most && (
        <Button variant="text" sx={{ marginTop: 10 }} onClick={() => onChange([...value, fresh])}>
          {more}
        </Button>
      )}
    </>
  );
}

/** What a run sells beside the seat. */
export function ExtrasEdit({ currency, ...editor }: Editor<ExtraForm> & { currency: string }) {
  const list = useId();
  const stock = $api.useQuery("get", "/api/v1/stock");
  return (
    <>
      <datalist id={list}>
        {stock.data?.map((s) => (
          <option key={s.id} value={s.name} />
        ))}
      </datalist>
      <Lines
        {...editor}
        fresh={{ code: "", label: "", amount: "", required: false, most: "", item: "" }}
        more={editor.value.length ? "Another extra" : "An extra: a book, a tool, a material fee"}
        name={(x, i) => x.label || `extra ${i + 1}`}
        line={(x, set, i) => (
          <>
            <Field
              label={`Extra ${i + 1}`}
              value={x.label}
              width={160}
              onChange={(label) => set({ label })}
              fault={editor.faults[`${editor.at}/${i}/label`] ?? editor.faults[`${editor.at}/${i}/code`]}
            />
            <Field
              label={`Price in ${currency}`}
              tail={`, extra ${i + 1}`}
              value={x.amount}
              width={95}
              onChange={(amount) => set({ amount })}
              fault={editor.faults[`${editor.at}/${i}/amount`]}
              input={{ inputMode: "decimal" }}
            />
            <Choice
              label="Taken"
              tail={`, extra ${i + 1}`}
              value={x.required ? "required" : "optional"}
              width={135}
              onChange={(v) => set({ required: v === "required" })}
              options={[
                { value: "optional", text: "if wished" },
                { value: "required", text: "by every head" },
              ]}
            />
            <Field
              label="At most"
              tail={`, extra ${i + 1}`}
              value={x.most}
              width={95}
              placeholder="any"
              onChange={(most) => set({ most })}
              fault={editor.faults[`${editor.at}/${i}/most`]}
              input={{ inputMode: "numeric" }}
            />
            <Field
              label="From stock"
              tail={`, extra ${i + 1}`}
              value={x.item}
              width={165}
              placeholder="not counted"
              onChange={(item) => set({ item })}
              fault={editor.faults[`${editor.at}/${i}/item`]}
              input={{ list }}
              help={stockText(x.item, stock.data)}
            />
          </>
        )}
      />
    </>
  );
}

function stockText(item: string, stock?: { name: string; on_hand: number }[]): string | undefined {
  if (!item.trim() || !stock) return undefined;
  const held = stock.find((s) => s.name.toLowerCase() === item.trim().toLowerCase());
  return held ? `${held.on_hand} in stock` : "new: none in stock yet";
}

/** Percents off each head from so many people on. */
export function GroupEdit(editor: Editor<GroupForm>) {
  return (
    <Lines
      {...editor}
      fresh={{ from: editor.value.length ? "" : "3", percent: "" }}
      more={editor.value.length ? "Another step" : "A price for groups"}
      name={(g, i) => (g.from ? `group from ${g.from}` : `group step ${i + 1}`)}
      line={(g, set, i) => (
        <>
          <Field
            label="From so many people"
            tail={`, step ${i + 1}`}
            value={g.from}
            width={160}
            onChange={(from) => set({ from })}
            fault={editor.faults[`${editor.at}/${i}/from`]}
            input={{ inputMode: "numeric" }}
          />
          <Field
            label="Percent off a head"
            tail={`, step ${i + 1}`}
            value={g.percent}
            width={150}
            onChange={(percent) => set({ percent })}
            fault={editor.faults[`${editor.at}/${i}/percent`]}
            input={{ inputMode: "decimal" }}
          />
        </>
      )}
    />
  );
}

/** Up to two taxes; `sold` are the rates and extras they may be on. */
export function TaxesEdit({
  sold,
  ...editor
}: Editor<TaxForm> & { sold: { code: string; label: string }[] }) {
  return (
    <Lines
      {...editor}
      most={2}
      fresh={{ name: "", percent: "", included: editor.value[0]?.included ?? false, on: null }}
      more={editor.value.length ? "A second tax" : "A tax"}
      name={(t, i) => t.name || `tax ${i + 1}`}
      line={(t, set, i) => (
        <>
          <Field
            label={`Tax ${i + 1}`}
            value={t.name}
            width={170}
            onChange={(name) => set({ name })}
            fault={editor.faults[`${editor.at}/${i}/name`]}
          />
          <Field
            label="Percent"
            tail={`, tax ${i + 1}`}
            value={t.percent}
            width={90}
            onChange={(percent) => set({ percent })}
            fault={editor.faults[`${editor.at}/${i}/percent`]}
            input={{ inputMode: "decimal" }}
          />
          <Choice
            label="Stands"
            tail={`, tax ${i + 1}`}
            value={t.included ? "in" : "top"}
            width={150}
            onChange={(v) => set({ included: v === "in" })}
            fault={editor.faults[`${editor.at}/${i}/included`]}
            options={[
              { value: "top", text: "on top" },
              { value: "in", text: "in the price" },
            ]}
          />
          <Picks>
            <T label as="legend">
              On<Heard>, tax {i + 1}</Heard>
            </T>
            <Row wrap as="span" sx={{ gap: 14 }}>
              <Tick checked={t.on === null} onChange={(on) => set({ on: on ? null : [] })}>
                everything
              </Tick>
              {t.on !== null &&
                sold.map((s) => (
                  <Tick
                    key={s.code}
                    checked={t.on!.includes(s.code)}
                    onChange={(on) =>
                      set({
                        on: on ? [...t.on!, s.code] : t.on!.filter((c) => c !== s.code),
                      })
                    }
                  >
                    {s.label}
                  </Tick>
                ))}
            </Row>
            {t.on?.map((c, n) => {
              const said = editor.faults[`${editor.at}/${i}/on/${n}`];
              return said ? <Fault key={c}>{said}</Fault> : null;
            })}
          </Picks>
        </>
      )}
    />
  );
}
