"""The public pages as HTML, with their pictures, documents and calendar files; search engines read them too."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import TypeVar

from fastapi import Request, Response
from fastapi.responses import HTMLResponse, RedirectResponse

from archgate.actions.access import catalog, course_page, own_pages, showing
from archgate.actions.access.catalog import Wanted
from archgate.actions.courses import files
from archgate.actions.kernel import signing
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork, read_only
from archgate.api.assets import assets_of
from archgate.api.own_pages import COOKIE as OWN
from archgate.api.web import Subject, current_user
from archgate.core.names import visible
from archgate.documents.reader import strict_date
from archgate.papers.pages import values, writing

T = TypeVar("T")
router = Subject(tags=["public pages"])
KEPT = {"Cache-Control": "public, max-age=31536000, immutable"}
FRESH = {"Cache-Control": "no-cache"}


def base_of(request: Request) -> str:
    """Where people reach the center: as it was said, else as whoever asks has written it."""
    return signing.address() or f"{request.url.scheme}://{request.url.netloc}"


def site_of(uow: UnitOfWork, request: Request, name: str = "") -> values.Site:
    assets = assets_of(request.app.state.settings.web)
    return values.Site(
        uow.center.name, base_of(request), uow.today, name, assets.style, assets.script, assets.script_styles, request.state.nonce
    )  # fmt: skip


def looker_of(uow: UnitOfWork, request: Request) -> showing.Looker:
    token = request.cookies.get(OWN)
    return showing.looker_of(uow, own_pages.person_behind(uow, token) if token else None)


def not_there(request: Request, heading: str, said: str) -> Response:
    def reading(uow: UnitOfWork) -> str:
        return writing.not_there_html(values.NotThere(site_of(uow, request), heading, said))

    return HTMLResponse(read_only(request.app.state.sessions, reading), 404, headers=FRESH)


def wanted_of(request: Request) -> Wanted:
    """What the list is narrowed by, from the address; what cannot be read is said beside the list."""
    asked, odd = request.query_params, []

    def number(name: str, label: str, most: int = 10**15) -> int | None:
        text = asked.get(name, "").strip()
        if not text:
            return None
        if text.isascii() and text.isdigit() and int(text[:18]) <= most:
            return int(text)
        odd.append(f"The {label} could not be read.")
        return None

    def day(name: str, label: str) -> date | None:
        text = asked.get(name, "").strip()
        try:
            return strict_date(text) if text else None
        except ValueError:
            odd.append(f"The {label} could not be read.")
            return None

    price = asked.get("price", "").strip()[:12].replace(",", ".").lstrip("$")
    if price and not (price.replace(".", "", 1).isascii() and price.replace(".", "", 1).isdigit()):
        odd.append("The price could not be read.")
        price = ""
    made = {
        "category": number("category", "kind of course"),
        "weekday": number("weekday", "weekday", 6),
        "place": number("place", "place"),
        "instructor": number("instructor", "instructor"),
    }
    since, until = day("from", "first day"), day("to", "last day")
    page = number("page", "page", catalog.MOST_PAGES) or 1
    return Wanted(
        q=visible(asked.get("q", ""))[:100].strip(),
        since=since,
        until=until,
        price=price,
        free=asked.get("free") == "1",
        level=asked.get("level", "")[:40],
        language=asked.get("language", "")[:20],
        page=page,
        odd=tuple(odd),
        **made,
    )


@router.get("/catalog", include_in_schema=False, response_class=HTMLResponse)
def catalog_page(request: Request) -> Response:
    """The list of courses."""
    wanted = wanted_of(request)

    def reading(uow: UnitOfWork) -> str:
        looker = looker_of(uow, request)
        return writing.catalog_html(
            catalog.catalog(uow, wanted, site_of(uow, request, name_of(looker)), looker)
        )

    return HTMLResponse(read_only(request.app.state.sessions, reading), headers=FRESH)


def name_of(looker: showing.Looker) -> str:
    return (looker.person.given or looker.person.name) if looker.person else ""


@router.get("/catalog/pictures/{name}", include_in_schema=False, response_class=Response)
def picture(name: str, request: Request) -> Response:
    """A picture in one of its sizes, by its key."""
    key, _, size = name.removesuffix(".jpg").partition("-")
    if size not in ("small", "large") or not name.endswith(".jpg"):
        raise Problem(404, "not-found", "There is no such picture.")
    sessions = request.app.state.sessions
    content = read_only(sessions, lambda uow: files.picture_content(uow, key[:32], size))
    return Response(content, media_type="image/jpeg", headers=KEPT)


@router.get("/catalog/documents/{name}", include_in_schema=False, response_class=Response)
def document(name: str, request: Request) -> Response:
    """A document, by its key."""
    key = name.removesuffix(".pdf")[:32]
    label, content = read_only(request.app.state.sessions, lambda uow: files.document_content(uow, key))
    plain = "".join(c if c.isascii() and (c.isalnum() or c in " ._-") else "_" for c in label)
    named = {"Content-Disposition": f'inline; filename="{plain}"', **KEPT}
    return Response(content, media_type="application/pdf", headers=named)


@router.get("/catalog/runs/{run_id}/dates.ics", include_in_schema=False, response_class=Response)
def run_calendar(run_id: int, request: Request) -> Response:
    """The dates of a run as a calendar file, for whoever finds it."""

    def reading(uow: UnitOfWork) -> bytes:
        return course_page.calendar_of_run(uow, run_id, looker_of(uow, request), base_of(request))

    content = read_only(request.app.state.sessions, reading)
    named = {"Content-Disposition": 'attachment; filename="dates.ics"', **FRESH}
    return Response(content, media_type="text/calendar; charset=utf-8", headers=named)


@router.get("/catalog/preview/{course_id}", include_in_schema=False, response_class=HTMLResponse)
def preview_page(course_id: int, request: Request) -> Response:
    """A course's page for staff, with the text as it is being written."""
    try:
        current_user(request)
    except Problem:
        return not_there(request, "Not there", "Sign in to see the page as it would be.")

    def reading(uow: UnitOfWork) -> str:
        page = course_page.course_page(uow, course_id, site_of(uow, request), showing.ANYBODY, draft=True)
        return writing.course_html(page)

    try:
        return HTMLResponse(read_only(request.app.state.sessions, reading), headers=FRESH)
    except Problem as problem:
        return not_there(request, "Not there", problem.detail)


@router.get("/catalog/{words}/sign-up", include_in_schema=False, response_class=HTMLResponse)
def sign_up_page(words: str, request: Request) -> Response:
    """The page on which somebody signs up for a run; found by the catalog, or by the run's link."""
    asked = request.query_params
    run_text, key = asked.get("run", ""), asked.get("key", "")[:200]
    run_id = int(run_text) if run_text.isascii() and run_text.isdigit() and len(run_text) < 19 else 0

    def reading(uow: UnitOfWork) -> str:
        looker = looker_of(uow, request)
        page = course_page.sign_up_page(uow, run_id, site_of(uow, request, name_of(looker)), looker, key)
        return writing.sign_up_html(page)

    return form_page(request, reading, "This course date is not there, or not any more.")


@router.get("/catalog/{words}/interest", include_in_schema=False, response_class=HTMLResponse)
def interest_page(words: str, request: Request) -> Response:
    """The page on which somebody asks to hear of a course."""
    number = course_page.number_of(words) or 0

    def reading(uow: UnitOfWork) -> str:
        looker = looker_of(uow, request)
        return writing.sign_up_html(
            course_page.interest_page(uow, number, site_of(uow, request, name_of(looker)))
        )

    return form_page(request, reading, "This course is not there, or not any more.")


def form_page(request: Request, reading: Callable[[UnitOfWork], str], gone: str) -> Response:
    try:
        return HTMLResponse(
            read_only(request.app.state.sessions, reading), headers={"Cache-Control": "no-store"}
        )
    except Problem:
        return not_there(request, "Not there", gone)


@router.get("/catalog/{words}", include_in_schema=False, response_class=HTMLResponse)
def one_course(words: str, request: Request) -> Response:
    """A course with its dates. An address whose words are old leads to the one it has now."""
    number = course_page.number_of(words)
    gone = "This course is not there, or not any more."
    if number is None:
        return not_there(request, "Not there", gone)

    def reading(uow: UnitOfWork) -> values.CoursePage:
        looker = looker_of(uow, request)
        return course_page.course_page(uow, number, site_of(uow, request, name_of(looker)), looker)

    try:
        page = read_only(request.app.state.sessions, reading)
    except Problem:
        return not_there(request, "Not there", gone)
    if page.canonical != f"/catalog/{words}":
        return RedirectResponse(page.canonical, 301)
    return HTMLResponse(writing.course_html(page), headers=FRESH)


@router.get("/sitemap.xml", include_in_schema=False, response_class=Response)
def sitemap(request: Request) -> Response:
    base = base_of(request)

    def reading(uow: UnitOfWork) -> str:
        return writing.sitemap_xml(base, course_page.addresses(uow), uow.now.astimezone(uow.zone))

    return Response(
        read_only(request.app.state.sessions, reading), media_type="application/xml", headers=FRESH
    )


@router.get("/robots.txt", include_in_schema=False, response_class=Response)
def robots(request: Request) -> Response:
    return Response(
        writing.robots_txt(base_of(request)), media_type="text/plain; charset=utf-8", headers=FRESH
    )
