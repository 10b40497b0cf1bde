"""Commands and views: what an act takes and what it answers, typed, frozen, and the API's schema as they stand.

A command knows its keys and refuses others. What is wrong with one is said in sentences for people, every fault at once,
each with its JSON pointer (`faults_of`); a field is called by its title, or else by its name.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from datetime import date, time
from decimal import InvalidOperation
from typing import Annotated, TypeVar, get_args

from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    PlainSerializer,
    StringConstraints,
    ValidationError,
    WithJsonSchema,
    model_serializer,
)
from pydantic.fields import FieldInfo
from pydantic_core import ErrorDetails, InitErrorDetails, PydanticCustomError

from archgate.core.faults import Fault, Refused, pointer_of
from archgate.core.money import parse_amount
from archgate.documents.reader import Document, strict_date, strict_percent, strict_time

NUMBER = re.compile(r"\d{1,9}(\.\d{1,6})?", re.ASCII)


class Command(BaseModel):
    """What an act takes."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Form(Command):
    """A part of a form that is also kept as a document: what is not said is not in it."""

    @model_serializer(mode="wrap")
    def said(self, handler):  # type: ignore[no-untyped-def]  # a declared type would hide the fields from the API's schema
        names = self.model_fields_set
        keys = {field.alias or name for name, field in type(self).model_fields.items() if name in names}
        return {key: value for key, value in handler(self).items() if key in keys | names}


V = TypeVar("V", bound="View")


class View(BaseModel):
    """What an act or a reading answers."""

    model_config = ConfigDict(frozen=True, validate_by_name=True, validate_by_alias=True)

    def widened(self, kind: type[V], /, **more: object) -> V:
        """This view with more about it, as a view of a kind that widens this one."""
        own = {name: getattr(self, name) for name in type(self).model_fields}
        return kind.model_validate({**own, **more})


C = TypeVar("C", bound=Command)


def _day(value: object) -> object:
    """Dates are read strictly: no number of seconds, no moment."""
    if isinstance(value, str):
        try:
            return strict_date(value)
        except ValueError:
            raise PydanticCustomError("day_shape", "") from None
    if isinstance(value, date) or value is None:
        return value
    raise PydanticCustomError("day_shape", "")


def _clock(value: object) -> object:
    if isinstance(value, str):
        try:
            return strict_time(value)
        except ValueError:
            raise PydanticCustomError("clock_shape", "") from None
    if isinstance(value, time) or value is None:
        return value
    raise PydanticCustomError("clock_shape", "")


def _percent(value: str) -> str:
    """Percents are plain numbers in a text, so that no binary fraction comes between."""
    try:
        number = strict_percent(value)
    except (ValueError, InvalidOperation):
        raise PydanticCustomError("percent_shape", "") from None
    if number > 100:
        raise PydanticCustomError("percent_over", "")
    return value


def _number(value: str) -> str:
    """Quantities and hours are plain numbers in a text, not below zero."""
    if not NUMBER.fullmatch(value):
        raise PydanticCustomError("number_shape", "")
    return value


def _empty_is_none(value: object) -> object:
    return None if value == "" else value


def _null_is_empty(value: object) -> object:
    return [] if value is None else value


Id = Annotated[int, Field(strict=True, ge=1, le=2**62)]
Whole = Annotated[int, Field(strict=True, ge=-(10**6), le=10**6)]
Flag = Annotated[bool, Field(strict=True)]
Day = Annotated[date, BeforeValidator(_day)]
Clock = Annotated[
    time,
    BeforeValidator(_clock),
    PlainSerializer(lambda t: t.strftime("%H:%M"), return_type=str),
    WithJsonSchema({"type": "string", "format": "time"}),
]  # a time of day, to the minute
Moment = Annotated[
    str, Field(json_schema_extra={"format": "date-time"})
]  # ISO 8601 with the center's offset, as screens read it
AmountText = Annotated[
    str, Field(pattern=r"^\d{1,15}(\.\d{1,4})?$", json_schema_extra={"format": "amount"})
]  # its decimals are the currency's
SignedText = Annotated[
    str, Field(pattern=r"^-?\d{1,15}(\.\d{1,4})?$", json_schema_extra={"format": "amount"})
]
PercentText = Annotated[
    str, AfterValidator(_percent), Field(json_schema_extra={"format": "percent"})
]  # a plain number from 0 through 100 in a text
NumberText = Annotated[
    str, AfterValidator(_number), Field(json_schema_extra={"format": "number"})
]  # a plain number in a text, not below zero
Days = Annotated[int, Field(strict=True, ge=0, le=3660)]
Line = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)]
Words = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]
LongText = Annotated[str, StringConstraints(strip_whitespace=True, max_length=5000)]
Reason = Annotated[str, StringConstraints(strip_whitespace=True, max_length=500)]
Why = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=500)]
EmptyIsNone = BeforeValidator(_empty_is_none)
NullIsEmpty = BeforeValidator(_null_is_empty)


def command_of(kind: type[C], body: Mapping[str, object]) -> C:
    """A command read from a body. Raises Refused with every fault."""
    try:
        return kind.model_validate(body)
    except ValidationError as error:
        raise Refused(faults_of(kind, error.errors(include_url=False))) from None


def with_missing(error: ValidationError, name: str) -> ValidationError:
    """What was found wrong, and beside it a field that is missing though its type would let it be."""
    faults = [
        InitErrorDetails(
            type=PydanticCustomError(e["type"], "", dict(e.get("ctx", {}))), loc=e["loc"], input=e["input"]
        )
        for e in error.errors(include_url=False)
    ]
    faults.append(InitErrorDetails(type="missing", loc=(name,), input=None))
    return ValidationError.from_exception_data(error.title, faults)


def faults_of(kind: type[BaseModel], errors: Iterable[ErrorDetails], skip: int = 0) -> list[Fault]:
    """What pydantic found, as our faults; `skip` leaves out the first parts of each place."""
    return [Fault(pointer_of(*e["loc"][skip:]), sentence_of(kind, e, e["loc"][skip:])) for e in errors]


KINDS = {
    "int_type": "a whole number",
    "int_from_float": "a whole number",
    "string_type": "a text",
    "bool_type": "true or false",
    "list_type": "a list",
    "dict_type": "an object",
    "model_type": "an object",
    "model_attributes_type": "an object",
}


def sentence_of(kind: type[BaseModel], error: ErrorDetails, place: tuple[int | str, ...]) -> str:
    """One finding of pydantic in the words of the house."""
    field, last = field_of(kind, place)
    name = (
        field.title if field and field.title else None
    ) or f"The {last.replace('_', ' ').removesuffix(' id')}"
    what, limits = error["type"], error.get("ctx", {})
    if what == "missing" or error["input"] is None:
        return f"{name} is missing."
    if what == "extra_forbidden":
        return f'"{last}" is not a known key here.'
    if what in KINDS:
        return f"{name} must be {KINDS[what]}."
    if what in ("greater_than_equal", "less_than_equal"):
        low, high = bounds_of(field)
        return f"{name} must be from {low} to {high}."
    if what == "day_shape":
        return f'{name} must be a date like 2027-09-14, not "{error["input"]}".'
    if what == "clock_shape":
        return f'{name} must be a time like 17:30, not "{error["input"]}".'
    if what == "percent_shape":
        return f'{name} must be a plain number like "10" or "12.5", not "{str(error["input"])[:40]}".'
    if what == "number_shape":
        return (
            f'{name} must be a plain number like "9.5", not below zero; this is "{str(error["input"])[:40]}".'
        )
    if what == "percent_over":
        return f"{name} cannot be over 100."
    if what == "string_pattern_mismatch":
        return f'{name} must be an amount like 240.00, not "{str(error["input"])[:40]}".'
    if what == "string_too_short":
        return f"{name} is empty."
    if what == "string_too_long":
        return f"{name} is longer than {limits['max_length']} characters."
    if what == "too_long":
        return f"{name}: no more than {limits['max_length']} entries."
    if what in ("enum", "literal_error"):
        return f"{name} is one of {str(limits['expected']).replace(chr(39), '').replace(' or ', ', ')}."
    return f"{error['msg'].rstrip('.')}."


def field_of(kind: type[BaseModel], place: tuple[int | str, ...]) -> tuple[FieldInfo | None, str]:
    """The field that a place names, and the last name in it."""
    field: FieldInfo | None = None
    model: type[BaseModel] | None = kind
    last = "body"
    for part in place:
        if isinstance(part, int):
            continue
        last = part
        fields = model.model_fields if model else {}
        field = fields.get(part) or next((f for f in fields.values() if f.alias == part), None)
        model = model_in(field.annotation) if field else None
    return field, last


def model_in(annotation: object) -> type[BaseModel] | None:
    """The model that an annotation holds, also in a list or beside None."""
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return annotation
    return next((model for part in get_args(annotation) if (model := model_in(part))), None)


def bounds_of(field: FieldInfo | None) -> tuple[int, int]:
    """The smallest and the largest whole number that a field takes."""

    def of(metadata: Iterable[object], name: str) -> int | None:
        return next((n for m in metadata if (n := getattr(m, name, None)) is not None), None)

    metadata = list(field.metadata) if field else []
    for part in get_args(field.annotation) if field else ():
        metadata += getattr(part, "__metadata__", ())
    inner = [m for outer in metadata for m in (outer, *getattr(outer, "metadata", ()))]
    return of(inner, "ge") or 0, of(inner, "le") or 0


def amount_of(text: str | None, currency: str, at: str, faults: list[Fault]) -> int | None:
    """An amount of a command in the smallest units of a currency; more decimals than it has are a fault."""
    if text is None:
        return None
    try:
        return parse_amount(text, currency)
    except ValueError as error:
        faults.append(Fault(at, str(error)))
        return None


def said_of(command: Command) -> dict[str, object]:
    """What a command says, by field: what was left out is not in it."""
    return {name: getattr(command, name) for name in command.model_fields_set}


def document(form: Form) -> Document:
    """A form as the JSON document that the core's readers take."""
    return form.model_dump(mode="json", by_alias=True)
