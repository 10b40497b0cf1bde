import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useState } from "react";

import { $api, api, ask, keyHeader, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Row, Ruled } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { RowMenu } from "../../parts/RowMenu";
import { count } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Cell, Empty, Name, T } from "../../parts/words";
import { useInAddress } from "../../parts/useInAddress";

type Category = Schemas["CategoryOut"];
type Acts = ReturnType<typeof useDone>;

/** The courses of the center as the public finds them, or does not yet; sorted in the tree that the public browses. */
export default function CatalogPage() {
  const acts = useDone();
  const [params, put] = useInAddress();
  const lines = $api.useQuery("get", "/api/v1/catalog-lines");
  const tree = $api.useQuery("get", "/api/v1/categories");
  if (!lines.data || !tree.data)
    return <NotYet title="Catalog" error={lines.error ?? tree.error} retry={() => void lines.refetch()} />;
  const words = params.get("q") ?? "";
  const only = params.get("only") ?? "";
  const at = Number(params.get("category")) || null;
  const inside = at === null ? null : within(tree.data, at);
  const shown = lines.data.filter(
    (c) =>
      (inside === null || (c.category_id !== null && inside.has(c.category_id))) &&
      `${c.title} ${c.code}`.toLowerCase().includes(words.toLowerCase()) &&
      (only === "" ||
        (only === "public" && c.public) ||
        (only === "not public" && !c.public) ||
        (only === "waits" && c.pending)),
  );
  const paths = new Map(tree.data.map((c) => [c.id, c.path.join(" / ")]));
  return (
    <Page
      title="Catalog"
      margin={
        <>
          <ActNotes acts={acts} />
          <Tree
            tree={tree.data}
            at={at}
            onPick={(id) => put({ category: id ? String(id) : "" })}
            acts={acts}
          />
        </>
      }
    >
      <Row between mid>
        <h1>Catalog</h1>
        <a href="/catalog" target="_blank" rel="noreferrer">
          As the public sees it
        </a>
      </Row>
      <Row wrap end>
        <Field label="Words" width={240} value={words} onChange={(text) => put({ q: text })} />
        <Choice
          label="Public page"
          width={200}
          value={only}
          onChange={(value) => put({ only: value })}
          options={[
            { value: "", text: "all courses" },
            { value: "public", text: "public" },
            { value: "not public", text: "not public" },
            { value: "waits", text: "changes wait" },
          ]}
        />
        <T tone="slate">
          {count(shown.length, "course")}
          {at !== null ? ` in ${paths.get(at)}` : ""}
        </T>
      </Row>
      {shown.length === 0 ? (
        <Empty>No course fits. A course is made with its first run, in the planner.</Empty>
      ) : (
        <Table sx={{ marginTop: 12 }}>
          <TableHead>
            <TableRow>
              <Cell>Course</Cell>
              <Cell>Code</Cell>
              <Cell>Category</Cell>
              <Cell>Public page</Cell>
              <Cell right>Runs ahead</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {shown.map((c) => (
              <TableRow key={c.id}>
                <Cell>
                  <Name to={`/courses/${c.id}`} strong>
                    {c.title}
                  </Name>
                  {c.promoted && <T tone="slate"> first in the list</T>}
                </Cell>
                <Cell>{c.code}</Cell>
                <Cell>{c.category_id !== null ? paths.get(c.category_id) : <T tone="slate">none</T>}</Cell>
                <Cell>
                  {!c.public ? (
                    <T tone="slate">not public</T>
                  ) : c.pending ? (
                    <T tone="ochre">public, changes wait</T>
                  ) : (
                    "public"
                  )}
                </Cell>
                <Cell right>{c.runs}</Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
    </Page>
  );
}

/** A category and all below it. */
function within(tree: Category[], id: number): Set<number> {
  const found = new Set([id]);
  for (const c of tree) if (c.parent_id !== null && found.has(c.parent_id)) found.add(c.id);
  return found;
}

type Doing = { act: "make" | "rename" | "merge"; of: Category | null } | null;

/** The tree of categories: picked to narrow the list, and changed here. */
function Tree({
  tree,
  at,
  onPick,
  acts,
}: {
  tree: Category[];
  at: number | null;
  onPick: (id: number | null) => void;
  acts: Acts;
}) {
  const [doing, setDoing] = useState<Doing>(null);
  const done = (text: string) => (answer: Schemas["CategoriesChanged"]) => {
    setDoing(null);
    acts.say({ text, change: answer.change });
  };
  const removing = useAct({
    send: (id: number) =>
      ask(api.DELETE("/api/v1/categories/{category_id}", { params: { path: { category_id: id } } })),
    done: done("The category is taken out."),
    failed: acts.fail,
  });
  const rising = useAct({
    send: (id: number) =>
      ask(api.POST("/api/v1/categories/{category_id}/up", { params: { path: { category_id: id } } })),
    done: done("The category is one place up."),
    failed: acts.fail,
  });
  return (
    <section>
      <h2>Categories</h2>
      {tree.length === 0 && <Empty>None yet. Courses are sorted in a tree that the public browses.</Empty>}
      <Ruled>
        {tree.map((c) => (
          <Row as="li" key={c.id} mid between>
            <Button
              variant="text"
              aria-pressed={at === c.id}
              onClick={() => onPick(at === c.id ? null : c.id)}
              sx={{
                marginLeft: `${c.depth * 16}px`,
                paddingLeft: 0,
                fontWeight: at === c.id ? 700 : 400,
                textAlign: "left",
              }}
            >
              {c.name}
            </Button>
            <Row mid>
              <T tone="slate" title={`${c.courses} filed here, ${c.public} public here and below`}>
                {c.public === 0 ? `${c.courses}, none public` : c.public}
              </T>
              <RowMenu
                of={c.name}
                acts={[
                  { text: "A category below it", do: () => setDoing({ act: "make", of: c }) },
                  { text: "Rename or move it", do: () => setDoing({ act: "rename", of: c }) },
                  { text: "One place up", do: () => void rising.act(c.id) },
                  { text: "Merge it into another", do: () => setDoing({ act: "merge", of: c }) },
                  { text: "Take it out", do: () => void removing.act(c.id) },
                ]}
              />
            </Row>
          </Row>
        ))}
      </Ruled>
      {doing === null ? (
        <Button variant="text" onClick={() => setDoing({ act: "make", of: null })}>
          A new category
        </Button>
      ) : (
        <Change
          key={`${doing.act}${doing.of?.id}`}
          doing={doing}
          tree={tree}
          onLeave={() => setDoing(null)}
          done={done}
        />
      )}
    </section>
  );
}

/** A category made, renamed, moved or merged: what it is called, and what it stands below. */
function Change({
  doing,
  tree,
  onLeave,
  done,
}: {
  doing: NonNullable<Doing>;
  tree: Category[];
  onLeave: () => void;
  done: (text: string) => (answer: Schemas["CategoriesChanged"]) => void;
}) {
  const { act, of: category } = doing;
  const start = {
    name: act === "rename" ? (category?.name ?? "") : "",
    other: String((act === "make" ? category?.id : act === "rename" ? category?.parent_id : "") ?? ""),
  };
  const of = useServerForm({
    draft: null,
    start,
    send: ({ name, other }, key): Promise<Schemas["CategoriesChanged"]> => {
      const body = { name, parent_id: other ? Number(other) : null };
      const header = keyHeader(key);
      if (act === "make") return ask(api.POST("/api/v1/categories", { params: { header }, body }));
      const path = { category_id: category!.id };
      if (act === "rename")
        return ask(api.PUT("/api/v1/categories/{category_id}", { params: { path }, body }));
      return ask(
        api.POST("/api/v1/categories/{category_id}/merge", {
          params: { path, header },
          body: { into_id: Number(other) },
        }),
      );
    },
    done: done(
      act === "make"
        ? "The category is made."
        : act === "rename"
          ? "The category is changed."
          : "The two are one.",
    ),
  });
  const others = tree.filter((c) => act === "make" || c.id !== category?.id);
  return (
    <Form of={of} look="inset" onLeave={onLeave} label="A category">
      {act === "merge" ? (
        <p>
          All of {category?.name} goes into the other, and {category?.name} ends.
        </p>
      ) : (
        <Field label="Name" width="100%" autoFocus {...of.field("name")} />
      )}
      <Choice
        label={act === "merge" ? "Into" : "Below"}
        width="100%"
        value={of.values.other}
        onChange={(other) => of.set({ other })}
        options={[
          { value: "", text: act === "merge" ? "" : "nothing, at the top" },
          ...others.map((c) => ({ value: String(c.id), text: c.path.join(" / ") })),
        ]}
        fault={of.faults["/parent_id"] ?? of.faults["/into_id"]}
      />
      <Ends
        of={of}
        act={act === "merge" ? "Merge" : "Save"}
        onLeave={onLeave}
        disabled={act === "merge" && !of.values.other}
      />
    </Form>
  );
}
