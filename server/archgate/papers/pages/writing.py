"""Writes the public pages: values into templates."""

from __future__ import annotations

from datetime import date, datetime
from pathlib import Path

from jinja2 import Environment, FileSystemLoader, StrictUndefined

from archgate.core.schedule import day_text, local_text
from archgate.papers.pages.values import CatalogPage, CoursePage, NotThere, SignUpPage
from archgate.papers.words import amount_text

PAGES = Environment(
    loader=FileSystemLoader(Path(__file__).parent), undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True,
    autoescape=True,
)  # fmt: skip
PAGES.filters |= {
    "money": amount_text,
    "day": day_text,
    "moment": local_text,
    "clock": lambda moment: f"{moment:%H:%M}",
}


def catalog_html(page: CatalogPage) -> str:
    return PAGES.get_template("catalog.html").render(page=page)


def course_html(page: CoursePage) -> str:
    return PAGES.get_template("course.html").render(page=page, lang=page.language_code or "en")


def sign_up_html(page: SignUpPage) -> str:
    return PAGES.get_template("sign_up.html").render(page=page)


def not_there_html(page: NotThere) -> str:
    return PAGES.get_template("not_there.html").render(page=page)


def sitemap_xml(base: str, pages: list[tuple[str, date]], newest: datetime) -> str:
    """The addresses of all pages for search engines, by the protocol of sitemaps.org 0.9 (from memory)."""
    lines = [f"<url><loc>{base}/catalog</loc><lastmod>{newest.date().isoformat()}</lastmod></url>"]
    lines += [f"<url><loc>{base}{at}</loc><lastmod>{day.isoformat()}</lastmod></url>" for at, day in pages]
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">\n'
        + "\n".join(lines)
        + "\n</urlset>\n"
    )


def robots_txt(base: str) -> str:
    """What search engines may read (RFC 9309): the catalog, nothing of the office or of anybody's own."""
    return f"User-agent: *\nAllow: /catalog\nAllow: /assets/\nDisallow: /\n\nSitemap: {base}/sitemap.xml\n"
