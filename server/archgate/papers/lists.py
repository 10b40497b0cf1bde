"""Reading lists as they come: CSV in the usual dialects and encodings, and spreadsheets, into headings and rows."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time
from typing import Any

from charset_normalizer import from_bytes

from archgate.core.verdicts import columns_of

LARGEST_FILE = 10 * 1024 * 1024
MOST_ROWS = 20_000
SEPARATORS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
ABOVE = 20  # among so many first lines the headings are looked for


@dataclass(frozen=True)
class Table:
    """`rows` are (line number in the file, cells); `reading` says how the file was understood."""

    headings: list[str]
    rows: list[tuple[int, list[str]]]
    reading: str


Lines = list[tuple[int, list[str]]]


def read_table(data: bytes) -> Table:
    """The headings and rows of a list. Raises ValueError with the reason for what is no list.

    Lines above the headings (a title) are passed over; lines below them that hold nothing but separators stay, so
    that they can be named.
    """
    if len(data) > LARGEST_FILE:
        raise ValueError(f"The file is larger than {LARGEST_FILE // 1024 // 1024} MB.")
    if not data.strip():
        raise ValueError("The file is empty.")
    if data.startswith((b"PK\x03\x04", b"\xd0\xcf\x11\xe0")):
        lines, how = spreadsheet_lines(data)
    else:
        lines, how = text_lines(data)
    if max((len(cells) for _, cells in lines), default=0) < 2:
        raise ValueError("This is no table: its lines have a single column.")
    at = headings_at(lines)
    headings, rows = lines[at][1], lines[at + 1 :]
    while rows and not any(rows[-1][1]):
        rows.pop()
    if not rows:
        raise ValueError("The list has headings but no lines.")
    if len(rows) > MOST_ROWS:
        raise ValueError(f"The list has more than {MOST_ROWS} lines.")
    passed = f", headings on line {lines[at][0]}" if lines[at][0] > 1 else ""
    return Table(headings, rows, f"{how}{passed}, {len(rows)} lines")


def headings_at(lines: Lines) -> int:
    """Which line holds the headings: the one with the most headings we know, else the first with two cells."""
    known = [len(columns_of(cells)) for _, cells in lines[:ABOVE]]
    if max(known, default=0) >= 2:
        return known.index(max(known))
    return next((i for i, (_, cells) in enumerate(lines[:ABOVE]) if sum(map(bool, cells)) >= 2), 0)


# --- text -------------------------------------------------------------------------------------------------


def text_of(data: bytes) -> tuple[str, str]:
    """The text of a file and the name of its encoding. Raises ValueError for what is no text."""
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        try:
            return data.decode("utf-16"), "UTF-16"
        except UnicodeDecodeError:
            raise ValueError("The file's characters could not be read; save it as UTF-8.") from None
    if b"\0" in data:
        raise ValueError("The file holds NUL bytes; it is no list of text.")
    for encoding, name in (("utf-8-sig", "UTF-8"), ("cp1252", "Windows-1252")):
        try:
            return data.decode(encoding), name
        except UnicodeDecodeError:
            continue
    best = from_bytes(data).best()
    if best is None:
        raise ValueError("The file's characters could not be read; save it as UTF-8.")
    return str(best), best.encoding


def separator_of(text: str) -> str:
    """The separator that cuts the first lines into the most equal number of cells, more than one."""

    def cells(separator: str) -> tuple[int, int]:
        counts = []
        try:
            for row in csv.reader(io.StringIO(text, newline=""), delimiter=separator):
                if any(cell.strip() for cell in row):
                    counts.append(len(row))
                if len(counts) == 30:
                    break
        except csv.Error:
            return (0, 0)
        usual = max(set(counts), key=counts.count) if counts else 0
        return (counts.count(usual) if usual > 1 else 0, usual)

    return max(SEPARATORS, key=cells)


def text_lines(data: bytes) -> tuple[Lines, str]:
    """The lines of a CSV file with their numbers; blank ones are passed over, cells keep their spaces."""
    text, encoding = text_of(data)
    separator = separator_of(text)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator)
    lines: Lines = []
    line = 1
    try:
        for cells in reader:
            if cells:
                lines.append((line, [c if c.strip() else "" for c in cells]))
            line = reader.line_num + 1
            if len(lines) > MOST_ROWS + ABOVE:
                raise ValueError(f"The list has more than {MOST_ROWS} lines.")
    except csv.Error as error:
        raise ValueError(f"Line {line} could not be read: {error}.") from None
    return lines, f"{encoding}, {SEPARATORS[separator]} between cells"


# --- spreadsheets -----------------------------------------------------------------------------------------


def spreadsheet_lines(data: bytes) -> tuple[Lines, str]:
    """The lines of a workbook's sheet that looks most like a list of people, with the sheet's row numbers."""
    from python_calamine import CalamineError, CalamineWorkbook

    try:
        book = CalamineWorkbook.from_filelike(io.BytesIO(data))
        sheets = [(name, numbered(book.get_sheet_by_name(name))) for name in book.sheet_names]
    except (CalamineError, OSError, ValueError) as error:
        raise ValueError(
            f"This is no workbook that can be read ({error}). Save the list as XLSX or CSV."
        ) from None
    if not sheets:
        raise ValueError("The workbook has no sheet.")

    def likeness(sheet: tuple[str, Lines]) -> tuple[int, int]:
        return max((len(columns_of(cells)) for _, cells in sheet[1][:ABOVE]), default=0), len(sheet[1])

    name, lines = max(sheets, key=likeness)
    others = f" of {len(sheets)}" if len(sheets) > 1 else ""
    return lines, f'Workbook, sheet "{name}"{others}'


def numbered(sheet: Any) -> Lines:
    rows: Iterable[Sequence[Any]] = sheet.to_python(skip_empty_area=False)
    lines = [(n, [shown_cell(c) for c in row]) for n, row in enumerate(rows, 1)]
    first = next((i for i, (_, cells) in enumerate(lines) if any(cells)), len(lines))
    return lines[first:]


def shown_cell(value: Any) -> str:
    """A cell as text: dates by ISO 8601, whole numbers without a point."""
    if isinstance(value, datetime):
        return value.date().isoformat() if value.time() == time() else value.isoformat(" ", "minutes")
    if isinstance(value, date | time):
        return value.isoformat()
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return "" if value is None else str(value).strip()


FORMULA = set("=+-@\t\r\n\uff1d\uff0b\uff0d\uff20")


def plain_cell(text: str) -> str:
    """A cell as a spreadsheet will take it: what begins like a formula gets an apostrophe before it, a number does not.

    What counts as its beginning is OWASP's list (CSV Injection; from memory), with the wide forms of the four signs.
    """
    formula = text[:1] in FORMULA and not re.fullmatch(r"-\d+(\.\d+)?", text)
    return f"'{text}" if formula else text


def csv_file(lines: Iterable[Iterable[str]]) -> str:
    """Lines as a CSV file (RFC 4180) that spreadsheets read as UTF-8, every cell as text."""
    out = io.StringIO()
    csv.writer(out, lineterminator="\r\n").writerows([plain_cell(c) for c in line] for line in lines)
    return "\ufeff" + out.getvalue()
