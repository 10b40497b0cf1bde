/** How dates, times and money are written everywhere. Values stay text as the server sent them. */

const DAYS = ["Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"];
const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

/** "2027-09-09" as "Thu 9 Sep 2027"; without the year where it goes without saying. */
export function day(iso: string | null | undefined, year = true): string {
  const held = /^(\d{4})-(\d{2})-(\d{2})/.exec(iso ?? "");
  if (!held) return "";
  const at = new Date(Date.UTC(Number(held[1]), Number(held[2]) - 1, Number(held[3])));
  const text = `${DAYS[at.getUTCDay()]} ${at.getUTCDate()} ${MONTHS[at.getUTCMonth()]}`;
  return year ? `${text} ${held[1]}` : text;
}

/** The wall-clock time of a moment as the server wrote it: "17:30". */
export function clock(moment: string): string {
  return moment.slice(11, 16);
}

/** "212.00" USD as "$212.00", with the decimals the text has. */
export function money(amount: string | null | undefined, currency: string): string {
  if (amount === null || amount === undefined || amount === "") return "";
  const digits = amount.split(".")[1]?.length ?? 0;
  return new Intl.NumberFormat("en-US", {
    style: "currency",
    currency,
    minimumFractionDigits: digits,
    maximumFractionDigits: digits,
  }).format(Number(amount));
}

/** Whether an amount is nothing: "0.00". */
export function isZero(amount: string): boolean {
  return Number(amount) === 0;
}

/** "36", "14,913". */
export function whole(n: number): string {
  return n.toLocaleString("en-US");
}

/** "1 seat", "3 seats", "15,000 seats". */
export function count(n: number, one: string, many = `${one}s`): string {
  return `${whole(n)} ${n === 1 ? one : many}`;
}

/** Days that were just named, spoken of again: "that day", "these days". */
export function thoseDays(n: number): string {
  return n === 1 ? "that day" : "these days";
}

/** Minutes as "2 h 30 min". */
export function length(minutes: number): string {
  const hours = Math.floor(minutes / 60);
  const rest = minutes % 60;
  return [hours ? `${hours} h` : "", rest ? `${rest} min` : ""].filter(Boolean).join(" ");
}

/** "20.00" hours as "20 h". */
export function hours(text: string): string {
  return `${text.replace(/\.?0+$/, "")} h`;
}

/** Weekday codes as people say them: "Tuesdays and Thursdays". */
export function weekdays(codes: string[]): string {
  const names: Record<string, string> = {
    MO: "Mondays",
    TU: "Tuesdays",
    WE: "Wednesdays",
    TH: "Thursdays",
    FR: "Fridays",
    SA: "Saturdays",
    SU: "Sundays",
  };
  const said = codes.map((c) => names[c] ?? c);
  return said.length < 2 ? said.join("") : `${said.slice(0, -1).join(", ")} and ${said[said.length - 1]}`;
}
