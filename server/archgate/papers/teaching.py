"""Teaching agreements, pay requests and statements: as PDF, CSV and XLSX, set from plain values."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from jinja2 import Environment, StrictUndefined

from archgate.core.faults import Fault, Refused
from archgate.papers.lists import csv_file
from archgate.papers.rosters import xlsx_of

STYLE = """@page { size: Letter; margin: 22mm 20mm; @bottom-right { content: counter(page) " of " counter(pages); font-size: 9pt; color: #55636b } }
body { font: 10.5pt/1.45 sans-serif; color: #1f2a30 } h1 { font: 20pt serif; margin: 0 0 6mm } .slate { color: #55636b } .right { text-align: right }
header { display: flex; justify-content: space-between; border-bottom: 1px solid #1f2a30; padding-bottom: 4mm; margin-bottom: 8mm }
table { width: 100%; border-collapse: collapse; margin-top: 6mm } th { text-align: left; border-bottom: 1px solid #8b8f86; font-weight: 600; padding: 1mm 0 }
td { border-bottom: 1px solid #d8d1c2; padding: 2mm 0; vertical-align: top } .sum td { border: 0; font-weight: 600 }
.text { white-space: pre-wrap } .sign { display: flex; gap: 12mm; margin-top: 22mm } .sign div { flex: 1; border-top: 1px solid #1f2a30; padding-top: 2mm }"""
AGREEMENT = """<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{{ title }}</title><style>{{ style | safe }}</style></head><body>
<header><div><strong>{{ center }}</strong></div><div class="right">{{ day }}</div></header>
<h1>{{ title }}</h1><div class="text">{{ text }}</div>
<div class="sign"><div>{{ center }}, date</div><div>{{ instructor }}, date</div></div>
{% if signed %}<p class="slate">Returned signed on {{ signed }}.</p>{% endif %}</body></html>"""
REQUEST = """<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{{ d.title }}</title><style>{{ style | safe }}</style></head><body>
<header><div><strong>{{ d.center }}</strong></div><div class="right">{{ d.day }}</div></header>
<h1>{{ d.title }}</h1><p>{{ d.whom }}</p>{% for note in d.notes %}<p class="slate">{{ note }}</p>{% endfor %}
{% for part in d.parts %}{% if part.title %}<h3>{{ part.title }}</h3>{% endif %}
<table><thead><tr><th>Run</th><th>What</th><th class="right">Amount</th></tr></thead><tbody>
{% for line in part.lines %}<tr><td>{{ line.run }}</td><td>{{ line.label }}<div class="slate">{{ line.why }}</div></td><td class="right">{{ line.amount }}</td></tr>{% endfor %}
<tr class="sum"><td></td><td class="right">Total</td><td class="right">{{ part.total }}</td></tr></tbody></table>{% endfor %}</body></html>"""
PAGES = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True)

# What stands in braces in the center's own text, and what it is replaced by.
FIELDS = {
    "center": "the name of the center",
    "instructor": "the instructor's full name",
    "email": "their email",
    "run": "the title of the run",
    "code": "its code",
    "part": "what they do in it",
    "dates": "the dates they teach, one a line",
    "hours": "their contact hours",
    "meetings": "the number of meetings they teach",
    "pay": "how they are paid",
    "place": "the usual place",
    "today": "the date of the paper",
}
FIELD = re.compile(r"\{([a-z_]*)\}")


def merged(text: str, values: Mapping[str, str]) -> str:
    """A text with its fields filled in; what a value holds is not read again."""
    return FIELD.sub(lambda m: values[m[1]], text)


def field_faults(text: str) -> list[Fault]:
    """Fields of a text that are none."""
    unknown = dict.fromkeys(name for name in FIELD.findall(text) if name not in FIELDS)
    known = ", ".join("{" + f + "}" for f in FIELDS)
    return [Fault("/text", f'"{{{name}}}" is not a field. There are {known}.') for name in unknown]


def check_fields(text: str) -> None:
    faults = field_faults(text)
    if not text.strip():
        faults.append(Fault("/text", "The text is empty."))
    if faults:
        raise Refused(faults)


@dataclass(frozen=True)
class AgreementPaper:
    center: str
    title: str
    instructor: str
    day: str
    text: str
    signed: str


@dataclass(frozen=True)
class PayPaperLine:
    run: str
    label: str
    why: str
    amount: str
    plain: str  # the amount as a sheet takes it


@dataclass(frozen=True)
class PayPart:
    title: str
    lines: tuple[PayPaperLine, ...]
    total: str
    plain: str


@dataclass(frozen=True)
class PayPaper:
    """A pay request, or a statement of several parts."""

    center: str
    title: str
    day: str
    whom: str
    notes: tuple[str, ...]
    parts: tuple[PayPart, ...]
    currency: str


def _pdf(html: str) -> bytes:
    """The typesetter is loaded when first used, since that takes most of a second."""
    from weasyprint import HTML

    return bytes(HTML(string=html).write_pdf())


def agreement_html(paper: AgreementPaper) -> str:
    page = PAGES.from_string(AGREEMENT)
    return page.render(
        style=STYLE, center=paper.center, title=paper.title, instructor=paper.instructor, day=paper.day,
        text=paper.text, signed=paper.signed,
    )  # fmt: skip


def agreement_pdf(paper: AgreementPaper) -> bytes:
    return _pdf(agreement_html(paper))


def pay_html(paper: PayPaper) -> str:
    return PAGES.from_string(REQUEST).render(style=STYLE, d=paper)


def pay_pdf(paper: PayPaper) -> bytes:
    return _pdf(pay_html(paper))


HEADINGS = ("Run", "What", "Why", "Amount", "Currency")


def pay_rows(paper: PayPaper) -> list[list[str]]:
    """The lines as a table, with the total of each part below them."""
    rows = [list(HEADINGS)]
    for part in paper.parts:
        rows += [[x.run, x.label, x.why, x.plain, paper.currency] for x in part.lines]
        rows.append(["", f"Total{f', {part.title}' if part.title else ''}", "", part.plain, paper.currency])
    return rows


def pay_csv(paper: PayPaper) -> bytes:
    return csv_file(pay_rows(paper)).encode()


def pay_xlsx(paper: PayPaper) -> bytes:
    return xlsx_of(paper.title, pay_rows(paper))
