"""The public text of a course: saved as a draft as it is typed, published as a version, and every version kept."""

from __future__ import annotations

from collections.abc import Mapping
from urllib.parse import urlsplit

from sqlalchemy import func, select

from archgate.actions.courses.commands import CourseCard, CourseText, MarkCommand, TextPatch
from archgate.actions.courses.files import documents_of, pictures_of
from archgate.actions.courses.views import (
    CourseTextOut,
    FieldCompared,
    PieceOut,
    TextChanged,
    TextFault,
    VersionOut,
    VersionsCompared,
)
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import refuse_lost_update
from archgate.actions.kernel.lookups import get_course
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.core.faults import Fault, Refused
from archgate.core.names import folded
from archgate.core.wording import words_compared
from archgate.documents.reader import Document
from archgate.papers.languages import is_language
from archgate.papers.markdown import plain_of
from archgate.tables.access import User
from archgate.tables.catalog import CourseVersion
from archgate.tables.courses import Course

LABELS = {
    "title": "Title",
    "subtitle": "Subtitle",
    "summary": "Summary",
    "description": "Description",
    "program": "Program",
    "highlights": "Highlights",
    "requirements": "Requirements",
    "audience": "For whom",
    "asked": "Questions and answers",
    "tags": "Tags",
    "level": "Level",
    "language": "Language",
    "picture": "Picture",
    "gallery": "Gallery",
    "film": "Film",
    "documents": "Documents",
    "elsewhere": "Sign-up elsewhere",
    "hidden": "Left out",
    "seats_shown": "How seats are said",
}
MOST_VERSIONS = 200  # of one course, shown


def text_of(document: Document) -> CourseText:
    """A text as it is kept."""
    return CourseText.model_validate(document)


def kept(text: CourseText | CourseCard) -> Document:
    """A text as the document it is kept as."""
    return text.model_dump(mode="json")


def address_for(course_id: int, title: str) -> str:
    """Where the public reads of a course: its number finds it, the words are for people."""
    words = folded(title).split()
    plain = [w for w in words if w.isascii()]
    return f"/catalog/{course_id}-{'-'.join(plain)[:80].rstrip('-') or 'course'}"


def live_version(uow: UnitOfWork, course: Course) -> CourseVersion | None:
    if course.published_n is None:
        return None
    return version_of(uow, course.id, course.published_n)


def version_of(uow: UnitOfWork, course_id: int, n: int) -> CourseVersion:
    query = select(CourseVersion).where(CourseVersion.course_id == course_id, CourseVersion.n == n)
    row = uow.session.scalar(query)
    if row is None:
        raise not_found("This version")
    return row


def text_view(uow: UnitOfWork, course_id: int) -> CourseTextOut:
    """The text as it is being written, what of it is not public yet, and what keeps it from that."""
    course = get_course(uow, course_id)
    text, live = text_of(course.draft), live_version(uow, course)
    changed = changed_fields(course.title, text, live) if live else []
    pictures, documents = pictures_of(uow, course.id), documents_of(uow, course.id)
    return CourseTextOut(
        course_id=course.id,
        text=text,
        public=live is not None,
        changed=changed,
        pending=live is None or bool(changed),
        faults=[TextFault(at=f.at, message=f.message) for f in publishing_faults(text)],
        versions=versions_of(uow, course),
        pictures=pictures,
        documents=documents,
        address=address_for(course.id, live.title) if live else None,
    )


def changed_fields(title: str, text: CourseText, live: CourseVersion) -> list[str]:
    """The names of the fields in which a draft differs from a version."""
    now, then = fields_of(title, text), fields_of(live.title, text_of(live.content))
    return [name for name in LABELS if now[name] != then[name]]


def settle_pending(uow: UnitOfWork, course: Course) -> None:
    """Write down whether a course's title or draft is another than what the public reads."""
    live = live_version(uow, course)
    course.pending = live is not None and bool(changed_fields(course.title, text_of(course.draft), live))


def fields_of(title: str, text: CourseText) -> Document:
    """A text with its title, as one document."""
    return {"title": title, **kept(text)}


def versions_of(uow: UnitOfWork, course: Course) -> list[VersionOut]:
    """The versions of a course, the newest first."""
    columns = select(
        CourseVersion.n, CourseVersion.title, CourseVersion.at, User.name, CourseVersion.mark
    ).outerjoin(User, User.id == CourseVersion.user_id)
    rows = uow.session.execute(
        columns.where(CourseVersion.course_id == course.id)
        .order_by(CourseVersion.n.desc())
        .limit(MOST_VERSIONS)
    )
    return [
        VersionOut(n=n, title=title, at=uow.local(at), by=by or "", mark=mark, live=n == course.published_n)
        for n, title, at, by, mark in rows
    ]


# --- written --------------------------------------------------------------------------------------------------


def write(uow: UnitOfWork, course_id: int, command: TextPatch) -> TextChanged:
    """Save some fields of the draft. What somebody else changed meanwhile conflicts, field by field; the public sees nothing of it."""
    course = get_course(uow, course_id, to_change=True)
    names = command.set.model_fields_set
    draft = text_of(course.draft)
    new = {name: getattr(command.set, name) for name in names}
    seen = {name: getattr(command.seen, name) for name in command.seen.model_fields_set}
    faults = text_faults(uow, course, command.set, names)
    if faults:
        raise Refused([Fault(f"/set{f.at}", f.message) for f in faults])
    refuse_lost_update(new, seen, {name: getattr(draft, name) for name in names})
    course.draft = kept(draft.model_copy(update=new))
    settle_pending(uow, course)
    what = ", ".join(LABELS[n].lower() for n in LABELS if n in names) or "nothing"
    change = uow.log(Act.WRITE_A_COURSE_TEXT, course.id, f"Wrote the {what} of {course.code}")
    uow.session.flush()
    return text_view(uow, course.id).widened(TextChanged, change=change.key)


def text_faults(uow: UnitOfWork, course: Course, text: CourseText, names: set[str]) -> list[Fault]:
    """What of these fields cannot be kept: addresses that lead nowhere, files that are not the course's, no language."""
    faults = []
    for name in ("film", "elsewhere"):
        address = getattr(text, name)
        if name in names and address and not is_web_address(address):
            faults.append(Fault(f"/{name}", "This is not a web address; it begins with https://."))
    if "language" in names and not is_language(text.language):
        faults.append(Fault("/language", f'"{text.language}" is not a language.'))
    known = {p.key for p in pictures_of(uow, course.id)} if names & {"picture", "gallery"} else set()
    if "picture" in names and text.picture and text.picture.key not in known:
        faults.append(Fault("/picture", "This picture is not there any more; add it again."))
    if "gallery" in names:
        faults += [
            Fault(f"/gallery/{n}", "This picture is not there any more; add it again.")
            for n, used in enumerate(text.gallery)
            if used.key not in known
        ]
    if "documents" in names and text.documents:
        there = {d.key for d in documents_of(uow, course.id)}
        faults += [
            Fault(f"/documents/{n}", "This document is not there any more; add it again.")
            for n, used in enumerate(text.documents)
            if used.key not in there
        ]
    return faults


def is_web_address(text: str) -> bool:
    """Whether a text is the whole address of a page on the web, by https, without a name and password in it."""
    try:
        parts = urlsplit(text)
        port = parts.port
    except ValueError:
        return False
    host = parts.hostname or ""
    plain = text.isascii() and not any(c.isspace() or c in "\"'<>\\^`{|}" for c in text)
    return plain and parts.scheme == "https" and "." in host and parts.username is None and port != 0


def publishing_faults(text: CourseText) -> list[Fault]:
    """What a page needs before the public reads it."""
    faults = []
    if not text.summary:
        faults.append(Fault("/summary", "Say in a sentence or two what the course is; lists show it."))
    used = [("/picture", text.picture)] + [(f"/gallery/{n}", p) for n, p in enumerate(text.gallery)]
    faults += [
        Fault(f"{at}/alt", "Say what the picture shows, for those who do not see it.")
        for at, picture in used
        if picture is not None and not picture.alt
    ]
    return faults


# --- published ------------------------------------------------------------------------------------------------


def publish(uow: UnitOfWork, course_id: int) -> TextChanged:
    """Make the draft what the public reads, as a new version; the earlier ones are kept."""
    course = get_course(uow, course_id, to_change=True)
    text, live = text_of(course.draft), live_version(uow, course)
    faults = publishing_faults(text)
    if faults:
        raise Refused(faults)
    if live is not None and not changed_fields(course.title, text, live):
        raise conflict("published", "This is what the public reads already.")
    last = uow.session.scalar(select(func.max(CourseVersion.n)).where(CourseVersion.course_id == course.id))
    version = CourseVersion(
        course_id=course.id,
        n=(last or 0) + 1,
        title=course.title,
        content=kept(text),
        card=kept(card_of(text)),
        level=text.level or "",
        language=text.language,
        words=searched(course.title, text),
        at=uow.now,
        user_id=uow.by,
    )
    uow.session.add(version)
    course.published_n, course.summary, course.elsewhere = version.n, text.summary, text.elsewhere
    course.pending = False
    uow.session.flush()
    change = uow.log(
        Act.PUBLISH_A_COURSE, course.id, f"Published the page of {course.code}, version {version.n}"
    )
    return text_view(uow, course.id).widened(TextChanged, change=change.key)


def card_of(text: CourseText) -> CourseCard:
    return CourseCard(
        subtitle=text.subtitle,
        tags=text.tags,
        picture=text.picture,
        hidden=text.hidden,
        seats_shown=text.seats_shown,
    )


def searched(title: str, text: CourseText) -> str:
    """The words by which the public finds a course, folded."""
    parts = [title, text.subtitle, text.summary, *text.tags, *text.highlights, plain_of(text.description)]
    return folded(" ".join(parts))[:8000]


def take_off(uow: UnitOfWork, course_id: int) -> TextChanged:
    """Take a course's page off the public side; draft and versions stay."""
    course = get_course(uow, course_id, to_change=True)
    if course.published_n is None:
        raise conflict("not-public", f"{course.code} has no public page.")
    course.published_n = None
    uow.session.flush()
    change = uow.log(Act.TAKE_A_COURSE_OFF, course.id, f"Took the page of {course.code} off")
    return text_view(uow, course.id).widened(TextChanged, change=change.key)


def take_up(uow: UnitOfWork, course_id: int, n: int) -> TextChanged:
    """Take the text of an earlier version into the draft; it becomes public when it is published."""
    course = get_course(uow, course_id, to_change=True)
    version = version_of(uow, course.id, n)
    course.draft = kept(text_of(version.content))
    settle_pending(uow, course)
    uow.session.flush()
    change = uow.log(
        Act.WRITE_A_COURSE_TEXT, course.id, f"Took the text of version {n} of {course.code} into the draft"
    )
    return text_view(uow, course.id).widened(TextChanged, change=change.key)


def mark(uow: UnitOfWork, course_id: int, n: int, command: MarkCommand) -> TextChanged:
    """Say what a version went to: print, a partner. Empty takes the mark away."""
    course = get_course(uow, course_id, to_change=True)
    version = version_of(uow, course.id, n)
    version.mark = command.mark
    uow.session.flush()
    said = f'as "{command.mark}"' if command.mark else "as nothing in particular"
    change = uow.log(Act.MARK_A_VERSION, course.id, f"Marked version {n} of {course.code} {said}")
    return text_view(uow, course.id).widened(TextChanged, change=change.key)


def compare(uow: UnitOfWork, course_id: int, before: int, after: int | None) -> VersionsCompared:
    """Two versions word by word, in the fields that differ; without `after` the later one is the draft as it is now."""
    course = get_course(uow, course_id)
    old = version_of(uow, course.id, before)
    new = version_of(uow, course.id, after) if after is not None else None
    then = fields_of(old.title, text_of(old.content))
    now = (
        fields_of(new.title, text_of(new.content)) if new else fields_of(course.title, text_of(course.draft))
    )
    return VersionsCompared(
        before=_version_said(uow, old),
        after=_version_said(uow, new) if new else "the draft as it is now",
        fields=fields_compared(then, now),
    )


def fields_compared(then: Mapping[str, object], now: Mapping[str, object]) -> list[FieldCompared]:
    """Two texts with their titles word by word, in the fields that differ."""
    return [
        FieldCompared(
            field=name,
            label=label,
            pieces=[
                PieceOut(part=p.part, text=p.text)
                for p in words_compared(plain_text(then[name]), plain_text(now[name]))
            ],
        )
        for name, label in LABELS.items()
        if then[name] != now[name]
    ]


def _version_said(uow: UnitOfWork, version: CourseVersion) -> str:
    day = uow.local(version.at)[:10]
    return f"version {version.n} of {day}" + (f", {version.mark}" if version.mark else "")


def plain_text(value: object) -> str:
    """A field of a text as words in lines: lists an entry a line, parts of an entry with a dash between."""
    if isinstance(value, str):
        return value
    if isinstance(value, list):
        return "\n".join(plain_text(v) for v in value)
    if isinstance(value, dict):
        return " \u2013 ".join(plain_text(v) for key, v in value.items() if v and key != "key")
    return "" if value is None else str(value)
