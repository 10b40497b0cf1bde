"""What is answered about messages."""

from __future__ import annotations

from archgate.actions.kernel.commands import Moment, View


class WebhookOut(View):
    id: int
    name: str
    address: str


class WebhookDone(WebhookOut):
    change: str


class WebhookMade(WebhookDone):
    """The secret is shown this once only."""

    secret: str


class MessageOut(View):
    id: int
    to: str
    email: str
    subject: str
    body: str
    run_id: int | None
    person_id: int | None
    at: Moment
    status: str
    trouble: str
    sent_at: Moment | None
    job_id: int
    invoice_id: int | None


class Outbox(View):
    items: list[MessageOut]
    total: int
    next: int | None
