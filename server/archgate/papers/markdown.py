"""Markdown as the public reads it: HTML of a closed set of tags, whatever was typed."""

from __future__ import annotations

import nh3
from markdown_it import MarkdownIt

TAGS = {
    "p",
    "br",
    "hr",
    "strong",
    "em",
    "s",
    "ul",
    "ol",
    "li",
    "blockquote",
    "h3",
    "h4",
    "h5",
    "a",
    "code",
    "pre",
    "table",
    "thead",
    "tbody",
    "tr",
    "th",
    "td",
}
HEADINGS = {"h1": "h3", "h2": "h4", "h3": "h5", "h4": "h5", "h5": "h5", "h6": "h5"}  # below the page's own
# CommonMark with tables and strikethrough; HTML in it stays text, and bare addresses stay as typed.
READER = MarkdownIt(
    "commonmark", {"html": False, "linkify": False, "typographer": False, "maxNesting": 20}
).enable(["table", "strikethrough"])


def html_of(text: str) -> str:
    """Markdown (CommonMark) as sanitized HTML. Pictures are left out: those of a course stand in its gallery. Links lead only to web
    and mail addresses, and say that they are others'. Source of the syntax: CommonMark 0.31, by markdown-it-py.

    >>> html_of("# Walls\\n\\n*Dry* [stone](javascript:alert(1)) <b>x</b>")
    '<h3>Walls</h3>\\n<p><em>Dry</em> [stone](javascript:alert(1)) &lt;b&gt;x&lt;/b&gt;</p>\\n'
    """
    tokens = READER.parse(text)
    for token in tokens:
        if token.type in ("heading_open", "heading_close"):
            token.tag = HEADINGS[token.tag]
    made = READER.renderer.render(tokens, READER.options, {})
    return nh3.clean(
        made,
        tags=TAGS,
        attributes={"a": {"href", "title"}},
        url_schemes={"https", "http", "mailto"},
        link_rel="nofollow noopener",
    )


def plain_of(text: str) -> str:
    """The words of Markdown without its signs, in one line: for descriptions in links and search results.

    >>> plain_of("**Two** days\\n\\n- at the quarry")
    'Two days at the quarry'
    """
    words = []
    for token in READER.parse(text):
        for inner in token.children or ():
            if inner.type in ("text", "code_inline"):
                words.append(inner.content)
            elif inner.type in ("softbreak", "hardbreak"):
                words.append(" ")
        if token.type == "inline":
            words.append(" ")
        elif token.type in ("fence", "code_block"):
            words.append(f"{token.content} ")
    return " ".join("".join(words).split())
