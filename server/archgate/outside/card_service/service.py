"""What the stand-in does: pages, authorization, capture, release, charges of what is on file, refunds, and notices of all that.

Every function is one transaction. What is asked under a key is done once; the same key with other content is refused.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime, timedelta

import orjson
from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from archgate.clock import system_now
from archgate.core.states import ServiceStatus
from archgate.outside.card_service import rules
from archgate.outside.card_service.rules import Treatment, Weather
from archgate.outside.card_service.store import OnFile, ServiceNotice, ServicePayment, ServiceRefund
from archgate.outside.payments import ChargeAsk, Found, PageAsk, PaidBack, RefundAsk
from archgate.outside.webhooks import signature_of

PAGE_LIFE = timedelta(minutes=30)
LATE = timedelta(seconds=20)
MOST_TRIES = 12


class Other(Exception):
    """The key was used for something else, or what is asked cannot be in this state."""


@dataclass
class CardService:
    """The stand-in. `secret` signs notices, `here` is where payers find its pages."""

    sessions: sessionmaker[Session]
    secret: str
    here: str
    weather: Weather = field(default_factory=Weather)

    # --- what the center asks ---------------------------------------------------------------------------------

    def open_page(self, key: str, ask: PageAsk) -> Found:
        with self.sessions.begin() as session:
            row = self._row(session, key)
            if row is None:
                row = new_payment(key, ask, ask.amount, ask.currency, ask.words)
                row.keep, row.back = ask.keep or not ask.amount, ask.back
                session.add(row)
                session.flush()
            return self._same(row, ask)

    def charge(self, key: str, ask: ChargeAsk) -> Found:
        """Charge what is on file, at once: captured or refused."""
        with self.sessions.begin() as session:
            row = self._row(session, key)
            if row is not None:
                return self._same(row, ask)
            kept = session.get(OnFile, ask.token)
            row = new_payment(key, ask, ask.amount, ask.currency, ask.words)
            session.add(row)
            session.flush()
            if kept is None:
                row.status, row.said = ServiceStatus.REFUSED, "These payment details are not on file."
            elif kept.treatment in (Treatment.NO_MONEY, Treatment.BLOCKED, Treatment.REFUSED_LATER):
                row.status, row.said = ServiceStatus.REFUSED, rules.SENTENCES[Treatment(kept.treatment)]
            elif self.weather.strikes(0.5):
                row.status, row.said = ServiceStatus.REFUSED, rules.SENTENCES[Treatment.NO_MONEY]
            else:
                row.status, row.fee = ServiceStatus.CAPTURED, rules.fee_of(row.amount)
            if kept is not None:
                row.treatment, row.ending, row.holder, row.token = (
                    kept.treatment,
                    kept.ending,
                    kept.holder,
                    kept.token,
                )
            self._notice(session, row)
            return self._found(row)

    def found(self, key: str) -> Found | None:
        with self.sessions.begin() as session:
            row = self._row(session, key)
            if row is None:
                return None
            self._expire(session, row)
            return self._found(row)

    def capture(self, key: str) -> Found | None:
        return self._step(key, ServiceStatus.AUTHORIZED, ServiceStatus.CAPTURED)

    def release(self, key: str) -> Found | None:
        """Let go of what was authorized, or close a page on which nobody has paid."""
        with self.sessions.begin() as session:
            row = self._row(session, key)
            if row is not None and row.status is ServiceStatus.OPEN:
                row.status = ServiceStatus.RELEASED
                self._notice(session, row)
                return self._found(row)
        return self._step(key, ServiceStatus.AUTHORIZED, ServiceStatus.RELEASED)

    def refund(self, key: str, ask: RefundAsk) -> PaidBack | None:
        """Pay a captured payment back in part or whole; never more than is left of it."""
        with self.sessions.begin() as session:
            row = self._row(session, ask.payment)
            if row is None:
                return None
            known = session.scalar(select(ServiceRefund).where(ServiceRefund.key == key))
            if known is None:
                said = ""
                if row.status is not ServiceStatus.CAPTURED:
                    said = "Nothing was charged that could be paid back."
                elif ask.amount > row.amount - paid_back(session, row):
                    said = "More cannot be paid back than is left of the payment."
                known = ServiceRefund(
                    key=key, payment_id=row.id, amount=ask.amount, said=said, at=system_now()
                )
                session.add(known)
            elif (known.payment_id, known.amount) != (row.id, ask.amount):
                raise Other("This key was used for another refund.")
            return PaidBack(key=key, done=not known.said, said=known.said)

    def _step(self, key: str, since: ServiceStatus, to: ServiceStatus) -> Found | None:
        with self.sessions.begin() as session:
            row = self._row(session, key)
            if row is None:
                return None
            self._expire(session, row)
            if row.status is since:
                row.status = to
                row.fee = rules.fee_of(row.amount) if to is ServiceStatus.CAPTURED and row.amount else 0
                self._notice(session, row)
            elif row.status is not to:
                raise Other(f"This payment is {row.status}.")
            return self._found(row)

    # --- what the payer does on the page ------------------------------------------------------------------------

    def page(self, page: str) -> Found | None:
        with self.sessions.begin() as session:
            row = self._row_of_page(session, page)
            if row is None:
                return None
            self._expire(session, row)
            return self._found(row)

    def back_of(self, page: str) -> str:
        with self.sessions() as session:
            return session.scalar(select(ServicePayment.back).where(ServicePayment.page == page)) or ""

    def words_of(self, page: str) -> str:
        with self.sessions() as session:
            return session.scalar(select(ServicePayment.words).where(ServicePayment.page == page)) or ""

    def given(self, page: str, number: str, holder: str) -> Found | None:
        """A card was given on the page: accepted, refused, in which case another may follow, or a further check is due first."""
        with self.sessions.begin() as session:
            row = self._row_to_pay(session, page)
            if row is None or row.status is not ServiceStatus.OPEN:
                return self._found(row) if row else None
            digits = number.replace(" ", "").replace("-", "")
            row.treatment, row.ending, row.holder, row.said = rules.NUMBERS[digits], digits[-2:], holder, ""
            if row.treatment in (Treatment.NO_MONEY, Treatment.BLOCKED):
                row.said = rules.SENTENCES[Treatment(row.treatment)]
            elif row.treatment != Treatment.CHECK:
                self._authorize(session, row)
            return self._found(row)

    def checked(self, page: str, fits: bool) -> Found | None:
        """The payer answered the further check; one that does not fit gives the card up."""
        with self.sessions.begin() as session:
            row = self._row_to_pay(session, page)
            if row is not None and row.status is ServiceStatus.OPEN and row.treatment == Treatment.CHECK:
                if fits:
                    self._authorize(session, row)
                else:
                    row.treatment, row.said = "", "The code does not fit. Nothing was charged."
            return self._found(row) if row else None

    def waits_for_check(self, page: str) -> bool:
        with self.sessions() as session:
            query = select(ServicePayment.treatment).where(
                ServicePayment.page == page, ServicePayment.status == ServiceStatus.OPEN
            )
            return session.scalar(query) == Treatment.CHECK

    def _row_to_pay(self, session: Session, page: str) -> ServicePayment | None:
        row = self._row_of_page(session, page)
        if row is not None:
            self._expire(session, row)
        return row

    def _authorize(self, session: Session, row: ServicePayment) -> None:
        row.status = ServiceStatus.AUTHORIZED if row.amount else ServiceStatus.CAPTURED  # details only
        if row.keep:
            row.token = f"card-{secrets.token_hex(16)}"
            kept = OnFile(token=row.token, treatment=row.treatment, ending=row.ending, holder=row.holder, made_at=system_now())  # fmt: skip
            session.add(kept)
        self._notice(session, row)

    def treatment_of(self, key: str) -> str:
        with self.sessions() as session:
            return session.scalar(select(ServicePayment.treatment).where(ServicePayment.key == key)) or ""

    # --- notices ------------------------------------------------------------------------------------------------

    def send_due(self, post: Callable[[str, dict[str, str]], bool], now: datetime | None = None) -> int:
        """Send what is due to the center, each in a transaction of its own; what is not answered comes again, later each time."""
        now, sent = now or system_now(), 0
        while True:
            with self.sessions.begin() as session:
                due = select(ServiceNotice).where(ServiceNotice.copies > 0, ServiceNotice.due_at <= now)
                row = session.scalar(
                    due.order_by(ServiceNotice.id).limit(1).with_for_update(skip_locked=True)
                )
                if row is None:
                    return sent
                at = int(system_now().timestamp())
                headers = {
                    "webhook-id": row.number,
                    "webhook-timestamp": str(at),
                    "webhook-signature": signature_of(self.secret, row.number, at, row.body),
                    "content-type": "application/json",
                }
                row.tries += 1
                if post(row.body, headers):
                    row.copies -= 1
                    sent += 1
                elif row.tries >= MOST_TRIES:
                    row.copies = 0
                else:
                    row.due_at = now + timedelta(seconds=min(2**row.tries, 600))

    # --- within ---------------------------------------------------------------------------------------------------

    def _row(self, session: Session, key: str) -> ServicePayment | None:
        return session.scalar(select(ServicePayment).where(ServicePayment.key == key).with_for_update())

    def _row_of_page(self, session: Session, page: str) -> ServicePayment | None:
        return session.scalar(select(ServicePayment).where(ServicePayment.page == page).with_for_update())

    def _same(self, row: ServicePayment, ask: BaseModel) -> Found:
        if row.asked != ask.model_dump_json():
            raise Other("This key was used for another payment.")
        return self._found(row)

    def _expire(self, session: Session, row: ServicePayment) -> None:
        if row.status is ServiceStatus.OPEN and row.until <= system_now():
            row.status = ServiceStatus.EXPIRED
            self._notice(session, row)

    def _found(self, row: ServicePayment) -> Found:
        words = f"practice card of {row.holder}, ending in {row.ending}" if row.ending else ""
        return Found(
            key=row.key, status=row.status, amount=row.amount, currency=row.currency, fee=row.fee,
            page=f"{self.here}/pay/{row.page}", token=row.token, words=words, said=row.said,
        )  # fmt: skip

    def _notice(self, session: Session, row: ServicePayment) -> None:
        late = row.treatment == Treatment.LATE or self.weather.strikes()
        twice = row.treatment == Treatment.TWICE or self.weather.strikes()
        body = {
            "type": f"payment.{row.status}",
            "timestamp": system_now().isoformat(),
            "data": {"key": row.key},
        }
        session.add(
            ServiceNotice(
                number=f"notice-{secrets.token_hex(10)}",
                body=orjson.dumps(body).decode(),
                due_at=system_now() + (LATE if late else timedelta(0)),
                copies=2 if twice else 1,
            )
        )


def new_payment(key: str, ask: BaseModel, amount: int, currency: str, words: str) -> ServicePayment:
    now = system_now()
    return ServicePayment(
        key=key, asked=ask.model_dump_json(), page=secrets.token_urlsafe(24), amount=amount, currency=currency, words=words[:300],
        keep=False, back="", status=ServiceStatus.OPEN, made_at=now, until=now + PAGE_LIFE,
        treatment="", ending="", holder="", token="", said="", fee=0,
    )  # fmt: skip


def paid_back(session: Session, row: ServicePayment) -> int:
    done = select(func.coalesce(func.sum(ServiceRefund.amount), 0))
    return int(session.scalar(done.where(ServiceRefund.payment_id == row.id, ServiceRefund.said == "")) or 0)
