"""Reading lists as they come: CSV in the usual dialects and encodings, and spreadsheets, into headings and rows."""

from __future__ import annotations

import csv
import io
import re
import zipfile
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time
from typing import TYPE_CHECKING

from charset_normalizer import from_bytes

from archgate.core.headings import columns_of

if TYPE_CHECKING:
    from python_calamine import CalamineSheet

LARGEST_FILE = 10 * 1024 * 1024
MOST_ROWS = 50_000
MOST_CELLS = 200  # a line
LONGEST_CELL = 10_000  # characters
LONGEST_LINE = 200_000  # characters
MOST_LINES = 150_000  # of a file as it stands, blank ones and those inside of cells included
MOST_SHEETS = 50
SPAN = 60  # lines that one quoted cell may span
UNPACKED = 150 * 1024 * 1024  # bytes of a workbook's parts
SAMPLE = 64 * 1024  # bytes by which an unusual encoding is told
SEPARATORS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
ABOVE = 20  # among so many first lines the headings are looked for


@dataclass(frozen=True)
class Table:
    """`rows` are (line number in the file, cells); `reading` says how the file was understood, `odd` what is strange about
    a line. A list that is not `headed` has made-up headings, and its first line is a line like any other. `sheet` is the one of
    the `sheets` of a workbook that was read."""

    headings: list[str]
    rows: list[tuple[int, list[str]]]
    reading: str
    odd: dict[int, str] = field(default_factory=dict)
    headed: bool = True
    sheet: str = ""
    sheets: list[str] = field(default_factory=list)


Lines = list[tuple[int, list[str]]]


def read_table(data: bytes, sheet: str = "") -> Table:
    """The headings and rows of a list; of a workbook those of the sheet named, else of the one that looks most like a list.
    Raises ValueError with the reason for what is no list.

    Lines above the headings (a title) are passed over; lines below them that hold nothing but separators stay, so
    that they can be named.
    """
    if len(data) > LARGEST_FILE:
        raise ValueError(f"The file is larger than {LARGEST_FILE // 1024 // 1024} MB.")
    if not data.strip(b" \t\r\n\0"):
        raise ValueError("The file is empty.")
    odd: dict[int, str] = {}
    sheets: list[str] = []
    if data.startswith((b"PK\x03\x04", b"\xd0\xcf\x11\xe0")):
        lines, how, sheet, sheets = spreadsheet_lines(data, sheet)
    else:
        (lines, how), sheet = text_lines(data, odd), ""
    if max((len(cells) for _, cells in lines), default=0) < 2:
        raise ValueError("This is no table: its lines have a single column.")
    refuse_long(lines)
    at = headings_at(lines)
    if at is None:
        headings = [f"Column {n}" for n in range(1, max(len(cells) for _, cells in lines) + 1)]
        refuse_many(lines)
        reading = f"{how}, no headings, {len(lines):,} lines"
        return Table(headings, lines, reading, odd, False, sheet, sheets)
    headings, rows = lines[at][1], lines[at + 1 :]
    while rows and not any(rows[-1][1]):
        rows.pop()
    if not rows:
        raise ValueError("The list has headings but no lines.")
    refuse_many(rows)
    passed = f", headings on line {lines[at][0]}" if lines[at][0] > 1 else ""
    return Table(headings, rows, f"{how}{passed}, {len(rows):,} lines", odd, True, sheet, sheets)


def refuse_many(rows: Lines) -> None:
    if len(rows) > MOST_ROWS:
        raise ValueError(f"The list has more than {MOST_ROWS:,} lines.")


def refuse_long(lines: Lines) -> None:
    """Refuse lines and cells that no list of people has."""
    for line, cells in lines:
        if len(cells) > MOST_CELLS:
            raise ValueError(f"Line {line} has {len(cells)} cells; a line has at most {MOST_CELLS}.")
        if any(len(c) > LONGEST_CELL for c in cells):
            raise ValueError(f"A cell of line {line} has more than {LONGEST_CELL:,} characters.")


def headings_at(lines: Lines) -> int | None:
    """Which line holds the headings: the one with the most headings we know, else the first with two cells. None where that
    line is data already: it holds an email address, or nothing but numbers and dates beside one text."""
    known = [len(columns_of(cells)) for _, cells in lines[:ABOVE]]
    if max(known, default=0) >= 2:
        return known.index(max(known))
    at = next((i for i, (_, cells) in enumerate(lines[:ABOVE]) if sum(map(bool, cells)) >= 2), 0)
    return None if any("@" in c or re.search(r"\d{3}", c) for c in lines[at][1]) else at


# --- text -------------------------------------------------------------------------------------------------


def text_of(data: bytes) -> tuple[str, str]:
    """The text of a file and the name of its encoding. Raises ValueError for what is no text."""
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        try:
            return data.decode("utf-16"), "UTF-16"
        except UnicodeDecodeError:
            raise ValueError("The file's characters could not be read; save it as UTF-8.") from None
    wide = wide_of(data)
    if wide:
        return data.decode(wide), "UTF-16"
    if data.count(b"\0") > len(data) // 50:
        raise ValueError("The file holds NUL bytes all over; it is no list of text.")
    for encoding, name in (("utf-8-sig", "UTF-8"), ("cp1252", "Windows-1252")):
        try:
            return data.decode(encoding), name
        except UnicodeDecodeError:
            continue
    best = from_bytes(data[:SAMPLE]).best()
    try:
        if best is not None:
            return data.decode(best.encoding), best.encoding
    except (UnicodeDecodeError, LookupError):
        pass
    raise ValueError("The file's characters could not be read; save it as UTF-8.")


def wide_of(data: bytes) -> str:
    """The encoding of a file in UTF-16 without its mark, as some programs write it: nearly every other byte is NUL."""
    even, odd = data[:SAMPLE:2].count(0), data[1:SAMPLE:2].count(0)
    half = min(len(data), SAMPLE) // 2
    encoding = "utf-16-le" if odd * 10 > half * 9 else "utf-16-be" if even * 10 > half * 9 else ""
    try:
        return encoding if encoding and data.decode(encoding) else ""
    except UnicodeDecodeError:
        return ""


def separator_of(head: Sequence[str]) -> str:
    """The separator that cuts a line of the first into headings we know, else the one that cuts them into the most equal number of
    cells, more than one."""

    def cells(separator: str) -> tuple[int, int, int]:
        rows = [row for _, row, _ in records(head, separator) if any(cell.strip() for cell in row)][:30]
        counts = [len(row) for row in rows]
        usual = max(set(counts), key=counts.count) if counts else 0
        known = max((len(columns_of(row)) for row in rows[:ABOVE]), default=0)
        return known if known >= 2 else 0, counts.count(usual) if usual > 1 else 0, usual

    return max(SEPARATORS, key=cells)


def records(lines: Sequence[str], separator: str) -> Iterable[tuple[int, list[str], bool]]:
    """The records of lines of text (each with its end): number of the first line, cells, and whether its quotes are sound.

    Cells that are closed may span lines. A quote whose closing one no separator or line end follows, or that is not closed
    within `SPAN` lines, closes nothing: its line is read alone, quotes and all, so that no line after it is eaten.
    """
    at = 0
    while at < len(lines):
        if '"' not in lines[at]:
            cells, used, sound = next(csv.reader(lines[at : at + 1], delimiter=separator), []), 1, True
        else:
            reader = csv.reader(lines[at : at + SPAN], delimiter=separator, strict=True)
            try:
                cells, used, sound = next(reader, []), reader.line_num, True
            except csv.Error:
                alone = csv.reader(lines[at : at + 1], delimiter=separator, quoting=csv.QUOTE_NONE)
                cells, used, sound = next(alone, []), 1, False
        yield at + 1, cells, sound
        at += used


NUL = "NUL bytes were taken out of this line."
UNCLOSED = "A quote in this line is never closed; the line is read as it stands."


def text_lines(data: bytes, odd: dict[int, str]) -> tuple[Lines, str]:
    """The lines of a CSV file with their numbers; blank ones are passed over, cells keep their spaces. What is odd about a
    line is put into `odd`."""
    text, encoding = text_of(data)
    if text.count("\n") + text.count("\r") > 2 * MOST_LINES:
        raise ValueError(f"The file has more than {MOST_LINES:,} lines, most of them blank.")
    raw_lines = io.StringIO(text, newline="").readlines()
    if len(raw_lines) > MOST_LINES:
        raise ValueError(f"The file has more than {MOST_LINES:,} lines, most of them blank.")
    long = next((n for n, row in enumerate(raw_lines, 1) if len(row) > LONGEST_LINE), None)
    if long is not None:
        raise ValueError(f"Line {long} has more than {LONGEST_LINE:,} characters; this is no list of people.")
    separator = separator_of(raw_lines[: 2 * SPAN])
    lines: Lines = []
    try:
        for line, cells, sound in records(raw_lines, separator):
            if any("\0" in c for c in cells):
                cells, odd[line] = [c.replace("\0", "") for c in cells], NUL
            if cells:
                lines.append((line, [c if c.strip() else "" for c in cells]))
            if not sound:
                odd[line] = UNCLOSED
            if len(lines) > MOST_ROWS + ABOVE:
                raise ValueError(f"The list has more than {MOST_ROWS:,} lines.")
    except csv.Error as error:
        raise ValueError(f"The file could not be read: {error}.") from None
    return lines, f"{encoding}, {SEPARATORS[separator]} between cells"


# --- spreadsheets -----------------------------------------------------------------------------------------


def spreadsheet_lines(data: bytes, wanted: str = "") -> tuple[Lines, str, str, list[str]]:
    """The lines of a workbook's sheet, with the sheet's row numbers: the one named, else the one that looks most like a list of
    people. How that was understood, its name, and the names of all sheets."""
    from python_calamine import CalamineError, CalamineWorkbook

    refuse_bomb(data)
    try:
        book = CalamineWorkbook.from_filelike(io.BytesIO(data))
        if len(book.sheet_names) > MOST_SHEETS:
            raise ValueError(f"it has more than {MOST_SHEETS} sheets")
        sheets = [(name, numbered(book.get_sheet_by_name(name))) for name in book.sheet_names]
    except (CalamineError, OSError, ValueError) as error:
        raise ValueError(
            f"This is no workbook that can be read ({error}). Save the list as XLSX or CSV."
        ) from None
    if not sheets:
        raise ValueError("The workbook has no sheet.")
    if any(len(lines) > MOST_ROWS + ABOVE for _, lines in sheets):
        raise ValueError(f"A sheet has more than {MOST_ROWS:,} lines.")

    def likeness(sheet: tuple[str, Lines]) -> tuple[int, int]:
        return max((len(columns_of(cells)) for _, cells in sheet[1][:ABOVE]), default=0), len(sheet[1])

    name, lines = next((s for s in sheets if s[0] == wanted), None) or max(sheets, key=likeness)
    others = f" of {len(sheets)}" if len(sheets) > 1 else ""
    return lines, f'Workbook, sheet "{name}"{others}', name, [name for name, _ in sheets]


def refuse_bomb(data: bytes) -> None:
    """Refuse a workbook whose parts are far larger unpacked than any list is; what lies about its size is stopped by the
    limits of the process that reads."""
    if not data.startswith(b"PK"):
        return
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            size = sum(part.file_size for part in packed.infolist())
    except (zipfile.BadZipFile, ValueError, OSError) as error:
        raise ValueError(
            f"This is no workbook that can be read ({error}). Save the list as XLSX or CSV."
        ) from None
    if size > UNPACKED:
        raise ValueError(
            f"The workbook has {size // 1024 // 1024:,} MB unpacked; a list has at most {UNPACKED // 1024 // 1024}."
        )


def numbered(sheet: CalamineSheet) -> Lines:
    if sheet.total_width > 16 * MOST_CELLS or sheet.total_height > 10 * MOST_ROWS:
        raise ValueError(
            f'its sheet "{sheet.name}" is {sheet.total_width:,} columns wide and {sheet.total_height:,} lines long;'
            " a cell far away from the others is filled"
        )
    rows: Iterable[Sequence[object]] = sheet.to_python(skip_empty_area=False)
    lines = [(n, [shown_cell(c) for c in row]) for n, row in enumerate(rows, 1)]
    first = next((i for i, (_, cells) in enumerate(lines) if any(cells)), len(lines))
    return lines[first:]


def shown_cell(value: object) -> str:
    """A cell as text: dates by ISO 8601, whole numbers without a point."""
    if isinstance(value, datetime):
        return value.date().isoformat() if value.time() == time() else value.isoformat(" ", "minutes")
    if isinstance(value, date | time):
        return value.isoformat()
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return "" if value is None else str(value).strip()


FORMULA = set("=+-@\t\r\n\uff1d\uff0b\uff0d\uff20")


INNER = re.compile(r"([;,\t|\r\n][ \xa0\"]*)(?=[=+\-@\uff1d\uff0b\uff0d\uff20])")


def plain_cell(text: str) -> str:
    """A cell as a spreadsheet will take it: what begins like a formula gets an apostrophe before it, a number does not. A
    program that cuts at semicolons or tabs makes cells of its own out of this one: what would begin such a cell, or a
    line, gets one too.

    What counts as its beginning is OWASP's list (CSV Injection; from memory), with the wide forms of the four signs.
    """
    skipped = text[:1] if text[:1] in FORMULA else ""  # it gets its own
    inner = skipped + INNER.sub(r"\1'", text[len(skipped) :])
    formula = text[:1] in FORMULA and not re.fullmatch(r"-\d+(\.\d+)?", text)
    return f"'{inner}" if formula else inner


def csv_file(lines: Iterable[Iterable[str]]) -> str:
    """Lines as a CSV file (RFC 4180) that spreadsheets read as UTF-8, every cell as text."""
    out = io.StringIO()
    csv.writer(out, lineterminator="\r\n").writerows([plain_cell(c) for c in line] for line in lines)
    return "\ufeff" + out.getvalue()
