"""The calculators over HTTP: the same documents as on the command line. They touch no data of the center."""

from __future__ import annotations

import orjson
from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.kernel.problems import Problem, not_found
from archgate.api.web import Subject, may
from archgate.documents.calculators import CALCULATORS
from archgate.documents.reader import Document

router = Subject(tags=["calc"])
LARGEST = 1024 * 1024


async def bytes_of(request: Request) -> bytes:
    body = await request.body()
    if len(body) > LARGEST:
        raise Problem(413, "too-large", "A document has at most 1 MB.")
    return body


@router.post("/calc/{name}", openapi_extra={"requestBody": {"content": {"application/json": {"schema": {}}}}})
def calculate(name: str, body: bytes = Depends(bytes_of), user: User = Depends(may("read"))) -> Document:
    """Answer one JSON document with another: schedule, quote, plan, waitlist or pay. A document has at most 1 MB, a list in it
    1,000 entries; a schedule at most 5,000 meetings of all patterns together, and 5,000 clashes."""
    if name not in CALCULATORS:
        raise not_found(f'A calculator "{name}"')
    try:
        document = orjson.loads(body)
    except orjson.JSONDecodeError as error:
        message = f"This is not a JSON document: {error}."
        raise Problem(400, "not-json", message, errors=[{"at": "", "message": message}]) from None
    return CALCULATORS[name](document)
