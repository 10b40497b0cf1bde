"""The money ledger. Rows are only ever added: the database itself refuses to change or delete them."""

from __future__ import annotations

from datetime import date, datetime

from sqlalchemy import BigInteger, CheckConstraint, Computed, ForeignKey, Index, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from archgate.core.states import CardStatus, MoneyOut, RefundStatus, WaitingMoney
from archgate.documents.reader import Document
from archgate.tables.base import KEPT, Base, KeptUnits, Key, Name, Prose, Units, Word, ascii_key


class Account(Base):
    """`owner` is "person:5", "organization:2" or "center:income".

    Kept of payers' accounts by `money.owing`: what is `open` of their installments, since when (`first_due`), and what they owe
    by the books (`balance`); `credit` is what came in and settles nothing yet, None for none; `listed` places those with something open or a credit, the last of all where it is a credit alone.
    """

    __tablename__ = "accounts"
    __table_args__ = (
        UniqueConstraint("owner", "currency"),
        Index("ix_accounts_listed", "listed", "id", "currency"),
    )
    id: Mapped[Key]
    owner: Mapped[str] = mapped_column(ascii_key(60))
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"), index=True)
    organization_id: Mapped[int | None] = mapped_column(ForeignKey("organizations.id"), index=True)
    currency: Mapped[str] = mapped_column(ascii_key(3))
    open: Mapped[KeptUnits]
    balance: Mapped[KeptUnits]
    first_due: Mapped[date | None] = mapped_column(info=KEPT)
    credit: Mapped[int | None] = mapped_column(
        BigInteger, Computed("IF(open > balance, open - balance, NULL)", persisted=True), index=True
    )
    listed: Mapped[date | None] = mapped_column(
        Computed("IF(open > 0, first_due, IF(open > balance, DATE '9999-12-31', NULL))", persisted=True)
    )


class Entry(Base):
    """Positive is a debit, negative a credit; a posting's entries sum to zero."""

    __tablename__ = "entries"
    __table_args__ = (CheckConstraint("amount <> 0", name="amount"),)
    id: Mapped[Key]
    posting_id: Mapped[int] = mapped_column(ForeignKey("postings.id"), index=True)
    account_id: Mapped[int] = mapped_column(ForeignKey("accounts.id"), index=True)
    amount: Mapped[Units]


class Posting(Base):
    """One event of money with its cause: a sign-up, a meeting that fell out, another posting. `effective` is the day it counts for, `entered_at` when it was written."""

    __tablename__ = "postings"
    __table_args__ = (UniqueConstraint("reverses_id"),)
    id: Mapped[Key]
    kind: Mapped[Word]
    currency: Mapped[str] = mapped_column(ascii_key(3))
    effective: Mapped[date]
    entered_at: Mapped[datetime]
    enrollment_id: Mapped[int | None] = mapped_column(ForeignKey("enrollments.id"), index=True)
    meeting_id: Mapped[int | None] = mapped_column(ForeignKey("meetings.id"), index=True)
    reverses_id: Mapped[int | None] = mapped_column(ForeignKey("postings.id"))
    caused_by_id: Mapped[int | None] = mapped_column(ForeignKey("postings.id"), index=True)
    user_id: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    cause: Mapped[Prose]
    entries: Mapped[list[Entry]] = relationship()


class Payment(Base):
    """Money that came in by hand, with its method and reference; the posting carries the sum, `fee` what a bank kept of it."""

    __tablename__ = "payments"
    __table_args__ = (UniqueConstraint("posting_id"), Index("ix_payments_day", "received_on", "method"))
    id: Mapped[Key]
    posting_id: Mapped[int] = mapped_column(ForeignKey("postings.id"))
    account_id: Mapped[int] = mapped_column(ForeignKey("accounts.id"), index=True)
    amount: Mapped[Units]
    fee: Mapped[Units] = mapped_column(default=0)
    method: Mapped[Word]
    reference: Mapped[Name]
    received_on: Mapped[date]
    posting: Mapped[Posting] = relationship()


class Allocation(Base):
    """How much of a payment settles which installment; without one, how much of it was paid back."""

    __tablename__ = "allocations"
    __table_args__ = (CheckConstraint("amount <> 0", name="amount"),)
    id: Mapped[Key]
    posting_id: Mapped[int] = mapped_column(ForeignKey("postings.id"), index=True)
    installment_id: Mapped[int | None] = mapped_column(ForeignKey("installments.id"), index=True)
    amount: Mapped[Units]


class NumberSeries(Base):
    """The next number of a series. Its row is locked in the transaction that uses the number, so that none is skipped."""

    __tablename__ = "number_series"
    name: Mapped[str] = mapped_column(ascii_key(20), primary_key=True)
    next: Mapped[int]


class Invoice(Base):
    """An invoice, a credit note (with `reverses_id` it takes one invoice back whole), or the receipt of a payment;
    `document` is what it says."""

    __tablename__ = "invoices"
    __table_args__ = (UniqueConstraint("reverses_id"), UniqueConstraint("payment_id"))
    id: Mapped[Key]
    kind: Mapped[Word]  # "invoice", "credit note", "receipt"
    number: Mapped[str] = mapped_column(ascii_key(20), unique=True)
    account_id: Mapped[int] = mapped_column(ForeignKey("accounts.id"), index=True)
    currency: Mapped[str] = mapped_column(ascii_key(3))
    issued_on: Mapped[date]
    total: Mapped[Units]
    document: Mapped[Document]
    reverses_id: Mapped[int | None] = mapped_column(ForeignKey("invoices.id"))
    payment_id: Mapped[int | None] = mapped_column(ForeignKey("payments.id"))
    user_id: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    at: Mapped[datetime]


class InvoicedEnrollment(Base):
    """What an invoice or a credit note (negative) says about one sign-up, with the taxes in it by name; all of a sign-up's
    together are what has been invoiced of it."""

    __tablename__ = "invoiced_enrollments"
    __table_args__ = (UniqueConstraint("invoice_id", "enrollment_id"),)
    id: Mapped[Key]
    invoice_id: Mapped[int] = mapped_column(ForeignKey("invoices.id"))
    enrollment_id: Mapped[int] = mapped_column(ForeignKey("enrollments.id"), index=True)
    amount: Mapped[Units]
    taxes: Mapped[dict[str, int]]


class MoneyWaiting(Base):
    """A refund or a write-off above the center's sum: posted only when a second person confirms it. `form` is what was asked."""

    __tablename__ = "money_waiting"
    __table_args__ = (Index("ix_money_waiting_status", "status", "asked_at"),)
    id: Mapped[Key]
    kind: Mapped[MoneyOut]
    account_id: Mapped[int] = mapped_column(ForeignKey("accounts.id"), index=True)
    amount: Mapped[Units]
    form: Mapped[Document]
    why: Mapped[Prose]
    status: Mapped[WaitingMoney]
    asked_by: Mapped[int] = mapped_column(ForeignKey("users.id"))
    asked_at: Mapped[datetime]
    decided_by: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    decided_at: Mapped[datetime | None]
    said: Mapped[Prose] = mapped_column(default="")


class PaymentDetails(Base):
    """Payment details of a payer as the payment service holds them: a token and words for people, never a number. Newer ones take the
    place of older; `ended_at`: they are charged no more."""

    __tablename__ = "payment_details"
    id: Mapped[Key]
    account_id: Mapped[int] = mapped_column(ForeignKey("accounts.id"), index=True)
    token: Mapped[str] = mapped_column(ascii_key(80), unique=True)
    words: Mapped[Name]
    user_id: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    at: Mapped[datetime]
    ended_at: Mapped[datetime | None]


class CardPayment(Base):
    """A payment by card that was begun, under `key` at the payment service. An amount of zero takes payment details only.

    `account_id` is whose it is; None where nobody's: somebody signed up once more, which is not to be seen from outside
    (`discreet`), so that what they authorize is released. `enrollment_id`: what is owed for it is settled first. `details_id`: charged
    from what is on file, `installment_id` by itself on its day, `refusals` how often before. `given_at`: when the payer had done their
    part. `look_at`: when the service is asked again.
    """

    __tablename__ = "card_payments"
    __table_args__ = (
        UniqueConstraint("installment_id", "refusals"),
        UniqueConstraint("payment_id"),
        Index("ix_card_payments_look", "look_at"),
        Index("ix_card_payments_account", "account_id", "id"),
        Index("ix_card_payments_status", "status", "id"),
    )
    id: Mapped[Key]
    key: Mapped[str] = mapped_column(ascii_key(80), unique=True)
    account_id: Mapped[int | None] = mapped_column(ForeignKey("accounts.id"))
    enrollment_id: Mapped[int | None] = mapped_column(ForeignKey("enrollments.id"), index=True)
    details_id: Mapped[int | None] = mapped_column(ForeignKey("payment_details.id"))
    installment_id: Mapped[int | None] = mapped_column(ForeignKey("installments.id"))
    refusals: Mapped[int] = mapped_column(default=0)
    amount: Mapped[Units]
    currency: Mapped[str] = mapped_column(ascii_key(3))
    words: Mapped[Name]
    keep: Mapped[bool] = mapped_column(default=False)
    discreet: Mapped[bool] = mapped_column(default=False)
    status: Mapped[CardStatus]
    page: Mapped[Prose] = mapped_column(default="")
    back: Mapped[Prose] = mapped_column(default="")
    said: Mapped[Prose] = mapped_column(default="")
    given_at: Mapped[datetime | None]
    look_at: Mapped[datetime | None]
    payment_id: Mapped[int | None] = mapped_column(ForeignKey("payments.id"))
    user_id: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    made_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]


class CardRefund(Base):
    """What goes back to a card, of one payment by card; `posting_id` is the refund in the books."""

    __tablename__ = "card_refunds"
    id: Mapped[Key]
    key: Mapped[str] = mapped_column(ascii_key(80), unique=True)
    card_payment_id: Mapped[int] = mapped_column(ForeignKey("card_payments.id"), index=True)
    account_id: Mapped[int] = mapped_column(ForeignKey("accounts.id"), index=True)
    posting_id: Mapped[int] = mapped_column(ForeignKey("postings.id"), index=True)
    amount: Mapped[Units]
    status: Mapped[RefundStatus]
    said: Mapped[Prose] = mapped_column(default="")
    made_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
