import OutlinedInput from "@mui/material/OutlinedInput";
import { styled } from "@mui/material/styles";
import { keepPreviousData } from "@tanstack/react-query";
import { type RefObject, useEffect, useId, useRef, useState } from "react";
import { useNavigate } from "react-router";

import { Grow, Option } from "../parts/layout";
import { decisionText, seatsText, spanText, stateText } from "../parts/RunFacts";
import { T } from "../parts/words";
import { ink } from "../theme/palette";
import { actsFor } from "./acts";
import { $api, messageOf, type Schemas } from "./server";
import { useSettled } from "./session";

const FindBox = styled("div")({ position: "relative", width: 252, marginLeft: 22 });
const Hits = styled("ul")({
  position: "absolute",
  zIndex: 20,
  top: 38,
  left: 0,
  width: 560,
  maxHeight: "70vh",
  overflow: "auto",
  margin: 0,
  padding: 0,
  listStyle: "none",
  background: ink.sheet,
  border: `1px solid ${ink.ink}`,
  boxShadow: "0 6px 24px rgb(0 0 0 / 18%)",
  "& > li": { display: "flex", gap: 10 },
  "& .kind": { width: 58, flex: "none" },
});

type Hit = { key: string; kind: string; title: string; more: string; to: string };

const KINDS: Record<Schemas["FoundKind"], string> = {
  organization: "Payers",
  paper: "Papers",
  place: "Places",
  instructor: "Teachers",
  code: "Codes",
};

/** Where something that was found leads. */
export function placeOf(thing: Pick<Schemas["FoundThing"], "kind" | "account_id" | "id">): string {
  if (thing.kind === "organization") return `/organizations/${thing.id}`;
  if (thing.account_id !== null) return `/accounts/${thing.account_id}`;
  if (thing.kind === "place") return `/places?tab=places&at=${thing.id}`;
  if (thing.kind === "instructor") return `/teaching/${thing.id}`;
  return thing.kind === "code" ? `/money/codes?at=${thing.id}` : "/money";
}

/** Everything that was found and everything there is to do, in the order in which it is shown. */
function hitsOf(found: Schemas["Found"], q: string): Hit[] {
  return [
    ...found.runs.map((r) => ({
      key: `r${r.id}`,
      kind: "Runs",
      title: r.title,
      more: `${r.code}, ${spanText(r)}, ${[seatsText(r), stateText(r), decisionText(r)].filter(Boolean).join(", ")}`,
      to: `/runs/${r.id}`,
    })),
    ...found.people.map((p) => ({
      key: `p${p.id}`,
      kind: "People",
      title: p.name,
      more: [p.email, p.phone].filter(Boolean).join(", "),
      to: `/people/${p.id}`,
    })),
    ...found.courses.map((c) => ({
      key: `c${c.id}`,
      kind: "Courses",
      title: c.title,
      more: `${c.code}, with all its runs`,
      to: `/courses/${c.id}`,
    })),
    ...found.others.map((o) => ({
      key: `${o.kind}${o.id}`,
      kind: KINDS[o.kind],
      title: o.title,
      more: o.more,
      to: placeOf(o),
    })),
    ...actsFor(q).map((a) => ({ key: a.title, kind: "Do", title: a.title, more: "", to: a.to })),
  ];
}

/** F2 brings the focus here from anywhere; what is given back is where it came from. */
function useF2(input: RefObject<HTMLInputElement | null>) {
  const back = useRef<HTMLElement | null>(null);
  useEffect(() => {
    const keys = (e: KeyboardEvent) => {
      if (e.key !== "F2") return;
      e.preventDefault();
      if (document.activeElement instanceof HTMLElement && document.activeElement !== input.current)
        back.current = document.activeElement;
      input.current?.focus();
      input.current?.select();
    };
    window.addEventListener("keydown", keys);
    return () => window.removeEventListener("keydown", keys);
  }, [input]);
  return back;
}

/** One field that finds everything that has a name, and does acts; F2 from anywhere. */
export function Find({ onAct }: { onAct: (act: string) => void }) {
  const id = useId();
  const go = useNavigate();
  const input = useRef<HTMLInputElement>(null);
  const [typed, setTyped] = useState("");
  const [open, setOpen] = useState(false);
  const [at, setAt] = useState(0);
  const back = useF2(input);
  const q = useSettled(typed.trim(), 120);
  const found = $api.useQuery(
    "get",
    "/api/v1/find",
    { params: { query: { q } } },
    { enabled: open, placeholderData: keepPreviousData },
  );
  const hits = open && found.data ? hitsOf(found.data, q) : [];
  const cursor = Math.min(at, Math.max(0, hits.length - 1));
  // Enter waits for the answer to what is typed now; a fast hand must not pick from an older list.
  const fresh = q === typed.trim() && found.data !== undefined && !found.isPlaceholderData;
  const [entered, setEntered] = useState(false);
  const close = () => {
    setOpen(false);
    setTyped("");
    setAt(0);
  };
  const pick = (hit: Hit) => {
    close();
    input.current?.blur();
    if (hit.to.startsWith("act:")) onAct(hit.to.slice(4));
    else void go(hit.to);
  };
  const chosen = hits[cursor];
  useEffect(() => {
    if (!entered || !fresh) return;
    setEntered(false);
    if (chosen) pick(chosen);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [entered, fresh]);
  return (
    <FindBox role="search">
      <OutlinedInput
        fullWidth
        inputRef={input}
        value={typed}
        placeholder="Find or do"
        endAdornment={<kbd aria-hidden="true">F2</kbd>}
        sx={{ height: 32, paddingRight: 8, backgroundColor: ink.paper }}
        inputProps={{
          role: "combobox",
          "aria-label": "Find or do",
          "aria-expanded": hits.length > 0,
          "aria-controls": `${id}-hits`,
          "aria-activedescendant": hits[cursor] ? `${id}-${cursor}` : undefined,
          autoComplete: "off",
        }}
        onFocus={() => setOpen(true)}
        onBlur={() => setOpen(false)}
        onChange={(e) => {
          setTyped(e.target.value);
          setEntered(false);
          setAt(0);
          setOpen(true);
        }}
        onKeyDown={(e) => {
          if (e.key === "ArrowDown") setAt(Math.min(cursor + 1, hits.length - 1));
          else if (e.key === "ArrowUp") setAt(Math.max(cursor - 1, 0));
          else if (e.key === "Enter") setEntered(true);
          else if (e.key === "Escape") {
            setOpen(false);
            back.current?.focus();
          } else return;
          e.preventDefault();
        }}
      />
      <Hits
        id={`${id}-hits`}
        role="listbox"
        aria-label="Found"
        hidden={!open || (!found.data && !q && !found.error)}
      >
        {hits.map((h, i) => (
          <HitLine
            key={h.key}
            id={`${id}-${i}`}
            hit={h}
            first={hits[i - 1]?.kind !== h.kind}
            here={i === cursor}
            onPick={() => pick(h)}
          />
        ))}
        {open && Boolean(found.error) && (
          <Option role="option" aria-selected="false" aria-disabled="true">
            <T tone="brick">{messageOf(found.error)}</T>
          </Option>
        )}
        {open && q && found.data && !found.error && hits.length === 0 && (
          <Option role="option" aria-selected="false" aria-disabled="true">
            <T tone="slate">Nothing fits “{q}”.</T>
          </Option>
        )}
      </Hits>
    </FindBox>
  );
}

function HitLine({
  id,
  hit,
  first,
  here,
  onPick,
}: {
  id: string;
  hit: Hit;
  first: boolean;
  here: boolean;
  onPick: () => void;
}) {
  return (
    // The field keeps the focus and moves through the list; the mouse picks directly.
    <Option
      id={id}
      role="option"
      aria-selected={here}
      onMouseDown={(e) => e.preventDefault()}
      onClick={onPick}
    >
      <T tone="slate" className="kind">
        {first ? hit.kind : ""}
      </T>
      <Grow as="span">
        <strong>{hit.title}</strong> <T tone="slate">{hit.more}</T>
      </Grow>
    </Option>
  );
}
