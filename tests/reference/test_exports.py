"""What leaves as CSV and XLSX, read back by others: Python's csv module, python-calamine (MIT, another XLSX reader).

Sources: RFC 4180 (from memory) for the form of a CSV file. OWASP, "CSV Injection" (from memory): a cell that begins with
= + - @, tab or carriage return can be taken for a formula; the wide forms of the signs too. ECMA-376 (from memory):
a sheet's name has at most 31 characters, none of [ ] : * ? / \\, and no apostrophe at either end.
"""

import csv
import io
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st
from python_calamine import CalamineWorkbook

from archgate.papers.lists import csv_file, plain_cell, read_table
from archgate.papers.rosters import sheet_name, xlsx_of

BEGINNINGS = ["=", "+", "-", "@", "\t", "\r", "\uff1d", "\uff0b", "\uff0d", "\uff20"]
# The shapes that OWASP's page and the tests of defusedcsv 3.0.0 (Apache-2.0) name, written anew.
DANGEROUS = [
    "=1+1", "@A3", "+1+1", "-1+1", "=cmd|' /C calc'!A0", '=HYPERLINK("http://example.org","x")', "\t=1+1", "\r=1+1",
    "\uff1d1+1",
]  # fmt: skip
HARMLESS = [
    "-1.3",
    "-12",
    "1-2",
    "foo@example.org",
    "19.00 %",
    "",
    "a=b",
    "Anne-Marie",
    "O'Neill",
    "0118",
    "'quoted'",
]

# Text as people write it: no control characters but tab and line ends, no halves of a pair.
written = st.text(
    st.characters(exclude_categories=("Cs", "Cc", "Cn", "Co")) | st.sampled_from("\t\n"), max_size=60
)


@pytest.mark.parametrize("text", DANGEROUS)
def test_what_could_be_a_formula_is_text_in_csv(text):
    assert plain_cell(text) == "'" + text
    row = next(csv.reader(io.StringIO(csv_file([[text, "x"]]).removeprefix("\ufeff"), newline="")))
    assert row == ["'" + text, "x"]


@pytest.mark.parametrize("separator", [";", "\t", "|", "\n", ","])
@pytest.mark.parametrize("sign", ["=", "+", "-", "@", "\uff1d"])
def test_no_cell_begins_a_formula_for_a_program_that_cuts_elsewhere(separator, sign):
    """The same file read with another separator: no cell of it begins like a formula."""
    made = csv_file([["Ann", f"fine{separator}{sign}1+1", f"also{separator} {sign}2"]]).removeprefix("\ufeff")
    for cell in re.split("[;\t|\r\n,]", made):
        assert cell.strip(' "')[:1] != sign


@pytest.mark.parametrize("text", HARMLESS)
def test_what_could_not_stays_as_it_is(text):
    assert plain_cell(text) == text


@given(st.lists(st.lists(written, min_size=2, max_size=5), min_size=1, max_size=6))
def test_csv_comes_back_as_it_was_written(lines):
    """Every record ends in CRLF, every cell is what it was, but for the apostrophe before what begins like a formula."""
    made = csv_file(lines)
    assert made.startswith("\ufeff") and made.endswith("\r\n")
    read = list(csv.reader(io.StringIO(made.removeprefix("\ufeff"), newline="")))
    assert read == [[plain_cell(c) for c in line] for line in lines]
    for cells, line in zip(read, lines, strict=True):
        for cell, text in zip(cells, line, strict=True):
            assert cell.replace("'", "") == text.replace("'", "")
            assert cell[:1] not in BEGINNINGS or cell.lstrip("-").replace(".", "", 1).isdecimal()


def test_a_roster_that_was_saved_is_read_again_as_a_list():
    """Our own reader takes what we wrote: byte order mark, line breaks in notes, commas, letters of any script."""
    lines = [["Name", "Email", "Note"], ["Łukasz Żak", "l.zak@example.org", 'says "maybe",\nthen yes'],
             ["李 明", "li.ming@example.org", "-"]]  # fmt: skip
    table = read_table(csv_file(lines).encode())
    assert list(table.headings) == lines[0]
    assert [list(cells) for _, cells in table.rows] == [lines[1], ["李 明", "li.ming@example.org", "'-"]]


@given(st.lists(st.lists(written, min_size=2, max_size=4), min_size=1, max_size=5))
def test_a_workbook_holds_every_cell_as_text(lines):
    sheet = CalamineWorkbook.from_object(
        io.BytesIO(xlsx_of("Roster", [["A", "B"], *lines]))
    ).get_sheet_by_index(0)
    rows = sheet.to_python(skip_empty_area=False)
    for r, line in enumerate(lines, 1):
        held = [str(c) for c in rows[r]] if r < len(rows) else []
        # Line ends in a workbook are plain line feeds; empty cells at the end of a row or sheet are not stored.
        assert held + [""] * (len(line) - len(held)) == [*line, *[""] * (len(held) - len(line))]


@pytest.mark.parametrize(
    "text", [*DANGEROUS, "007", "1e5", "2027-09-14", "TRUE", "#N/A", "http://example.org"]
)
def test_nothing_becomes_a_formula_a_number_or_a_link_in_a_workbook(text):
    sheet = CalamineWorkbook.from_object(io.BytesIO(xlsx_of("R", [["Head"], [text]]))).get_sheet_by_index(0)
    value = sheet.to_python()[1][0]
    assert isinstance(value, str) and value.replace("\n", "\r") == text.replace("\n", "\r")


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("DSW-27A", "DSW-27A"),
        ("A/B: [1]*?", "A-B- -1---"),
        ("x" * 60, "x" * 31),
        ("'quoted'", "quoted"),
        ("'", "Roster"),
        ("", "Roster"),
    ],
)
def test_any_run_code_names_a_sheet(name, said):
    assert sheet_name(name) == said
    book = CalamineWorkbook.from_object(io.BytesIO(xlsx_of(name, [["Head"]])))
    assert book.sheet_names == [said]


@given(st.text(max_size=80))
def test_no_name_of_a_sheet_is_refused(name):
    held = sheet_name(name)
    assert 1 <= len(held) <= 31 and not set(held) & set("[]:*?/\\")
    assert held[0] != "'" != held[-1]
