"""What goes out of a roster: sign-in sheets, name badges, contact lists as PDF; lines for CSV, and sheets as XLSX."""

from __future__ import annotations

import io
from collections.abc import Iterable
from dataclasses import dataclass

from jinja2 import Environment, StrictUndefined

HEAD = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>{{ d.title }}</title>
<style>
@page { size: Letter; margin: 16mm 16mm; @bottom-right { content: counter(page) " of " counter(pages); font-size: 9pt; color: #55636b } }
body { font: 10.5pt/1.4 sans-serif; color: #1f2a30; margin: 0 } h1 { font: 18pt serif; margin: 0 } .slate { color: #55636b }
table { width: 100%; border-collapse: collapse; margin-top: 5mm } th { text-align: left; border-bottom: 1px solid #1f2a30; padding: 1mm 2mm 1mm 0 }
td { border-bottom: 1px solid #d8d1c2; padding: 2.2mm 2mm 2.2mm 0; vertical-align: top } td.sign { width: 62mm } td.n { width: 9mm; color: #55636b }
{{ extra }}
</style></head><body>"""
SHEET = (
    HEAD
    + """{% for s in d.sheets %}<section{% if not loop.first %} style="break-before: page"{% endif %}>
<h1>{{ d.title }}</h1><div>{{ s.when }}{% if s.place %}, {{ s.place }}{% endif %}{% if s.instructor %}, with {{ s.instructor }}{% endif %}</div>
<div class="slate">{{ d.code }}, {{ d.people | length }} people</div>
<table><thead><tr><th></th><th>Name</th>{% if d.remarks %}<th>Notes</th>{% endif %}{% if d.health %}<th>Health</th>{% endif %}<th>Signature</th></tr></thead><tbody>
{% for p in d.people %}<tr><td class="n">{{ loop.index }}</td><td>{{ p.name }}</td>{% if d.remarks %}<td>{{ p.note }}</td>{% endif %}{% if d.health %}<td>{{ p.health }}</td>{% endif %}<td class="sign"></td></tr>{% endfor %}
{% for n in range(3) %}<tr><td class="n"></td><td>&nbsp;</td>{% if d.remarks %}<td></td>{% endif %}{% if d.health %}<td></td>{% endif %}<td class="sign"></td></tr>{% endfor %}
</tbody></table></section>{% endfor %}</body></html>"""
)
BADGES = (
    HEAD
    + """{% for p in d.people %}<div class="badge"><div class="slate">{{ d.center }}</div><div class="name">{{ p.name }}</div><div>{{ d.title }}</div>
{% if p.role != "learner" %}<div class="slate">{{ p.role }}</div>{% endif %}</div>{% endfor %}</body></html>"""
)
CONTACTS = (
    HEAD
    + """<h1>{{ d.title }}</h1><div class="slate">{{ d.code }}, contact list</div>
<table><thead><tr><th>Name</th><th>Phone</th><th>Email</th><th>Group</th></tr></thead><tbody>
{% for p in d.people %}<tr><td>{{ p.name }}</td><td>{{ p.phone }}</td><td>{{ p.email }}</td><td>{{ p.group }}</td></tr>{% endfor %}
</tbody></table></body></html>"""
)
ON_BADGES = ".badge { display: inline-block; width: 84mm; height: 50mm; border: 0.3mm dashed #b9b19f; padding: 6mm; margin: 0 -0.3mm -0.3mm 0; vertical-align: top; box-sizing: border-box; break-inside: avoid; overflow: hidden } .name { font: 19pt serif; margin: 3mm 0 }"
ENVIRONMENT = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True)
PAPERS = {
    "sign-in": (ENVIRONMENT.from_string(SHEET), ""),
    "badges": (ENVIRONMENT.from_string(BADGES), ON_BADGES),
    "contacts": (ENVIRONMENT.from_string(CONTACTS), ""),
}


@dataclass(frozen=True)
class Listed:
    """Somebody on a roster, as papers show them."""

    name: str
    email: str
    phone: str
    group: str
    note: str
    health: str
    role: str


@dataclass(frozen=True)
class Sheet:
    when: str
    place: str
    instructor: str


@dataclass(frozen=True)
class RosterPaper:
    """What sign-in sheets, badges and contact lists show; `remarks`: with the notes on sign-ups; `health`: with the remarks on health."""

    center: str
    title: str
    code: str
    remarks: bool
    health: bool
    people: list[Listed]
    sheets: list[Sheet]


def html_of(kind: str, document: RosterPaper) -> str:
    template, extra = PAPERS[kind]
    return template.render(d=document, extra=extra)


def pdf_of(kind: str, document: RosterPaper) -> bytes:
    """A paper as PDF. The typesetter is loaded when first used, since that takes most of a second."""
    from weasyprint import HTML

    return bytes(HTML(string=html_of(kind, document)).write_pdf())


def sheet_name(text: str) -> str:
    """A name as a workbook takes it: at most 31 characters, none of []:*?/\\, no apostrophe at either end."""
    return "".join("-" if c in "[]:*?/\\" else c for c in text)[:31].strip("' ") or "Roster"


def xlsx_of(name: str, lines: Iterable[Iterable[str]]) -> bytes:
    """Lines as one sheet of an XLSX file; every cell is text, so that nothing becomes a formula and zeros in front stay."""
    from xlsxwriter import Workbook

    out = io.BytesIO()
    with Workbook(out, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}) as book:
        sheet, bold = book.add_worksheet(sheet_name(name)), book.add_format({"bold": True})
        for r, line in enumerate(lines):
            for c, cell in enumerate(line):
                sheet.write_string(r, c, cell, bold if r == 0 else None)
        sheet.freeze_panes(1, 0)
    return out.getvalue()
