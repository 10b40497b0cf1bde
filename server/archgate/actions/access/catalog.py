"""The catalog and the pages of its courses, as whoever looks finds them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal, InvalidOperation
from urllib.parse import urlencode

from sqlalchemy import ColumnElement, func, or_, select
from sqlalchemy.orm import joinedload

from archgate.actions.access import showing, sign_up_form
from archgate.actions.access.showing import ANYBODY, Looker
from archgate.actions.courses import categories, texts
from archgate.actions.courses.commands import CourseCard, CourseText
from archgate.actions.courses.files import documents_of
from archgate.actions.kernel.problems import not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.schedule import calendars
from archgate.actions.seats import seats
from archgate.core.names import folded
from archgate.core.schedule import WEEKDAY_NAMES
from archgate.core.states import CourseLevel, PlaceKind, PublicFact
from archgate.papers.languages import language_name
from archgate.papers.markdown import html_of, plain_of
from archgate.papers.pages import values
from archgate.papers.pages.linked import linked_of
from archgate.tables.catalog import CourseVersion
from archgate.tables.courses import Course, Run
from archgate.tables.schedule import Gate, Meeting, Place
from archgate.tables.seats import RunSeats
from archgate.tables.teaching import Instructor, MeetingTeacher, RunTeacher

ON_A_PAGE = 20
RUNS_OF_A_CARD = 3
MOST_RUNS = 60  # of one course on its page
MOST_PAGES = 500
LEVELS = {
    CourseLevel.EVERYBODY: "For everybody",
    CourseLevel.BEGINNERS: "For beginners",
    CourseLevel.SOME: "With some experience",
    CourseLevel.EXPERIENCED: "For the experienced",
}


@dataclass(frozen=True)
class Wanted:
    """What the list is narrowed by, as the address says it; whatever cannot be read narrows nothing and is said."""

    q: str = ""
    category: int | None = None
    since: date | None = None
    until: date | None = None
    weekday: int | None = None  # 0 for Monday
    place: int | None = None
    instructor: int | None = None
    price: str = ""
    free: bool = False
    level: str = ""
    language: str = ""
    page: int = 1
    odd: tuple[str, ...] = ()

    @property
    def any(self) -> bool:
        return replace(self, page=1, odd=(), category=None) != Wanted()

    @property
    def of_runs(self) -> bool:
        """Whether only courses with a run that fits are wanted."""
        asked = (self.since, self.until, self.weekday, self.place, self.instructor, self.most)
        return self.free or any(x is not None for x in asked)

    @property
    def most(self) -> Decimal | None:
        try:
            return Decimal(self.price) if self.price else None
        except InvalidOperation:
            return None

    def address(self, **changes: object) -> str:
        """The address of the list with some of this otherwise; what narrows nothing is left out."""
        said: dict[str, object] = {
            "q": self.q,
            "category": self.category,
            "from": self.since,
            "to": self.until,
            "weekday": self.weekday,
            "place": self.place,
            "instructor": self.instructor,
            "price": self.price,
            "free": "1" if self.free else "",
            "level": self.level,
            "language": self.language,
            "page": self.page if self.page > 1 else "",
            **changes,
        }
        query = urlencode({k: str(v) for k, v in said.items() if v not in (None, "")})
        return f"/catalog?{query}" if query else "/catalog"


@dataclass(frozen=True)
class Listed:
    """A published course as the list is made from: no text, nothing of its runs."""

    id: int
    title: str
    summary: str
    category_id: int | None
    promoted: bool
    level: str
    language: str


def catalog(uow: UnitOfWork, wanted: Wanted, site: values.Site, looker: Looker) -> values.CatalogPage:
    """A page of the list: promoted courses first, then by their next start, those without a date last."""
    tree = categories.tree_of(uow)
    if wanted.category is not None and wanted.category not in tree.rows:
        wanted = replace(wanted, category=None, odd=(*wanted.odd, "There is no such category."))
    starts = next_starts(uow, wanted, looker)
    rows = [c for c in courses_wanted(uow, wanted, tree) if not wanted.of_runs or c.id in starts]
    rows.sort(
        key=lambda c: (
            not (c.promoted or starts.get(c.id, NO_RUN).promoted),
            starts.get(c.id, NO_RUN).order,
            c.title.casefold(),
            c.id,
        )
    )
    last = max(1, -(-len(rows) // ON_A_PAGE))
    page = min(wanted.page, last)
    shown = rows[(page - 1) * ON_A_PAGE : page * ON_A_PAGE]
    path = tree.path(wanted.category)
    return values.CatalogPage(
        site=site,
        heading=path[-1] if path else "Courses",
        crumbs=tuple((n, _category_address(tree, wanted, i)) for i, n in enumerate(path)),
        filters=filters_of(uow, wanted, tree),
        cards=tuple(cards_of(uow, shown, starts, tree, looker)),
        total=len(rows),
        before=wanted.address(page=page - 1 if page > 2 else None) if page > 1 else "",
        after=wanted.address(page=page + 1) if page < last else "",
        canonical=Wanted(category=wanted.category, page=page).address(),
        noindex=wanted.any,
    )


def _category_address(tree: categories.Tree, wanted: Wanted, depth: int) -> str:
    at = tree.rows.get(wanted.category) if wanted.category else None
    above: list[int] = []
    while at is not None:
        above.insert(0, at.id)
        at = tree.rows.get(at.parent_id) if at.parent_id else None
    return wanted.address(category=above[depth], page=None)


# --- which courses --------------------------------------------------------------------------------------------


LIVE = (CourseVersion.course_id == Course.id) & (
    CourseVersion.n == Course.published_n
)  # what the public reads


def courses_wanted(uow: UnitOfWork, wanted: Wanted, tree: categories.Tree) -> list[Listed]:
    """The published courses that what is asked of courses themselves fits."""
    query = (
        select(
            Course.id,
            CourseVersion.title,
            Course.summary,
            Course.category_id,
            Course.promoted,
            CourseVersion.level,
            CourseVersion.language,
        )
        .select_from(Course)
        .join(CourseVersion, LIVE)
    )
    if wanted.category is not None:
        query = query.where(Course.category_id.in_(tree.within(wanted.category)))
    if wanted.level:
        query = query.where(CourseVersion.level == wanted.level)
    if wanted.language:
        query = query.where(CourseVersion.language == wanted.language)
    for word in folded(wanted.q).split()[:8]:
        in_category = [n for n, row in tree.rows.items() if word in folded(row.name)]
        fits = [
            CourseVersion.words.contains(word, autoescape=True),
            Course.code.startswith(word, autoescape=True),
        ]
        if in_category:
            fits.append(Course.category_id.in_([w for n in in_category for w in tree.within(n)]))
        query = query.where(or_(*fits))
    return [
        Listed(n, title, summary, category, bool(promoted), level, language)
        for n, title, summary, category, promoted, level, language in uow.session.execute(query)
    ]


@dataclass(frozen=True)
class NextRuns:
    """The runs of a course that are found and fit, by their start; whether one of them is promoted."""

    ids: tuple[int, ...]
    first: str
    promoted: bool

    @property
    def order(self) -> str:
        return self.first or "9"


NO_RUN = NextRuns((), "9", False)


def next_starts(uow: UnitOfWork, wanted: Wanted, looker: Looker) -> dict[int, NextRuns]:
    """The runs that whoever looks finds and that fit, by course, those that start first first; those that have begun last."""
    starts = select(Gate.run_id, Gate.at).where(Gate.kind == "starts").subquery()
    query = (
        select(Run.id, Run.course_id, Run.promoted, starts.c.at)
        .join(Course, Course.id == Run.course_id)
        .outerjoin(starts, starts.c.run_id == Run.id)
        .where(Course.published_n.is_not(None), showing.found_in_sql(uow, looker), showing.not_over(uow))
    )
    for condition in run_conditions(uow, wanted):
        query = query.where(condition)
    by_course: dict[int, list[tuple[str, int, bool]]] = {}
    for run_id, course_id, promoted, at in uow.session.execute(query):
        order = "8" if at is None else f"{'7' if at <= uow.now else '1'}{at.isoformat()}"
        by_course.setdefault(course_id, []).append((order, run_id, bool(promoted)))
    priced = affordable(uow, wanted, [n for runs in by_course.values() for _, n, _ in runs])
    found = {}
    for course_id, runs in by_course.items():
        kept = sorted(r for r in runs if priced is None or r[1] in priced)
        if kept:
            found[course_id] = NextRuns(tuple(n for _, n, _ in kept), kept[0][0], any(p for _, _, p in kept))
    return found


def run_conditions(uow: UnitOfWork, wanted: Wanted) -> list[ColumnElement[bool]]:
    """What is asked of runs, as conditions. A day counts where one of the meetings falls on it."""
    conditions: list[ColumnElement[bool]] = []
    held = (Meeting.run_id == Run.id, Meeting.cancelled_at.is_(None))
    if wanted.since or wanted.until:
        start = select(Gate.id).where(Gate.run_id == Run.id, Gate.kind == "starts")
        if wanted.since:
            start = start.where(Gate.day >= wanted.since)
        if wanted.until:
            start = start.where(Gate.day <= wanted.until)
        conditions.append(start.exists())
    if wanted.weekday is not None:
        conditions.append(
            select(Meeting.id).where(*held, func.weekday(Meeting.date) == wanted.weekday).exists()
        )
    if wanted.place is not None:
        there = select(Meeting.id).where(*held, Meeting.place_id == wanted.place).exists()
        conditions.append(or_(Run.place_id == wanted.place, there))
    if wanted.instructor is not None:
        usual = select(RunTeacher.run_id).where(
            RunTeacher.run_id == Run.id, RunTeacher.instructor_id == wanted.instructor
        )
        once = (
            select(Meeting.id)
            .join(MeetingTeacher, MeetingTeacher.meeting_id == Meeting.id)
            .where(*held, MeetingTeacher.instructor_id == wanted.instructor)
        )
        conditions.append(or_(usual.exists(), once.exists()))
    if wanted.free:
        taken = select(RunSeats.taken).where(RunSeats.run_id == Run.id).correlate(Run).scalar_subquery()
        conditions.append(taken + seats.kept_back_of(uow.today, uow.now) < Run.capacity + Run.overbook)
    return conditions


def affordable(uow: UnitOfWork, wanted: Wanted, ids: Sequence[int]) -> set[int] | None:
    """The runs whose price now, for anybody, is at most what is wanted; None where nothing is said of it."""
    most = wanted.most
    if most is None or not ids:
        return None
    fits = set()
    for run, _ in showing.runs_shown(uow, ids):
        price = showing.price_of(uow, run)
        if price is not None and Decimal(price.amount) <= most:
            fits.add(run.id)
    return fits


# --- how they are shown ---------------------------------------------------------------------------------------


def cards_of(
    uow: UnitOfWork,
    rows: Sequence[Listed],
    starts: dict[int, NextRuns],
    tree: categories.Tree,
    looker: Looker,
) -> list[values.Card]:
    """Courses as a list shows them, each with its first few dates."""
    ids = [n for c in rows for n in starts.get(c.id, NO_RUN).ids[:RUNS_OF_A_CARD]]
    runs = {run.id: (run, taken) for run, taken in showing.runs_shown(uow, ids)} if ids else {}
    held = showing.held_by_run(uow, ids) if ids else {}
    stored = select(Course.id, CourseVersion.card).select_from(Course).join(CourseVersion, LIVE)
    listed = uow.session.execute(stored.where(Course.id.in_([c.id for c in rows])))
    shown_of = {n: CourseCard.model_validate(card) for n, card in listed}
    sizes = showing.sizes_of(uow, {c.picture.key for c in shown_of.values() if c.picture})
    cards = []
    for c in rows:
        address, found, card = address_of(c.id, c.title), starts.get(c.id, NO_RUN), shown_of[c.id]
        shown = tuple(
            showing.run_shown(uow, *runs[n], card, address, looker, held.get(n, showing.Held()))
            for n in found.ids[:RUNS_OF_A_CARD]
        )
        cards.append(
            values.Card(
                address=address,
                title=c.title,
                subtitle=card.subtitle,
                summary=c.summary,
                category=" / ".join(tree.path(c.category_id)),
                level=level_text(c.level),
                language=(language_name(c.language) or "") if c.language not in ("", "en") else "",
                picture=showing.picture_of(card.picture, sizes),
                promoted=c.promoted or found.promoted,
                runs=shown,
                more=max(0, len(found.ids) - RUNS_OF_A_CARD),
            )
        )
    return cards


def level_text(level: str) -> str:
    return LEVELS[CourseLevel(level)] if level else ""


def address_of(course_id: int, title: str) -> str:
    return texts.address_for(course_id, title)


def filters_of(uow: UnitOfWork, wanted: Wanted, tree: categories.Tree) -> values.Filters:
    """What the list can be narrowed by: only what some public course has."""
    used = {
        number: int(n)
        for number, n in uow.session.execute(
            select(Course.category_id, func.count(Course.published_n))
            .where(Course.published_n.is_not(None))
            .group_by(Course.category_id)
        )
    }
    there = [(d, c) for d, c in tree.in_order() if any(used.get(n) for n in tree.within(c.id))]
    running = select(Run.id).where(showing.found_in_sql(uow, ANYBODY), showing.not_over(uow))
    place_ids = select(Run.place_id).where(Run.id.in_(running), Run.place_id.is_not(None))
    places = uow.session.execute(
        select(Place.id, Place.name, Place.kind).where(Place.id.in_(place_ids)).order_by(Place.name)
    )
    taught = select(RunTeacher.instructor_id).where(RunTeacher.run_id.in_(running))
    teachers = uow.session.execute(
        select(Instructor.id, Instructor.name).where(Instructor.id.in_(taught)).order_by(Instructor.name)
    )
    facts = uow.session.execute(
        select(CourseVersion.level, CourseVersion.language).join(Course, LIVE).distinct()
    ).all()
    levels = {level for level, _ in facts if level}
    languages = sorted({language for _, language in facts if language})

    def choice(value: object, text: str, chosen: object, depth: int = 0) -> values.Choice:
        return values.Choice(str(value), text, value == chosen, depth)

    return values.Filters(
        q=wanted.q,
        since=wanted.since.isoformat() if wanted.since else "",
        until=wanted.until.isoformat() if wanted.until else "",
        price=wanted.price,
        free=wanted.free,
        categories=tuple(choice(c.id, c.name, wanted.category, d) for d, c in there),
        weekdays=tuple(choice(n, WEEKDAY_NAMES[n], wanted.weekday) for n in range(7)),
        places=tuple(
            choice(n, "Online" if kind is PlaceKind.ONLINE else name, wanted.place)
            for n, name, kind in places
        ),
        instructors=tuple(choice(n, name, wanted.instructor) for n, name in teachers),
        levels=tuple(choice(str(x), LEVELS[x], wanted.level) for x in CourseLevel if x in levels),
        languages=tuple(choice(x, language_name(x) or x, wanted.language) for x in languages)
        if len(languages) > 1
        else (),
        any=wanted.any,
        said=" ".join(wanted.odd),
    )


# --- one course -----------------------------------------------------------------------------------------------


def course_page(
    uow: UnitOfWork,
    course_id: int,
    site: values.Site,
    looker: Looker,
    draft: bool = False,
    coded: frozenset[int] = frozenset(),
) -> values.CoursePage:
    """A course with its dates as whoever looks finds them. `draft`: for staff, with the text as it is being written and with runs
    that are not public yet. `coded` are runs whose code the address brought."""
    course = uow.session.get(Course, course_id, options=[joinedload(Course.filed)])
    if course is None or (course.published_n is None and not draft):
        raise not_found("This course")
    if draft or course.published_n is None:
        title, text = course.title, texts.text_of(course.draft)
    else:
        version = texts.version_of(uow, course.id, course.published_n)
        title, text = version.title, texts.text_of(version.content)
    page = told(uow, course, title, text, site)
    runs = runs_of(uow, course, text, page.canonical, looker, draft, coded)
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
    coded: frozenset[int],
) -> tuple[values.RunShown, ...]:
    found = showing.found_in_sql(uow, looker)
    if draft:
        found = Run.status.in_(("draft", "published"))
    elif coded:
        found = or_(found, Run.id.in_(coded))
    query = select(Run.id).where(Run.course_id == course.id, found, showing.not_over(uow))
    ids = uow.session.scalars(query.order_by(Run.id.desc()).limit(MOST_RUNS)).all()
    if not ids:
        return ()
    card = texts.card_of(text)
    return tuple(
        showing.run_shown(uow, run, taken, card, address, looker, code=run.id in coded)
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
    tree = categories.tree_of(uow)
    path: list[tuple[str, str]] = []
    at = tree.rows.get(course.category_id) if course.category_id else None
    while at is not None:
        path.insert(0, (at.name, Wanted(category=at.id).address()))
        at = tree.rows.get(at.parent_id) if at.parent_id else None
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
        crumbs=tuple(path),
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
        canonical=address_of(course.id, title),
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
    return [(address_of(n, title), at.astimezone(uow.zone).date()) for n, title, at in rows]


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
    return calendars.public_calendar(uow, run, title, f"{base}{address_of(run.course_id, version.title)}")


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
    address = address_of(course.id, version.title)
    shown = showing.run_shown(uow, run, taken, CourseCard.model_validate(version.card), address, looker, held)
    heading = HEADINGS.get(shown.acts, "Sign up")
    return values.SignUpPage(site, heading, run.title or version.title, course.id, address, run.id, key)


def interest_page(uow: UnitOfWork, course_id: int, site: values.Site) -> values.SignUpPage:
    """The page of a course's interest list."""
    course = uow.session.get(Course, course_id)
    if course is None or course.published_n is None:
        raise not_found("This course")
    version = texts.version_of(uow, course.id, course.published_n)
    address = address_of(course.id, version.title)
    return values.SignUpPage(site, "Hear of further dates", version.title, course.id, address, None, "")
