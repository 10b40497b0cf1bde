"""Courses: listed, made and changed."""

from __future__ import annotations

import re
from typing import Any

from sqlalchemy import select

from archgate.actions.courses import refund_policies
from archgate.actions.courses.views import CourseChanged, CourseOut
from archgate.actions.kernel.answers import refuse_lost_update
from archgate.actions.kernel.lookups import get_course
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.core.faults import Fault, Refused
from archgate.core.reader import Reader
from archgate.tables.courses import Course


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
        defaults=course.defaults,
    )


def read_course(uow: UnitOfWork, row: Reader) -> Course | None:
    """A new course from a form; its code is made from the title when none is given."""
    before = len(row.faults)
    title = row.text("title", "The course title", need=True)
    code = row.text("code", "The course code")
    summary = row.text("summary", "The summary") or ""
    for key, held, most in (("title", title, 200), ("code", code, 40)):
        if held and len(held) > most:
            row.fault(key, f"The {key} is longer than {most} characters.")
    if code and uow.session.scalar(select(Course).where(Course.code == code)):
        row.fault("code", f'The course code "{code}" is taken.')
    if len(row.faults) > before or title is None:
        return None
    return Course(
        code=code or free_course_code(uow, title),
        title=title,
        summary=summary,
        category="",
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


def change_course(uow: UnitOfWork, course_id: int, body: dict[str, Any]) -> CourseChanged:
    """Change a course's title, code, summary, category or refund policy; `seen` holds the values the person saw. The
    policy is that of all its runs, also of those on sale; without one of its own a course has the center's."""
    course = get_course(uow, course_id, to_change=True)
    faults: list[Fault] = []
    top = Reader(body, "", faults, "seen set")
    row = top.inner("set", "What to change", "title code summary category refunds")
    new: dict[str, Any] = {}
    for name, most in (("title", 200), ("code", 40), ("summary", 5000), ("category", 200)):
        if row is None or name not in row.value:
            continue
        held = (
            row.value[name]
            if name in ("summary", "category") and row.value[name] == ""
            else row.text(name, f"The {name}", True)
        )
        if held and len(held) > most:
            row.fault(name, f"The {name} is longer than {most} characters.")
        new[name] = held
    now = {n: getattr(course, n) for n in new}
    if row is not None and "refunds" in row.value:
        now["refunds"], policy = course.defaults.get("refunds"), row.value["refunds"]
        new["refunds"] = policy if policy is None else refund_policies.read_refunds(row, uow.center.currency)
    twin = uow.session.scalar(select(Course).where(Course.code == new["code"])) if new.get("code") else None
    if row is not None and twin and twin.id != course.id:
        row.fault("code", f'The course code "{new["code"]}" is taken.')
    if faults:
        raise Refused(faults)
    refuse_lost_update(new, top.value.get("seen") or {}, now)
    for name, value in new.items():
        if name == "refunds":
            held = {**course.defaults, "refunds": value}
            course.defaults = {n: v for n, v in held.items() if v is not None}
        else:
            setattr(course, name, value)
    said = ", ".join("the refund policy" if n == "refunds" else n for n in new)
    change = uow.log("change a course", "course", course.id, f"Changed {said} of {course.code}")
    return course_view(course).widened(CourseChanged, change=change.key)


def given_course(uow: UnitOfWork, top: Reader) -> Course | None:
    number = top.whole("course_id", "The course", 1, 2**62)
    if number is not None:
        course = uow.session.get(Course, number)
        if course is None:
            top.fault("course_id", "There is no such course.")
        return course
    row = top.inner("course", "The course", "code title summary")
    return read_course(uow, row) if row else None
