"""The guide for the office: Markdown pages of `docs/guide`, as HTML that holds nothing but text, lists and links of our own."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache

import nh3
from markdown_it import MarkdownIt

from archgate.settings import ROOT

FOLDER = ROOT / "docs" / "guide"
TAGS = {"h2", "p", "ul", "ol", "li", "strong", "em", "a", "code"}
NAME = re.compile(r"[a-z]{1,40}", re.ASCII)


@dataclass(frozen=True)
class GuideText:
    """A page: its name in the address, its heading, and the rest as HTML."""

    name: str
    title: str
    html: str


def in_the_application(link: str) -> str:
    """Where a link of a page leads inside the application: "desk.md" is /guide/desk.

    >>> [in_the_application(link) for link in ("desk.md", "README.md", "/money/till")]
    ['/guide/desk', '/guide', '/money/till']
    """
    if not link.endswith(".md"):
        return link
    name = link.removesuffix(".md")
    return "/guide" if name == "README" else f"/guide/{name}"


@lru_cache
def page(name: str) -> GuideText | None:
    """A page by its name, "" for the first; None where there is none."""
    if name and not NAME.fullmatch(name):
        return None
    file = FOLDER / f"{name or 'README'}.md"
    if not file.is_file():
        return None
    heading, _, rest = file.read_text("utf-8").partition("\n")
    html = re.sub(
        r'href="([^"]*)"', lambda m: f'href="{in_the_application(m[1])}"', MarkdownIt().render(rest)
    )
    clean = nh3.clean(html, tags=TAGS, attributes={"a": {"href"}}, link_rel=None, url_schemes=set())
    return GuideText(name, heading.removeprefix("# ").strip(), clean)
