"""The guide for the office: every link leads somewhere, every page is listed, every screen's page is there."""

import re

import pytest

from archgate.papers import guide
from archgate.settings import ROOT

PAGES = sorted(p.stem for p in guide.FOLDER.glob("*.md"))
FRAME = (ROOT / "web" / "src" / "app" / "Frame.tsx").read_text()
ADDRESSES = [
    re.compile(re.sub(r"/:\w+\?", "(/[^/]+)?", re.sub(r"/:\w+(?!\?)", "/[^/]+", path)) + "$")
    for path in re.findall(r'<Route path="(/[^"]*)"', FRAME)
]


def links_of(name):
    text = (guide.FOLDER / f"{name}.md").read_text()
    return re.findall(r"\]\(([^)\s]+)\)", text)


@pytest.mark.parametrize("name", PAGES)
def test_every_link_leads_to_a_page_of_the_guide_or_of_the_application(name):
    for link in links_of(name):
        if link.endswith(".md"):
            assert link.removesuffix(".md") in PAGES, link
        else:
            path = link.split("?")[0].split("#")[0]
            assert any(shape.fullmatch(path) for shape in ADDRESSES), f"{link} leads nowhere"


@pytest.mark.parametrize("name", [p for p in PAGES if p != "README"])
def test_every_page_says_what_it_is_for_three_things_done_most_and_what_happens_behind(name):
    text = (guide.FOLDER / f"{name}.md").read_text()
    assert re.findall(r"^#+ .*", text, re.M)[1:] == ["## Done most", "## What happens behind it"]
    assert len(re.findall(r"^- \*\*", text, re.M)) == 3
    assert f"{name}.md" in links_of("README")


def test_the_pages_that_screens_open_are_there():
    named = re.findall(
        r'\], "(\w+)"\]|/, "(\w+)"\]', (ROOT / "web" / "src" / "app" / "Guide.tsx").read_text()
    )
    wanted = {one or other for one, other in named}
    assert len(wanted) >= 10 and wanted <= set(PAGES)


def test_a_page_comes_as_plain_text_lists_and_links_of_our_own(clerk, stranger):
    page = clerk.get("/api/v1/guide/desk").json()
    assert page["title"] == "The desk" and '<a href="/guide/lines">in line</a>' in page["html"]
    assert not re.search(r"<(?!/?(h2|p|ul|li|strong|a)\b)", page["html"])
    assert clerk.get("/api/v1/guide").json()["title"] == "Guide for the office"
    for name in ("nothing", "..%2Fsettings", "README", "DESK"):
        assert clerk.get(f"/api/v1/guide/{name}").status_code == 404, name
    assert stranger.get("/api/v1/guide/desk").status_code == 401
