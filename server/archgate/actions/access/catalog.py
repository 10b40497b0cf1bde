"""The catalog: the list of courses as whoever looks finds them, narrowed by what the address says."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal, InvalidOperation
from urllib.parse import urlencode

from sqlalchemy import ColumnElement, Select, String, case, func, or_, select

from archgate.actions.access import showing
from archgate.actions.access.showing import ANYBODY, Looker
from archgate.actions.courses import categories, texts
from archgate.actions.courses.commands import CourseCard
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.seats import seats
from archgate.core.names import folded
from archgate.core.schedule import WEEKDAY_NAMES
from archgate.core.states import CourseLevel, PlaceKind
from archgate.papers.languages import language_name
from archgate.papers.pages import values
from archgate.tables.catalog import CourseVersion
from archgate.tables.courses import Course, Run
from archgate.tables.schedule import Gate, Meeting, Place
from archgate.tables.seats import RunSeats
from archgate.tables.teaching import Instructor, MeetingTeacher, RunTeacher

ON_A_PAGE = 10
RUNS_OF_A_CARD = 3
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
    """A course on a page of the list: the runs of it that are found and fit, by their start; whether it, or one of them, is promoted."""

    id: int
    title: str
    promoted: bool
    runs: tuple[int, ...]


def catalog(uow: UnitOfWork, wanted: Wanted, site: values.Site, looker: Looker) -> values.CatalogPage:
    """A page of the list: promoted courses first, then by their next start, those without a date last."""
    tree = categories.tree_of(uow)
    if wanted.category is not None and wanted.category not in tree.rows:
        wanted = replace(wanted, category=None, odd=(*wanted.odd, "There is no such category."))
    shown, total = courses_wanted(uow, wanted, tree, looker)
    last = max(1, -(-total // ON_A_PAGE))
    page = min(wanted.page, last)
    if page < wanted.page:
        shown, total = courses_wanted(uow, replace(wanted, page=page), tree, looker)
    path = tree.path(wanted.category)
    return values.CatalogPage(
        site=site,
        heading=path[-1] if path else "Courses",
        crumbs=tuple((n, _category_address(tree, wanted, i)) for i, n in enumerate(path)),
        filters=filters_of(uow, wanted, tree),
        cards=tuple(cards_of(uow, shown, tree, looker)),
        total=total,
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


def courses_wanted(
    uow: UnitOfWork, wanted: Wanted, tree: categories.Tree, looker: Looker
) -> tuple[list[Listed], int]:
    """The published courses of a page of the list, and how many there are in all: promoted ones first, then by their next start (to come
    before under way), those without a date last. Put in order by the database, so that a page reads its own rows only."""
    runs = runs_by_course(uow, wanted, looker).subquery()
    promoted = or_(Course.promoted, func.coalesce(runs.c.promoted, 0) == 1)
    query = (
        select(Course.id, CourseVersion.title, promoted, runs.c.each, func.count().over())
        .select_from(Course)
        .join(CourseVersion, LIVE)
        .join(runs, runs.c.course_id == Course.id, isouter=not wanted.of_runs)
        .where(*course_conditions(wanted, tree))
        .order_by(promoted.desc(), func.coalesce(runs.c.first, "9"), CourseVersion.title, Course.id)
        .limit(ON_A_PAGE)
    )
    found = uow.session.execute(query.offset((wanted.page - 1) * ON_A_PAGE)).all()
    if not found and wanted.page > 1:  # a page behind the last
        found_first = uow.session.execute(query.limit(1)).first()
        return [], found_first[4] if found_first else 0
    listed = [Listed(n, title, bool(first), in_order_of_start(each)) for n, title, first, each, _ in found]
    return listed, found[0][4] if found else 0


def course_conditions(wanted: Wanted, tree: categories.Tree) -> list[ColumnElement[bool]]:
    """What is asked of courses themselves, as conditions."""
    conditions: list[ColumnElement[bool]] = []
    if wanted.category is not None:
        conditions.append(Course.category_id.in_(tree.within(wanted.category)))
    if wanted.level:
        conditions.append(CourseVersion.level == wanted.level)
    if wanted.language:
        conditions.append(CourseVersion.language == wanted.language)
    for word in folded(wanted.q).split()[:8]:
        in_category = [n for n, row in tree.rows.items() if word in folded(row.name)]
        fits = [
            CourseVersion.words.contains(word, autoescape=True),
            Course.code.startswith(word, autoescape=True),
        ]
        if in_category:
            fits.append(Course.category_id.in_([w for n in in_category for w in tree.within(n)]))
        conditions.append(or_(*fits))
    return conditions


def runs_by_course(uow: UnitOfWork, wanted: Wanted, looker: Looker) -> Select[int, str, int, str]:
    """The runs that whoever looks finds and that fit, a row a course: its first start in an order, whether one is promoted, and each run."""
    starts = select(Gate.run_id, Gate.at).where(Gate.kind == "starts").subquery()
    at = starts.c.at
    order = case((at.is_(None), "8"), (at <= uow.now, func.concat("7", at)), else_=func.concat("1", at))
    each = func.group_concat(func.concat_ws("|", order, Run.id), type_=String())
    query = (
        select(
            Run.course_id,
            func.min(order).label("first"),
            func.max(Run.promoted).label("promoted"),
            each.label("each"),
        )
        .join(Course, Course.id == Run.course_id)
        .outerjoin(starts, starts.c.run_id == Run.id)
        .where(Course.published_n.is_not(None), showing.found_in_sql(uow, looker), showing.not_over(uow))
        .where(*run_conditions(uow, wanted))
        .group_by(Run.course_id)
    )
    if wanted.most is None:
        return query
    ids = [n for *_, each_of in uow.session.execute(query) for n in in_order_of_start(each_of)]
    return query.where(Run.id.in_(affordable(uow, wanted.most, ids)))


def in_order_of_start(runs: str | None) -> tuple[int, ...]:
    """The runs of a course as one row has them, "1 and the start|number" with commas between, in order."""
    each = (
        sorted((run.split("|") for run in runs.split(",")), key=lambda r: (r[0], int(r[1]))) if runs else []
    )
    return tuple(int(number) for _, number in each)


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


def affordable(uow: UnitOfWork, most: Decimal, ids: Sequence[int]) -> set[int]:
    """The runs whose price now, for anybody, is at most what is wanted."""
    fits = set()
    for run, _ in showing.runs_shown(uow, ids) if ids else ():
        price = showing.price_of(uow, run)
        if price is not None and Decimal(price.amount) <= most:
            fits.add(run.id)
    return fits


# --- how they are shown ---------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Facts:
    """What a page of the list shows of a course beside its title."""

    card: CourseCard
    summary: str
    category_id: int | None
    level: str
    language: str


def cards_of(
    uow: UnitOfWork, rows: Sequence[Listed], tree: categories.Tree, looker: Looker
) -> list[values.Card]:
    """Courses as a list shows them, each with its first few dates."""
    ids = [n for c in rows for n in c.runs[:RUNS_OF_A_CARD]]
    runs = {run.id: (run, taken) for run, taken in showing.runs_shown(uow, ids)} if ids else {}
    held = showing.held_by_run(uow, ids) if ids else {}
    stored = select(
        Course.id,
        CourseVersion.card,
        Course.summary,
        Course.category_id,
        CourseVersion.level,
        CourseVersion.language,
    )
    listed = stored.select_from(Course).join(CourseVersion, LIVE).where(Course.id.in_([c.id for c in rows]))
    shown_of = {
        n: Facts(CourseCard.model_validate(card), summary, category, level, language)
        for n, card, summary, category, level, language in uow.session.execute(listed)
    }
    sizes = showing.sizes_of(uow, {f.card.picture.key for f in shown_of.values() if f.card.picture})
    cards = []
    for c in rows:
        address, facts = texts.address_for(c.id, c.title), shown_of[c.id]
        card = facts.card
        shown = tuple(
            showing.run_shown(uow, *runs[n], card, address, looker, held.get(n, showing.Held()))
            for n in c.runs[:RUNS_OF_A_CARD]
        )
        cards.append(
            values.Card(
                address=address,
                title=c.title,
                subtitle=card.subtitle,
                summary=facts.summary,
                category=" / ".join(tree.path(facts.category_id)),
                level=level_text(facts.level),
                language=(language_name(facts.language) or "") if facts.language not in ("", "en") else "",
                picture=showing.picture_of(card.picture, sizes),
                promoted=c.promoted,
                runs=shown,
                more=max(0, len(c.runs) - RUNS_OF_A_CARD),
            )
        )
    return cards


def level_text(level: str) -> str:
    return LEVELS[CourseLevel(level)] if level else ""


def filters_of(uow: UnitOfWork, wanted: Wanted, tree: categories.Tree) -> values.Filters:
    """What the list can be narrowed by: only what some public course has."""
    facts = uow.session.execute(
        select(Course.category_id, CourseVersion.level, CourseVersion.language)
        .select_from(Course)
        .join(CourseVersion, LIVE)
        .distinct()
    ).all()
    used = {category for category, _, _ in facts}
    there = [(d, c) for d, c in tree.in_order() if not used.isdisjoint(tree.within(c.id))]
    running = select(Run.id).where(showing.found_in_sql(uow, ANYBODY), showing.not_over(uow))
    place_ids = select(Run.place_id).where(Run.id.in_(running), Run.place_id.is_not(None))
    places = uow.session.execute(
        select(Place.id, Place.name, Place.kind).where(Place.id.in_(place_ids)).order_by(Place.name)
    )
    taught = select(RunTeacher.instructor_id).where(RunTeacher.run_id.in_(running))
    teachers = uow.session.execute(
        select(Instructor.id, Instructor.name).where(Instructor.id.in_(taught)).order_by(Instructor.name)
    )
    levels = {level for _, level, _ in facts if level}
    languages = sorted({language for _, _, language in facts if language})

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
