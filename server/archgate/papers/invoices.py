"""Invoices, credit notes and receipts as PDF, set from a document of plain values."""

from __future__ import annotations

from base64 import b64encode

from jinja2 import Environment, StrictUndefined
from pydantic import BaseModel, ConfigDict

from archgate.core.states import PaperSize

PAGE = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>{{ d.title }} {{ d.number or "" }}</title>
<style>
@page { size: {{ d.size }}; margin: 22mm 20mm; @bottom-right { content: counter(page) " of " counter(pages); font-size: 9pt; color: #55636b } }
body { font: 10.5pt/1.45 sans-serif; color: #1f2a30 }
h1 { font: 20pt serif; margin: 0 0 6mm } .slate { color: #55636b } .right { text-align: right }
header { display: flex; justify-content: space-between; border-bottom: 1px solid #1f2a30; padding-bottom: 4mm; margin-bottom: 8mm }
table { width: 100%; border-collapse: collapse; margin-top: 6mm } th { text-align: left; border-bottom: 1px solid #8b8f86; font-weight: 600 }
td { border-bottom: 1px solid #d8d1c2; padding: 2mm 0; vertical-align: top } th { padding: 1mm 0 } .sum td { border: 0; font-weight: 600 }
</style></head><body>
<header><div>{% if logo %}<img src="{{ logo }}" alt="" style="max-height: 18mm; max-width: 60mm"><br>{% endif %}
<strong>{{ d.center }}</strong>{% for line in d.address %}<div class="slate">{{ line }}</div>{% endfor %}</div><div class="right">{{ d.date }}</div></header>
<h1>{{ d.title }}{% if d.number %} {{ d.number }}{% endif %}</h1>
<p>{{ d.payer }}{% for line in d.payer_lines %}<br>{{ line }}{% endfor %}</p>
{% for note in d.notes %}<p class="slate">{{ note }}</p>{% endfor %}
<table><thead><tr><th>What</th><th class="right">Amount</th></tr></thead><tbody>
{% for line in d.lines %}<tr><td>{{ line.what }}{% if line.more %}<div class="slate">{{ line.more }}</div>{% endif %}</td>
<td class="right">{{ line.amount }}</td></tr>{% endfor %}
{% for tax in d.taxes %}<tr><td class="slate">{{ tax.what }}</td><td class="right slate">{{ tax.amount }}</td></tr>{% endfor %}
<tr class="sum"><td class="right">Total</td><td class="right">{{ d.total }}</td></tr>
</tbody></table>
{% if d.dues %}<table><thead><tr><th>Due</th><th class="right">Amount</th></tr></thead><tbody>
{% for due in d.dues %}<tr><td>{{ due.what }}</td><td class="right">{{ due.amount }}</td></tr>{% endfor %}</tbody></table>{% endif %}
</body></html>"""
TEMPLATE = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True).from_string(PAGE)


class PaperLine(BaseModel):
    model_config = ConfigDict(frozen=True)
    what: str
    amount: str
    more: str = ""


class Paper(BaseModel):
    """What an invoice, a credit note, a receipt or a statement says, in words; sums are written out."""

    model_config = ConfigDict(frozen=True)
    title: str
    number: str | None = None
    center: str
    address: list[str] = []
    logo: int | None = None
    size: PaperSize = PaperSize.LETTER
    date: str
    payer: str
    payer_lines: list[str] = []
    notes: list[str] = []
    lines: list[PaperLine]
    taxes: list[PaperLine] = []
    total: str
    dues: list[PaperLine] = []


def html_of(document: Paper, logo: bytes | None = None) -> str:
    shown = f"data:image/jpeg;base64,{b64encode(logo).decode()}" if logo else ""
    return TEMPLATE.render(d=document, logo=shown)


def pdf_of(document: Paper, logo: bytes | None = None) -> bytes:
    """The document as PDF, with the logo that it names. The typesetter is loaded when first used, since that takes most of a second."""
    from weasyprint import HTML

    return bytes(HTML(string=html_of(document, logo)).write_pdf())
