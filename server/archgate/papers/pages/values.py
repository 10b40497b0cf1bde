"""What the public pages are filled with. Sums are amounts as plain texts with their currency, moments are in the zone in which
they are read; what a course leaves out is not in here at all."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime

from archgate.core.states import RunKind, SignUp


@dataclass(frozen=True)
class Picture:
    small: str
    large: str
    width: int
    height: int
    alt: str


@dataclass(frozen=True)
class Price:
    """What one person pays at the first rate, all in: through `until`, then `then`."""

    amount: str
    currency: str
    until: date | None = None
    then: str | None = None


@dataclass(frozen=True)
class Seats:
    """How many seats are left as the center says it: a sentence, and for search engines the number where it is said."""

    said: str
    number: int | None = None
    gone: bool = False


@dataclass(frozen=True)
class Date:
    """One meeting, in the zone of its place."""

    start: datetime
    end: datetime
    place: str = ""


@dataclass(frozen=True)
class PlanSaid:
    """A payment plan with its sums and dates for one person who signs up today."""

    name: str
    note: str
    dues: tuple[tuple[date, str], ...]


@dataclass(frozen=True)
class Where:
    """A place: its address where it is public, else the sentence that says when one learns it."""

    name: str
    address: str = ""
    map_link: str = ""
    online: bool = False
    said: str = ""


@dataclass(frozen=True)
class Teacher:
    name: str
    about: str = ""


@dataclass(frozen=True)
class RunShown:
    """A run on a public page. `state` says whether one can sign up now, `said` why not; `acts` is what the page offers: "sign up",
    "code", "request", "wait", "interest", "elsewhere" or "". `opens`: when sign-up opens, where that is ahead."""

    id: int
    code: str
    title: str
    kind: RunKind
    first: date | None
    last: date | None
    when: str
    meetings: int
    dates: tuple[Date, ...]
    where: Where | None
    teachers: tuple[Teacher, ...]
    price: Price | None
    rates: tuple[tuple[str, str], ...]
    plans: tuple[PlanSaid, ...]
    seats: Seats | None
    state: SignUp
    said: str
    acts: str
    opens: datetime | None
    closes: datetime | None
    decided: str
    access_days: int | None
    calendar: str
    address: str
    zone: str


@dataclass(frozen=True)
class Card:
    """A course in the list: its next date stands with it."""

    address: str
    title: str
    subtitle: str
    summary: str
    category: str
    level: str
    language: str
    picture: Picture | None
    promoted: bool
    runs: tuple[RunShown, ...]
    more: int


@dataclass(frozen=True)
class Choice:
    """One value of a filter; `depth` sets off categories below others."""

    value: str
    text: str
    chosen: bool = False
    depth: int = 0


@dataclass(frozen=True)
class Filters:
    """What the list is narrowed by, as it was asked."""

    q: str
    since: str
    until: str
    price: str
    free: bool
    categories: tuple[Choice, ...]
    weekdays: tuple[Choice, ...]
    places: tuple[Choice, ...]
    instructors: tuple[Choice, ...]
    levels: tuple[Choice, ...]
    languages: tuple[Choice, ...]
    any: bool
    said: str = ""


@dataclass(frozen=True)
class Site:
    """What stands on every page: the center, its own address, who looks."""

    center: str
    base: str
    today: date
    signed_in: str = ""
    style: str = ""
    script: str = ""
    script_styles: tuple[str, ...] = ()
    nonce: str = ""


@dataclass(frozen=True)
class CatalogPage:
    site: Site
    heading: str
    crumbs: tuple[tuple[str, str], ...]
    filters: Filters
    cards: tuple[Card, ...]
    total: int
    before: str
    after: str
    canonical: str
    noindex: bool


@dataclass(frozen=True)
class Asked:
    question: str
    answer: str


@dataclass(frozen=True)
class Document:
    name: str
    address: str
    size: str


@dataclass(frozen=True)
class CoursePage:
    """A course with its dates. Texts that were Markdown are HTML here, sanitized (`papers.markdown`). `preview`: it is shown to
    staff as it would be, not as it is."""

    site: Site
    id: int
    code: str
    title: str
    subtitle: str
    summary: str
    described: str
    description: str
    program: str
    highlights: tuple[str, ...]
    requirements: str
    audience: str
    asked: tuple[Asked, ...]
    crumbs: tuple[tuple[str, str], ...]
    tags: tuple[str, ...]
    level: str
    language: str
    language_code: str
    picture: Picture | None
    gallery: tuple[Picture, ...]
    film: str
    documents: tuple[Document, ...]
    elsewhere: str
    runs: tuple[RunShown, ...]
    interest: bool
    canonical: str
    preview: bool = False
    linked: str = ""
    noindex: bool = False


@dataclass(frozen=True)
class SignUpPage:
    """The page on which somebody signs up for a run, or for news of a course; the form on it is drawn by script."""

    site: Site
    heading: str
    course: str
    course_id: int
    address: str
    run_id: int | None
    key: str


@dataclass(frozen=True)
class NotThere:
    site: Site
    heading: str
    said: str
