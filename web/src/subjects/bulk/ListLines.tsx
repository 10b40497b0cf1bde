import Button from "@mui/material/Button";
import { useCallback, useEffect, useMemo, useState } from "react";
import { useQueryClient } from "@tanstack/react-query";

import { $api, type Schemas } from "../../app/server";
import { useKept, useSettled } from "../../app/session";
import { Field } from "../../form/Field";
import { Views } from "../../form/Views";
import { useAct } from "../../form/useAct";
import { Loading, Row } from "../../parts/layout";
import { type Column, LongTable } from "../../parts/LongTable";
import { RowMenu } from "../../parts/RowMenu";
import { isZero, money, whole } from "../../parts/text";
import { Name, NoteLine, T, type Tone } from "../../parts/words";
import { type Batch, became, type Item } from "./batch";
import { Fix, WhoIsMeant } from "./ListLine";

const TONE: Record<string, { tone?: Tone; strong?: boolean }> = {
  "will enroll": { strong: true },
  enrolled: { strong: true },
  "will wait": { tone: "ochre", strong: true },
  waiting: { tone: "ochre", strong: true },
  "already in": { tone: "slate" },
  "was in already": { tone: "slate" },
  "left out": { tone: "slate" },
  "taken back": { tone: "slate" },
  "unsure who": { tone: "ochre", strong: true },
  "needs fixing": { tone: "brick", strong: true },
  "not enrolled": { tone: "brick", strong: true },
};

export type OnLine = {
  fix: (line: number, body: Schemas["RowFixForm"]) => Promise<void>;
  takeBack: (which: { lines?: number[]; only?: string; q?: string }) => void;
  failed: (message: string) => void;
};

/** The lines of a list with what becomes of each: filtered, found by name, page by page. */
export function ListLines({
  batch,
  only,
  onOnly,
  on,
}: {
  batch: Batch;
  only: string;
  onOnly: (only: string) => void;
  on: OnLine;
}) {
  const [typed, setTyped] = useKept(`list-find-${batch.id}`, "");
  const q = useSettled(typed.trim(), 200);
  const kind = only.startsWith("kind:") ? only.slice(5) : "";
  return (
    <>
      <Row wrap mid sx={{ margin: "12px 0 6px" }}>
        <Views
          label="Which lines"
          value={only}
          options={[
            { value: "", text: `all lines (${whole(batch.lines)})` },
            ...Object.entries(batch.counts).map(([name, n]) => ({
              value: name,
              text: `${name} (${whole(n)})`,
            })),
            ...(batch.odd > 0 ? [{ value: "odd", text: `odd, but fine (${batch.odd})` }] : []),
            ...(kind ? [{ value: only, text: kind }] : []),
          ]}
          onChange={onOnly}
        />
        <Field
          label="Find a line by name"
          unseen
          placeholder="Find by name"
          width={150}
          value={typed}
          onChange={setTyped}
        />
      </Row>
      <Lines key={`${only}/${q}`} batch={batch} only={only} q={q} on={on} />
    </>
  );
}

/** The first page comes with the list itself. */
function usePages(batch: Batch, only: string, q: string) {
  const queries = useQueryClient();
  const [further, setFurther] = useState(false);
  const first = only === "" && q === "";
  const begun = !first || further;
  const later = $api.useInfiniteQuery(
    "get",
    "/api/v1/batches/{batch_id}/rows",
    { params: { path: { batch_id: batch.id }, query: { only, q } } },
    {
      pageParamName: "after",
      initialPageParam: first ? (batch.next ?? 0) : 0,
      getNextPageParam: (last) => last.next ?? undefined,
      enabled: begun,
    },
  );
  const counts = JSON.stringify(batch.counts);
  useEffect(() => {
    void queries.invalidateQueries({ queryKey: ["get", "/api/v1/batches/{batch_id}/rows"] });
  }, [counts, queries]);
  const rows = useMemo(
    () => [...(first ? batch.items : []), ...(later.data?.pages.flatMap((p) => p.items) ?? [])],
    [first, batch.items, later.data],
  );
  return {
    rows,
    waits: !first && later.data === undefined,
    pages: {
      total: first ? batch.shown : (later.data?.pages[0]?.total ?? 0),
      more: begun ? later.data === undefined || later.hasNextPage : batch.next !== null,
      busy: later.isFetching,
      next: () => (begun ? void later.fetchNextPage() : setFurther(true)),
    },
  };
}

function Lines({ batch, only, q, on }: { batch: Batch; only: string; q: string; on: OnLine }) {
  const judged = batch.status === "judged";
  const verdicts = judged || batch.status === "judging";
  const canTakeBack = batch.status === "enrolled" || batch.status === "stopped";
  const [open, setOpen] = useKept<number | null>(`list-open-${batch.id}`, null);
  const { rows, waits, pages } = usePages(batch, only, q);
  const pick = useAct({
    send: ({ line, body }: { line: number; body: Schemas["RowFixForm"] }) => on.fix(line, body),
    done: () => undefined,
    failed: on.failed,
  });
  const fixed = pick.act;
  const verdict = useCallback(
    (i: Item) => (
      <Verdict
        item={i}
        can={judged && i.outcome === null}
        onPick={(body) => void fixed({ line: i.line, body })}
      />
    ),
    [judged, fixed],
  );
  const acts = useCallback(
    (i: Item) => (
      <LineActs
        item={i}
        can={judged && i.outcome === null}
        canTakeBack={canTakeBack}
        open={open === i.line}
        onOpen={() => setOpen(i.line)}
        onPick={(body) => void fixed({ line: i.line, body })}
        onTakeBack={() => on.takeBack({ lines: [i.line] })}
      />
    ),
    [judged, canTakeBack, open, setOpen, fixed, on],
  );
  const columns = useMemo<Column<Item>[]>(
    () => [
      { key: "line", label: "Line", right: true, cell: (i) => <T tone="slate">{i.line}</T> },
      { key: "name", label: "Name", cell: (i) => <Whose item={i} /> },
      {
        key: "email",
        label: "Email",
        cell: (i) =>
          i.email ? (
            <T as="div" cut title={i.email} sx={{ maxWidth: 196 }}>
              {i.email}
            </T>
          ) : (
            <T tone="slate">{i.phone}</T>
          ),
      },
      ...(batch.numbered ? [{ key: "number", label: "Number", cell: (i: Item) => i.number }] : []),
      ...(batch.run_id === null || batch.runs.length > 1
        ? [{ key: "run", label: "Run", cell: (i: Item) => i.run }]
        : []),
      { key: "rate", label: "Rate", cell: (i) => i.rate },
      { key: "party", label: "Party", right: true, cell: (i) => i.party || "" },
      {
        key: "fee",
        label: "Fee",
        right: true,
        cell: (i) => i.currency !== "" && !isZero(i.total) && money(i.total, i.currency),
      },
      {
        key: "verdict",
        label: verdicts ? "Verdict" : "What became of it",
        cell: verdict,
      },
      ...(judged || canTakeBack
        ? [{ key: "acts", label: "What can be done", unseen: true, right: true, cell: acts }]
        : []),
    ],
    [batch.numbered, batch.run_id, batch.runs.length, judged, verdicts, canTakeBack, verdict, acts],
  );
  if (waits) return <Loading rows={6} />;
  return (
    <>
      {canTakeBack && (only || q) && pages.total > 1 && (
        <Button variant="text" color="secondary" onClick={() => on.takeBack({ only, q })}>
          Take back what these {pages.total} lines did
        </Button>
      )}
      <LongTable
        label="Every line of the list with what becomes of it"
        rows={rows}
        columns={columns}
        rowKey={(i) => String(i.line)}
        below={(i) =>
          judged && i.outcome === null ? (
            open === i.line ? (
              <Fix
                batch={batch}
                item={i}
                onSave={(body) => on.fix(i.line, body)}
                onClose={() => setOpen(null)}
              />
            ) : (
              i.near.length > 0 && (
                <WhoIsMeant item={i} onPick={(body) => void fixed({ line: i.line, body })} />
              )
            )
          ) : null
        }
        pages={pages}
      />
    </>
  );
}

/** What becomes of a line and why; who may be meant, and what probably is. */
function Verdict({
  item,
  can,
  onPick,
}: {
  item: Item;
  can: boolean;
  onPick: (body: Schemas["RowFixForm"]) => void;
}) {
  return (
    <>
      <T {...TONE[became(item)]}>{became(item)}</T>{" "}
      <T tone="slate" sx={{ overflowWrap: "anywhere" }}>
        {item.why}
      </T>
      {item.odd.map((o) => (
        <T tone="ochre" as="div" key={o}>
          {o}
        </T>
      ))}{" "}
      {can && item.suggested && (
        <Button
          variant="text"
          aria-label={`Line ${item.line}: take “${item.suggested}”`}
          sx={{ whiteSpace: "normal", overflowWrap: "anywhere", textAlign: "left" }}
          onClick={() => onPick({ [item.fact]: item.suggested })}
        >
          take “{item.suggested}”
        </Button>
      )}
    </>
  );
}

/** What can be done with a line: the most used beside it, the rest in its menu. */
function LineActs({
  item,
  can,
  canTakeBack,
  open,
  onOpen,
  onPick,
  onTakeBack,
}: {
  item: Item;
  can: boolean;
  canTakeBack: boolean;
  open: boolean;
  onOpen: () => void;
  onPick: (body: Schemas["RowFixForm"]) => void;
  onTakeBack: () => void;
}) {
  if (canTakeBack && (item.outcome === "enrolled" || item.outcome === "waiting"))
    return (
      <Button
        variant="text"
        color="secondary"
        aria-label={`Take back line ${item.line}`}
        onClick={onTakeBack}
      >
        take back
      </Button>
    );
  if (!can || item.verdict === "already in") return null;
  if (item.verdict === "left out")
    return (
      item.fixed && (
        <Button
          variant="text"
          aria-label={`Line ${item.line}: take in again`}
          onClick={() => onPick({ left_out: "" })}
        >
          take in again
        </Button>
      )
    );
  return (
    <T nowrap>
      {!open && (
        <Button variant="text" aria-label={`Correct line ${item.line}`} onClick={onOpen}>
          correct
        </Button>
      )}
      <RowMenu
        of={`line ${item.line}`}
        acts={[
          { text: "leave out", do: () => onPick({ left_out: "yes" }) },
          { text: "add as somebody new", do: () => onPick({ somebody_new: "yes" }) },
          ...(item.fixed ? [{ text: "as in the list", do: () => onPick({}) }] : []),
        ]}
      />
    </T>
  );
}

function Whose({ item }: { item: Item }) {
  return (
    <>
      {item.person_id ? (
        <Name strong to={`/people/${item.person_id}`}>
          {item.name}
        </Name>
      ) : (
        <T strong nowrap>
          {item.name || <T tone="slate">no name</T>}
        </T>
      )}
      {item.remarks && <NoteLine tone="slate">{item.remarks}</NoteLine>}
    </>
  );
}
