import Button from "@mui/material/Button";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { useSearchParams } from "react-router";

import { api, ask, faultsOf, messageOf, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice, Field } from "../../parts/Field";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { clock, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { FeedAddress } from "./FeedAddress";
import { addDays } from "./plan";
import { DAY_NAMES, DAYS } from "./PatternFields";
import { PlannerTabs } from "./PlannerTabs";
import { Words } from "./TimeLine";

type Place = Schemas["PlaceOut"];
type Instructor = Schemas["InstructorOut"];
type Acts = ReturnType<typeof useDone>;

/** Rooms and other places, instructors with their hours and absences, and the days on which the center is closed. */
export default function PlacesPage() {
  const [params, setParams] = useSearchParams();
  const tab = params.get("tab") ?? "places";
  const acts = useDone();
  return (
    <Page
      title="Places and people"
      margin={
        <>
          <ActNotes acts={acts} />
          <section>
            <h2>What these do</h2>
            <p className="slate">
              {tab === "places"
                ? "A room’s seats are held against the seats of every run in it. Online, the link and host key of each meeting are made when its run is published. A place that is closed for a time clashes with what is planned there."
                : tab === "people"
                  ? "Weekly hours say when somebody can teach; none means at any time. Absences come from here or from a calendar file; the same file again replaces what it brought before."
                  : "Patterns leave out closed days, or add a meeting at the end. Any public holiday can be taught on all the same."}
            </p>
          </section>
        </>
      }
    >
      <PlannerTabs />
      <h1 style={{ margin: "12px 0 6px" }}>Places, instructors, closed days</h1>
      <Words
        label="Show"
        value={tab}
        words={[
          ["places", "places"],
          ["people", "instructors"],
          ["days", "closed days"],
        ]}
        onPick={(v) => setParams({ tab: v }, { replace: true })}
      />
      <div style={{ marginTop: 16 }}>
        {tab === "days" ? (
          <ClosedDays acts={acts} />
        ) : tab === "people" ? (
          <Instructors acts={acts} />
        ) : (
          <Places acts={acts} />
        )}
      </div>
    </Page>
  );
}

function Places({ acts }: { acts: Acts }) {
  const query = useQuery({ queryKey: ["places"], queryFn: () => ask(api.GET("/api/v1/places")) });
  const [open, setOpen] = useState<number | "new" | null>(null);
  if (!query.data) return <NotYet title="Places" error={query.error} retry={() => void query.refetch()} />;
  const save = async (id: number | null, body: Schemas["PlaceIn"]) => {
    const done = id
      ? await ask(api.PATCH("/api/v1/places/{place_id}", { params: { path: { place_id: id } }, body }))
      : await ask(api.POST("/api/v1/places", { body }));
    acts.say({ text: `${done.name} is saved.` });
    setOpen(null);
  };
  return (
    <>
      {open === "new" ? (
        <PlaceForm onSave={(b) => save(null, b)} onClose={() => setOpen(null)} />
      ) : (
        <Button onClick={() => setOpen("new")}>Add a place</Button>
      )}
      <ul className="ruled" style={{ marginTop: 12 }}>
        {query.data.map((p) => (
          <li key={p.id} className="place">
            {open === p.id ? (
              <>
                <PlaceForm place={p} onSave={(b) => save(p.id, b)} onClose={() => setOpen(null)} />
                <Busy kind="place" owner={p} acts={acts} />
                <p>
                  <FeedAddress kind="place" id={p.id} />
                </p>
              </>
            ) : (
              <div className="row mid">
                <span className="grow">
                  <strong>{p.name}</strong>{" "}
                  <span className="slate">
                    {p.kind}
                    {p.active ? "" : ", no longer used"}
                  </span>
                  <div className="slate">
                    {[p.facts, p.address && `${p.address}${p.address_public ? "" : " (kept private)"}`]
                      .filter(Boolean)
                      .join("; ")}
                  </div>
                </span>
                <span>
                  {p.seats === null ? <span className="slate">seats not given</span> : `${p.seats} seats`}
                </span>
                {p.map_link && <a href={p.map_link}>map</a>}
                <button className="plainly" aria-label={`Change ${p.name}`} onClick={() => setOpen(p.id)}>
                  change
                </button>
              </div>
            )}
          </li>
        ))}
      </ul>
    </>
  );
}

function Form({
  onSend,
  onClose,
  children,
  error,
}: {
  onSend: () => void;
  onClose: () => void;
  children: ReactNode;
  error: unknown;
}) {
  return (
    <form
      className="inset"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        onSend();
      }}
      onKeyDown={(e) => e.key === "Escape" && onClose()}
    >
      {children}
      {error !== null && Object.keys(faultsOf(error)).length === 0 && (
        <p className="fault">{messageOf(error)}</p>
      )}
      <div className="row" style={{ marginTop: 12 }}>
        <Button type="submit" variant="contained">
          Save
        </Button>
        <Button onClick={onClose}>Leave as it was</Button>
      </div>
    </form>
  );
}

function PlaceForm({
  place,
  onSave,
  onClose,
}: {
  place?: Place;
  onSave: (body: Schemas["PlaceIn"]) => Promise<void>;
  onClose: () => void;
}) {
  const me = useMe();
  const [form, setForm] = useState({
    name: place?.name ?? "",
    kind: place?.kind ?? "room",
    seats: place?.seats?.toString() ?? "",
    facts: place?.facts ?? "",
    address: place?.address ?? "",
    address_public: place?.address_public ?? true,
    map_link: place?.map_link ?? "",
    time_zone: place?.time_zone ?? me.time_zone,
    active: place?.active ?? true,
  });
  const [error, setError] = useState<unknown>(null);
  const faults = faultsOf(error);
  const set = (change: Partial<typeof form>) => setForm({ ...form, ...change });
  const send = () =>
    onSave({
      ...form,
      seats: form.seats.trim() === "" ? null : /^\d+$/.test(form.seats) ? Number(form.seats) : form.seats,
    }).catch(setError);
  return (
    <Form onSend={() => void send()} onClose={onClose} error={error}>
      <div className="row wrap">
        <Field
          label="Name of the place"
          width={230}
          value={form.name}
          onChange={(name) => set({ name })}
          fault={faults["/name"]}
          autoFocus
        />
        <Choice
          label="Kind"
          width={130}
          value={form.kind}
          onChange={(kind) => set({ kind })}
          fault={faults["/kind"]}
          options={["room", "outdoors", "online"].map((v) => ({ value: v, text: v }))}
        />
        <Field
          label="Seats"
          width={90}
          value={form.seats}
          onChange={(seats) => set({ seats })}
          fault={faults["/seats"]}
        />
        <Field
          label="What it has"
          value={form.facts}
          onChange={(facts) => set({ facts })}
          fault={faults["/facts"]}
        />
      </div>
      <div className="row wrap" style={{ marginTop: 10 }}>
        <Field
          label="Address"
          value={form.address}
          onChange={(address) => set({ address })}
          fault={faults["/address"]}
        />
        <Choice
          label="The address is"
          width={190}
          value={form.address_public ? "yes" : "no"}
          onChange={(v) => set({ address_public: v === "yes" })}
          options={[
            { value: "yes", text: "public" },
            { value: "no", text: "kept off public pages" },
          ]}
        />
        <Field
          label="Map link"
          width={190}
          value={form.map_link}
          onChange={(map_link) => set({ map_link })}
          fault={faults["/map_link"]}
        />
        <Field
          label="Time zone"
          width={170}
          value={form.time_zone}
          onChange={(time_zone) => set({ time_zone })}
          fault={faults["/time_zone"]}
        />
      </div>
      {place && (
        <label style={{ display: "block", marginTop: 8 }}>
          <input
            type="checkbox"
            checked={!form.active}
            onChange={(e) => set({ active: !e.target.checked })}
          />{" "}
          no longer used
        </label>
      )}
    </Form>
  );
}

function Instructors({ acts }: { acts: Acts }) {
  const query = useQuery({ queryKey: ["instructors"], queryFn: () => ask(api.GET("/api/v1/instructors")) });
  const [open, setOpen] = useState<number | "new" | null>(null);
  if (!query.data)
    return <NotYet title="Instructors" error={query.error} retry={() => void query.refetch()} />;
  const save = async (id: number | null, body: Schemas["InstructorIn"]) => {
    const done = id
      ? await ask(
          api.PATCH("/api/v1/instructors/{instructor_id}", { params: { path: { instructor_id: id } }, body }),
        )
      : await ask(api.POST("/api/v1/instructors", { body }));
    acts.say({ text: `${done.name} is saved.` });
    setOpen(null);
  };
  return (
    <>
      {open === "new" ? (
        <InstructorForm onSave={(b) => save(null, b)} onClose={() => setOpen(null)} />
      ) : (
        <Button onClick={() => setOpen("new")}>Add an instructor</Button>
      )}
      <ul className="ruled" style={{ marginTop: 12 }}>
        {query.data.map((i) => (
          <li key={i.id} className="place">
            {open === i.id ? (
              <>
                <InstructorForm instructor={i} onSave={(b) => save(i.id, b)} onClose={() => setOpen(null)} />
                <Busy kind="instructor" owner={i} acts={acts} />
                <p>
                  <FeedAddress kind="instructor" id={i.id} />
                </p>
              </>
            ) : (
              <div className="row mid">
                <span className="grow">
                  <strong>{i.name}</strong>{" "}
                  <span className="slate">{[i.email, i.phone].filter(Boolean).join(", ")}</span>
                </span>
                <span className="slate">
                  {i.hours.length
                    ? i.hours
                        .map((h) => `${DAY_NAMES[DAYS.indexOf(h.weekday ?? "")]} ${h.from} to ${h.to}`)
                        .join("; ")
                    : "at any time"}
                </span>
                <button className="plainly" aria-label={`Change ${i.name}`} onClick={() => setOpen(i.id)}>
                  change
                </button>
              </div>
            )}
          </li>
        ))}
      </ul>
    </>
  );
}

function InstructorForm({
  instructor,
  onSave,
  onClose,
}: {
  instructor?: Instructor;
  onSave: (body: Schemas["InstructorIn"]) => Promise<void>;
  onClose: () => void;
}) {
  const [form, setForm] = useState({
    name: instructor?.name ?? "",
    email: instructor?.email ?? "",
    phone: instructor?.phone ?? "",
    hours: instructor?.hours ?? [],
  });
  const [error, setError] = useState<unknown>(null);
  const faults = faultsOf(error);
  const set = (change: Partial<typeof form>) => setForm({ ...form, ...change });
  const hour = (n: number, change: Record<string, string>) =>
    set({ hours: form.hours.map((h, i) => (i === n ? { ...h, ...change } : h)) });
  return (
    <Form onSend={() => void onSave(form).catch(setError)} onClose={onClose} error={error}>
      <div className="row wrap">
        <Field
          label="Name of the instructor"
          width={230}
          value={form.name}
          onChange={(name) => set({ name })}
          fault={faults["/name"]}
          autoFocus
        />
        <Field
          label="Email"
          width={230}
          value={form.email}
          onChange={(email) => set({ email })}
          fault={faults["/email"]}
        />
        <Field
          label="Phone"
          width={150}
          value={form.phone}
          onChange={(phone) => set({ phone })}
          fault={faults["/phone"]}
        />
      </div>
      {form.hours.map((h, n) => (
        <div className="row wrap" key={n} style={{ marginTop: 10, alignItems: "flex-end" }}>
          <Choice
            label="Can teach on"
            tail={`, hours ${n + 1}`}
            width={130}
            value={h.weekday ?? "MO"}
            onChange={(weekday) => hour(n, { weekday })}
            options={DAYS.map((d, i) => ({ value: d, text: DAY_NAMES[i]! }))}
          />
          <Field
            label="from"
            tail={`, hours ${n + 1}`}
            type="time"
            width={120}
            value={h.from ?? ""}
            onChange={(from) => hour(n, { from })}
            fault={faults[`/hours/${n}`]}
          />
          <Field
            label="to"
            tail={`, hours ${n + 1}`}
            type="time"
            width={120}
            value={h.to ?? ""}
            onChange={(to) => hour(n, { to })}
          />
          <button
            type="button"
            className="plainly quiet"
            aria-label={`Take out hours ${n + 1}`}
            onClick={() => set({ hours: form.hours.filter((_, i) => i !== n) })}
          >
            take out
          </button>
        </div>
      ))}
      <p style={{ margin: "10px 0 0" }}>
        <button
          type="button"
          className="plainly"
          onClick={() => set({ hours: [...form.hours, { weekday: "MO", from: "17:00", to: "21:00" }] })}
        >
          {form.hours.length ? "More weekly hours" : "Weekly hours"}
        </button>
      </p>
    </Form>
  );
}

/** Absences of an instructor, or times at which a place is closed. */
function Busy({
  kind,
  owner,
  acts,
}: {
  kind: "place" | "instructor";
  owner: Place | Instructor;
  acts: Acts;
}) {
  const me = useMe();
  const queries = useQueryClient();
  const query = useQuery({
    queryKey: ["busy", kind, owner.id],
    queryFn: () =>
      ask(api.GET("/api/v1/busy/{kind}/{owner_id}", { params: { path: { kind, owner_id: owner.id } } })),
  });
  const [form, setForm] = useState({ from: me.today, through: "", start: "", end: "", label: "" });
  const [error, setError] = useState<unknown>(null);
  const faults = faultsOf(error);
  const word = kind === "place" ? "Closed" : "Away";
  const add = async () => {
    try {
      await ask(
        api.POST("/api/v1/busy/{kind}/{owner_id}", {
          params: { path: { kind, owner_id: owner.id } },
          body: Object.fromEntries(Object.entries(form).map(([k, v]) => [k, v || null])) as never,
        }),
      );
      setError(null);
      setForm({ from: me.today, through: "", start: "", end: "", label: "" });
      void queries.invalidateQueries();
    } catch (problem) {
      setError(problem);
    }
  };
  const remove = async (id: number) => {
    const done = await ask(api.DELETE("/api/v1/busy/{busy_id}", { params: { path: { busy_id: id } } }));
    acts.say({ text: "Taken out.", change: done.change });
  };
  const take = async (file: File | undefined) => {
    if (!file) return;
    const body = new FormData();
    body.append("file", file);
    const answer = await fetch(`/api/v1/busy/${kind}/${owner.id}/calendar`, { method: "POST", body });
    const said = (await answer.json()) as {
      detail?: string;
      added: number;
      replaced: number;
      change: string;
    };
    if (answer.ok)
      acts.say({
        text: `${said.added} times taken from ${file.name}${said.replaced ? `, ${said.replaced} replaced` : ""}.`,
        change: said.change,
      });
    else acts.fail(said.detail ?? "The calendar could not be read.");
    void queries.invalidateQueries();
  };
  return (
    <div className="inset">
      <h2>{word}</h2>
      <form
        className="row wrap"
        style={{ alignItems: "flex-end", marginTop: 8 }}
        onSubmit={(e) => {
          e.preventDefault();
          void add();
        }}
      >
        <Field
          label={`${word} from`}
          type="date"
          width={150}
          value={form.from}
          onChange={(from) => setForm({ ...form, from })}
          fault={faults["/from"]}
        />
        <Field
          label="through"
          type="date"
          width={150}
          value={form.through}
          onChange={(through) => setForm({ ...form, through })}
          fault={faults["/through"]}
        />
        <Field
          label="at"
          type="time"
          width={110}
          value={form.start}
          onChange={(start) => setForm({ ...form, start })}
          fault={faults["/start"]}
        />
        <Field
          label="until"
          type="time"
          width={110}
          value={form.end}
          onChange={(end) => setForm({ ...form, end })}
          fault={faults["/end"]}
        />
        <Field label="Why" width={150} value={form.label} onChange={(label) => setForm({ ...form, label })} />
        <Button type="submit">Add</Button>
        <label className="plainly">
          from a calendar file (.ics)
          <input
            type="file"
            className="sr"
            accept=".ics,text/calendar"
            onChange={(e) => void take(e.target.files?.[0])}
          />
        </label>
      </form>
      <ul className="ruled">
        {query.data?.map((b) => {
          const last = b.all_day ? addDays(b.end.slice(0, 10), -1) : b.end.slice(0, 10);
          const same = last === b.start.slice(0, 10);
          return (
            <li key={b.id} className="row mid" style={{ padding: "4px 0" }}>
              <span className="nowrap">
                {day(b.start)}
                {b.all_day
                  ? !same && ` through ${day(last)}`
                  : `, ${clock(b.start)} to ${same ? "" : `${day(last, false)}, `}${clock(b.end)}`}
              </span>
              <span className="grow">{b.label}</span>
              {b.source && <span className="slate">from {b.source}</span>}
              <button
                className="plainly quiet"
                aria-label={`Take out ${b.label} on ${day(b.start)}`}
                onClick={() => void remove(b.id)}
              >
                take out
              </button>
            </li>
          );
        })}
      </ul>
    </div>
  );
}

function ClosedDays({ acts }: { acts: Acts }) {
  const me = useMe();
  const queries = useQueryClient();
  const [params, setParams] = useSearchParams();
  const year = Number(params.get("year") ?? me.today.slice(0, 4)) || Number(me.today.slice(0, 4));
  const query = useQuery({
    queryKey: ["closures", year],
    queryFn: () => ask(api.GET("/api/v1/closures", { params: { query: { year } } })),
  });
  const [form, setForm] = useState({ from: "", through: "", label: "" });
  const [region, setRegion] = useState<string | null>(null);
  const [error, setError] = useState<unknown>(null);
  const faults = faultsOf(error);
  if (!query.data)
    return <NotYet title="Closed days" error={query.error} retry={() => void query.refetch()} />;
  const attempt = async (
    what: () => Promise<{ change?: string; meetings?: number } | unknown>,
    said: string,
  ) => {
    try {
      const done = (await what()) as { change?: string; meetings?: number };
      setError(null);
      acts.say({
        text: done.meetings ? `${said} ${done.meetings} meetings stand on it; see the clashes.` : said,
        change: done.change,
      });
      void queries.invalidateQueries();
    } catch (problem) {
      setError(problem);
      if (Object.keys(faultsOf(problem)).length === 0) acts.fail(messageOf(problem));
    }
  };
  return (
    <>
      <form
        className="row wrap"
        style={{ alignItems: "flex-end" }}
        onSubmit={(e) => {
          e.preventDefault();
          void attempt(async () => {
            const done = await ask(
              api.POST("/api/v1/closures", {
                body: { from: form.from || null, through: form.through || null, label: form.label } as never,
              }),
            );
            setForm({ from: "", through: "", label: "" });
            return done;
          }, "Closed.");
        }}
      >
        <Field
          label="Close from"
          type="date"
          width={160}
          value={form.from}
          onChange={(from) => setForm({ ...form, from })}
          fault={faults["/from"]}
        />
        <Field
          label="through"
          type="date"
          width={160}
          value={form.through}
          onChange={(through) => setForm({ ...form, through })}
          fault={faults["/through"]}
        />
        <Field
          label="What it is"
          width={200}
          value={form.label}
          onChange={(label) => setForm({ ...form, label })}
        />
        <Button type="submit">Close these days</Button>
      </form>
      <form
        className="row wrap"
        style={{ alignItems: "flex-end", margin: "12px 0" }}
        onSubmit={(e) => {
          e.preventDefault();
          void attempt(
            () => ask(api.PUT("/api/v1/closures/region", { body: { region: region ?? query.data.region } })),
            "The region is set.",
          );
        }}
      >
        <Field
          label="Public holidays of"
          width={160}
          value={region ?? query.data.region}
          onChange={setRegion}
          fault={faults["/region"]}
          help="US, US-NY, GB-ENG, DE-BY …"
        />
        {region !== null && region !== query.data.region && <Button type="submit">Take these</Button>}
        <div className="row mid" style={{ paddingBottom: 22 }}>
          <Button onClick={() => setParams({ tab: "days", year: String(year - 1) })}>{year - 1}</Button>
          <strong>{year}</strong>
          <Button onClick={() => setParams({ tab: "days", year: String(year + 1) })}>{year + 1}</Button>
        </div>
      </form>
      <ul className="ruled">
        {query.data.days.map((d) => (
          <li key={d.day} className="row mid" style={{ padding: "5px 0" }}>
            <span className="nowrap when">{day(d.day)}</span>
            <span className="grow">
              <span className={d.closed ? "" : "slate"}>{d.label}</span>{" "}
              {d.public && <span className="slate">public holiday</span>}
              {!d.closed && <span className="ochre"> taught all the same</span>}
            </span>
            <button
              className="plainly quiet"
              aria-label={`${d.closed ? (d.public ? "teach all the same" : "open it") : "close it"}: ${day(d.day)}`}
              onClick={() =>
                void attempt(
                  () =>
                    ask(
                      api.PUT("/api/v1/closures/{day}", {
                        params: { path: { day: d.day } },
                        body: { closed: !d.closed },
                      }),
                    ),
                  d.closed ? `${day(d.day)} is taught on.` : `${day(d.day)} is closed.`,
                )
              }
            >
              {d.closed ? (d.public ? "teach all the same" : "open it") : "close it"}
            </button>
          </li>
        ))}
        {query.data.days.length === 0 && <li className="empty">No closed day in {year}.</li>}
      </ul>
    </>
  );
}
