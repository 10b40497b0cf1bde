"""A run's roster."""

from __future__ import annotations

import orjson
from fastapi import Depends, Request, Response

from archgate.actions.access.staff import User
from archgate.actions.enrolling import roster
from archgate.actions.enrolling.roster_views import Roster
from archgate.actions.kernel.unit_of_work import as_json
from archgate.api.web import Subject, may, run_read

router = Subject(tags=["roster"])


@router.get("/runs/{run_id}/roster", response_model=Roster)
def get_roster(run_id: int, request: Request, user: User = Depends(may("read"))) -> Response:
    """The whole roster at once; thousands of rows go out as they were read, without being looked at one by one."""
    content = run_read(request, user, lambda uow: roster.roster(uow, run_id))
    return Response(orjson.dumps(dict(content), default=as_json), media_type="application/json")
