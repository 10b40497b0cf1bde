"""The calculators over HTTP: the same documents as on the command line. They touch no data of the center."""

from __future__ import annotations

from typing import Any

import orjson
from fastapi import APIRouter, Request

from archgate.actions.problems import Problem, not_found
from archgate.core.documents import CALCULATORS

router = APIRouter(tags=["calc"])
LARGEST = 1024 * 1024


@router.post("/calc/{name}", openapi_extra={"requestBody": {"content": {"application/json": {"schema": {}}}}})
async def calculate(name: str, request: Request) -> dict[str, Any]:
    """Answer one JSON document with another: schedule, quote or plan."""
    if name not in CALCULATORS:
        raise not_found(f'A calculator "{name}"')
    body = await request.body()
    if len(body) > LARGEST:
        raise Problem(413, "too-large", "A document has at most 1 MB.")
    try:
        document = orjson.loads(body)
    except orjson.JSONDecodeError as error:
        message = f"This is not a JSON document: {error}."
        raise Problem(400, "not-json", message, errors=[{"at": "", "message": message}]) from None
    return CALCULATORS[name](document)
