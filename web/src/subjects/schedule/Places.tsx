import { $api, api, ask, asTyped, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { Grow, Row } from "../../parts/layout";
import { NotYet } from "../../parts/Page";
import { T } from "../../parts/words";
import { type Acts, KeptForm, KeptList } from "./Kept";

type Place = Schemas["PlaceOut"];

/** Rooms, places outdoors, and online ones. */
export function Places({ acts }: { acts: Acts }) {
  const query = $api.useQuery("get", "/api/v1/places");
  if (!query.data) return <NotYet title="Places" error={query.error} retry={() => void query.refetch()} />;
  return (
    <KeptList
      items={query.data}
      acts={acts}
      form={(place, close, saved) => <PlaceForm place={place} onSaved={saved} onClose={close} />}
      line={(p) => (
        <>
          <Grow as="span">
            <strong>{p.name}</strong>{" "}
            <T tone="slate">
              {p.kind}
              {p.active ? "" : ", no longer used"}
            </T>
            <T tone="slate" as="div">
              {[p.facts, p.address && `${p.address}${p.address_public ? "" : " (kept private)"}`]
                .filter(Boolean)
                .join("; ")}
            </T>
          </Grow>
          <span>{p.seats === null ? <T tone="slate">seats not given</T> : `${p.seats} seats`}</span>
          {p.map_link && <a href={p.map_link}>map</a>}
        </>
      )}
    />
  );
}

function PlaceForm({
  place,
  onSaved,
  onClose,
}: {
  place?: Place;
  onSaved: (name: string) => void;
  onClose: () => void;
}) {
  const me = useMe();
  const start = {
    name: place?.name ?? "",
    kind: place?.kind ?? "room",
    seats: place?.seats?.toString() ?? "",
    facts: place?.facts ?? "",
    address: place?.address ?? "",
    address_public: place?.address_public ?? true,
    map_link: place?.map_link ?? "",
    time_zone: place?.time_zone ?? me.time_zone,
    active: place?.active ?? true,
  };
  const of = useServerForm({
    draft: `place-${place?.id ?? "new"}`,
    start,
    send: (form) => {
      const seats = form.seats.trim();
      const body = asTyped<"PlaceCommand">({
        ...form,
        seats: seats === "" ? null : /^\d+$/.test(seats) ? Number(seats) : seats,
      });
      return ask(
        place
          ? api.PATCH("/api/v1/places/{place_id}", { params: { path: { place_id: place.id } }, body })
          : api.POST("/api/v1/places", { body }),
      );
    },
    done: (saved) => onSaved(saved.name),
  });
  const { values: form, set, faults } = of;
  const close = () => {
    of.forget();
    onClose();
  };
  return (
    <KeptForm of={of} onClose={close}>
      <Row wrap>
        <Field label="Name of the place" width={230} {...of.field("name")} autoFocus />
        <Choice
          label="Kind"
          width={130}
          value={form.kind}
          onChange={(kind) => set({ kind: kind as Schemas["PlaceKind"] })}
          fault={faults["/kind"]}
          options={["room", "outdoors", "online"].map((v) => ({ value: v, text: v }))}
        />
        <Field label="Seats" width={90} {...of.field("seats")} />
        <Field label="What it has" {...of.field("facts")} />
      </Row>
      <Row wrap sx={{ marginTop: 10 }}>
        <Field label="Address" {...of.field("address")} />
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
        <Field label="Map link" width={190} {...of.field("map_link")} />
        <Field label="Time zone" width={170} {...of.field("time_zone")} />
      </Row>
      {place && (
        <Tick checked={!form.active} onChange={(on) => set({ active: !on })}>
          no longer used
        </Tick>
      )}
    </KeptForm>
  );
}
