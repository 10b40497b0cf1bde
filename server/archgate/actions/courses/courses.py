"""Courses: listed, made and changed."""

from __future__ import annotations

import re

from sqlalchemy import select

from archgate.actions.courses import categories, refund_policies, texts
from archgate.actions.courses.commands import CourseFacts, CourseForm, CoursePatch, CourseText
from archgate.actions.courses.forms import CenterDefaultsForm, CourseDefaultsForm
from archgate.actions.courses.views import CourseChanged, CourseOut
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import refuse_lost_update
from archgate.actions.kernel.lookups import get_course
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.core.faults import Fault, Refused
from archgate.tables.catalog import Category
from archgate.tables.courses import Course

WORDS = {"refunds": "the refund policy", "category_id": "the category", "promoted": "whether it comes first"}


def list_courses(uow: UnitOfWork) -> list[CourseOut]:
    courses = uow.session.scalars(select(Course).order_by(Course.title)).all()
    return [course_view(c) for c in courses]


def course_view(course: Course) -> CourseOut:
    return CourseOut(
        id=course.id,
        code=course.code,
        title=course.title,
        summary=course.summary,
        category=course.category,
        category_id=course.category_id,
        promoted=course.promoted,
        defaults=course_form(course),
    )


def read_course(uow: UnitOfWork, form: CourseForm, faults: list[Fault]) -> Course | None:
    """A new course from a form; its code is made from the title when none is given."""
    title, code, summary = form.title, form.code, form.summary or ""
    if code and uow.session.scalar(select(Course).where(Course.code == code)):
        faults.append(Fault("/course/code", f'The course code "{code}" is taken.'))
        return None
    return Course(
        code=code or free_course_code(uow, title),
        title=title,
        summary=summary,
        draft=CourseText(summary=summary[:600]).model_dump(mode="json"),
        defaults={},
        created_at=uow.now,
    )


def free_course_code(uow: UnitOfWork, title: str) -> str:
    """A short code from the first letters of a title's words, not yet taken."""
    words = [
        w
        for w in re.findall(r"[A-Za-z]+", title)
        if w.lower() not in {"a", "an", "the", "in", "of", "and", "for"}
    ]
    stem = (
        "".join(w[0] for w in words[:4]).upper()
        if len(words) > 2
        else (words[0][:4].upper() if words else "C")
    )
    taken = set(uow.session.scalars(select(Course.code).where(Course.code.like(f"{stem}%"))))
    return next(c for n in range(1, 10_000) if (c := stem if n == 1 else f"{stem}{n}") not in taken)


def change_course(uow: UnitOfWork, course_id: int, command: CoursePatch) -> CourseChanged:
    """Change a course's title, code, category, or refund policy, or whether it comes first; `seen` holds the values the person saw.
    The policy is that of all its runs, also of those on sale; without one of its own a course has the center's."""
    course = get_course(uow, course_id, to_change=True)
    faults: list[Fault] = []
    new, seen = facts_of(uow, command.set, faults), facts_of(uow, command.seen, [])
    now: dict[str, object] = {
        n: course.defaults.get("refunds") if n == "refunds" else getattr(course, n) for n in new
    }
    code = command.set.code
    twin = uow.session.scalar(select(Course).where(Course.code == code)) if code else None
    if twin and twin.id != course.id:
        faults.append(Fault("/set/code", f'The course code "{code}" is taken.'))
    if faults:
        raise Refused(faults)
    refuse_lost_update(new, seen, now)
    for name, value in new.items():
        if name == "refunds":
            defaults = {**course.defaults, "refunds": value}
            course.defaults = {n: v for n, v in defaults.items() if v is not None}
        else:
            setattr(course, name, value)
    if "title" in new:
        texts.settle_pending(uow, course)
    what = ", ".join(WORDS.get(n, n) for n in new)
    change = uow.log(Act.CHANGE_A_COURSE, course.id, f"Changed {what} of {course.code}")
    return course_view(course).widened(CourseChanged, change=change.key)


def facts_of(uow: UnitOfWork, facts: CourseFacts, faults: list[Fault]) -> dict[str, object]:
    """What is said of a course; title and code cannot be taken away."""
    values: dict[str, object] = {}
    for name in ("title", "code"):
        if name not in facts.model_fields_set:
            continue
        values[name] = getattr(facts, name) or ""
        if not values[name]:
            faults.append(Fault(f"/set/{name}", f"The {name} is missing."))
    if "promoted" in facts.model_fields_set:
        values["promoted"] = bool(facts.promoted)
    if facts.named:
        values["category_id"] = categories.named(uow, facts.named)
    elif "category_id" in facts.model_fields_set:
        if facts.category_id is not None and uow.session.get(Category, facts.category_id) is None:
            faults.append(Fault("/set/category_id", "There is no such category."))
        values["category_id"] = facts.category_id
    if "refunds" in facts.model_fields_set:
        form, currency = facts.refunds, uow.center.currency
        values["refunds"] = (
            refund_policies.document_of(form, currency, "/set/refunds", faults) if form else None
        )
    return values


def given_course(
    uow: UnitOfWork, course_id: int | None, form: CourseForm | None, faults: list[Fault]
) -> Course | None:
    """The course a new run is of: one that is there, or a new one."""
    if course_id is not None:
        course = uow.session.get(Course, course_id)
        if course is None:
            faults.append(Fault("/course_id", "There is no such course."))
        return course
    if form is None:
        faults.append(Fault("/course", "The course is missing."))
        return None
    return read_course(uow, form, faults)


def center_form(uow: UnitOfWork) -> CenterDefaultsForm:
    """What runs start from where their course says nothing."""
    return CenterDefaultsForm.model_validate(uow.center.defaults)


def course_form(course: Course | None) -> CourseDefaultsForm:
    """What the next runs of a course start from."""
    return CourseDefaultsForm.model_validate(course.defaults if course else {})
