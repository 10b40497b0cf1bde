/** What can be done from the one field: a title, where it leads (or which act of the frame), and words for it. */
const ACTS: { title: string; to: string; words: string }[] = [
  { title: "New run", to: "/runs/new", words: "make plan add run dates" },
  { title: "Desk: enroll somebody", to: "/desk", words: "enroll call phone sign up" },
  { title: "Runs", to: "/planner", words: "planner list runs season" },
  { title: "Runs with sign-up open", to: "/planner?view=open", words: "open sign up" },
  { title: "Drafts", to: "/planner?view=drafts", words: "draft prepare" },
  { title: "Demand: courses people wait for", to: "/demand", words: "interest waitlist plan a run" },
  { title: "Today", to: "/today", words: "decide reminders clashes" },
  { title: "Time line of the season", to: "/planner/line", words: "planner bars season" },
  { title: "Week by rooms or instructors", to: "/planner/week", words: "planner lanes" },
  { title: "Month list", to: "/planner/month", words: "print calendar dates" },
  { title: "Clashes", to: "/clashes", words: "double booked conflict" },
  { title: "Season table: plan many runs", to: "/season", words: "new runs paste sheet" },
  { title: "Copy runs to new dates", to: "/copy", words: "copy season course repeat" },
  { title: "Places and closed days", to: "/places", words: "rooms holidays closures" },
  {
    title: "Instructors",
    to: "/teaching",
    words: "teachers who teaches qualified availability absences biography",
  },
  {
    title: "Cover: somebody is ill, or nobody teaches",
    to: "/teaching/cover",
    words: "substitute away sick replace staff",
  },
  { title: "Pay requests of instructors", to: "/teaching/pay", words: "wages fees month statement" },
  { title: "Applications to teach", to: "/teaching/applications", words: "apply new instructors" },
  {
    title: "Rules of teaching, evaluations, agreements",
    to: "/teaching/rules",
    words: "settings rights questions text",
  },
  { title: "Outbox", to: "/outbox", words: "messages mail failed work jobs" },
  { title: "People", to: "/people", words: "find person learner" },
  { title: "Outstanding money", to: "/money", words: "owed late ageing accounts expected deferred" },
  { title: "Till of the day", to: "/money/till", words: "payments cash check count" },
  { title: "Kept quotes", to: "/money/quotes", words: "money offers prices follow up" },
  { title: "Payment plans", to: "/money/plans", words: "money installments deposit" },
  { title: "Discount codes", to: "/money/codes", words: "money coupon percent off" },
  { title: "Stock", to: "/money/stock", words: "books tools materials count extras" },
  { title: "Compare prices of runs", to: "/money/prices", words: "money price line chart" },
  { title: "What runs start from", to: "/money/defaults", words: "defaults settings taxes groups fees" },
  {
    title: "Refunds, invoices, receipts: pick the payer",
    to: "/money",
    words: "refund invoice receipt credit note statement payment pay",
  },
  { title: "Attendance: pick the run", to: "/planner", words: "attendance register present absent marks" },
  {
    title: "Put a list on a run: pick the run",
    to: "/planner?view=open",
    words: "import bulk upload csv spreadsheet many people",
  },
  {
    title: "Busy times and absences from a calendar",
    to: "/teaching",
    words: "import ics calendar busy away ill",
  },
  {
    title: "Closed days from a calendar",
    to: "/places?tab=days",
    words: "import ics holidays closures region",
  },
  {
    title: "What was done, and undo: the log of the center",
    to: "/settings#log",
    words: "undo log history take back audit",
  },
  {
    title: "Settings of the center",
    to: "/settings",
    words: "name address logo currency time zone week holidays papers second person log of everything",
  },
  { title: "Staff and roles", to: "/staff", words: "users invite rights permissions who may end account" },
  {
    title: "My account: password, codes, sessions",
    to: "/me",
    words: "change password second factor sign in phone",
  },
  { title: "Day and night colors", to: "act:night", words: "dark theme night light" },
  {
    title: "Keys of this screen, and what it is for",
    to: "act:keys",
    words: "help keyboard shortcuts guide",
  },
  { title: "Guide for the office", to: "/guide", words: "help manual how handbook learn" },
  { title: "Sign out", to: "act:out", words: "leave log off" },
];

/** The acts that hold every word typed: all of them for none, else the first few. */
export function actsFor(typed: string): { title: string; to: string }[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const found = ACTS.filter((a) => words.every((w) => `${a.title} ${a.words}`.toLowerCase().includes(w)));
  return words.length ? found.slice(0, 4) : found;
}
