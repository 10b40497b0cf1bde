"""The worker's queue, its rounds, and the checks."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.across import checks
from archgate.actions.across.views import Checked
from archgate.actions.kernel import queue
from archgate.actions.kernel.views import Jobs
from archgate.api.schedule import Done
from archgate.api.web import Subject, may, run_act, run_read

router = Subject(tags=["jobs"])


@router.get("/jobs")
def list_jobs(request: Request, user: User = Depends(may("read"))) -> Jobs:
    return run_read(request, user, queue.list_jobs)


@router.post("/jobs/{job_id}/retry")
def retry_job(job_id: int, request: Request, user: User = Depends(may("plan runs"))) -> Done:
    """Put work that failed for good in line again."""
    return run_act(request, user, lambda uow: queue.retry(uow, job_id))


@router.post("/checks")
def check_everything(request: Request, user: User = Depends(may("keep settings"))) -> Checked:
    """Have checked now what is checked every night: the books, the seats, the moments. The worker begins it within seconds
    and goes through everything in slices; what it found stands with its round (`/jobs`)."""
    return run_act(request, user, checks.ask_for)
