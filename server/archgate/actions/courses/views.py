"""What is answered about courses."""

from __future__ import annotations

from archgate.actions.courses.forms import CourseDefaultsForm
from archgate.actions.kernel.commands import View


class CourseOut(View):
    id: int
    code: str
    title: str
    summary: str
    category: str
    defaults: CourseDefaultsForm


class CourseChanged(CourseOut):
    change: str
