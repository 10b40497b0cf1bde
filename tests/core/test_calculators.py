"""The calculators as documents: the examples of their contract, and every way a document can be at fault."""

import copy
import json

import pytest

from archgate.core.faults import Refused
from archgate.documents.calculators import CALCULATORS

SCHEDULE = {
    "time_zone": "America/New_York",
    "patterns": [{"first": "2027-09-14", "start": "17:30", "minutes": 105, "weekdays": ["TU", "TH"], "every_weeks": 1,
                  "count": 8, "until": None, "on_closure": "skip", "instructor": "i1", "room": "r1"}],
    "closures": ["2027-09-23"],
    "extra": [{"date": "2027-10-10", "start": "10:00", "minutes": 240, "instructor": "i2"}],
    "busy": [{"who": "i1", "start": "2027-09-21T18:00:00-04:00", "end": "2027-09-21T18:30:00-04:00"}],
}  # fmt: skip
QUOTE = {
    "currency": "USD", "time_zone": "America/New_York", "start": "2027-09-14",
    "rates": [{"code": "standard", "amount": "240.00",
               "early": [{"days_before": 18, "amount": "210.00"}, {"until": "2027-09-03", "percent": "5"}]}],
    "ask": {"people": [{"rate": "standard", "count": 2}], "at": "2027-08-20T10:00:00-04:00"},
}  # fmt: skip
PLAN = {
    "currency": "USD", "total": "240.00", "signed_up": "2027-08-20", "start": "2027-09-14",
    "lines": [{"amount": "40.00", "due": {"after_sign_up": 0}, "settle": "online"},
              {"parts": 1, "due": {"months_after_start": 0}}, {"parts": 1, "due": {"months_after_start": 1}},
              {"parts": 1, "due": {"months_after_start": 2}}],
}  # fmt: skip
WAITLIST = {
    "capacity": 14, "taken": 13, "at": "2027-08-20T10:00:00-04:00", "offer_hours": 36, "closes": None,
    "waiting": [
        {"id": "a", "people": 2, "joined": "2027-08-01T09:00:00-04:00", "head_start": 0},
        {"id": "b", "people": 1, "joined": "2027-08-02T09:00:00-04:00", "head_start": 0},
    ],
    "rule": "fit", "leave_rate": "0.08",
}  # fmt: skip
PAY = {
    "currency": "USD", "hours": "14.00", "meetings": 8, "heads": 11, "income": "2364.00", "payment_fees": "71.20",
    "deduct": "12.00",
    "terms": [{"who": "i1", "part": "lead", "per_hour": "42.00", "hours": "9.00"}, {"who": "i2", "share_percent": "30"}],
    "extra": [{"who": "i1", "label": "Mileage", "quantity": "84", "unit": "0.655"}],
}  # fmt: skip
EXAMPLES = {"schedule": SCHEDULE, "quote": QUOTE, "plan": PLAN, "waitlist": WAITLIST, "pay": PAY}


def refusal(name, document):
    with pytest.raises(Refused) as refused:
        CALCULATORS[name](document)
    return {f.at: f.message for f in refused.value.faults}


def changed(name, pointer, value):
    document = copy.deepcopy(EXAMPLES[name])
    *way, last = pointer.strip("/").split("/")
    place = document
    for step in way:
        place = place[int(step)] if isinstance(place, list) else place[step]
    if isinstance(place, list):
        place[int(last)] = value
    else:
        place[last] = value
    return document


def test_the_schedule_of_the_contract():
    out = CALCULATORS["schedule"](SCHEDULE)
    assert [m["date"] for m in out["meetings"]] == [
        "2027-09-14", "2027-09-16", "2027-09-21", "2027-09-28", "2027-09-30", "2027-10-05", "2027-10-07", "2027-10-10",
    ]  # fmt: skip
    assert out["meetings"][0] == {
        "n": 1, "of": 8, "date": "2027-09-14", "weekday": "TU", "start": "2027-09-14T17:30:00-04:00",
        "end": "2027-09-14T19:15:00-04:00", "minutes": 105, "instructor": "i1", "room": "r1", "warnings": [],
    }  # fmt: skip
    assert (out["hours"], out["first"], out["last"], out["weeks"]) == ("16.25", "2027-09-14", "2027-10-10", 4)
    assert out["dropped"] == [
        {"date": "2027-09-23", "why": "Thu 23 Sep 2027 is a closure; the meeting is left out."}
    ]


def test_the_quote_of_the_contract():
    out = CALCULATORS["quote"](QUOTE)
    assert (out["subtotal"], out["taxes"], out["total"]) == ("420.00", [], "420.00")
    assert out["next_change"] == {"at": "2027-08-28T00:00:00-04:00", "total": "456.00"}
    line = out["lines"][0]
    assert (line["kind"], line["quantity"], line["unit"], line["amount"]) == ("rate", 2, "210.00", "420.00")


WHOLE = {
    **QUOTE,
    "rates": [{**QUOTE["rates"][0], "sale": {"from": "2027-07-01", "to": "2027-07-05", "amount": "198.00"}}],
    "extras": [{"code": "handbook", "amount": "31.50", "required": False, "stock": 8, "most": 5}],
    "group": [{"from": 3, "percent": "5"}],
    "codes": [{"code": "LINTEL", "percent": "10", "from": None, "to": None, "on": ["standard"]}],
    "taxes": [{"name": "State tax", "percent": "6", "included": False, "on": ["standard", "handbook"]}],
    "ask": {"people": [{"rate": "standard", "count": 2}], "extras": {"handbook": 1}, "code": "LINTEL",
            "at": "2027-08-20T10:00:00-04:00"},
}  # fmt: skip


def test_the_whole_quote_of_the_contract():
    """Worked by hand: 2 x 210.00 + 31.50 - 42.00 = 409.50, of which 6 percent are 24.57."""
    out = CALCULATORS["quote"](WHOLE)
    assert [(x["kind"], x["code"], x["quantity"], x["unit"], x["amount"]) for x in out["lines"]] == [
        ("rate", "standard", 2, "210.00", "420.00"), ("extra", "handbook", 1, "31.50", "31.50"),
        ("code", "LINTEL", 1, "-42.00", "-42.00"),
    ]  # fmt: skip
    assert (out["subtotal"], out["total"]) == ("409.50", "434.07")
    assert out["taxes"] == [{"name": "State tax", "amount": "24.57", "included": False}]
    assert out["next_change"] == {"at": "2027-08-28T00:00:00-04:00", "total": "468.41"}


def test_a_document_holds_a_tax_in_the_price_and_one_on_top_of_different_lines():
    """Worked by hand: the seats 378.00 with 20 percent in it (63.00), the handbook 31.50 and 6 percent on it (1.89)."""
    taxes = [
        {"name": "In", "percent": "20", "included": True, "on": ["standard"]},
        {"name": "Top", "percent": "6", "on": ["handbook"]},
    ]
    out = CALCULATORS["quote"]({**WHOLE, "taxes": taxes})
    assert out["taxes"] == [
        {"name": "In", "amount": "63.00", "included": True}, {"name": "Top", "amount": "1.89", "included": False},
    ]  # fmt: skip
    assert (out["subtotal"], out["total"], out["next_change"]["total"]) == ("409.50", "411.39", "443.79")


def test_the_price_line_of_the_contract_covers_every_day_through_the_start():
    document = {**WHOLE, "ask": {**WHOLE["ask"], "at": None, "from": "2027-06-25"}}
    out = CALCULATORS["quote"](document)
    assert list(out) == ["price_line"]
    assert [(s["from"][5:], s["to"][5:], s["total"]) for s in out["price_line"]] == [
        ("06-25", "06-30", "434.07"), ("07-01", "07-05", "411.17"), ("07-06", "08-27", "434.07"),
        ("08-28", "09-03", "468.41"), ("09-04", "09-14", "491.31"),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("change", "at"),
    [
        ({"extras": [{"code": "standard", "amount": "1.00"}]}, "/extras/0/code"),
        ({"extras": [{"code": "book", "amount": "1.0", "stock": -1, "most": 0}]}, "/extras/0/stock"),
        ({"group": [{"from": 3, "percent": "5"}, {"from": 3, "percent": "6"}]}, "/group/1/from"),
        ({"group": [{"from": 0}]}, "/group/0/percent"),
        ({"codes": [{"code": "X", "percent": "5", "off": "1.00"}]}, "/codes/0/off"),
        ({"codes": [{"code": "X", "percent": "5", "on": ["nobody"]}]}, "/codes/0/on/0"),
        ({"codes": [{"code": "X", "percent": "5", "from": "2027-02-02", "to": "2027-02-01"}]}, "/codes/0/to"),
        ({"taxes": [{"name": "A", "percent": "6"}, {"name": "B", "percent": "1", "included": True}]}, "/taxes/1/included"),
        ({"taxes": [{"name": "A", "percent": "6", "on": ["handbook"]}, {"name": "B", "percent": "1", "included": True}]},
         "/taxes/1/included"),
        ({"taxes": [{"name": "A", "percent": "six", "on": ["hat"]}]}, "/taxes/0/on/0"),
        ({"rates": [{"code": "s", "amount": "9.00", "sale": {"from": "2027-02-02", "to": "2027-02-01", "amount": "1.00"}}]},
         "/rates/0/sale/to"),
        ({"ask": {**WHOLE["ask"], "extras": {"handbook": "two"}}}, "/ask/extras/handbook"),
        ({"ask": {**WHOLE["ask"], "extras": ["handbook"]}}, "/ask/extras"),
        ({"ask": {**WHOLE["ask"], "extras": {"a/b": 1}}}, "/ask/extras/a~1b"),
        ({"ask": {**WHOLE["ask"], "at": None}}, "/ask/at"),
        ({"ask": {**WHOLE["ask"], "at": None, "from": "2027-09-15"}}, "/ask/from"),
        ({"start": None, "ask": {**WHOLE["ask"], "at": None, "from": "2027-06-25"}}, "/start"),
    ],
)  # fmt: skip
def test_faults_of_a_quote_are_named_where_they_are(change, at):
    assert at in refusal("quote", {**WHOLE, **change})


def test_the_plan_of_the_contract():
    out = CALCULATORS["plan"](PLAN)
    assert [(i["n"], i["due"], i["amount"], i["settle"]) for i in out["installments"]] == [
        (1, "2027-08-20", "40.00", "online"), (2, "2027-09-14", "66.67", "any"),
        (3, "2027-10-14", "66.67", "any"), (4, "2027-11-14", "66.66", "any"),
    ]  # fmt: skip
    assert (out["due_now"], out["due_later"], out["total"]) == ("40.00", "200.00", "240.00")


@pytest.mark.parametrize("name", EXAMPLES)
def test_null_is_the_same_as_left_out(name):
    def without_nulls(value):
        if isinstance(value, dict):
            return {k: without_nulls(v) for k, v in value.items() if v is not None}
        return [without_nulls(v) for v in value] if isinstance(value, list) else value

    assert CALCULATORS[name](without_nulls(EXAMPLES[name])) == CALCULATORS[name](EXAMPLES[name])


@pytest.mark.parametrize("name", EXAMPLES)
@pytest.mark.parametrize("junk", [None, [], "text", 5, {}, {"nonsense": 1}, [[[]]]])
def test_junk_is_refused_and_never_crashes(name, junk):
    assert refusal(name, junk)


@pytest.mark.parametrize(
    ("name", "pointer", "value"),
    [
        ("schedule", "/time_zone", "Mars/Olympus"),
        ("schedule", "/patterns/0/first", "2027-02-30"),
        ("schedule", "/patterns/0/first", "20270914"),
        ("schedule", "/patterns/0/start", "25:00"),
        ("schedule", "/patterns/0/minutes", 0),
        ("schedule", "/patterns/0/minutes", True),
        ("schedule", "/patterns/0/minutes", "105"),
        ("schedule", "/patterns/0/every_weeks", 0),
        ("schedule", "/patterns/0/until", "2027-12-01"),
        ("schedule", "/patterns/0/weekdays/0", "XX"),
        ("schedule", "/patterns/0/on_closure", "sometimes"),
        ("schedule", "/closures/0", "soon"),
        ("schedule", "/extra/0/date", None),
        ("schedule", "/nonsense", 1),
        ("schedule", "/patterns/0/nonsense", 1),
        ("quote", "/currency", "ZZZ"),
        ("quote", "/rates/0/amount", "240"),
        ("quote", "/rates/0/amount", "-1.00"),
        ("quote", "/rates/0/amount", 240),
        ("quote", "/rates/0/early/0/amount", "x"),
        ("quote", "/rates/0/early/1/percent", "101"),
        ("quote", "/rates/0/early/1/percent", "1e1"),
        ("quote", "/start", None),
        ("quote", "/ask/at", "2027-08-20"),
        ("quote", "/ask/people/0/rate", "member"),
        ("quote", "/ask/people/0/count", 0),
        ("quote", "/ask/people", []),
        ("plan", "/total", "240.0"),
        ("plan", "/lines", []),
        ("plan", "/lines/0/settle", "later"),
        ("plan", "/lines/0/amount", None),
        ("plan", "/lines/1/parts", 0),
        ("plan", "/lines/1/due", None),
    ],
)
def test_a_faulty_value_is_named_at_its_place(name, pointer, value):
    faults = refusal(name, changed(name, pointer, value))
    assert any(at.startswith(pointer) or pointer.startswith(at) for at in faults), faults
    assert all(message.endswith(".") for message in faults.values())


def test_all_faults_come_at_once():
    document = changed("plan", "/total", "x")
    document["lines"][0]["amount"] = "y"
    document["signed_up"] = "z"
    assert {"/total", "/lines/0/amount", "/signed_up"} <= set(refusal("plan", document))


def test_two_kinds_of_share_or_due_in_one_line_are_refused():
    document = changed("plan", "/lines/0/percent", "10")
    document["lines"][1]["due"]["on"] = "2027-10-01"
    assert len(refusal("plan", document)) == 2


def test_local_time_stands_in_the_documents_zone():
    local = changed("quote", "/ask/at", "2027-08-27T23:59:59")
    assert CALCULATORS["quote"](local)["total"] == "420.00"
    assert CALCULATORS["quote"](changed("quote", "/ask/at", "2027-08-28T03:59:59Z"))["total"] == "420.00"
    assert CALCULATORS["quote"](changed("quote", "/ask/at", "2027-08-28T00:00:00"))["total"] == "456.00"


def test_documents_hold_only_what_json_can():
    for name, document in EXAMPLES.items():
        out = CALCULATORS[name](document)
        assert json.loads(json.dumps(out)) == out


def test_the_schedule_tells_its_clashes_with_busy_times_and_among_its_meetings():
    out = CALCULATORS["schedule"](SCHEDULE)
    assert out["clashes"] == [
        {"who": "i1", "kind": "instructor", "a": 3, "b": None,
         "start": "2027-09-21T18:00:00-04:00", "end": "2027-09-21T18:30:00-04:00"},
    ]  # fmt: skip
    twice = {**SCHEDULE, "busy": [], "extra": [
        {"date": "2027-09-14", "start": "18:30", "minutes": 120, "instructor": "i1", "room": "r1"},
        {"date": "2027-09-16", "start": "19:15", "minutes": 60, "instructor": "i1"},  # begins as the other ends
    ]}  # fmt: skip
    found = CALCULATORS["schedule"](twice)["clashes"]
    assert [(c["kind"], c["who"], c["a"], c["b"]) for c in found] == [
        ("instructor", "i1", 1, 2),
        ("room", "r1", 1, 2),
    ]
    assert (found[0]["start"], found[0]["end"]) == ("2027-09-14T18:30:00-04:00", "2027-09-14T19:15:00-04:00")


def test_busy_times_are_read_strictly():
    faults = refusal("schedule", {**SCHEDULE, "busy": [
        {"who": "i1", "start": "2027-09-21T18:00:00-04:00", "end": "2027-09-21T18:00:00-04:00"},
        {"start": "then", "end": "2027-09-21T18:00:00-04:00", "why": "x"},
    ]})  # fmt: skip
    assert set(faults) == {"/busy/0/end", "/busy/1/who", "/busy/1/start", "/busy/1/why"}
