"""Commands are read strictly, and whatever is wrong is said at once, in sentences, where it is."""

import pytest
from pydantic import ValidationError

from archgate.actions.enrolling.commands import EnrollCommand, JoinCommand
from archgate.actions.fees.commands import Ask, QuoteCommand
from archgate.actions.kernel.commands import command_of
from archgate.core.faults import Refused, pointer_of
from archgate.core.states import Told

WHOLE = {"run_id": 1, "person_id": 2, "total": "210.00"}


def faults(kind, body):
    with pytest.raises(Refused) as refused:
        command_of(kind, body)
    return {f.at: f.message for f in refused.value.faults}


@pytest.mark.parametrize(
    ("kind", "body", "at", "said"),
    [
        (EnrollCommand, {"person_id": 2, "total": "1.00"}, "/run_id", "The run is missing."),
        (EnrollCommand, {**WHOLE, "run_id": "1"}, "/run_id", "The run must be a whole number."),
        (EnrollCommand, {**WHOLE, "run_id": True}, "/run_id", "The run must be a whole number."),
        (EnrollCommand, {**WHOLE, "total": "lots"}, "/total", 'The total must be an amount like 240.00, not "lots".'),
        (EnrollCommand, {**WHOLE, "total": "-1.00"}, "/total", 'The total must be an amount like 240.00, not "-1.00".'),
        (EnrollCommand, {**WHOLE, "way_in": "public"}, "/way_in", '"way_in" is not a known key here.'),
        (EnrollCommand, {**WHOLE, "hold": "yes"}, "/hold", "The hold must be true or false."),
        (EnrollCommand, {**WHOLE, "told": ["learner", "press"]}, "/told/1",
         "Who is told is one of learner, payer, instructors, office."),
        (EnrollCommand, {**WHOLE, "note": "x" * 5001}, "/note", "The note is longer than 5000 characters."),
        (JoinCommand, {"run_id": 1, "person_id": 2, "head_start": 101}, "/head_start", "The head start must be from -100 to 100."),
        (QuoteCommand, {"day": "14 Sep"}, "/day", 'The day must be a date like 2027-09-14, not "14 Sep".'),
        (QuoteCommand, {"day": 1789000000}, "/day", 'The day must be a date like 2027-09-14, not "1789000000".'),
        (QuoteCommand, {"received_on": "2027-02-30"}, "/received_on",
         'The day it was received must be a date like 2027-09-14, not "2027-02-30".'),
        (QuoteCommand, {"waive": "  "}, "/waive", "The reason is empty."),
        (Ask, {"people": [{"count": 1}, {"count": 0}]}, "/people/1/count", "The number of people must be from 1 to 50."),
        (Ask, {"people": [{"count": 1, "agreed": {"amount": "5", "reason": 7}}]}, "/people/0/agreed/reason",
         "The reason must be a text."),
        (Ask, {"people": [7]}, "/people/0", "The people must be an object."),
        (Ask, {"people": {}}, "/people", "The people must be a list."),
        (Ask, {"extras": [{"extra_id": 1, "count": 1}] * 51}, "/extras", "The extras: no more than 50 entries."),
    ],
)  # fmt: skip
def test_what_is_wrong_is_said_where_it_is(kind, body, at, said):
    assert faults(kind, body) == {at: said}


def test_every_fault_comes_at_once():
    body = {"total": "x", "people": [{"count": "two"}], "extras": [{}], "day": None, "code": "x" * 61}
    assert set(faults(EnrollCommand, body)) == {
        "/run_id", "/person_id", "/total", "/people/0/count", "/extras/0/extra_id", "/extras/0/count", "/day", "/code",
    }  # fmt: skip


def test_null_and_left_out_are_the_same_and_an_empty_code_is_none():
    nothing = command_of(Ask, {"people": None, "extras": None, "code": None, "plan_id": None})
    assert nothing == command_of(Ask, {}) == command_of(Ask, {"code": ""})


def test_a_command_is_typed_and_does_not_change():
    command = command_of(EnrollCommand, {**WHOLE, "told": ["office"], "received_on": "2027-08-20"})
    assert command.told == [Told.OFFICE] and command.received_on.isoformat() == "2027-08-20"
    with pytest.raises(ValidationError):
        command.total = "0.00"


def test_pointers_escape_what_rfc_6901_says():
    """RFC 6901, section 3 and 5: "~" becomes "~0", "/" becomes "~1"."""
    assert pointer_of("a/b", 0, "m~n") == "/a~1b/0/m~0n" and pointer_of() == ""
