"""Files that fell a careless reader: each is read, or refused in a sentence, and the server goes on as before."""

import io
import zipfile
from datetime import date
from zoneinfo import ZoneInfo

import pytest

from archgate.core.faults import Refused
from archgate.papers import apart, lists
from archgate.papers.lists import read_table
from conftest import LONG
from made import DATA, run_form

NEW_YORK = ZoneInfo("America/New_York")
CONTENT = (
    '<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels"'
    ' ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/>'
    '<Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/>'
    '<Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>'
)
RELS = (
    '<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1"'
    ' Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/{}" Target="{}"/></Relationships>'
)
BOOK = (
    '<?xml version="1.0"?><workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.'
    'openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="S" sheetId="1" r:id="rId1"/></sheets></workbook>'
)
SHEET = '<?xml version="1.0"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>{}</sheetData></worksheet>'
CELL = '<row r="{1}"><c r="{0}{1}" t="inlineStr"><is><t>x</t></is></c></row>'


def workbook(rows):
    """A workbook with these rows of XML, made by hand as no library would make it."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("[Content_Types].xml", CONTENT)
        packed.writestr("_rels/.rels", RELS.format("officeDocument", "xl/workbook.xml"))
        packed.writestr("xl/workbook.xml", BOOK)
        packed.writestr("xl/_rels/workbook.xml.rels", RELS.format("worksheet", "worksheets/sheet1.xml"))
        packed.writestr("xl/worksheets/sheet1.xml", SHEET.format(rows))
    return out.getvalue()


def far_apart():
    return workbook(CELL.format("A", 1) + CELL.format("XFD", 1048576))


def bomb():
    return workbook("<row>" + " " * 170_000_000 + "</row>")


LISTS = {
    "two cells at the ends of a sheet": (far_apart, "far away"),
    "a packed bomb": (bomb, "MB unpacked"),
    "one line of millions of cells": (lambda: b"a," * 4_900_000, "characters; this is no list"),
    "bytes of no encoding": (lambda: b"\x81" * 9_600_000, "."),
    "millions of blank lines": (lambda: b"Name,Email\n" + b"\n" * 9_000_000, "most of them blank"),
    "a quote that opens each line": (lambda: b"Name,Email\n" + b'"a,b@example.org\n' * 19_000, ""),
    "one enormous cell": (lambda: b'Name,Email\n"' + b"x\n" * 90_000 + b'",y\n', ""),
    "wide lines": (lambda: (b"x," * 300 + b"\n") * 10, "at most 200"),
}


@pytest.mark.parametrize("name", LISTS)
def test_a_list_that_fells_its_reader_is_read_or_refused_in_a_sentence(name):
    make, said = LISTS[name]
    try:
        table = apart.list_of(make())
    except Refused as refused:
        assert said in refused.faults[0].message and refused.faults[0].message.endswith((".", LIMITS_END))
    else:
        assert said == "" and table.rows


LIMITS_END = apart.LIMITS[-10:]


def calendar(*lines):
    event = b"\r\n".join([b"BEGIN:VEVENT", b"UID:x", b"DTSTAMP:20270101T000000Z", *lines, b"END:VEVENT"])
    return b"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\n" + event + b"\r\nEND:VCALENDAR\r\n"


CALENDARS = {
    "an interval of none": ([b"DTSTART:20270101T100000Z", b"RRULE:FREQ=DAILY;INTERVAL=0"], "every 0 times"),
    "by the second": ([b"DTSTART:19900101T100000Z", b"RRULE:FREQ=SECONDLY"], "by the minute or second"),
    "a year of no calendar": ([b"DTSTART:00010101T100000Z", b"RRULE:FREQ=HOURLY"], "begins before 1900"),
    "beyond all calendars": ([b"DTSTART:20270101T100000Z", b"DURATION:P999999999D"], "beyond the calendar"),
}


@pytest.mark.parametrize("name", CALENDARS)
def test_a_calendar_that_never_ends_is_refused_in_a_sentence(name):
    lines, said = CALENDARS[name]
    with pytest.raises(Refused, match=said):
        apart.times_of(calendar(*lines), NEW_YORK, date(2027, 1, 1), date(2028, 12, 31))


@pytest.mark.parametrize(
    "rule",
    [b"FREQ=MONTHLY;BYMONTH=2;BYMONTHDAY=31", b"FREQ=YEARLY;COUNT=3;BYMONTH=2;BYMONTHDAY=31"]
    + ([b"FREQ=DAILY;BYMONTH=2;BYMONTHDAY=31"] if LONG else []),
)
def test_a_rule_that_never_happens_takes_its_first_time_alone(rule):
    """DTSTART is the first instance, whatever the rule gives (RFC 5545 section 3.8.5.3)."""
    content = calendar(b"DTSTART:20270101T100000Z", b"DURATION:PT1H", b"RRULE:" + rule)
    assert len(apart.times_of(content, NEW_YORK, date(2027, 1, 1), date(2028, 12, 31))) == 1


def test_thousands_of_repeats_before_the_window_cost_none_within_it():
    """Daily since 1999: more than 10,000 repeats before the window, and every day of it taken."""
    content = calendar(b"DTSTART:19990101T150000Z", b"DURATION:PT1H", b"RRULE:FREQ=DAILY")
    found = apart.times_of(content, NEW_YORK, date(2027, 1, 1), date(2027, 12, 31))
    assert len(found) == 365


def test_more_times_than_are_taken_are_said_and_none_is_lost_in_silence():
    content = calendar(b"DTSTART:20270101T150000Z", b"DURATION:PT1M", b"RRULE:FREQ=HOURLY")
    with pytest.raises(Refused, match="more than 5000 times between"):
        apart.times_of(content, NEW_YORK, date(2027, 1, 1), date(2028, 12, 31))


def test_a_file_is_read_apart_as_it_is_here():
    for name in ("client-list.csv", "front-desk-export.csv", "evening-class.xlsx"):
        data = (DATA / name).read_bytes()
        assert apart.list_of(data) == read_table(data)


def test_ten_megabytes_of_people_are_read_or_refused_within_the_limits():
    line = b"Given,Family,given.family@example.org," + b"x" * 460 + b"\n"
    table = apart.list_of(b"First name,Last name,Email,Remarks\n" + line * 19_900)
    assert len(table.rows) == 19_900


def test_the_server_says_so_at_the_file_and_goes_on(clerk):
    form = run_form()
    form["pattern"] = {**form["pattern"], "first": "2099-09-15"}
    run = clerk.post("/api/v1/runs", json=form).json()["id"]
    sent = clerk.post(f"/api/v1/runs/{run}/batches", files={"file": ("far.xlsx", far_apart())})
    assert sent.status_code == 422 and sent.json()["errors"][0]["at"] == "/file"
    teacher = clerk.post("/api/v1/instructors", json={"name": f"F. Files {run}"}).json()["id"]
    busy = f"/api/v1/busy/instructor/{teacher}/calendar"
    never = calendar(b"DTSTART:20270101T100000Z", b"RRULE:FREQ=DAILY;INTERVAL=0")
    assert clerk.post(busy, files={"file": ("x.ics", never)}).status_code == 422
    taken = clerk.post(busy, files={"file": ("x.ics", (DATA / "instructor-busy.ics").read_bytes())})
    assert taken.status_code == 200 and "what repeats before or after is not taken" in taken.json()["window"]
    assert clerk.get(f"/api/v1/runs/{run}").status_code == 200


def test_a_quote_that_is_never_closed_eats_no_line():
    head = "First name,Last name,Email\n"
    table = read_table((head + 'Ann,"Berg,a@x.org\nBo,"Dahl, Jr",b@x.org\nCy,Ek,c@x.org\n').encode())
    assert [cells[0] for _, cells in table.rows] == ["Ann", "Bo", "Cy"]
    assert table.rows[1][1] == ["Bo", "Dahl, Jr", "b@x.org"]
    assert table.odd == {2: lists.UNCLOSED}


def test_a_closed_cell_may_span_lines_and_one_closed_within_a_word_may_not():
    head = "First name,Last name,Email\n"
    table = read_table((head + 'Ann,"Be\nrg",a@x.org\nBo,"Da"hl,b@x.org\n').encode())
    assert table.rows == [(2, ["Ann", "Be\nrg", "a@x.org"]), (4, ["Bo", '"Da"hl', "b@x.org"])]
    assert table.odd == {4: lists.UNCLOSED}


def test_a_list_without_headings_keeps_its_first_line():
    table = read_table(b"Ann,Berg,a@x.org,555-010203\nBo,Dahl,b@x.org,555-010204\n")
    assert not table.headed and len(table.rows) == 2 and table.headings[0] == "Column 1"
    assert table.reading.endswith("no headings, 2 lines")
