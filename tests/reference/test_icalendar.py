"""iCalendar out and in, against RFC 5545 and 7986 and two independent readers.

No strict validator is at hand; the checks are the rules of RFC 5545 (sections named beside each). Second readers:
`recurring-ical-events` 3.8.2 (PyPI, LGPL-3, tests only) and `ical.js` 2.2.1 (npm, MPL-2.0), run under Node.
"""

import json
import subprocess
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
import recurring_ical_events
from hypothesis import given
from hypothesis import strategies as st
from icalendar import Calendar, Event

from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.runs import moving, showing
from archgate.actions.runs.commands import CancelMeetingCommand, MeetingPatch, MoveRunCommand
from archgate.actions.schedule import calendars, places
from archgate.actions.schedule.commands import PlaceCommand
from archgate.actions.teaching import instructors
from archgate.actions.teaching.commands import InstructorCommand
from archgate.core.faults import Refused
from archgate.papers.calendars import read_calendar
from archgate.settings import ROOT
from made import DATA, a_draft, a_run, number

NEW_YORK = ZoneInfo("America/New_York")
ICAL_JS = """
const ICAL = require(process.argv[1]);
let text = ""; process.stdin.on("data", (d) => text += d).on("end", () => {
  const root = new ICAL.Component(ICAL.parse(text));
  for (const zone of root.getAllSubcomponents("vtimezone")) ICAL.TimezoneService.register(zone);
  const events = root.getAllSubcomponents("vevent").map((c) => new ICAL.Event(c));
  console.log(JSON.stringify(events.map((e) => ({uid: e.uid, sequence: e.sequence, summary: e.summary,
    start: e.startDate.toUnixTime(), end: e.endDate.toUnixTime(), zone: e.startDate.zone.tzid,
    status: e.component.getFirstPropertyValue("status")}))));
});
"""


@pytest.fixture
def feed(office):
    """A run in a place of another zone, across the change of clocks, with a moved and a cancelled meeting."""
    name = f"London room {next(number)}"
    office.act(
        lambda d: places.save_place(
            d,
            None,
            command_of(
                PlaceCommand, {"name": name, "time_zone": "Europe/London", "address": "4 Quay Lane, näher"}
            ),
        )
    )
    run = a_run(office, place=name, title="Kalk, Lehm; and more: “quotes” " + "x" * 80)
    office.act(
        lambda d: moving.change_meetings(
            d, run["dates"][1]["id"], command_of(MeetingPatch, {"set": {"start": "18:00"}})
        )
    )
    office.act(
        lambda d: moving.cancel_meeting(
            d, run["dates"][2]["id"], command_of(CancelMeetingCommand, {"why": "ill"})
        )
    )
    address = office.act(lambda d: calendars.feed_of(d, "run", run["id"]))["path"]
    return run, read(office, address)


def read(office, path):
    return office.read(lambda d: calendars.feed_content(d, path.rsplit("/", 1)[1].removesuffix(".ics")))


def test_a_feed_keeps_the_rules_of_rfc_5545(feed):
    _, content = feed
    lines = content.split(b"\r\n")
    assert lines[-1] == b"" and b"\n" not in b"".join(lines)  # section 3.1: CRLF ends every line
    assert all(len(line) <= 75 for line in lines)  # section 3.1: lines of at most 75 octets
    content.decode("utf-8")
    calendar = Calendar.from_ical(content)
    assert {"PRODID", "VERSION"} <= set(calendar)  # section 3.6
    zones = {str(z["tzid"]) for z in calendar.walk("VTIMEZONE")}
    for event in calendar.walk("VEVENT"):
        assert not event.errors
        assert {"UID", "DTSTAMP", "DTSTART", "DTEND"} <= set(event)  # section 3.6.1
        assert all(not isinstance(event[name], list) for name in event)  # none of them twice
        assert event["dtend"].dt > event["dtstart"].dt  # section 3.8.2.2
        assert event["dtstart"].params["TZID"] in zones  # section 3.2.19
        assert event["status"] in ("CONFIRMED", "TENTATIVE", "CANCELLED")  # section 3.8.1.11
    uids = [str(e["uid"]) for e in calendar.walk("VEVENT")]
    assert len(uids) == len(set(uids)) == 8
    assert zones == {"Europe/London"}


def test_a_feed_has_the_names_of_rfc_7986(feed):
    run, content = feed
    calendar = Calendar.from_ical(content)
    assert str(calendar["name"]).startswith(run["code"])  # section 5.1
    assert calendar["refresh-interval"].dt == timedelta(hours=1)  # section 5.7
    assert str(calendar["uid"]) and calendar["description"]  # sections 5.3, 5.2


def test_two_independent_readers_read_a_feed_as_it_was_planned(office, feed):
    run, content = feed
    seen = office.read(lambda d: showing.run_view(d, run["id"]))
    wanted = {
        (datetime.fromisoformat(m["start"]).timestamp(), datetime.fromisoformat(m["end"]).timestamp())
        for m in seen["dates"]
    }
    library = recurring_ical_events.of(Calendar.from_ical(content)).between(
        date(2027, 1, 1), date(2028, 1, 1)
    )
    held = [e for e in library if e["status"] == "CONFIRMED"]
    assert {(e["dtstart"].dt.timestamp(), e["dtend"].dt.timestamp()) for e in held} == wanted
    package = ROOT / "web" / "node_modules" / "ical.js" / "dist" / "ical.es5.cjs"
    done = subprocess.run(
        ["node", "-e", ICAL_JS, str(package)], input=content, capture_output=True, check=True
    )
    events = json.loads(done.stdout)
    assert {(e["start"], e["end"]) for e in events if e["status"] == "CONFIRMED"} == wanted
    assert {e["zone"] for e in events} == {"Europe/London"}
    assert all("Kalk, Lehm; and more: “quotes”" in e["summary"] for e in events)
    assert len([e for e in events if e["status"] == "CANCELLED"]) == 1


def test_uids_stay_and_the_sequence_rises_with_a_change_and_a_cancellation(office):
    run = a_run(office)
    path = office.act(lambda d: calendars.feed_of(d, "run", run["id"]))["path"]

    def events():
        return {
            str(e["uid"]): (int(e["sequence"]), str(e["status"]))
            for e in Calendar.from_ical(read(office, path)).walk("VEVENT")
        }

    before = events()
    office.act(lambda d: moving.move_run(d, run["id"], command_of(MoveRunCommand, {"days": 1})))
    moved = events()
    assert set(moved) == set(before) and all(moved[u][0] > before[u][0] for u in before)
    office.act(
        lambda d: moving.cancel_meeting(d, run["dates"][0]["id"], command_of(CancelMeetingCommand, {}))
    )
    after = events()
    gone = [u for u in after if after[u][1] == "CANCELLED"]
    assert len(gone) == 1 and after[gone[0]][0] > moved[gone[0]][0]


def test_a_renewed_address_ends_the_old_one(office):
    run = a_run(office)
    old = office.act(lambda d: calendars.feed_of(d, "run", run["id"]))["path"]
    assert office.act(lambda d: calendars.feed_of(d, "run", run["id"]))["path"] == old
    new = office.act(lambda d: calendars.feed_of(d, "run", run["id"], renew=True))["path"]
    assert new != old and read(office, new)
    with pytest.raises(Problem):
        read(office, old)


def test_feeds_of_rooms_instructors_and_all_hold_drafts_as_tentative_and_a_run_holds_none(office, stranger):
    teacher, room = f"F. Feed{next(number)}", f"Feed room {next(number)}"
    run = a_draft(office, instructor=teacher, place=room)
    ids = {"instructor": next(i["id"] for i in office.read(instructors.list_instructors) if i["name"] == teacher),
           "place": next(p["id"] for p in office.read(places.list_places) if p["name"] == room), "all": 0}  # fmt: skip
    for kind, subject in ids.items():
        path = office.act(lambda d, k=kind, s=subject: calendars.feed_of(d, k, s))["path"]
        events = list(Calendar.from_ical(read(office, path)).walk("VEVENT"))
        assert len([e for e in events if e["status"] == "TENTATIVE"]) >= 8
        answer = stranger.get(path)  # whoever knows the address, without signing in
        assert answer.status_code == 200 and answer.headers["content-type"].startswith("text/calendar")
    own = office.act(lambda d: calendars.feed_of(d, "run", run["id"]))["path"]
    assert not list(Calendar.from_ical(read(office, own)).walk("VEVENT"))
    assert stranger.get("/api/v1/calendars/guess.ics").status_code == 404


# --- reading ----------------------------------------------------------------------------------------------


def expanded(content, first, last):
    """What recurring-ical-events makes of a calendar: the times it takes, in UTC."""
    found = []
    for e in recurring_ical_events.of(Calendar.from_ical(content)).between(first, last):
        if str(e.get("transp", "OPAQUE")) == "TRANSPARENT" or str(e.get("status", "")) == "CANCELLED":
            continue
        start, end = e["dtstart"].dt, e["dtend"].dt if "dtend" in e else e["dtstart"].dt + e["duration"].dt
        if not isinstance(start, datetime):
            start, end = (datetime(x.year, x.month, x.day, tzinfo=NEW_YORK) for x in (start, end))
        found.append((start.astimezone(UTC), end.astimezone(UTC)))
    return sorted(found)


def test_the_busy_times_of_a_file_are_those_another_library_reads():
    content = (DATA / "instructor-busy.ics").read_bytes()
    found = read_calendar(content, NEW_YORK, date(2027, 1, 1), date(2027, 12, 31))
    assert [(t.start, t.end) for t in found] == expanded(content, date(2027, 1, 1), date(2028, 1, 1))
    assert len(found) == 12  # eleven Tuesdays of twelve, and five days away; the free visit is left out
    away = next(t for t in found if t.all_day)
    assert (away.start.astimezone(NEW_YORK), away.end.astimezone(NEW_YORK)) == (
        datetime(2027, 3, 15, tzinfo=NEW_YORK), datetime(2027, 3, 20, tzinfo=NEW_YORK),
    )  # fmt: skip


RULES = st.sampled_from([
    "FREQ=DAILY;COUNT=9", "FREQ=WEEKLY;BYDAY=MO,WE,FR;COUNT=20", "FREQ=WEEKLY;INTERVAL=2;UNTIL=20270601T000000Z",
    "FREQ=MONTHLY;BYDAY=1SU;COUNT=6", "FREQ=MONTHLY;BYMONTHDAY=31;COUNT=5", "FREQ=YEARLY;COUNT=3", "FREQ=WEEKLY;WKST=SU;BYDAY=SU,TU;INTERVAL=2;COUNT=8",
])  # fmt: skip


@given(
    RULES,
    st.integers(0, 23),
    st.integers(0, 3),
    st.sampled_from([None, "America/New_York", "Europe/Berlin", "UTC"]),
    st.booleans(),
)
def test_rules_with_exceptions_are_expanded_as_another_library_does(rule, hour, skipped, zone, all_day):
    event = Event()
    tz = ZoneInfo(zone or "America/New_York")
    start = date(2027, 2, 1) if all_day else datetime(2027, 2, 1, hour, 30, tzinfo=tz)
    event.add("uid", "x")
    event.add("dtstamp", datetime(2027, 1, 1, tzinfo=UTC))
    event.add("dtstart", start)
    if not all_day:
        event.add("duration", timedelta(minutes=95))
    if all_day and "UNTIL" in rule:
        rule = rule.replace("20270601T000000Z", "20270601")
    calendar = Calendar()
    calendar.add("prodid", "-//Test//EN")
    calendar.add("version", "2.0")
    body = event.to_ical().decode().replace("END:VEVENT", f"RRULE:{rule}\r\nEND:VEVENT")
    calendar.add_component(Event.from_ical(body))
    first = expanded(calendar.to_ical(), date(2027, 1, 1), date(2029, 1, 1)) if not all_day else None
    if first and skipped:
        for begin, _ in first[1 : 1 + skipped]:
            calendar.subcomponents[0].add("exdate", begin.astimezone(tz))
    content = calendar.to_ical()
    found = read_calendar(content, NEW_YORK, date(2027, 1, 1), date(2028, 12, 31))
    wanted = expanded_all_day(content) if all_day else expanded(content, date(2027, 1, 1), date(2029, 1, 1))
    assert [(t.start, t.end) for t in found] == wanted


def expanded_all_day(content):
    found = []
    for e in recurring_ical_events.of(Calendar.from_ical(content)).between(
        date(2027, 1, 1), date(2029, 1, 1)
    ):
        day = e["dtstart"].dt
        begin = datetime(day.year, day.month, day.day, tzinfo=NEW_YORK)
        after = day + timedelta(days=1)
        found.append(
            (
                begin.astimezone(UTC),
                datetime(after.year, after.month, after.day, tzinfo=NEW_YORK).astimezone(UTC),
            )
        )
    return sorted(found)


def test_a_single_change_of_a_series_takes_the_place_of_what_it_changes():
    content = b"\r\n".join([
        b"BEGIN:VCALENDAR", b"VERSION:2.0", b"PRODID:-//T//EN", b"BEGIN:VEVENT", b"UID:s", b"DTSTAMP:20270101T000000Z",
        b"DTSTART:20270301T150000Z", b"DTEND:20270301T160000Z", b"RRULE:FREQ=DAILY;COUNT=3", b"END:VEVENT",
        b"BEGIN:VEVENT", b"UID:s", b"DTSTAMP:20270101T000000Z", b"RECURRENCE-ID:20270302T150000Z",
        b"DTSTART:20270302T180000Z", b"DTEND:20270302T190000Z", b"END:VEVENT", b"END:VCALENDAR", b"",
    ])  # fmt: skip
    found = [(t.start, t.end) for t in read_calendar(content, NEW_YORK, date(2027, 1, 1), date(2027, 12, 31))]
    assert found == expanded(content, date(2027, 1, 1), date(2028, 1, 1)) and len(found) == 3
    assert datetime(2027, 3, 2, 18, tzinfo=UTC) in [start for start, _ in found]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (b"hello", "not an iCalendar file"),
        (b"BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART:tomorrow\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n", "cannot be read"),
        (b"BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART:20270301T150000Z\r\nRECURRENCE-ID:then\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n", "cannot be read"),
        (b"BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nSUMMARY:x\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n", "has no start"),
        (b"BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART:20270301T150000Z\r\nDTEND:20270301T140000Z\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n", "ends before it begins"),
    ],
)  # fmt: skip
def test_what_cannot_be_read_is_said(text, said):
    with pytest.raises(Refused, match=said):
        read_calendar(text, NEW_YORK, date(2027, 1, 1), date(2027, 12, 31))


@given(st.binary(max_size=300), st.integers(0, 1200))
def test_a_damaged_calendar_is_read_or_refused_with_a_sentence(tail, cut):
    whole = (DATA / "instructor-busy.ics").read_bytes()
    try:
        read_calendar(whole[:cut] + tail, NEW_YORK, date(2027, 1, 1), date(2027, 12, 31))
    except Refused as refused:
        assert all(f.message for f in refused.faults)


def test_the_same_file_again_replaces_what_it_brought(office):
    teacher = office.act(
        lambda d: instructors.save(d, None, command_of(InstructorCommand, {"name": f"B. Busy{next(number)}"}))
    )
    content = (DATA / "instructor-busy.ics").read_bytes()
    early = office.later(days=-200)

    def take(d):
        times = read_calendar(content, *calendars.window(d))
        return calendars.import_busy(d, "instructor", teacher["id"], "busy.ics", times)

    assert early.act(take)["added"] == early.act(take)["replaced"] > 0
    run = a_draft(
        early,
        instructor=teacher["name"],
        pattern={"first": "2027-03-16", "start": "10:00", "minutes": 60, "count": 1},
    )
    assert [c["kind"] for c in early.read(lambda d: showing.run_view(d, run["id"]))["clashes"]] == [
        "not available"
    ]


def test_closures_come_from_a_calendar_too(office):
    content = (DATA / "instructor-busy.ics").read_bytes()
    early = office.later(days=-200)
    done = early.act(
        lambda d: calendars.import_closures(d, "fair.ics", read_calendar(content, *calendars.window(d)))
    )
    assert done["added"] == 5
    for n in range(15, 20):
        early.act(lambda d, n=n: places.set_closure(d, date(2027, 3, n), False))
