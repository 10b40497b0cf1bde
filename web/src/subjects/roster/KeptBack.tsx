import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, asTyped, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { OrganizationPick } from "../../form/OrganizationPick";
import { useServerForm } from "../../form/useServerForm";
import { Grow, Loading, Row, Ruled } from "../../parts/layout";
import { count, day } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Heard, P, T } from "../../parts/words";
import { whole } from "../courses/form";
import type { Run } from "../courses/runTypes";
import { useAct } from "../../form/useAct";

type Acts = ReturnType<typeof useDone>;

/** Places held without names and seats set aside for a group, each until a day. */
export function KeptBack({ run, acts }: { run: Run; acts: Acts }) {
  const [open, setOpen] = useState<"hold" | "aside" | null>(null);
  const query = $api.useQuery("get", "/api/v1/runs/{run_id}/kept-back", {
    params: { path: { run_id: run.id } },
  });
  const letGo = useAct({
    send: (id: number) =>
      ask(
        api.PATCH("/api/v1/held-places/{held_id}", { params: { path: { held_id: id } }, body: { seats: 0 } }),
      ),
    done: (done) => acts.say({ text: `The places held for ${done.for_whom} are free.`, change: done.change }),
    failed: acts.fail,
  });
  const found = query.data;
  if (!found) return <Loading />;
  return (
    <div>
      <p>
        <strong>{found.free} free</strong> for anybody; {found.taken} taken
        {found.held > 0 && `, ${found.held} held`}
        {found.offered > 0 && `, ${found.offered} on offer`}, of {found.capacity + found.overbook}.
      </p>
      <Ruled>
        {found.holds.map((h) => (
          <Row mid as="li" key={h.id} sx={{ padding: "6px 0" }}>
            <Grow as="span">
              <strong>{count(h.seats, "place")}</strong> held for {h.for_whom} through {day(h.last)}
              {h.note && <T tone="slate">; {h.note}</T>}
            </Grow>
            <Link to={`/desk?run=${run.id}&held=${h.id}`}>
              sign somebody up<Heard> from the places of {h.for_whom}</Heard>
            </Link>
            <Button variant="text" color="secondary" onClick={() => void letGo.act(h.id)}>
              let go<Heard> of the places of {h.for_whom}</Heard>
            </Button>
          </Row>
        ))}
        {found.set_asides.map((s) => (
          <Row mid as="li" key={s.id} sx={{ padding: "6px 0" }}>
            <Grow as="span">
              <strong>{count(s.seats, "seat")}</strong> set aside for {s.name} through {day(s.last)}
              {s.days_before !== null && `, ${count(s.days_before, "day")} before the start`}; {s.taken} taken
              {s.over && <T tone="slate">; the day is past, they are anybody’s</T>}
              {s.tag && <T tone="slate">; people tagged “{s.tag}”</T>}
            </Grow>
            <Aside key={s.id} run={run} held={s} acts={acts} />
          </Row>
        ))}
      </Ruled>
      {open === "hold" ? (
        <Hold run={run} acts={acts} onClose={() => setOpen(null)} />
      ) : open === "aside" ? (
        <AsideForm run={run} acts={acts} onClose={() => setOpen(null)} />
      ) : (
        <Row sx={{ marginTop: 10 }}>
          <Button onClick={() => setOpen("hold")}>Hold places</Button>
          <Button onClick={() => setOpen("aside")}>Set seats aside</Button>
        </Row>
      )}
      <P tone="slate">
        Held places become sign-ups on the roster, or lapse after their day.{" "}
        <Link to={`/runs/${run.id}/roster`}>To the roster</Link>
      </P>
    </div>
  );
}

function Hold({ run, acts, onClose }: { run: Run; acts: Acts; onClose: () => void }) {
  const of = useServerForm({
    draft: `hold-${run.id}`,
    start: { seats: "", for_whom: "", last: "", note: "" },
    send: (form, key) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/held-places", {
          params: { path: { run_id: run.id }, header: { "Idempotency-Key": key } },
          body: asTyped<"HoldCommand">({
            seats: whole(form.seats),
            for_whom: form.for_whom || null,
            last: form.last || null,
            note: form.note || null,
          }),
        }),
      ),
    done: (held) => {
      acts.say({ text: `${count(held.seats, "place")} held for ${held.for_whom}.`, change: held.change });
      onClose();
    },
  });
  return (
    <Form look="inset" of={of} onLeave={onClose}>
      <Row wrap>
        <Field label="Places" width={80} {...of.field("seats")} input={{ inputMode: "numeric" }} autoFocus />
        <Field label="For whom" width={200} {...of.field("for_whom")} />
        <Field label="Through" type="date" width={150} {...of.field("last")} />
        <Field label="Note" width={180} {...of.field("note")} />
      </Row>
      <Ends of={of} act="Hold them" onLeave={onClose} />
    </Form>
  );
}

type SetAside = Schemas["SetAsideOut"];

function Aside({ run, held, acts }: { run: Run; held: SetAside; acts: Acts }) {
  const [open, setOpen] = useState(false);
  if (open) return <AsideForm run={run} held={held} acts={acts} onClose={() => setOpen(false)} />;
  return (
    <Button
      variant="text"
      color="secondary"
      aria-label={`change the seats of ${held.name}`}
      onClick={() => setOpen(true)}
    >
      change
    </Button>
  );
}

function AsideForm({
  run,
  held,
  acts,
  onClose,
}: {
  run: Run;
  held?: SetAside;
  acts: Acts;
  onClose: () => void;
}) {
  const of = useServerForm({
    draft: `aside-${run.id}-${held?.id ?? "new"}`,
    start: {
      name: held?.name ?? "",
      seats: held ? String(held.seats) : "",
      last: held?.days_before != null ? "" : (held?.last ?? ""),
      days: held?.days_before != null ? String(held.days_before) : "",
      tag: held?.tag ?? "",
      organization: held?.organization_id ? String(held.organization_id) : "",
    },
    send: (form) =>
      ask(
        api.PUT("/api/v1/runs/{run_id}/set-asides", {
          params: { path: { run_id: run.id } },
          body: asTyped<"SetAsideCommand">({
            id: held?.id ?? null,
            name: form.name || null,
            seats: whole(form.seats),
            last: form.last || null,
            days_before: whole(form.days),
            tag: form.tag || null,
            organization_id: form.organization ? Number(form.organization) : null,
          }),
        }),
      ),
    done: (now, form) => {
      const text = `Seats for ${form.name}: ${now.free} are free for anybody now.`;
      acts.say({ text, change: now.change });
      onClose();
    },
  });
  const close = () => {
    of.forget();
    onClose();
  };
  return (
    <Form look="inset" of={of} onLeave={close}>
      <Row wrap>
        <Field label="Group" width={180} {...of.field("name")} autoFocus />
        <Field label="Seats, 0 ends it" width={120} {...of.field("seats")} input={{ inputMode: "numeric" }} />
        <Field label="Through" type="date" width={150} {...of.field("last")} />
        <Field
          label="or days before the start"
          width={150}
          {...of.field("days", "/days_before")}
          input={{ inputMode: "numeric" }}
        />
        <Field label="People tagged" width={130} {...of.field("tag")} />
        <OrganizationPick
          label="Or paid for by"
          width={200}
          {...of.field("organization", "/organization_id")}
          fixed={[{ value: "", text: "nobody in particular" }]}
        />
      </Row>
      <Ends of={of} act="Set aside" onLeave={close} />
    </Form>
  );
}
