"""Lists against published CSV behavior.

Sources: RFC 4180 (from memory): records end in CRLF, the last one may lack it; doubled quotes and line breaks inside
quotes belong to the cell; spaces belong to the cell. csv-spectrum 2.0.0 (BSD-2-Clause): the shapes of its pairs
`escaped_quotes`, `newlines`, `newlines_crlf`, `quotes_and_newlines`, `comma_in_quotes`, `utf8`, written here with two
columns more so that they are lists of people.
"""

import csv
import io
import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from archgate.core.names import HIDDEN
from archgate.core.verdicts import read_row
from archgate.papers.lists import read_table, records
from conftest import LONG
from made import DATA

HEAD = "First name,Last name,Email,"


@pytest.mark.parametrize(
    ("text", "cells"),
    [
        (HEAD + 'b\r\n1,"ha ""ha"" ha",x,4\r\n', ["1", 'ha "ha" ha', "x", "4"]),
        (HEAD + 'b\n1,"Once upon \na time",5,6\n', ["1", "Once upon \na time", "5", "6"]),
        (HEAD + 'b\r\n1,"Once upon \r\na time",5,6\r\n', ["1", "Once upon \r\na time", "5", "6"]),
        (HEAD + 'b\n1,"ha \n""ha"" \nha",3,4', ["1", 'ha \n"ha" \nha', "3", "4"]),
        (
            HEAD + 'b\nJohn,Doe,"120 any st., Anytown, WW",08123',
            ["John", "Doe", "120 any st., Anytown, WW", "08123"],
        ),
        (HEAD + "b\n1,2,3,ʤ\n", ["1", "2", "3", "ʤ"]),
        (HEAD + 'b\naaa,"b CRLF bb",ccc,', ["aaa", "b CRLF bb", "ccc", ""]),
        (HEAD + "b\n a , b ,c,d", [" a ", " b ", "c", "d"]),
    ],
)
def test_cells_are_read_as_published(text, cells):
    assert read_table(text.encode()).rows[0][1] == cells


@pytest.mark.parametrize("ending", ["\n", "\r\n", "\r"])
@pytest.mark.parametrize("last", [True, False])
def test_line_ends_of_every_kind_and_a_last_one_that_may_be_missing(ending, last):
    text = ending.join([HEAD + "x", "A,B,a@x.org,1", "C,D,c@x.org,2"]) + (ending if last else "")
    assert [cells[0] for _, cells in read_table(text.encode()).rows] == ["A", "C"]


# --- published cases through the reader -------------------------------------------------------------------

SPECTRUM = json.loads((DATA / "csv-spectrum.json").read_text())
PAPAPARSE = json.loads((DATA / "papaparse.json").read_text())
NAUGHTY = json.loads((DATA / "naughty-strings.json").read_text())


def physical(text):
    return io.StringIO(text, newline="").readlines()


@pytest.mark.parametrize("name", SPECTRUM)
def test_each_pair_of_csv_spectrum_is_read_as_published(name):
    """csv-spectrum 2.0.0 (npm, BSD-2-Clause, Max Ogden): 11 of its 12 pairs; `location_coordinates` does not match its own CSV."""
    pair = SPECTRUM[name]
    rows = [cells for _, cells, sound in records(physical(pair["csv"]), ",") if cells and sound]
    found = [dict(zip(rows[0], cells, strict=True)) for cells in rows[1:]]
    assert found == pair["json"]


SOUND = [c for c in PAPAPARSE if not c["errors"]]
MALFORMED = [c for c in PAPAPARSE if c["errors"]]


@pytest.mark.parametrize("case", SOUND, ids=[c["description"] for c in SOUND])
def test_each_sound_parser_case_of_papaparse_is_read_as_published(case):
    """PapaParse 5.7.1 (npm, MIT, Matt Holt), `tests/test-cases.js`: the core parser's cases with the usual settings, or with one
    of our separators. It reads an empty line as one empty cell, we as none; and a last line end begins a line there, while here it
    ends one (RFC 4180, 2.2)."""
    found = [cells for _, cells, _ in records(physical(case["input"]), case["delimiter"])]
    expected = case["data"][:-1] if case["input"].endswith("\n") else case["data"]
    assert [c or [""] for c in found] == expected


@pytest.mark.parametrize("case", MALFORMED, ids=[c["description"] for c in MALFORMED])
def test_each_malformed_parser_case_of_papaparse_is_found_malformed_and_no_line_is_eaten(case):
    """The same source: where it reports malformed quotes, so do we, by line; how it goes on is our own rule: no line is joined
    to another by a quote that closes nothing."""
    lines = physical(case["input"])
    found = list(records(lines, case["delimiter"]))
    assert not all(sound for _, _, sound in found)
    assert [n for n, _, _ in found] == list(range(1, len(lines) + 1))


def test_naughty_strings_come_through_the_reader_as_they_are_or_are_named():
    """blns 2.0.4 (npm, MIT, Max Woolf), `resources/blns.json`: each as a remark beside a name. Cells of nothing but blanks are
    empty; all others are read as written."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["Name", "Email", "Remarks"])
    writer.writerows([f"A{n} B", f"a{n}@example.org", text] for n, text in enumerate(NAUGHTY))
    table = read_table(out.getvalue().encode())
    assert len(table.rows) == len(NAUGHTY) == 485
    for (_, cells), text in zip(table.rows, NAUGHTY, strict=True):
        assert cells[2] == (text if text.strip() else "")


def test_naughty_strings_as_names_make_rows_and_never_two_people_of_one():
    """The same source: as the given name of a line. Signs that show nothing are taken out and said; what is left is a name, or a
    line that needs one."""
    columns = {"given": 0, "family": 1, "email": 2}
    for n, text in enumerate(NAUGHTY):
        row = read_row(n + 2, [text, f"Berg{n}", f"a{n}@example.org"], columns)
        assert row.name.endswith(f"Berg{n}") and not HIDDEN.search(row.name) and "\n" not in row.name
        if HIDDEN.search(text.strip()):
            assert any("cannot be seen" in odd for odd in row.odd)


CELL = st.text(
    st.sampled_from(['"', ",", ";", "\t", "|", "\n", "\r", "\0", " ", "a", "é", "@", "=", "\u202e", "1"]),
    max_size=12,
)


@settings(max_examples=1500 if LONG else 120, deadline=None)
@given(st.lists(st.tuples(CELL, CELL), min_size=1, max_size=12), st.sampled_from([",", ";", "\t", "|"]))
def test_whatever_stands_in_a_list_nobody_vanishes(rows, separator):
    """A fuzzer over the reader: every line begins with a name of its own, and whatever quotes, separators, line ends and NUL bytes
    follow it, each name is found at the beginning of a row, or inside of a cell that a sound quote spans."""
    lines = [f"Anna{n}{separator}{a}{separator}{b}" for n, (a, b) in enumerate(rows)]
    text = separator.join(["Name", "Email", "Remarks"]) + "\n" + "\n".join(lines) + "\n"
    try:
        table = read_table(text.encode())
    except ValueError as refused:
        assert str(refused).endswith(".")
        return
    whole = "\x1f".join(cell for _, cells in table.rows for cell in cells)
    for n in range(len(rows)):
        assert f"Anna{n}" in whole


@settings(max_examples=600 if LONG else 60, deadline=None)
@given(st.binary(max_size=300))
def test_any_bytes_are_read_or_refused_in_a_sentence(data):
    try:
        table = read_table(data)
    except ValueError as refused:
        assert str(refused).endswith(".")
    else:
        assert table.rows and table.headings
