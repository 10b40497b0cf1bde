"""The worker's queue, its rounds, and the checks."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel

from archgate.actions.access.staff import User
from archgate.actions.across import checks
from archgate.actions.kernel import queue
from archgate.api.schedule import Done
from archgate.api.web import Route, may, run_act, run_read

router = APIRouter(tags=["jobs"], route_class=Route)


class JobOut(BaseModel):
    id: int
    kind: str
    status: str
    tries: int
    trouble: str
    about: str
    run_id: int | None
    made_at: str
    due_at: str


class Round(BaseModel):
    name: str
    last_at: str | None
    found: str


class Jobs(BaseModel):
    jobs: list[JobOut]
    counts: dict[str, int]
    rounds: list[Round]


@router.get("/jobs")
def list_jobs(request: Request, user: User = Depends(may("read"))) -> Jobs:
    return run_read(request, user, queue.list_jobs)


@router.post("/jobs/{job_id}/retry")
def retry_job(job_id: int, request: Request, user: User = Depends(may("plan runs"))) -> Done:
    """Put work that failed for good in line again."""
    return run_act(request, user, lambda uow: queue.retry(uow, job_id))


class Checked(BaseModel):
    found: str


@router.post("/checks")
def check_everything(request: Request, user: User = Depends(may("keep settings"))) -> Checked:
    """Check by hand what is checked every night: the books, the seats, the moments."""
    return run_read(request, user, lambda uow: {"found": checks.everything(uow)})
