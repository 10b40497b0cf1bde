"""What is answered about courses."""

from __future__ import annotations

from typing import Any

from archgate.actions.kernel.commands import View


class CourseOut(View):
    id: int
    code: str
    title: str
    summary: str
    category: str
    defaults: dict[str, Any]


class CourseChanged(CourseOut):
    change: str
