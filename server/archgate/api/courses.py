"""Courses."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.across import course_pages
from archgate.actions.across.views import CoursePage
from archgate.actions.courses import courses
from archgate.actions.courses.commands import CoursePatch
from archgate.actions.courses.views import CourseChanged, CourseOut
from archgate.api.web import Subject, may, run_act, run_read

router = Subject(tags=["courses"])


@router.get("/courses")
def list_courses(request: Request, user: User = Depends(may("read"))) -> list[CourseOut]:
    return run_read(request, user, courses.list_courses)


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
