"""What all tables share: the base class, the naming of constraints and the column types of the product."""

from __future__ import annotations

from datetime import UTC, datetime
from decimal import Decimal
from enum import StrEnum
from typing import Annotated, TypeAlias, TypeVar

import orjson
from sqlalchemy import BigInteger, Dialect, MetaData, Numeric, String, Text, TypeDecorator
from sqlalchemy.dialects.mysql import DATETIME, LONGTEXT, VARCHAR
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.orm import DeclarativeBase, mapped_column
from sqlalchemy.schema import SchemaItem
from sqlalchemy.sql.compiler import SQLCompiler

from archgate.core import states
from archgate.core.quotes import AgreedQuote, document_of, quote_read
from archgate.documents.reader import Document

NAMES = {
    "ix": "ix_%(table_name)s_%(column_0_N_name)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}


E = TypeVar("E", bound=StrEnum)
STATES: tuple[type[StrEnum], ...] = (
    states.RunKind,
    states.RunStatus,
    states.Decision,
    states.EnrollmentStatus,
    states.LineStatus,
    states.HoldStatus,
    states.InterestStatus,
    states.QuoteStatus,
    states.BatchStatus,
    states.ListSource,
    states.Verdict,
    states.LineOutcome,
    states.RowKind,
    states.SentenceKind,
    states.JobStatus,
    states.PageStatus,
    states.Role,
    states.Mark,
    states.PlaceKind,
    states.Part,
    states.Level,
    states.Employment,
    states.PayKind,
    states.CoverAim,
    states.CoverStatus,
    states.CoverAnswer,
    states.AgreementStatus,
    states.QuestionKind,
    states.ApplicationStatus,
    states.SignInOutcome,
    states.MoneyOut,
    states.WaitingMoney,
    states.PaperSize,
    states.NumberFormat,
    states.FoundBy,
    states.SignsUp,
    states.SeatsShown,
    states.RequestStatus,
    states.CardStatus,
    states.Preparing,
    states.RefundStatus,
)


class Moment(TypeDecorator[datetime]):
    """A moment in UTC with microseconds; always aware in Python."""

    impl = DATETIME(fsp=6)
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        if value is None:
            return None
        if value.tzinfo is None:
            raise ValueError("A moment needs its time zone.")
        return value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return None if value is None else value.replace(tzinfo=UTC)


class JsonText(TypeDecorator[object]):
    """A JSON document. The server's JSON type is text with a check; so is this."""

    impl = LONGTEXT
    cache_ok = True

    def process_bind_param(self, value: object, dialect: Dialect) -> str | None:
        return None if value is None else orjson.dumps(value).decode()

    def process_result_value(self, value: str | None, dialect: Dialect) -> object:
        return None if value is None else orjson.loads(value)


class State(TypeDecorator[E]):
    """A member of an enumeration, kept as its word."""

    impl = String(40)
    cache_ok = True

    def __init__(self, states: type[E]) -> None:
        super().__init__()
        self.states = states

    def process_bind_param(self, value: E | str | None, dialect: Dialect) -> str | None:
        return None if value is None else self.states(value).value

    def process_result_value(self, value: str | None, dialect: Dialect) -> E | None:
        return None if value is None else self.states(value)


class QuoteDocument(TypeDecorator[AgreedQuote]):
    """A quote as agreed, kept as its document (`core.quotes`)."""

    impl = LONGTEXT
    cache_ok = True

    def process_bind_param(self, value: AgreedQuote | None, dialect: Dialect) -> str | None:
        return None if value is None else orjson.dumps(document_of(value)).decode()

    def process_result_value(self, value: str | None, dialect: Dialect) -> AgreedQuote | None:
        return None if value is None else quote_read(orjson.loads(value))


def ascii_key(length: int) -> VARCHAR:
    """A column for keys that machines make: compared byte by byte."""
    return VARCHAR(length, charset="ascii", collation="ascii_bin")


Key = Annotated[int, mapped_column(BigInteger, primary_key=True)]
Units = Annotated[int, mapped_column(BigInteger)]
# Worked out from other rows and kept beside them, so that lists need not; written by whatever changes those, never logged.
KEPT: dict[str, bool] = {"kept": True}
KeptUnits = Annotated[int, mapped_column(BigInteger, default=0, server_default="0", info=KEPT)]
Percent = Annotated[Decimal, mapped_column(Numeric(9, 6))]
Word = Annotated[str, mapped_column(String(40))]
Name = Annotated[str, mapped_column(String(200))]
Prose = Annotated[str, mapped_column(Text)]


TableArgs: TypeAlias = "dict[str, str] | tuple[SchemaItem | dict[str, str], ...]"


class Base(DeclarativeBase):
    metadata = MetaData(naming_convention=NAMES)
    type_annotation_map = dict[object, object]({state: State(state) for state in STATES}) | {
        datetime: Moment,
        int: BigInteger,
        Document: JsonText,
        dict[str, str]: JsonText,
        dict[str, int]: JsonText,
        list[str]: JsonText,
        list[int]: JsonText,
        list[Document]: JsonText,
        list[dict[str, str]]: JsonText,
        AgreedQuote: QuoteDocument,
    }
    __table_args__: TableArgs = {}


@compiles(Text, "mysql", "mariadb")
def _text(element: Text, compiler: SQLCompiler, **kw: object) -> str:
    return "TEXT"
