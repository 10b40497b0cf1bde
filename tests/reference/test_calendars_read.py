"""Calendars that come from outside, read as others read them.

Sources: RFC 5545 section 3.8.5.3, its examples of rules with the dates it lists (facts kept in tests/data/rfc5545.json);
the calendars that come with `recurring-ical-events` 3.8.2 (PyPI, LGPL-3, read where the package is, none copied), expanded
by that package; `ical.js` 2.2.1 (npm, MPL-2.0) under Node as a reader that shares no code with either. Our reader stands
on `icalendar` and `python-dateutil`; the package shares both with it, so ical.js and the RFC's own lists are the
independent check.
"""

import json
import subprocess
from datetime import UTC, date, datetime, time, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest
import recurring_ical_events
from icalendar import Calendar

from archgate.core.faults import Refused
from archgate.papers.calendars import read_calendar
from archgate.settings import ROOT
from made import DATA

NEW_YORK = ZoneInfo("America/New_York")
EXAMPLES = json.loads((DATA / "rfc5545.json").read_text())
RULES = [
    pytest.param(example, rule, id=f"{example['n']}-{rule}")
    for example in EXAMPLES
    for rule in example["rrules"]
    if example.get("expected")
]


def calendar_of(example, rule):
    """The calendar of an example: one hour by the clocks of New York."""
    exdates = [f"EXDATE;TZID=America/New_York:{day}" for day in example["exdate"]]
    lines = [
        "BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Test//EN", "BEGIN:VEVENT", "UID:example", "DTSTAMP:19970101T000000Z",
        f"DTSTART;TZID=America/New_York:{example['dtstart']}", "DURATION:PT1H", f"RRULE:{rule}", *exdates, "END:VEVENT",
        "END:VCALENDAR", "",
    ]  # fmt: skip
    return "\r\n".join(lines).encode()


def test_the_rfc_lists_dates_for_37_rules():
    assert len(RULES) == 37


@pytest.mark.parametrize(("example", "rule"), RULES)
def test_a_rule_gives_the_dates_that_rfc_5545_lists(example, rule):
    listed = example["expected"]
    days = [date.fromisoformat(text[:10]) for text in listed]
    after = days[-1] + timedelta(days=400) if example["complete"] else days[-1]
    times = read_calendar(calendar_of(example, rule), NEW_YORK, days[0] - timedelta(days=1), after)
    local = [t.start.astimezone(NEW_YORK) for t in times]
    found = [f"{at:%Y-%m-%d %H:%M} {at.tzname()}" for at in local]
    if example["elided"]:
        assert set(listed) <= set(found)
    else:
        assert found == listed


# --- whole calendars --------------------------------------------------------------------------------------

FOLDER = Path(recurring_ical_events.__file__).parent / "test" / "calendars"
FIRST, LAST = date(2019, 1, 1), date(2021, 12, 31)
# What another reader takes otherwise, each with the reason.
OTHERWISE = {
    "issue_86_x_wr_timezone_without_time_zone_in_dt": "X-WR-TIMEZONE is no part of RFC 5545: a time without a zone stands in"
    " the zone of whoever watches (section 3.3.5, form 1), which is the owner's here",
}


def expanded(calendar):
    """The opaque times of a calendar in UTC, whole days in New York, as the package expands them."""
    out = []
    for event in recurring_ical_events.of(calendar).between(FIRST, LAST + timedelta(days=1)):
        if str(event.get("transp", "OPAQUE")) == "TRANSPARENT" or str(event.get("status", "")) == "CANCELLED":
            continue
        start = event["dtstart"].dt
        end = (
            event["dtend"].dt
            if "dtend" in event
            else start + event["duration"].dt
            if "duration" in event
            else start
        )
        if not isinstance(start, datetime):
            end = end if end > start else start + timedelta(days=1)
            start, end = (datetime.combine(day, time(0)) for day in (start, end))
        start, end = (x if x.tzinfo else x.replace(tzinfo=NEW_YORK) for x in (start, end))
        if end.astimezone(UTC) > start.astimezone(UTC):
            out.append((start.astimezone(UTC), end.astimezone(UTC)))
    return sorted(out)


def ours(content):
    return [(t.start, t.end) for t in read_calendar(content, NEW_YORK, FIRST, LAST)]


def outcome_of(path):
    """same, otherwise, refused (with a sentence), or none where the package itself gives up."""
    content = path.read_bytes()
    try:
        wanted = expanded(Calendar.from_ical(content))
    except Exception:
        wanted = None
    try:
        times = ours(content)
    except Refused as refused:
        assert all(fault.message.endswith(".") for fault in refused.faults)
        return "refused"
    if wanted is None:
        return "none"
    return "same" if times == wanted else "otherwise"


def test_the_calendars_of_another_package_are_read_as_it_reads_them():
    outcomes = {path.stem: outcome_of(path) for path in sorted(FOLDER.glob("*.ics"))}
    assert len(outcomes) >= 90
    assert {name for name, outcome in outcomes.items() if outcome == "otherwise"} == set(OTHERWISE)
    refused = {
        "bad_rrule_missing_until_event",
        "end_before_start_event",
        "issue_132_swapped_start_and_end",
        "issue_201_test_matrix",
    }
    assert {name for name, outcome in outcomes.items() if outcome == "refused"} == refused
    assert sum(outcome == "same" for outcome in outcomes.values()) >= 90


ICAL_JS = """
const ICAL = require(process.argv[1]);
let text = ""; process.stdin.on("data", (d) => text += d).on("end", () => {
  const root = new ICAL.Component(ICAL.parse(text));
  for (const zone of root.getAllSubcomponents("vtimezone")) ICAL.TimezoneService.register(zone);
  const out = [], events = root.getAllSubcomponents("vevent").map((c) => new ICAL.Event(c));
  const single = events.filter((e) => e.isRecurrenceException());
  for (const event of events.filter((e) => !e.isRecurrenceException())) {
    if (event.component.getFirstPropertyValue("transp") === "TRANSPARENT") continue;
    for (const other of single) if (other.uid === event.uid) event.relateException(other);
    const dates = event.iterator();
    for (let at = dates.next(), n = 0; at && n < 400; at = dates.next(), n++) {
      const d = event.getOccurrenceDetails(at);
      out.push([d.startDate.toString(), d.endDate.toString()]);
      if (!event.isRecurring()) break;
    }
  }
  console.log(JSON.stringify(out));
});
"""


def by_ical_js(content):
    """Start and end of every occurrence as ical.js writes them: local time, or a date."""
    package = ROOT / "web" / "node_modules" / "ical.js" / "dist" / "ical.es5.cjs"
    done = subprocess.run(
        ["node", "-e", ICAL_JS, str(package)], input=content, capture_output=True, check=True
    )
    return json.loads(done.stdout)


def as_written(times):
    """Our times as ical.js would write them: a whole day by its date, else the local time of New York."""
    out = []
    for t in times:
        start, end = (x.astimezone(NEW_YORK) for x in (t.start, t.end))
        out.append([f"{x:%Y-%m-%d}" if t.all_day else f"{x:%Y-%m-%dT%H:%M:%S}" for x in (start, end)])
    return sorted(out)


def test_a_third_reader_reads_the_busy_times_of_a_file_as_we_do():
    content = (DATA / "instructor-busy.ics").read_bytes()
    times = read_calendar(content, NEW_YORK, date(2027, 1, 1), date(2028, 12, 31))
    assert as_written(times) == sorted(by_ical_js(content)) and len(times) == 12


BY_THIRD = [c for c in RULES if not {"BYDAY=20MO", "BYWEEKNO=20"} & set(c.values[1].split(";"))]


@pytest.mark.parametrize(("example", "rule"), [c for c in BY_THIRD if c.values[0]["complete"]])
def test_a_third_reader_expands_the_rules_of_rfc_5545_as_we_do(example, rule):
    """But for two yearly rules that ical.js 2.2.1 reads wrong (BYDAY=20MO, BYWEEKNO=20)."""
    content = calendar_of(example, rule)
    times = read_calendar(content, NEW_YORK, date(1997, 1, 1), date(2010, 12, 31))
    assert as_written(times) == sorted(by_ical_js(content))
