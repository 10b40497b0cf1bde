"""Standing and follow-on enrollment."""

from __future__ import annotations

from fastapi import Depends, Query, Request

from archgate.actions.access.staff import User
from archgate.actions.bulk import sentences
from archgate.actions.bulk.commands import SentenceCommand, SentenceTermsCommand
from archgate.actions.bulk.views import SentenceForeseen, SentenceOut
from archgate.actions.kernel.unit_of_work import Once
from archgate.api.web import Subject, may, once, run_act, run_read

router = Subject(tags=["bulk"])


@router.get("/sentences")
def list_sentences(
    request: Request,
    run_id: int | None = Query(default=None, ge=1),
    ended: bool = False,
    user: User = Depends(may("read")),
) -> list[SentenceOut]:
    """Sentences that enroll people by themselves, newest first, with what each has done; of a run, those from it and to it."""
    return run_read(request, user, lambda uow: sentences.list_sentences(uow, run_id, ended))


@router.post("/sentences/preview")
def foresee_sentence(
    body: SentenceCommand, request: Request, user: User = Depends(may("keep sentences"))
) -> SentenceForeseen:
    """How a sentence reads and whom it would reach now."""
    return run_read(request, user, lambda uow: sentences.foresee(uow, body))


@router.post("/sentences", status_code=201)
def create_sentence(
    body: SentenceCommand,
    request: Request,
    user: User = Depends(may("keep sentences")),
    key: Once | None = Depends(once),
) -> SentenceOut:
    """Write a sentence; it holds from now on."""
    return run_act(request, user, lambda uow: sentences.create(uow, body), once=key)


@router.patch("/sentences/{sentence_id}")
def change_sentence(
    sentence_id: int,
    body: SentenceTermsCommand,
    request: Request,
    user: User = Depends(may("keep sentences")),
) -> SentenceOut:
    """Change the terms of a sentence from now on."""
    return run_act(request, user, lambda uow: sentences.change(uow, sentence_id, body))


@router.post("/sentences/{sentence_id}/end")
def end_sentence(
    sentence_id: int, request: Request, user: User = Depends(may("keep sentences"))
) -> SentenceOut:
    """End a sentence; whom it enrolled stays."""
    return run_act(request, user, lambda uow: sentences.end(uow, sentence_id))
