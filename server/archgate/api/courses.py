"""Courses."""

from __future__ import annotations

from fastapi import Depends, Request, UploadFile

from archgate.actions.access.staff import User
from archgate.actions.across import course_pages
from archgate.actions.across.views import CatalogLine, CoursePage
from archgate.actions.courses import categories, courses, files, texts
from archgate.actions.courses.commands import (
    CategoryCommand,
    CategoryMergeCommand,
    CoursePatch,
    MarkCommand,
    MarkdownCommand,
    TextPatch,
)
from archgate.actions.courses.views import (
    CategoriesChanged,
    CategoryOut,
    CourseChanged,
    CourseOut,
    CourseTextOut,
    DocumentOut,
    MarkdownOut,
    PictureOut,
    TextChanged,
    VersionsCompared,
)
from archgate.actions.kernel.unit_of_work import Once
from archgate.actions.teaching import reviewing
from archgate.api.web import Subject, may, once, run_act, run_read
from archgate.papers.markdown import html_of

router = Subject(tags=["courses"])


@router.get("/courses")
def list_courses(request: Request, user: User = Depends(may("read"))) -> list[CourseOut]:
    return run_read(request, user, courses.list_courses)


@router.get("/catalog-lines")
def catalog_lines(request: Request, user: User = Depends(may("read"))) -> list[CatalogLine]:
    """Every course in one line, as the staff's catalog shows it."""
    return run_read(request, user, course_pages.catalog_lines)


@router.get("/courses/{course_id}")
def course(course_id: int, request: Request, user: User = Depends(may("read"))) -> CoursePage:
    """A course with its runs and how many wait for it."""
    return run_read(request, user, lambda uow: course_pages.course_page(uow, course_id))


@router.patch("/courses/{course_id}")
def change_course(
    course_id: int, body: CoursePatch, request: Request, user: User = Depends(may("keep courses"))
) -> CourseChanged:
    """Change a course; what `set` does not name stays. `refunds` null takes the center's policy again."""
    return run_act(request, user, lambda uow: courses.change_course(uow, course_id, body))


# --- the public text --------------------------------------------------------------------------------------


@router.get("/courses/{course_id}/text")
def course_text(course_id: int, request: Request, user: User = Depends(may("read"))) -> CourseTextOut:
    """The public text of a course as it is being written, with its versions, pictures and documents."""
    return run_read(request, user, lambda uow: texts.text_view(uow, course_id))


@router.patch("/courses/{course_id}/text")
def write_course_text(
    course_id: int, body: TextPatch, request: Request, user: User = Depends(may("keep courses"))
) -> TextChanged:
    """Save fields of the draft; the public sees nothing of it until it is published."""
    return run_act(request, user, lambda uow: texts.write(uow, course_id, body))


@router.post("/courses/{course_id}/publish")
def publish_course(
    course_id: int,
    request: Request,
    user: User = Depends(may("publish")),
    key: Once | None = Depends(once),
) -> TextChanged:
    """Make the draft what the public reads; not while an instructor prepares it."""
    return run_act(request, user, lambda uow: reviewing.publish_course(uow, course_id), once=key)


@router.post("/courses/{course_id}/take-off")
def take_course_off(
    course_id: int,
    request: Request,
    user: User = Depends(may("publish")),
    key: Once | None = Depends(once),
) -> TextChanged:
    """Take the course's page off the public side."""
    return run_act(request, user, lambda uow: texts.take_off(uow, course_id), once=key)


@router.post("/courses/{course_id}/versions/{n}/take-up")
def take_up_version(
    course_id: int,
    n: int,
    request: Request,
    user: User = Depends(may("keep courses")),
    key: Once | None = Depends(once),
) -> TextChanged:
    """Take the text of an earlier version into the draft."""
    return run_act(request, user, lambda uow: texts.take_up(uow, course_id, n), once=key)


@router.put("/courses/{course_id}/versions/{n}/mark")
def mark_version(
    course_id: int, n: int, body: MarkCommand, request: Request, user: User = Depends(may("keep courses"))
) -> TextChanged:
    """Say what a version went to."""
    return run_act(request, user, lambda uow: texts.mark(uow, course_id, n, body))


@router.get("/courses/{course_id}/versions/{n}/compared")
def compare_versions(
    course_id: int, n: int, request: Request, after: int | None = None, user: User = Depends(may("read"))
) -> VersionsCompared:
    """A version compared word by word with a later one, or with the draft."""
    return run_read(request, user, lambda uow: texts.compare(uow, course_id, n, after))


@router.post("/courses/{course_id}/pictures", status_code=201)
def add_picture(
    course_id: int, file: UploadFile, request: Request, user: User = Depends(may("keep courses"))
) -> PictureOut:
    """Add a picture to what the course's text can show; it is made anew in two sizes."""
    made = files.sizes_made(file.file.read(files.LARGEST + 1))
    return run_act(request, user, lambda uow: files.add_picture(uow, course_id, made))


@router.post("/courses/{course_id}/documents", status_code=201)
def add_document(
    course_id: int, file: UploadFile, request: Request, user: User = Depends(may("keep courses"))
) -> DocumentOut:
    """Add a PDF to what the course's text can offer."""
    content, name = file.file.read(files.LARGEST + 1), file.filename or ""
    return run_act(request, user, lambda uow: files.add_document(uow, course_id, name, content))


@router.post("/markdown")
def show_markdown(body: MarkdownCommand, request: Request, user: User = Depends(may("read"))) -> MarkdownOut:
    """Markdown as the public would see it."""
    return MarkdownOut(html=html_of(body.text))


# --- the tree of categories -------------------------------------------------------------------------------


@router.get("/categories")
def list_categories(request: Request, user: User = Depends(may("read"))) -> list[CategoryOut]:
    return run_read(request, user, categories.listed)


@router.post("/categories", status_code=201)
def make_category(
    body: CategoryCommand,
    request: Request,
    user: User = Depends(may("keep courses")),
    key: Once | None = Depends(once),
) -> CategoriesChanged:
    return run_act(request, user, lambda uow: categories.make(uow, body), once=key)


@router.put("/categories/{category_id}")
def change_category(
    category_id: int, body: CategoryCommand, request: Request, user: User = Depends(may("keep courses"))
) -> CategoriesChanged:
    """Rename a category, or move it with all below it."""
    return run_act(request, user, lambda uow: categories.change(uow, category_id, body))


@router.post("/categories/{category_id}/up")
def category_up(
    category_id: int, request: Request, user: User = Depends(may("keep courses"))
) -> CategoriesChanged:
    """One place up among those beside it."""
    return run_act(request, user, lambda uow: categories.move_up(uow, category_id))


@router.post("/categories/{category_id}/merge")
def merge_category(
    category_id: int,
    body: CategoryMergeCommand,
    request: Request,
    user: User = Depends(may("keep courses")),
    key: Once | None = Depends(once),
) -> CategoriesChanged:
    """Put everything of one category into another, and end it."""
    return run_act(request, user, lambda uow: categories.merge(uow, category_id, body), once=key)


@router.delete("/categories/{category_id}")
def remove_category(
    category_id: int, request: Request, user: User = Depends(may("keep courses"))
) -> CategoriesChanged:
    """Take out an empty category."""
    return run_act(request, user, lambda uow: categories.remove(uow, category_id))
