"""Reading lists as they come: CSV in the usual dialects and encodings, into headings and numbered rows."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass

from charset_normalizer import from_bytes

LARGEST_FILE = 10 * 1024 * 1024
MOST_ROWS = 20_000
SEPARATORS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}


@dataclass(frozen=True)
class Table:
    """`rows` are (line number in the file, cells); `reading` says how the file was understood."""

    headings: list[str]
    rows: list[tuple[int, list[str]]]
    reading: str


def text_of(data: bytes) -> tuple[str, str]:
    """The text of a file and the name of its encoding. Raises ValueError for what is no text."""
    if data.startswith(b"PK\x03\x04"):
        raise ValueError("This is a spreadsheet or an archive, not a CSV file. Save the list as CSV first.")
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return data.decode("utf-16"), "UTF-16"
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
        for row in csv.reader(io.StringIO(text, newline=""), delimiter=separator):
            if any(cell.strip() for cell in row):
                counts.append(len(row))
            if len(counts) == 30:
                break
        usual = max(set(counts), key=counts.count) if counts else 0
        return (counts.count(usual) if usual > 1 else 0, usual)

    return max(SEPARATORS, key=cells)


def read_table(data: bytes) -> Table:
    """A CSV file's headings and rows; lines that are wholly empty are left out. Raises ValueError with the reason."""
    if len(data) > LARGEST_FILE:
        raise ValueError(f"The file is larger than {LARGEST_FILE // 1024 // 1024} MB.")
    if not data.strip():
        raise ValueError("The file is empty.")
    text, encoding = text_of(data)
    separator = separator_of(text)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator)
    headings: list[str] = []
    rows: list[tuple[int, list[str]]] = []
    line = 1
    try:
        for cells in reader:
            trimmed = [cell.strip() for cell in cells]
            if any(trimmed):
                if headings:
                    rows.append((line, trimmed))
                else:
                    headings = trimmed
            line = reader.line_num + 1
            if len(rows) > MOST_ROWS:
                raise ValueError(f"The list has more than {MOST_ROWS} lines.")
    except csv.Error as error:
        raise ValueError(f"Line {line} could not be read: {error}.") from None
    if len(headings) < 2:
        raise ValueError("This is no table: its first line has a single column.")
    if not rows:
        raise ValueError("The list has headings but no lines.")
    return Table(headings, rows, f"{encoding}, {SEPARATORS[separator]} between cells, {len(rows)} lines")
