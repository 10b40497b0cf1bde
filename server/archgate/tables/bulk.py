"""Batches: lists that go onto runs in one step, their rows with verdicts and outcomes, and the files they came in. Sentences that
enroll people by themselves, and whom they still have to look at."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import BigInteger, ForeignKey, Index, LargeBinary, String, UniqueConstraint
from sqlalchemy.dialects.mysql import LONGBLOB
from sqlalchemy.orm import Mapped, mapped_column

from archgate.core.states import BatchStatus, LineOutcome, ListSource, RowKind, SentenceKind, Verdict
from archgate.tables.base import Base, Key, Name, Prose, Units, Word, ascii_key


class BatchRow(Base):
    """A line as it stands in the list; `fixed` holds what was corrected by hand, by fact, `odd` what was strange to its
    reader.

    From `verdict` to `near` it is as judged; `person_id` is who is meant, None for somebody new. `total` is what it comes to
    when it is enrolled. From `outcome` on it is what became of it: `added` says that the person was made by it, `change_key` which
    change wrote it, `back` that it is to be taken back.
    """

    __tablename__ = "batch_rows"
    __table_args__ = (
        UniqueConstraint("batch_id", "line"),
        Index("ix_batch_rows_verdict", "batch_id", "verdict", "line"),
        Index("ix_batch_rows_outcome", "batch_id", "outcome", "line"),
        Index("ix_batch_rows_back", "batch_id", "back", "line"),
    )
    id: Mapped[Key]
    batch_id: Mapped[int] = mapped_column(ForeignKey("batches.id"))
    line: Mapped[int]
    cells: Mapped[list[str]]
    fixed: Mapped[dict[str, str] | None]
    odd: Mapped[Prose] = mapped_column(default="")
    is_odd: Mapped[bool] = mapped_column(default=False)
    name: Mapped[str] = mapped_column(String(401), default="")
    verdict: Mapped[Verdict | None]
    why: Mapped[Prose] = mapped_column(default="")
    kind: Mapped[RowKind | None]
    fact: Mapped[Word] = mapped_column(default="")
    suggested: Mapped[Name] = mapped_column(default="")
    near: Mapped[list[int] | None]
    run_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id"), index=True)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"), index=True)
    payer_id: Mapped[int | None] = mapped_column(BigInteger)  # the organization that pays
    rate: Mapped[str] = mapped_column(String(200), default="")
    heads: Mapped[int] = mapped_column(default=0)
    total: Mapped[Units] = mapped_column(default=0)
    dues: Mapped[int] = mapped_column(default=0)
    is_new: Mapped[bool] = mapped_column(default=False)
    currency: Mapped[str] = mapped_column(String(3), default="")
    outcome: Mapped[LineOutcome | None]
    said: Mapped[Prose] = mapped_column(default="")
    enrollment_id: Mapped[int | None] = mapped_column(ForeignKey("enrollments.id"), index=True)
    waiting_id: Mapped[int | None] = mapped_column(ForeignKey("waiting.id"), index=True)
    added: Mapped[bool] = mapped_column(default=False)
    change_key: Mapped[str] = mapped_column(ascii_key(32), default="")
    back: Mapped[bool] = mapped_column(default=False)


class BatchFile(Base):
    """What a list came in as, so that another sheet of it can be taken, and nobody wonders what it was."""

    __tablename__ = "batch_files"
    batch_id: Mapped[int] = mapped_column(ForeignKey("batches.id"), primary_key=True, autoincrement=False)
    data: Mapped[bytes] = mapped_column(LargeBinary().with_variant(LONGBLOB, "mysql", "mariadb"))


class Batch(Base):
    """`columns` says which column of the list is which fact; `reading` how it was understood; `sheets` are those of its workbook.
    Without `run_id` each row names its run.

    `organization_id` to `contact` hold for every row that says nothing else. `told`: who hears of it; None as the run, or the
    center, has it. `judged_after` is the last change that its judging knew of. What was confirmed is in `people_shown` and
    `total_shown`; the price is that of `confirmed_at`. `worker` has it in hand until it has left no word since `alive_at`;
    it began, or went on, at `begun_at` with `begun_done` rows done; `note` is why it stands.
    """

    __tablename__ = "batches"
    __table_args__ = (Index("ix_batches_status", "status", "alive_at"),)
    id: Mapped[Key]
    run_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id"), index=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    status: Mapped[BatchStatus]
    source: Mapped[ListSource] = mapped_column(default=ListSource.FILE)
    file_name: Mapped[Name]
    file_hash: Mapped[str] = mapped_column(ascii_key(64))
    reading: Mapped[Prose]
    sheet: Mapped[Name] = mapped_column(default="")
    sheets: Mapped[list[str]] = mapped_column(default=list)
    headings: Mapped[list[str]]
    headings_hash: Mapped[str] = mapped_column(ascii_key(64), default="", index=True)
    columns: Mapped[dict[str, int]]
    lines: Mapped[int] = mapped_column(default=0)
    organization_id: Mapped[int | None] = mapped_column(ForeignKey("organizations.id"))
    rate: Mapped[str] = mapped_column(String(200), default="")
    plan: Mapped[str] = mapped_column(String(200), default="")
    code: Mapped[str] = mapped_column(String(40), default="")
    extras: Mapped[str] = mapped_column(String(500), default="")
    group_name: Mapped[str] = mapped_column(String(100), default="")
    order_number: Mapped[str] = mapped_column(String(100), default="")
    contact: Mapped[Name] = mapped_column(default="")
    told: Mapped[list[str] | None]
    judged_after: Mapped[int | None]
    judged_at: Mapped[datetime | None]
    people_shown: Mapped[int | None]
    total_shown: Mapped[str] = mapped_column(String(400), default="")
    confirmed_at: Mapped[datetime | None]
    begun_at: Mapped[datetime | None]
    begun_done: Mapped[int] = mapped_column(default=0)
    worker: Mapped[str] = mapped_column(ascii_key(80), default="")
    alive_at: Mapped[datetime | None]
    note: Mapped[Prose] = mapped_column(default="")
    change_key: Mapped[str] = mapped_column(ascii_key(32), default="")
    created_at: Mapped[datetime]
    enrolled_at: Mapped[datetime | None]


class Sentence(Base):
    """A standing or follow-on enrollment. A standing one goes by a tag, by an organization, or by everybody who is added; a
    follow-on one by the run of `source_id`. `rate` is the code of a rate of the target, None free of charge. `text` is how it
    reads. `enrolled` and `lined` count whom it has put there; `note` is why it could not enroll somebody last."""

    __tablename__ = "sentences"
    id: Mapped[Key]
    kind: Mapped[SentenceKind]
    tag: Mapped[str] = mapped_column(String(40), default="", index=True)
    organization_id: Mapped[int | None] = mapped_column(ForeignKey("organizations.id"), index=True)
    source_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id"), index=True)
    target_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    group_name: Mapped[str] = mapped_column(String(100), default="")
    rate: Mapped[str | None] = mapped_column(String(40))
    assistants: Mapped[bool] = mapped_column(default=False)
    leaves: Mapped[bool] = mapped_column(default=False)
    active: Mapped[bool] = mapped_column(default=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    made_at: Mapped[datetime]
    enrolled: Mapped[int] = mapped_column(default=0)
    lined: Mapped[int] = mapped_column(default=0)
    missed: Mapped[int] = mapped_column(default=0)
    text: Mapped[Prose] = mapped_column(default="")
    last_at: Mapped[datetime | None]
    note: Mapped[Prose] = mapped_column(default="")


class SentenceDue(Base):
    """Somebody whom a sentence has to look at: they became what it goes by, or are it no longer."""

    __tablename__ = "sentence_dues"
    __table_args__ = (UniqueConstraint("sentence_id", "person_id"),)
    id: Mapped[Key]
    sentence_id: Mapped[int] = mapped_column(ForeignKey("sentences.id"))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), index=True)
    at: Mapped[datetime]
