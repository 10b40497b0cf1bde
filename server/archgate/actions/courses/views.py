"""What is answered about courses."""

from __future__ import annotations

from archgate.actions.courses.commands import CourseText
from archgate.actions.courses.forms import CourseDefaultsForm
from archgate.actions.kernel.commands import Moment, View
from archgate.core.wording import Wording


class CourseOut(View):
    """`category` is the name of the last category of its path."""

    id: int
    code: str
    title: str
    summary: str
    category: str
    category_id: int | None
    promoted: bool
    defaults: CourseDefaultsForm


class CourseChanged(CourseOut):
    change: str


class CategoryOut(View):
    """A category with its place in the tree: `path` from the top, `depth` from 0; `courses` are those filed right in it, `public`
    those of them, and of all below, that have a public page."""

    id: int
    parent_id: int | None
    name: str
    path: list[str]
    depth: int
    courses: int
    public: int


class CategoriesChanged(View):
    change: str
    id: int
    categories: list[CategoryOut]


class PictureOut(View):
    key: str
    width: int
    height: int
    small: str
    large: str


class DocumentOut(View):
    key: str
    name: str
    size: int
    address: str


class VersionOut(View):
    """A version of a course's text; `live`: it is the one the public reads."""

    n: int
    title: str
    at: Moment
    by: str
    mark: str
    live: bool


class TextFault(View):
    """What keeps a text from being published, and where it is mended."""

    at: str
    message: str


class CourseTextOut(View):
    """A course's text as it is being written. `changed` are the fields in which it differs from what the public reads; `pending` is
    whether anything waits to be published; `faults` keep it from that."""

    course_id: int
    text: CourseText
    public: bool
    changed: list[str]
    pending: bool
    faults: list[TextFault]
    versions: list[VersionOut]
    pictures: list[PictureOut]
    documents: list[DocumentOut]
    address: str | None


class TextChanged(CourseTextOut):
    change: str


class PieceOut(View):
    part: Wording
    text: str


class FieldCompared(View):
    """One field in two versions, word by word."""

    field: str
    label: str
    pieces: list[PieceOut]


class VersionsCompared(View):
    before: str
    after: str
    fields: list[FieldCompared]


class MarkdownOut(View):
    """Markdown as the public sees it: sanitized HTML."""

    html: str
