"""Reading foreign files in a process of its own, with limited memory and time: what a file does to its reader, it does
to nobody else.

A file is read, or refused in a sentence, within `SECONDS` and `MEMORY`; the limits are said beforehand (`LIMITS`).
"""

from __future__ import annotations

import base64
import os
import resource
import subprocess
import sys
import threading
from datetime import date, datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import orjson

from archgate.core.faults import Refused, refuse
from archgate.papers.calendars import MOST_TIMES, Taken, read_calendar
from archgate.papers.lists import (
    LARGEST_FILE,
    LONGEST_CELL,
    MOST_CELLS,
    MOST_ROWS,
    Table,
    read_table,
)
from archgate.papers.pictures import Sizes, picture_read, sizes_read

SECONDS = 9  # of one file, by the clock
MEMORY = 300 * 1024 * 1024  # beyond what the reader itself needs
AT_ONCE = 2  # files read at the same time by one server process
PATIENCE = 25  # seconds that a file waits for its turn
LIMITS = (
    f"Up to {LARGEST_FILE // 1024 // 1024} MB, {MOST_ROWS:,} lines, {MOST_CELLS} cells a line and {LONGEST_CELL:,} characters"
    f" a cell; read within {SECONDS} seconds and {MEMORY // 1024 // 1024} MB of memory."
)
HERE = Path(__file__).resolve().parents[2]  # where the package is, wherever the server was started
_turns = threading.BoundedSemaphore(AT_ONCE)


def list_of(data: bytes, sheet: str = "") -> Table:
    """The table of a list (`lists.read_table`). Raises Refused at /file."""
    content = _read("list", data, {"sheet": sheet})
    rows = [(int(line), [str(c) for c in cells]) for line, cells in content["rows"]]
    odd = {int(line): str(sentence) for line, sentence in content["odd"].items()}
    return Table(
        [str(h) for h in content["headings"]], rows, str(content["reading"]), odd, bool(content["headed"]),
        str(content["sheet"]), [str(s) for s in content["sheets"]],
    )  # fmt: skip


def times_of(data: bytes, zone: ZoneInfo, first: date, last: date) -> list[Taken]:
    """The times that a calendar file takes between two days (`calendars.read_calendar`). Raises Refused at /file."""
    asked = {"zone": zone.key, "first": first.isoformat(), "last": last.isoformat()}
    return [
        Taken(datetime.fromisoformat(start), datetime.fromisoformat(end), bool(all_day), str(label))
        for start, end, all_day, label in _read("calendar", data, asked)["times"]
    ]


def picture_of(data: bytes) -> bytes:
    """A picture made anew (`pictures.picture_read`). Raises Refused at /file."""
    return base64.b64decode(_read("picture", data, {})["picture"])


def sizes_of(data: bytes) -> Sizes:
    """A picture for a page, in two sizes (`pictures.sizes_read`). Raises Refused at /file."""
    made = _read("sizes", data, {})
    large, small = (base64.b64decode(made[size]) for size in ("large", "small"))
    return Sizes(int(made["width"]), int(made["height"]), large, small)


def _read(kind: str, data: bytes, asked: dict[str, str]) -> dict:  # type: ignore[type-arg]
    if len(data) > LARGEST_FILE:
        raise refuse("/file", f"The file is larger than {LARGEST_FILE // 1024 // 1024} MB.")
    if not _turns.acquire(timeout=PATIENCE):
        raise refuse("/file", "Other files are being read just now; try again in a moment.")
    try:
        with subprocess.Popen(
            [sys.executable, "-m", "archgate.papers.apart", kind, orjson.dumps(asked).decode()],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
            env={**os.environ, "PYTHONPATH": str(HERE), "MALLOC_ARENA_MAX": "1"},
        ) as child:  # fmt: skip
            try:
                answer, _ = child.communicate(data, timeout=SECONDS)
            except subprocess.TimeoutExpired:
                child.kill()
                raise refuse(
                    "/file", f"Reading this file takes longer than {SECONDS} seconds; a file like this is not read. {LIMITS}"
                ) from None  # fmt: skip
    finally:
        _turns.release()
    if child.returncode or not answer:
        raise refuse(
            "/file",
            f"This file needs more memory than a file may ({MEMORY // 1024 // 1024} MB) or cannot be read at all. In a workbook,"
            " a cell far away from the others is often the reason: copy the list alone to a new sheet.",
        )
    content = orjson.loads(answer)
    if "refused" in content:
        raise refuse("/file", str(content["refused"]))
    return content  # type: ignore[no-any-return]


def _limit() -> None:
    """Bind this process to its limits, on top of what it has taken already with its libraries loaded."""
    with open("/proc/self/statm") as stream:  # noqa: PTH123 (a file of the kernel's)
        own = int(stream.read().split()[0]) * resource.getpagesize()
    resource.setrlimit(resource.RLIMIT_AS, (own + MEMORY, own + MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS + 1, SECONDS + 2))
    resource.setrlimit(resource.RLIMIT_FSIZE, (0, 0))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _answer(kind: str, asked: dict[str, str], data: bytes) -> bytes:
    """What the parent gets: the file as plain values, or the sentence that refuses it."""
    try:
        if kind == "list":
            table = read_table(data, asked["sheet"])
            content = {"headings": table.headings, "rows": table.rows, "reading": table.reading, "headed": table.headed,
                    "odd": {str(n): sentence for n, sentence in table.odd.items()}, "sheet": table.sheet,
                    "sheets": table.sheets}  # fmt: skip
            return orjson.dumps(content)
        if kind == "picture":
            return orjson.dumps({"picture": base64.b64encode(picture_read(data)).decode()})
        if kind == "sizes":
            made = sizes_read(data)
            both = {"large": made.large, "small": made.small}
            texts = {name: base64.b64encode(content).decode() for name, content in both.items()}
            return orjson.dumps({"width": made.width, "height": made.height, **texts})
        times = read_calendar(
            data,
            ZoneInfo(asked["zone"]),
            date.fromisoformat(asked["first"]),
            date.fromisoformat(asked["last"]),
        )
        return orjson.dumps(
            {"times": [(t.start, t.end, t.all_day, t.label) for t in times[: MOST_TIMES + 1]]}
        )
    except Refused as refused:
        return orjson.dumps({"refused": " ".join(f.message for f in refused.faults)})
    except ValueError as error:
        return orjson.dumps({"refused": str(error)})


if __name__ == "__main__":
    import python_calamine  # noqa: F401 (loaded before the limits count)

    content = sys.stdin.buffer.read(LARGEST_FILE + 1)
    _limit()
    sys.stdout.buffer.write(_answer(sys.argv[1], orjson.loads(sys.argv[2]), content))
