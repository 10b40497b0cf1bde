/** The rows of a roster as the screen filters, sorts and names them; whole rosters are in the browser. */

export type RosterRow = {
  id: number;
  person_id: number;
  name: string;
  email: string | null;
  phone: string | null;
  way_in: string;
  batch: number | null;
  rate: string;
  payer: string | null;
  total: string;
  owed: string;
  next_due: string | null;
  next_amount: string | null;
  signed_up: string;
  entered_by: string;
  heads: number;
  places: { n: number; person_id: number | null; name: string | null }[];
  note: string;
  role: string;
  group: number | null;
  held_until: string | null;
  set_aside: number | null;
  received_on: string | null;
  exception: string;
  answers: Record<string, string>;
  sentence: number | null;
};

export type Filters = { q: string; way: string; rate: string; money: string; group: string; role: string };
export const MONEY: [string, string][] = [
  ["owes", "owes something"],
  ["late", "is late"],
  ["paid", "has paid all"],
  ["held", "held for payment"],
];
export const SORTS: [string, string][] = [
  ["", "by seat"],
  ["name", "by name"],
  ["signed", "newest first"],
  ["owed", "what is owed"],
];

export const plain = (text: string) => text.normalize("NFKD").replace(/\p{M}/gu, "").toLowerCase();

const byName = new Intl.Collator("en", { sensitivity: "base" });
const known = new WeakMap<RosterRow, string>();

/** What a row is found by: names, email, phone, payer, note and answers. */
function words(row: RosterRow): string {
  let held = known.get(row);
  if (held === undefined) known.set(row, (held = wordsOf(row)));
  return held;
}

function wordsOf(row: RosterRow): string {
  const heads = row.places.map((p) => p.name ?? "").join(" ");
  const said = Object.values(row.answers).join(" ");
  return plain(
    `${row.name} ${heads} ${row.email ?? ""} ${row.phone ?? ""} ${row.payer ?? ""} ${row.note} ${row.exception} ${said}`,
  );
}

/** The first rate of a row, without what goes with it. */
export function rateOf(row: RosterRow): string {
  return (row.rate.split(";")[0] ?? "").replace(", early", "");
}

function fits(row: RosterRow, f: Filters, today: string): boolean {
  const owes = Number(row.owed) > 0;
  return (
    (!f.q || words(row).includes(f.q)) &&
    (!f.way || row.way_in === f.way) &&
    (!f.rate || rateOf(row) === f.rate) &&
    (!f.role || row.role === f.role) &&
    (!f.group || String(row.group ?? "none") === f.group) &&
    (!f.money ||
      (f.money === "owes" && owes) ||
      (f.money === "late" && owes && row.next_due !== null && row.next_due < today) ||
      (f.money === "paid" && !owes && row.role === "learner") ||
      (f.money === "held" && row.held_until !== null))
  );
}

export function shownRows(rows: RosterRow[], filters: Filters, sort: string, today: string): RosterRow[] {
  const f = { ...filters, q: plain(filters.q.trim()) };
  const found = rows.filter((r) => fits(r, f, today));
  if (sort === "name") return [...found].sort((a, b) => byName.compare(a.name, b.name));
  if (sort === "signed") return [...found].reverse();
  if (sort === "owed") return [...found].sort((a, b) => Number(b.owed) - Number(a.owed));
  return found;
}

/** The number of the first seat of each sign-up; who is no learner has none. */
export function firstSeats(rows: RosterRow[]): Map<number, number> {
  const seats = new Map<number, number>();
  let next = 1;
  for (const row of rows) {
    if (row.role !== "learner") continue;
    seats.set(row.id, next);
    next += row.heads;
  }
  return seats;
}

/** "3" or "3 to 5". */
export function seatNumbers(first: number | undefined, heads: number): string {
  if (first === undefined) return "";
  return heads > 1 ? `${first}–${first + heads - 1}` : String(first);
}
