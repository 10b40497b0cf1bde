"""Pictures and documents of a course: checked by their content, pictures made anew in two sizes. Each stays as long as its course,
for versions that show it."""

from __future__ import annotations

import secrets

from sqlalchemy import func, select

from archgate.actions.courses.views import DocumentOut, PictureOut
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_course
from archgate.actions.kernel.problems import not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.core.faults import refuse
from archgate.papers import apart
from archgate.papers.pictures import Sizes
from archgate.tables.catalog import CourseDocument, CoursePicture

LARGEST = 10 * 1024 * 1024
MOST_FILES = 100  # pictures, and as many documents, ever given to one course


def sizes_made(content: bytes) -> Sizes:
    """A picture in the sizes that pages show, in a process of its own. Raises Refused at /file for what is none."""
    if not content:
        raise refuse("/file", "The file is empty.")
    if len(content) > LARGEST:
        raise refuse("/file", f"A picture has at most {LARGEST // 1024 // 1024} MB.")
    return apart.sizes_of(content)


def add_picture(uow: UnitOfWork, course_id: int, made: Sizes) -> PictureOut:
    """Keep a picture for the texts of a course; where it stands is said in the draft."""
    course = get_course(uow, course_id, to_change=True)
    _refuse_many(uow, CoursePicture, course.id, "pictures")
    row = CoursePicture(
        course_id=course.id, key=secrets.token_hex(16), width=made.width, height=made.height,
        large=made.large, small=made.small, at=uow.now,
    )  # fmt: skip
    uow.session.add(row)
    uow.session.flush()
    uow.log(Act.ADD_A_COURSE_FILE, course.id, f"Added a picture to {course.code}")
    return picture_view(row.key, row.width, row.height)


def add_document(uow: UnitOfWork, course_id: int, name: str, content: bytes) -> DocumentOut:
    """Keep a PDF for the texts of a course."""
    course = get_course(uow, course_id, to_change=True)
    if not content.startswith(b"%PDF-"):
        raise refuse("/file", "A document is a PDF; this file is none.")
    if len(content) > LARGEST:
        raise refuse("/file", f"A document has at most {LARGEST // 1024 // 1024} MB.")
    _refuse_many(uow, CourseDocument, course.id, "documents")
    plain = " ".join(name.replace("/", " ").replace("\\", " ").split())[-200:] or "document.pdf"
    row = CourseDocument(
        course_id=course.id, key=secrets.token_hex(16), name=plain, size=len(content), content=content, at=uow.now
    )  # fmt: skip
    uow.session.add(row)
    uow.session.flush()
    uow.log(Act.ADD_A_COURSE_FILE, course.id, f"Added the document {plain} to {course.code}")
    return document_view(row.key, row.name, row.size)


def _refuse_many(
    uow: UnitOfWork, kind: type[CoursePicture] | type[CourseDocument], course_id: int, word: str
) -> None:
    if (uow.session.scalar(select(func.count()).where(kind.course_id == course_id)) or 0) >= MOST_FILES:
        raise refuse("/file", f"A course has at most {MOST_FILES} {word}, with those of earlier versions.")


def picture_view(key: str, width: int, height: int) -> PictureOut:
    address = f"/catalog/pictures/{key}"
    return PictureOut(
        key=key, width=width, height=height, small=f"{address}-small.jpg", large=f"{address}-large.jpg"
    )


def document_view(key: str, name: str, size: int) -> DocumentOut:
    return DocumentOut(key=key, name=name, size=size, address=f"/catalog/documents/{key}.pdf")


def pictures_of(uow: UnitOfWork, course_id: int) -> list[PictureOut]:
    query = select(CoursePicture.key, CoursePicture.width, CoursePicture.height)
    rows = uow.session.execute(query.where(CoursePicture.course_id == course_id).order_by(CoursePicture.id))
    return [picture_view(*row) for row in rows]


def documents_of(uow: UnitOfWork, course_id: int) -> list[DocumentOut]:
    query = select(CourseDocument.key, CourseDocument.name, CourseDocument.size)
    rows = uow.session.execute(query.where(CourseDocument.course_id == course_id).order_by(CourseDocument.id))
    return [document_view(*row) for row in rows]


def picture_content(uow: UnitOfWork, key: str, size: str) -> bytes:
    column = CoursePicture.small if size == "small" else CoursePicture.large
    content = uow.session.scalar(select(column).where(CoursePicture.key == key))
    if content is None:
        raise not_found("This picture")
    return content


def document_content(uow: UnitOfWork, key: str) -> tuple[str, bytes]:
    query = select(CourseDocument.name, CourseDocument.content).where(CourseDocument.key == key)
    found = uow.session.execute(query).one_or_none()
    if found is None:
        raise not_found("This document")
    return found[0], found[1]
