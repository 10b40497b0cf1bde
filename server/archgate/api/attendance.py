"""Attendance: who was at which meeting."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.enrolling import attendance
from archgate.actions.enrolling.commands import MarksCommand
from archgate.actions.enrolling.roster_views import AttendanceDone, AttendanceOut
from archgate.api.web import Subject, may, run_act, run_read

router = Subject(tags=["attendance"])


@router.get("/runs/{run_id}/attendance")
def get_attendance(run_id: int, request: Request, user: User = Depends(may("read"))) -> AttendanceOut:
    return run_read(request, user, lambda uow: attendance.attendance(uow, run_id))


@router.put("/meetings/{meeting_id}/attendance")
def mark(
    meeting_id: int, body: MarksCommand, request: Request, user: User = Depends(may("enroll"))
) -> AttendanceDone:
    """Say who was at a meeting."""
    return run_act(request, user, lambda uow: attendance.mark(uow, meeting_id, body.marks, body.anyway))
