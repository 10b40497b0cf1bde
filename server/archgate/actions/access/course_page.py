"""The public page of one course with its dates, its calendar files, the addresses of all pages, and the pages of its forms."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from sqlalchemy import select
from sqlalchemy.orm import joinedload

from archgate.actions.access import showing, sign_up_form
from archgate.actions.access.catalog import LEVELS, LIVE, Wanted
from archgate.actions.access.showing import Looker
from archgate.actions.courses import categories, texts
from archgate.actions.courses.commands import CourseCard, CourseText
from archgate.actions.courses.files import documents_of
from archgate.actions.kernel.problems import not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.schedule import calendars
from archgate.core.states import PublicFact
from archgate.papers.languages import language_name
from archgate.papers.markdown import html_of, plain_of
from archgate.papers.pages import values
from archgate.papers.pages.linked import linked_of
from archgate.tables.catalog import CourseVersion
from archgate.tables.courses import Course, Run

MOST_RUNS = 60  # of one course on its page


def course_page(
    uow: UnitOfWork,
    course_id: int,
    site: values.Site,
    looker: Looker,
    draft: bool = False,
) -> values.CoursePage:
    """A course with its dates as whoever looks finds them. `draft`: for staff, with the text as it is being written and with runs
    that are not public yet."""
    course = uow.session.get(Course, course_id, options=[joinedload(Course.filed)])
    if course is None or (course.published_n is None and not draft):
        raise not_found("This course")
    if draft or course.published_n is None:
        title, text = course.title, texts.text_of(course.draft)
    else:
        version = texts.version_of(uow, course.id, course.published_n)
        title, text = version.title, texts.text_of(version.content)
    page = told(uow, course, title, text, site)
    runs = runs_of(uow, course, text, page.canonical, looker, draft)
    page = replace(
        page,
        runs=runs,
        interest=not any(r.acts in ("sign up", "code", "request") for r in runs),
        preview=draft,
    )
    return replace(page, linked="" if draft else linked_of(page))


def runs_of(
    uow: UnitOfWork,
    course: Course,
    text: CourseText,
    address: str,
    looker: Looker,
    draft: bool,
) -> tuple[values.RunShown, ...]:
    found = showing.found_in_sql(uow, looker)
    if draft:
        found = Run.status.in_(("draft", "published"))
    query = select(Run.id).where(Run.course_id == course.id, found, showing.not_over(uow))
    ids = uow.session.scalars(query.order_by(Run.id.desc()).limit(MOST_RUNS)).all()
    if not ids:
        return ()
    card = texts.card_of(text)
    return tuple(
        showing.run_shown(uow, run, taken, card, address, looker)
        for run, taken in showing.runs_shown(uow, ids, whole=True)
    )


def told(
    uow: UnitOfWork, course: Course, title: str, text: CourseText, site: values.Site
) -> values.CoursePage:
    """What a course says of itself, without what its page leaves out."""
    hidden = set(text.hidden)
    gallery = [] if PublicFact.GALLERY in hidden else text.gallery
    keys = {p.key for p in [text.picture, *gallery] if p}
    sizes = showing.sizes_of(uow, keys)
    files = {d.key: d for d in documents_of(uow, course.id)} if text.documents else {}
    above = categories.tree_of(uow).above(course.category_id)
    pictures = [showing.picture_of(p, sizes) for p in gallery]
    return values.CoursePage(
        site=site,
        id=course.id,
        code=course.code,
        title=title,
        subtitle=text.subtitle,
        summary=text.summary,
        described=(text.summary or plain_of(text.description))[:300],
        description=html_of(text.description),
        program="" if PublicFact.PROGRAM in hidden else html_of(text.program),
        highlights=tuple(text.highlights),
        requirements=html_of(text.requirements),
        audience=html_of(text.audience),
        asked=()
        if PublicFact.QUESTIONS in hidden
        else tuple(
            values.Asked(q.question, html_of(q.answer)) for q in text.asked if q.question and q.answer
        ),
        crumbs=tuple((c.name, Wanted(category=c.id).address()) for c in above),
        tags=tuple(text.tags),
        level=LEVELS[text.level] if text.level else "",
        language=language_name(text.language) or "",
        language_code=text.language,
        picture=showing.picture_of(text.picture, sizes),
        gallery=tuple(p for p in pictures if p),
        film=text.film,
        documents=()
        if PublicFact.DOCUMENTS in hidden
        else tuple(
            values.Document(d.name, files[d.key].address, size_text(files[d.key].size))
            for d in text.documents
            if d.key in files
        ),
        elsewhere=text.elsewhere,
        runs=(),
        interest=False,
        canonical=texts.address_for(course.id, title),
    )


def size_text(size: int) -> str:
    return f"{max(1, round(size / 1024))} KB" if size < 1024 * 1024 else f"{size / 1024 / 1024:.1f} MB"


def addresses(uow: UnitOfWork) -> list[tuple[str, date]]:
    """Every public page for search engines, with the day of its last change."""
    rows = uow.session.execute(
        select(Course.id, CourseVersion.title, CourseVersion.at)
        .join(CourseVersion, LIVE)
        .order_by(Course.id)
        .limit(40_000)
    )
    return [(texts.address_for(n, title), at.astimezone(uow.zone).date()) for n, title, at in rows]


def number_of(words: str) -> int | None:
    """The number that an address of a course begins with: "12-lime-plaster" is 12."""
    number = words.partition("-")[0]
    return int(number) if number.isascii() and number.isdigit() and len(number) < 19 else None


def calendar_of_run(uow: UnitOfWork, run_id: int, looker: Looker, base: str) -> bytes:
    """The dates of a run, for whoever finds it; another run is as if it were not there."""
    query = select(Run).join(Course, Course.id == Run.course_id)
    found = query.where(Run.id == run_id, Course.published_n.is_not(None), showing.found_in_sql(uow, looker))
    run = uow.session.scalar(found)
    if run is None or run.course.published_n is None:
        raise not_found("This date")
    version = texts.version_of(uow, run.course_id, run.course.published_n)
    if PublicFact.DATES in texts.text_of(version.content).hidden:
        raise not_found("This date")
    title = run.title or version.title
    return calendars.public_calendar(
        uow, run, title, f"{base}{texts.address_for(run.course_id, version.title)}"
    )


HEADINGS = {
    "sign up": "Sign up",
    "code": "Sign up with a code",
    "request": "Ask for a seat",
    "wait": "Wait for a seat",
    "interest": "Hear when sign-up opens",
}


def sign_up_page(
    uow: UnitOfWork, run_id: int, site: values.Site, looker: Looker, key: str
) -> values.SignUpPage:
    """The page of a run's form, for whoever finds the run or was led to it by its link."""
    there = sign_up_form.found(uow, run_id, looker, "", key)
    course = there.run.course
    version = texts.version_of(uow, course.id, course.published_n or 0)
    (run, taken), *_ = showing.runs_shown(uow, [there.run.id])
    held = showing.held_by_run(uow, [run.id]).get(run.id, showing.Held())
    address = texts.address_for(course.id, version.title)
    shown = showing.run_shown(uow, run, taken, CourseCard.model_validate(version.card), address, looker, held)
    heading = HEADINGS.get(shown.acts, "Sign up")
    return values.SignUpPage(site, heading, run.title or version.title, course.id, address, run.id, key)


def interest_page(uow: UnitOfWork, course_id: int, site: values.Site) -> values.SignUpPage:
    """The page of a course's interest list."""
    course = uow.session.get(Course, course_id)
    if course is None or course.published_n is None:
        raise not_found("This course")
    version = texts.version_of(uow, course.id, course.published_n)
    address = texts.address_for(course.id, version.title)
    return values.SignUpPage(site, "Hear of further dates", version.title, course.id, address, None, "")
