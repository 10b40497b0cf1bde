"""Writes letters: the values of an occasion into its template as plain text, and the text as HTML.

The words stand once, in the text; the HTML is made from it. Markup in what people typed stays what it is, text, so a
reader of Markdown would not do here: a note may well begin with a star.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, fields
from datetime import time
from pathlib import Path

from jinja2 import Environment, FileSystemLoader, StrictUndefined

from archgate.core.money import format_amount
from archgate.core.schedule import day_text, local_text
from archgate.papers.letters.occasions import Occasion
from archgate.papers.words import money_text

LOADER = FileSystemLoader(Path(__file__).parent)
TEXTS = Environment(
    loader=LOADER, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True, autoescape=False
)
PAGES = Environment(loader=LOADER, undefined=StrictUndefined, trim_blocks=True, autoescape=True)


def clock_text(at: time) -> str:
    return f"{at:%H:%M}"


TEXTS.filters |= {
    "amount": format_amount, "money": money_text, "day": day_text, "clock": clock_text, "moment": local_text,
}  # fmt: skip


@dataclass(frozen=True)
class Letter:
    """A letter as it goes out: what it is about, and its plain text."""

    subject: str
    text: str


def written(occasion: Occasion) -> Letter:
    """The letter of an occasion. A value that the template names and the occasion lacks is an error, not a gap."""
    values = {f.name: getattr(occasion, f.name) for f in fields(occasion)}
    module = TEXTS.get_template(occasion.template).make_module(values)
    subject = " ".join(str(getattr(module, "subject", "")).split())
    return Letter(subject, re.sub(r"\n\s*\n\s*", "\n\n", str(module)).strip())


@dataclass(frozen=True)
class Block:
    """Lines of a paragraph, or items of a list."""

    items: bool
    lines: tuple[str, ...]


def blocks_of(text: str) -> list[Block]:
    """The paragraphs and lists of a letter: blank lines part paragraphs, lines that begin with a dash are a list."""
    blocks: list[Block] = []
    for paragraph in text.split("\n\n"):
        apart = True
        for line in paragraph.split("\n"):
            item = line.startswith("- ")
            shown = line[2:] if item else line
            if not apart and blocks[-1].items is item:
                blocks[-1] = Block(item, (*blocks[-1].lines, shown))
            else:
                blocks.append(Block(item, (shown,)))
            apart = False
    return blocks


def html_of(letter: Letter) -> str:
    """A letter as a page of HTML: its paragraphs and lists, and each address of a page as a link."""
    return PAGES.get_template("letter.html").render(
        subject=letter.subject, blocks=blocks_of(letter.text), is_link=is_link
    )


def is_link(line: str) -> bool:
    return re.fullmatch(r"https?://\S+", line) is not None
