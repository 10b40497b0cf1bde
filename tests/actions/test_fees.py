"""Extras, stock, codes, groups, agreed amounts, who may have a rate, kept quotes and plans, against the database."""

import random
from collections import Counter
from datetime import date, timedelta

import pytest
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError

from archgate.actions.across import today as today_list
from archgate.actions.across import undo
from archgate.actions.bulk import batches, reading
from archgate.actions.enrolling import changing, enrollments, freed, waitlist
from archgate.actions.enrolling.commands import EnrollCommand, JoinCommand
from archgate.actions.fees import codes, course_defaults, kept_quotes, plans, prices, quotes, stock, terms
from archgate.actions.fees.commands import EarlyCommand, KeepCommand, QuoteCommand, StockCommand
from archgate.actions.fees.term_commands import (
    CenterDefaultsPatch,
    CodeCommand,
    PlanCommand,
    PlanExampleCommand,
    PlanPatch,
    TermsPatch,
)
from archgate.actions.kernel import lookups
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.money import money, payments
from archgate.actions.people import organizations, people
from archgate.actions.people.commands import OrganizationCommand, TagsCommand
from archgate.actions.runs import copying, making, showing
from archgate.actions.runs.commands import CopyCommand, RunCommand, RunPatch
from archgate.core.faults import Refused
from archgate.papers.lists import read_table
from conftest import LONG
from made import a_draft, a_person, a_run, agrees, at_once, enrolled, number, run_form, taken

RATES = [
    {"label": "Standard", "amount": "240.00"},
    {"label": "Member", "amount": "200.00", "tags": ["member"], "most": 3},
]


@pytest.fixture
def shelf(office):
    """A stock item of its own with three pieces."""
    name = f"Book {next(number)}"
    office.act(
        lambda d: stock.count_stock(
            d, command_of(StockCommand, {"name": name, "add": 3, "cause": "delivery"})
        )
    )
    return name


@pytest.fixture
def run(office, shelf):
    """Standard 240, Member 200 for members; a book from stock, a pack for everybody, 10 percent off from 3 on, one tax."""
    return a_run(
        office, rates=RATES, group=[{"from": 3, "percent": "10"}],
        extras=[{"label": "Book", "amount": "30.00", "item": shelf},
                {"label": "Pack", "amount": "5.00", "required": True}],
        taxes=[{"name": "Sales tax", "percent": "6", "included": False, "on": ["book"]}],
    )  # fmt: skip


def quote(office, run, **body):
    return office.read(lambda d: quotes.quote_run(d, run["id"], command_of(QuoteCommand, body)))


def sign_up(office, run, person=None, **body):
    somebody = person or a_person(office)
    shown = quote(office, run, person_id=somebody["id"], **body)
    extra = {k: v for k, v in body.items() if k in ("organization_id", "names")}
    ask = {k: v for k, v in body.items() if k not in extra}
    return office.act(
        lambda d: enrollments.enroll(
            d,
            command_of(
                EnrollCommand,
                {"run_id": run["id"], "person_id": somebody["id"], "total": shown["total"], **extra, **ask},
            ),
        )
    )


def on_hand(office, name):
    return next(i["on_hand"] for i in office.read(stock.list_stock) if i["name"] == name)


def refusal(do):
    with pytest.raises(Refused) as refused:
        do()
    return {f.at: f.message for f in refused.value.faults}


# --- extras and stock -------------------------------------------------------------------------------------


def test_an_extra_is_charged_taxed_taken_from_stock_and_put_back_with_the_withdrawal(office, run, shelf):
    book = run["extras"][0]["id"]
    held = sign_up(office, run, extras=[{"extra_id": book, "count": 2}])
    assert held["quote"]["total"] == "308.60"  # 240 + 2 x 30 + 5, and 6 percent of 60
    assert held["quote"]["taxes"] == [{"name": "Sales tax", "amount": "3.60", "included": False}]
    assert on_hand(office, shelf) == 1
    gone = office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    assert on_hand(office, shelf) == 3
    office.act(lambda d: undo.undo(d, gone["change"]))
    assert on_hand(office, shelf) == 1
    ledger = office.read(
        lambda d: stock.stock_moves(d, next(i.id for i in stock.list_stock(d) if i.name == shelf))
    )
    assert [m["quantity"] for m in ledger["moves"]] == [-2, 2, -2, 3]
    agrees(office)


def test_more_than_is_in_stock_is_refused_also_when_it_went_meanwhile(office, run, shelf):
    book = run["extras"][0]["id"]
    said = refusal(lambda: quote(office, run, extras=[{"extra_id": book, "count": 4}]))
    assert said == {"/extras/0/count": "3 of Book are in stock, not 4."}
    ask = {"extras": [{"extra_id": book, "count": 2}]}
    total = quote(office, run, **ask)["total"]
    crowd = [a_person(office) for _ in range(4)]
    outcomes = at_once([
        lambda p=p: office.act(lambda d: enrollments.enroll(d, command_of(EnrollCommand, {"run_id": run["id"], "person_id": p["id"], "total": total, **ask}))) for p in crowd
    ])  # fmt: skip
    assert sum(isinstance(o, dict) for o in outcomes) == 1 and on_hand(office, shelf) == 1
    assert taken(office, run) == 1
    agrees(office)


def test_stock_moves_are_only_added(office, shelf, sessions):
    with sessions() as session, pytest.raises(DBAPIError, match="never changed"):
        session.execute(text("UPDATE stock_moves SET quantity = 5"))
    counted = office.act(
        lambda d: stock.count_stock(d, command_of(StockCommand, {"name": shelf, "counted": 2}))
    )
    assert (counted["on_hand"], counted["moves"][0]["quantity"], counted["moves"][0]["cause"]) == (
        2,
        -1,
        "Counted",
    )
    assert "/add" in refusal(
        lambda: office.act(
            lambda d: stock.count_stock(d, command_of(StockCommand, {"name": shelf, "add": -5}))
        )
    )
    assert set(refusal(lambda: office.act(lambda d: stock.count_stock(d, command_of(StockCommand, {"name": "", "add": 10**7}))))) == {
        "/name", "/add",
    }  # fmt: skip


# --- who may have a rate ----------------------------------------------------------------------------------


def test_a_rate_for_members_is_for_members_and_only_so_many(office, run):
    member = run["rates"][1]["id"]
    stranger, known = a_person(office), a_person(office)
    office.act(
        lambda d: people.tag_person(d, known["id"], command_of(TagsCommand, {"tags": [" Member ", ""]}))
    )
    said = refusal(lambda: quote(office, run, rate_id=member, person_id=stranger["id"]))
    assert said == {"/people/0/rate_id": "This rate is for people tagged member."}
    offered = office.read(lambda d: quotes.choices(d, run["id"], stranger["id"], None))["rates"]
    assert [r["why_not"] is None for r in offered] == [True, False]
    sign_up(office, run, known, people=[{"rate_id": member, "count": 3}])
    other = a_person(office)
    office.act(lambda d: people.tag_person(d, other["id"], command_of(TagsCommand, {"tags": ["member"]})))
    assert "All 3 seats" in refusal(lambda: sign_up(office, run, other, rate_id=member))["/people/0/rate_id"]


def test_a_tag_is_taken_back_and_the_usual_rate_is_the_first_one_may_have(office):
    run = a_run(office, rates=RATES[::-1])
    somebody = a_person(office)
    assert quote(office, run, person_id=somebody["id"])["total"] == "240.00"
    done = office.act(
        lambda d: people.tag_person(d, somebody["id"], command_of(TagsCommand, {"tags": ["member"]}))
    )
    assert quote(office, run, person_id=somebody["id"])["total"] == "200.00"
    office.act(lambda d: undo.undo(d, done["change"]))
    assert quote(office, run, person_id=somebody["id"])["total"] == "240.00"


def test_who_took_a_course_and_who_is_of_an_organization_may_have_their_rates(office):
    before = a_run(office, pattern={"first": "2027-08-23", "start": "10:00", "minutes": 60, "count": 1})
    somebody = a_person(office)
    enrolled(office, before, somebody)
    client = office.act(
        lambda d: organizations.create_organization(
            d, command_of(OrganizationCommand, {"name": f"Client {next(number)}"})
        )
    )["id"]
    rates = [
        {"label": "Returning", "amount": "100.00", "past_course_id": before["course"]["id"]},
        {"label": "Client", "amount": "90.00", "organization_id": client},
    ]
    run = a_run(office, rates=[*rates, {"label": "Standard", "amount": "240.00"}])
    assert quote(office, run, person_id=somebody["id"])["total"] == "240.00"
    assert quote(office.later(days=5), run, person_id=somebody["id"])["total"] == "100.00"
    assert quote(office, run, person_id=somebody["id"], organization_id=client, rate_id=run["rates"][1]["id"])


def test_a_list_says_which_lines_cannot_have_their_rate(office):
    run = a_run(office, rates=[RATES[0], {**RATES[1], "most": 1}])
    member = a_person(office, given="Mem", family="Ber", email="mem.ber@example.org")
    office.act(lambda d: people.tag_person(d, member["id"], command_of(TagsCommand, {"tags": ["member"]})))
    rows = "Name,Email,Rate\r\nMem Ber,mem.ber@example.org,Member\r\nNo One,no.one@example.org,Member\r\n"
    batch = office.act(
        lambda d: batches.after(
            d, reading.create_batch(d, run["id"], "list.csv", rows.encode(), read_table(rows.encode()))
        )
    )
    assert [(i["verdict"], "tagged" in i["why"]) for i in batch["items"]] == [
        ("will enroll", False), ("needs fixing", False),
    ]  # fmt: skip
    assert "seats at this rate are taken" in batch["items"][1]["why"]


def test_the_number_of_a_rate_holds_for_a_seat_from_the_line_and_for_a_kept_quote(office):
    rates = [{"label": "Few", "amount": "100.00", "most": 1}, {"label": "Standard", "amount": "240.00"}]
    run = a_run(office, rates=rates, capacity=2, smallest=0)
    few, standard = (r["id"] for r in run["rates"])
    promised, waits = a_person(office), a_person(office)
    kept = keep(office, run, promised)
    first = sign_up(office, run, rate_id=standard)
    sign_up(office, run, rate_id=standard)
    lined = office.act(
        lambda d: waitlist.join(
            d, command_of(JoinCommand, {"run_id": run["id"], "person_id": waits["id"], "rate_id": few})
        )
    )
    office.act(lambda d: freed.withdraw(d, first["enrollment_id"]))
    office.act(
        lambda d: making.change_run(d, run["id"], command_of(RunPatch, {"seen": {}, "set": {"capacity": 3}}))
    )
    office.act(lambda d: waitlist.seat(d, lined["waiting_id"], "100.00"))
    said = refusal(
        lambda: office.act(
            lambda d: enrollments.enroll(
                d,
                command_of(
                    EnrollCommand,
                    {
                        "run_id": run["id"],
                        "person_id": promised["id"],
                        "total": "100.00",
                        "kept_quote_id": kept["id"],
                    },
                ),
            )
        )
    )
    assert said == {"/people/0/rate_id": "Few: All 1 seats at this rate are taken."}


# --- parties, groups, agreed amounts ----------------------------------------------------------------------


def test_a_mixed_party_pays_the_group_price_and_its_heads_are_named_at_once(office, run):
    payer, known = a_person(office), a_person(office, given="Ada", family=f"Known{next(number)}")
    office.act(lambda d: people.tag_person(d, payer["id"], command_of(TagsCommand, {"tags": ["member"]})))
    standard, member = (r["id"] for r in run["rates"])
    ask = {"people": [{"rate_id": standard, "count": 2}, {"rate_id": member, "count": 1}]}
    names = [f"Ada {known['family']}", "Bo New, bo.new@example.org"]
    shown = quote(office, run, person_id=payer["id"], names=names, **ask)
    assert shown["total"] == "627.00"  # 2 x 216 + 180 + 3 packs
    assert [n["said"].split(",")[0] for n in shown["names"]] == ["known", "new person"]
    held = sign_up(office, run, payer, names=names, **ask)
    assert (held["heads"], taken(office, run)) == (3, 3)
    lines = [(x["kind"], x["amount"]) for x in held["quote"]["lines"]]
    assert lines == [
        ("rate", "480.00"),
        ("group", "-48.00"),
        ("rate", "200.00"),
        ("group", "-20.00"),
        ("extra", "15.00"),
    ]
    said = refusal(lambda: sign_up(office, run, names=[f"Ada {known['family']}"], heads=2))
    assert "is on" in said["/names/0"]
    twice = quote(office, run, heads=3, names=["Cy Dee", "Cy Dee", "Eve"])["names"]
    assert [n["error"] for n in twice] == [False, False, True]


def test_an_amount_is_agreed_only_where_the_rate_says_so_and_with_a_reason(office):
    run = a_run(office, rates=[{"label": "Standard", "amount": "240.00", "by_agreement": True}])
    rate = run["rates"][0]["id"]

    def agreed(**amount):
        return {"people": [{"rate_id": rate, "count": 1, "agreed": amount}]}

    held = sign_up(office, run, **agreed(amount="150.00", reason="Helps with the kiln"))
    assert (held["quote"]["total"], "Helps with the kiln" in held["quote"]["lines"][0]["why"]) == (
        "150.00",
        True,
    )
    assert set(refusal(lambda: quote(office, run, **agreed(amount="-1.00")))) == {
        "/people/0/agreed/amount", "/people/0/agreed/reason",
    }  # fmt: skip
    plain = a_run(office)
    ask = {"people": [{"count": 1, "agreed": {"amount": "1.00", "reason": "x"}}]}
    assert "not one that staff may agree" in refusal(lambda: quote(office, plain, **ask))["/people/0/agreed"]
    free = sign_up(office, run, **agreed(amount="0.00", reason="Staff"))
    assert free["quote"]["installments"] == []


def test_a_place_in_line_keeps_its_whole_ask(office, run, shelf):
    small = a_run(
        office,
        capacity=1,
        smallest=0,
        rates=RATES,
        extras=[{"label": "Book", "amount": "30.00", "item": shelf}],
    )
    first = enrolled(office, small)
    book = small["extras"][0]["id"]
    lined = office.act(
        lambda d: waitlist.join(
            d,
            command_of(
                JoinCommand,
                {
                    "run_id": small["id"],
                    "person_id": a_person(office)["id"],
                    "extras": [{"extra_id": book, "count": 1}],
                },
            ),
        )
    )
    office.act(lambda d: freed.withdraw(d, first["enrollment_id"]))
    shown = office.read(lambda d: waitlist.seat_quote(d, lined["waiting_id"]))
    assert shown["total"] == "270.00"
    office.act(lambda d: waitlist.seat(d, lined["waiting_id"], shown["total"]))
    assert on_hand(office, shelf) == 2


# --- codes ------------------------------------------------------------------------------------------------


def a_code(office, **body):
    held = {"code": f"CODE{next(number)}", "percent": "10", **body}
    return office.act(lambda d: codes.make_code(d, command_of(CodeCommand, held)))


def test_a_code_comes_off_is_counted_and_given_back(office, run):
    code = a_code(office, most=1)
    held = sign_up(office, run, code=code["code"].lower())
    assert held["quote"]["total"] == "221.00"
    seen = office.read(lambda d: codes.code_uses(d, code["id"]))
    assert (seen["uses"], seen["cost"], seen["state"], seen["people"][0]["amount"]) == (
        1,
        "24.00",
        "used up",
        "24.00",
    )
    said = refusal(lambda: quote(office, run, code=code["code"]))
    assert said == {"/code": f"The code {code['code']} has been used 1 of 1 times."}
    gone = office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    other = sign_up(office, run, code=code["code"])
    with pytest.raises(Problem, match="used 1 of 1"):
        office.act(lambda d: undo.undo(d, gone["change"]))
    office.act(lambda d: freed.withdraw(d, other["enrollment_id"]))
    office.act(lambda d: undo.undo(d, gone["change"]))
    agrees(office)


def test_a_code_with_few_uses_is_never_used_once_too_often(office, run):
    code = a_code(office, most=3)
    total = quote(office, run, code=code["code"])["total"]
    crowd = [a_person(office) for _ in range(8)]
    outcomes = at_once([
        lambda p=p: office.act(lambda d: enrollments.enroll(d, command_of(EnrollCommand, {"run_id": run["id"], "person_id": p["id"], "total": total, "code": code["code"]}))) for p in crowd
    ])  # fmt: skip
    assert sum(isinstance(o, dict) for o in outcomes) == 3
    assert all("used 3 of 3" in str(o) for o in outcomes if not isinstance(o, dict))
    agrees(office)


def test_a_person_uses_a_code_as_often_as_one_may(office, run):
    code, somebody = a_code(office, most_each=1), a_person(office)
    sign_up(office, run, somebody, code=code["code"])
    other = a_run(office)
    said = refusal(lambda: quote(office, other, person_id=somebody["id"], code=code["code"]))
    assert said == {"/code": f"This person has used the code {code['code']} once already."}
    assert quote(office, other, code=code["code"])["total"] == "189.00"


def test_a_code_holds_where_and_when_it_says(office, run):
    elsewhere = a_code(office, run_ids=[a_run(office)["id"]])
    over = a_code(office, to=(office.at.date() - timedelta(days=1)).isoformat())
    extras_only = a_code(office, on=["book"])
    assert "does not hold on" in refusal(lambda: quote(office, run, code=elsewhere["code"]))["/code"]
    assert "held through" in refusal(lambda: quote(office, run, code=over["code"]))["/code"]
    assert "applies to nothing" in refusal(lambda: quote(office, run, code=extras_only["code"]))["/code"]
    assert 'no code "nowhere"' in refusal(lambda: quote(office, run, code="nowhere"))["/code"]
    course = a_code(office, course_ids=[run["course"]["id"]])
    assert quote(office, run, code=course["code"])["total"] == "221.00"
    done = office.act(
        lambda d: codes.change_code(d, course["id"], command_of(CodeCommand, {"active": False}))
    )
    assert "no longer in use" in refusal(lambda: quote(office, run, code=course["code"]))["/code"]
    office.act(lambda d: undo.undo(d, done["change"]))
    assert quote(office, run, code=course["code"])["total"] == "221.00"


def test_a_numbered_set_is_used_once_each_and_listed_with_its_users(office, run):
    made = a_code(office, number=12, off="25.00", percent=None)
    name, lines = office.read(lambda d: codes.code_lines(d, made["id"]))
    assert name == made["code"] and len(lines) == 13 and len({x[0] for x in lines}) == 13
    assert lines[1][0].startswith(f"{name}-01-")
    sign_up(office, run, code=lines[5][0])
    assert "1 of 1" in refusal(lambda: quote(office, run, code=lines[5][0]))["/code"]
    _, after = office.read(lambda d: codes.code_lines(d, made["id"]))
    assert [x[1] for x in after[1:]].count("1") == 1
    assert office.read(lambda d: codes.list_codes(d))[0]["number"] == 12
    changed = office.act(
        lambda d: codes.change_code(d, made["id"], command_of(CodeCommand, {"off": "30.00"}))
    )
    assert (changed["off"], changed["uses"], changed["cost"]) == ("30.00", 1, "25.00")
    with pytest.raises(Problem, match="moved on"):
        office.act(lambda d: undo.undo(d, made["change"]))


@pytest.mark.parametrize(
    ("body", "at"),
    [
        ({"code": "x y"}, "/code"), ({"code": "AB"}, "/code"), ({"percent": "0"}, "/percent"),
        ({"percent": "5", "off": "1.00"}, "/off"), ({"percent": None}, ""), ({"most": 0}, "/most"),
        ({"most_each": -1}, "/most_each"), ({"from": "2027-09-02", "to": "2027-09-01"}, "/to"),
        ({"course_ids": [10**9]}, "/course_ids"), ({"run_ids": "all"}, "/run_ids"), ({"number": 1}, "/number"),
        ({"number": 5, "most": 3}, "/most"), ({"off": "1.5", "percent": None}, "/off"),
    ],
)  # fmt: skip
def test_faulty_codes_are_refused_beside_their_field(office, body, at):
    assert at in refusal(lambda: a_code(office, **body))


def test_a_taken_code_and_a_changed_name_are_refused(office):
    code = a_code(office)
    assert "is taken" in refusal(lambda: a_code(office, code=code["code"].lower()))["/code"]
    said = refusal(
        lambda: office.act(
            lambda d: codes.change_code(d, code["id"], command_of(CodeCommand, {"code": "OTHER"}))
        )
    )
    assert "keeps its name" in said["/code"]


# --- kept quotes ------------------------------------------------------------------------------------------


def keep(office, run, person, **body):
    shown = quote(
        office,
        run,
        person_id=person["id"],
        **{k: v for k, v in body.items() if k in ("heads", "code", "extras")},
    )
    held = {"run_id": run["id"], "person_id": person["id"], "total": shown["total"], **body}
    return office.act(lambda d: kept_quotes.keep(d, command_of(KeepCommand, held)))


def test_a_kept_quote_stands_whatever_becomes_of_the_fees_and_is_taken_once(office):
    run, somebody = a_run(office), a_person(office)
    kept = keep(office, run, somebody, send=True, last="2027-09-10")
    assert (kept["total"], kept["sent"], kept["status"]) == ("210.00", True, "open")
    dearer = [{"label": "Standard", "amount": "300.00"}]
    office.act(
        lambda d: terms.change_terms(
            d, run["id"], command_of(TermsPatch, {"seen": {}, "set": {"rates": dearer}})
        )
    )
    later = office.later(days=15)
    assert quote(later, run)["total"] == "300.00"
    shown = later.read(lambda d: kept_quotes.kept_quote(d, kept["id"]))
    assert (shown["total"], shown["due_now"], shown["can_enroll"]) == ("210.00", "105.00", True)
    assert shown["installments"][0]["due"] == "2027-09-04"
    held = later.act(
        lambda d: enrollments.enroll(
            d,
            command_of(
                EnrollCommand,
                {
                    "run_id": run["id"],
                    "person_id": somebody["id"],
                    "total": "210.00",
                    "kept_quote_id": kept["id"],
                },
            ),
        )
    )
    assert held["quote"]["total"] == "210.00"
    assert later.read(lambda d: kept_quotes.list_kept(d, run_id=run["id"])) == []
    with pytest.raises(Problem, match="taken"):
        later.act(
            lambda d: enrollments.enroll(
                d,
                command_of(
                    EnrollCommand,
                    {
                        "run_id": run["id"],
                        "person_id": somebody["id"],
                        "total": "210.00",
                        "kept_quote_id": kept["id"],
                    },
                ),
            )
        )
    later.act(lambda d: undo.undo(d, held["change"]))
    assert [q["status"] for q in later.read(lambda d: kept_quotes.list_kept(d, run_id=run["id"]))] == ["open"]


def test_a_kept_quote_is_followed_up_lapses_and_is_dropped(office):
    run, somebody = a_run(office), a_person(office)
    kept = keep(office, run, somebody, last="2027-08-30")
    due = [
        r for r in office.later(days=7).read(lambda d: today_list.reminders(d)) if r["run_id"] == run["id"]
    ]
    assert [r["day"] for r in due] == ["2027-08-27"] and "$210.00" in due[0]["text"]
    with pytest.raises(Problem, match="stood through Mon 30 Aug 2027"):
        office.later(days=11).act(
            lambda d: enrollments.enroll(
                d,
                command_of(
                    EnrollCommand,
                    {
                        "run_id": run["id"],
                        "person_id": somebody["id"],
                        "total": "210.00",
                        "kept_quote_id": kept["id"],
                    },
                ),
            )
        )
    dropped = office.act(lambda d: kept_quotes.drop(d, kept["id"]))
    assert dropped["status"] == "dropped"
    assert [
        r for r in office.later(days=7).read(lambda d: today_list.reminders(d)) if r["run_id"] == run["id"]
    ] == []
    office.act(lambda d: undo.undo(d, dropped["change"]))
    with pytest.raises(Problem, match="another run or person"):
        office.act(
            lambda d: enrollments.enroll(
                d,
                command_of(
                    EnrollCommand,
                    {
                        "run_id": run["id"],
                        "person_id": a_person(office)["id"],
                        "total": "210.00",
                        "kept_quote_id": kept["id"],
                    },
                ),
            )
        )


def test_a_quote_is_kept_only_as_it_was_shown_and_with_sense(office):
    run, silent = a_run(office), a_person(office, email=None)
    body = {"run_id": run["id"], "person_id": silent["id"], "total": "210.00", "last": "2027-08-01", "send": True,
            "follow_up": "2027-08-02"}  # fmt: skip
    assert set(refusal(lambda: office.act(lambda d: kept_quotes.keep(d, command_of(KeepCommand, body))))) == {
        "/last",
        "/follow_up",
        "/send",
    }
    with pytest.raises(Problem, match=r"total was 1\.00"):
        office.act(
            lambda d: kept_quotes.keep(
                d,
                command_of(
                    KeepCommand, {**body, "total": "1.00", "last": None, "send": False, "follow_up": None}
                ),
            )
        )


def test_the_letter_of_a_quote_names_every_line_and_its_end(office, run):
    somebody = a_person(office)
    kept = keep(office, run, somebody, heads=3, last="2027-09-01", note="See you soon.")
    text_ = office.read(
        lambda d: (
            kept_quotes.letter_of(
                d,
                lookups.get_run(d, run["id"]),
                people.get_person(d, somebody["id"]),
                kept_quotes.get_kept(d, kept["id"]),
            ).text
        )
    )
    for words in ("Standard x 3: $720.00", "Group of 3, Standard x 3: -$72.00", "Total $663.00", "at sign-up: $331.50",
                  "through Wed 1 Sep 2027", "See you soon."):  # fmt: skip
        assert words in text_


# --- plans ------------------------------------------------------------------------------------------------


def a_plan(office, **body):
    held = {
        "name": f"Plan {next(number)}",
        "lines": [{"percent": "100", "due": {"after_sign_up": 30}}],
        **body,
    }
    return office.act(lambda d: plans.make_plan(d, command_of(PlanCommand, held)))["plan"]


def test_a_plan_of_the_center_serves_any_run_or_the_courses_it_names(office):
    run, other = a_run(office), a_run(office)
    free, bound = a_plan(office), a_plan(office, course_ids=[other["course"]["id"]])
    names = [p["name"] for p in office.read(lambda d: quotes.choices(d, run["id"], None, None))["plans"]]
    assert names[0] == "Halves" and free["name"] in names and bound["name"] not in names
    with pytest.raises(Problem, match="no such payment plan"):
        quote(office, run, plan_id=bound["id"])
    shown = quote(office, other, plan_id=bound["id"])
    assert (shown["due_now"], shown["installments"][0]["due"]) == ("0.00", "2027-09-19")


def test_a_plan_that_somebody_agreed_to_keeps_its_lines_and_its_log(office):
    run, plan = a_run(office), a_plan(office)
    sign_up(office, run, plan_id=plan["id"])
    lines = [{"percent": "100", "due": {"after_sign_up": 10}}]
    done = office.act(
        lambda d: plans.change_plan(
            d, plan["id"], command_of(PlanPatch, {"seen": {}, "set": {"lines": lines}})
        )
    )
    new = done["plan"]
    assert new["id"] != plan["id"] and new["agreed"] == 1
    log = office.read(lambda d: plans.plan_log(d, new["id"]))
    assert len(log) == 2 and "30 days after sign-up to" in log[0]["text"]
    assert plan["id"] not in [p["id"] for p in office.read(plans.list_plans)]
    office.act(lambda d: undo.undo(d, done["change"]))
    assert plan["id"] in [p["id"] for p in office.read(plans.list_plans)]
    off = office.act(
        lambda d: plans.change_plan(
            d, plan["id"], command_of(PlanPatch, {"seen": {"active": True}, "set": {"active": False}})
        )
    )
    assert off["plan"]["active"] is False
    with pytest.raises(Problem, match="no such payment plan"):
        quote(office, run, plan_id=plan["id"])


def test_a_runs_plan_in_use_is_replaced_not_changed(office):
    run = a_run(office)
    held = enrolled(office, run)
    before = held["quote"]["installments"]
    thirds = [{"id": run["plans"][0]["id"], "name": "Halves", "lines": [
        {"parts": 1, "due": {"months_after_sign_up": k}} for k in range(3)]}]  # fmt: skip
    done = office.act(
        lambda d: terms.change_terms(
            d, run["id"], command_of(TermsPatch, {"seen": {}, "set": {"plans": thirds}})
        )
    )
    assert len(quote(office, run)["installments"]) == 3
    enrollment = office.read(lambda d: changing.view(d, held["enrollment_id"]))
    assert enrollment["quote"]["installments"] == before
    enrolled(office, run)
    with pytest.raises(Problem, match="depends on it"):
        office.act(lambda d: undo.undo(d, done["change"]))


def test_a_plan_says_by_how_much_it_misses(office):
    run = a_run(office)

    def example(*lines, **more):
        return office.read(
            lambda d: quotes.plan_example(
                d, command_of(PlanExampleCommand, {"run_id": run["id"], "lines": list(lines), **more})
            )
        )

    now = {"after_sign_up": 0}
    assert example({"percent": "60", "due": now})["said"] == [
        "The percents miss 40 of 100; add a line or make the last one the rest."
    ]
    assert "miss 110.00 of the total" in example({"amount": "100.00", "due": now})["said"][0]
    late = example(
        {"parts": 1, "due": {"before_start": 30}},
        {"parts": 1, "due": {"after_start": 0}},
        signed_up="2027-09-13",
    )
    assert [(i["due"], i["amount"]) for i in late["installments"]] == [
        ("2027-09-13", "120.00"),
        ("2027-09-14", "120.00"),
    ]
    assert "is past, so it is due at sign-up" in late["installments"][0]["why"]
    assert (
        "Amounts alone" in refusal(lambda: a_plan(office, lines=[{"amount": "40.00", "due": now}]))["/lines"]
    )
    assert "at least one line" in refusal(lambda: a_plan(office, lines=[]))["/lines"]


def test_a_plan_with_payment_details_waits_for_a_token_and_never_sees_a_number(office):
    plan, run, somebody = a_plan(office, details=True), a_run(office), a_person(office)
    with pytest.raises(Problem, match="none are on file"):
        sign_up(office, run, somebody, plan_id=plan["id"])
    for ending in ("07", "08"):  # newer details take the place of older
        office.act(
            lambda d, n=ending: payments.keep_details(
                d, money.account_of(d, f"person:{somebody['id']}", "USD"), f"token-{somebody['id']}-{n}", f"card ending in {n}"
            )
        )  # fmt: skip
    assert quote(office, run, person_id=somebody["id"], plan_id=plan["id"])["details"] == "card ending in 08"
    assert sign_up(office, run, somebody, plan_id=plan["id"])["quote"]["due_now"] == "0.00"


# --- defaults, prices, the planner ------------------------------------------------------------------------


def test_a_value_comes_from_the_center_then_the_course_then_the_run(office):
    tax = [{"name": "Levy", "percent": "2", "included": False, "on": ["pack"]}]
    group = [{"from": 4, "percent": "5"}]
    done = office.act(
        lambda d: terms.change_center_defaults(
            d, command_of(CenterDefaultsPatch, {"seen": {}, "set": {"taxes": tax, "group": group}})
        )
    )
    try:
        plain = a_draft(office)
        assert plain["taxes"] == [] and plain["group"] == group  # the tax is on nothing that the run sells
        assert plain["origins"]["group"] == {"from": "center", "default_of": "center", "default": group}
        sells = a_draft(office, extras=[{"label": "Pack", "amount": "5.00"}], group=[])
        assert sells["taxes"] == tax and sells["origins"]["group"]["from"] == "own"
        office.act(lambda d: course_defaults.keep_defaults(d, sells["id"], ["group"]))
        again = a_draft(office, course=None, course_id=sells["course"]["id"])
        assert again["group"] == [] and again["origins"]["group"]["from"] == "course"
        back = office.act(
            lambda d: terms.change_terms(
                d, sells["id"], command_of(TermsPatch, {"seen": {"group": []}, "set": {"group": group}})
            )
        )
        assert back["change"]
    finally:
        office.act(lambda d: undo.undo(d, done["change"]))
    assert office.read(terms.center_defaults)["values"].get("taxes") is None


def test_terms_that_contradict_each_other_are_refused_together(office, run):
    def change(**new):
        return refusal(
            lambda: office.act(
                lambda d: terms.change_terms(d, run["id"], command_of(TermsPatch, {"seen": {}, "set": new}))
            )
        )

    assert "/set/extras" in change(extras=[])  # a tax is on the book
    assert "/set/taxes/0/on/0" in change(taxes=[{"name": "T", "percent": "5", "on": ["hat"]}])
    assert "/set/extras/1/label" in change(
        extras=[{"label": "Book", "amount": "1.00"}, {"label": "book", "amount": "1.00"}]
    )
    assert "/set/extras/0/label" in change(extras=[{"label": "Member", "amount": "1.00"}], taxes=[])
    assert "/set/rates/0/offered_to" in change(
        rates=[
            {"label": "Standard", "amount": "1.00", "offered_from": "2027-09-02", "offered_to": "2027-09-01"}
        ]
    )
    assert "/set/rates/0/sale/amount" in change(
        rates=[{"label": "S", "amount": "9.00", "sale": {"amount": "9.00"}}]
    )
    assert "/set" in change()


def test_a_copied_run_takes_its_fees_along_with_their_dates_moved(office, shelf):
    rates = [{"label": "Standard", "amount": "240.00", "offered_from": "2027-08-01", "tags": ["member"],
              "sale": {"from": "2027-08-01", "to": "2027-08-05", "amount": "200.00"}}]  # fmt: skip
    run = a_run(office, rates=rates, extras=[{"label": "Book", "amount": "30.00", "item": shelf}],
                group=[{"from": 3, "percent": "10"}])  # fmt: skip
    made = office.act(
        lambda d: copying.copy_runs(d, command_of(CopyCommand, {"runs": [{"id": run["id"]}], "weeks": 2}))
    )["runs"][0]
    new = office.read(lambda d: showing.run_view(d, made["run_id"]))
    assert new["rates"][0]["sale"] == {"from": "2027-08-15", "to": "2027-08-19", "amount": "200.00"}
    assert (new["rates"][0]["offered_from"], new["rates"][0]["tags"]) == ("2027-08-15", ["member"])
    assert new["extras"][0]["item"] == shelf and new["group"] == run["group"]


def test_a_day_is_read_out_with_what_is_due_when(office):
    run = a_run(office)
    read = office.read(lambda d: prices.reading(d, run["id"], date(2027, 8, 28), None, None))
    assert read["text"] == (
        "On Sat 28 Aug 2027 one person at Standard pays $240.00: $120.00 now, $120.00 on Mon 27 Sep 2027."
    )
    compared = office.read(lambda d: prices.compare(d, [run["id"], run["id"]]))
    assert [r["id"] for r in compared["runs"]] == [run["id"]]
    assert [s["total"] for s in compared["runs"][0]["lines"][0]["steps"]] == ["210.00", "240.00"]
    assert "/runs" in refusal(lambda: office.read(lambda d: prices.compare(d, list(range(7)))))


def test_the_early_bird_planner_starts_from_past_runs_and_is_applied_in_one_step(office):
    past = a_run(office)
    early = [enrolled(office, past) for _ in range(3)]
    enrolled(office.later(days=10), past)
    assert all(e["quote"]["total"] == "210.00" for e in early)
    run = a_run(office, course=None, course_id=past["course"]["id"],
                pattern={"first": "2027-11-02", "start": "17:30", "minutes": 60, "weekdays": ["TU"], "count": 2})  # fmt: skip
    later = office.later(days=40)
    start = later.read(lambda d: prices.early_start(d, run["id"]))
    assert (start["fee"], start["share"], start["target"]) == ("240.00", "75", "240.00")
    assert start["said"] == "From 1 past run of the course with 4 sign-ups, 3 of them early."
    body = {"fee": "240.00", "share": "50", "target": "250.00", "days": 14, "rounding": "1.00"}
    plan = later.read(lambda d: prices.early_plan(d, command_of(EarlyCommand, body)))
    assert (plan["regular"], plan["income"], plan["break_even"]) == ("260.00", "250.00", "50")
    outcome = later.act(lambda d: prices.apply_early(d, run["id"], command_of(EarlyCommand, body)))
    after = later.read(lambda d: showing.run_view(d, run["id"]))["rates"][0]
    assert after["amount"] == "260.00" and after["early"][0]["amount"] == "240.00"
    later.act(lambda d: undo.undo(d, outcome["change"]))
    assert later.read(lambda d: showing.run_view(d, run["id"]))["rates"][0]["amount"] == "240.00"


def test_a_form_of_a_run_takes_every_kind_of_fee(office):
    form = run_form(rates=[{"amount": "240.00", "sale": {"amount": "x"}, "tags": ["", 5], "most": 0}],
                    extras=[{"amount": "1.00"}], group=[{"from": 1}], taxes=[{"percent": "3"}] * 3)  # fmt: skip
    said = refusal(lambda: office.act(lambda d: making.create_run(d, command_of(RunCommand, form))))
    assert {
        "/rates/0/sale/amount",
        "/rates/0/tags/0",
        "/rates/0/tags/1",
        "/rates/0/most",
        "/group/0/percent",
        "/taxes/0/name",
    } <= set(said)
    form = run_form(extras=[{"amount": "1.00"}], taxes=[{"name": "Tax", "percent": "3"}] * 3)
    said = refusal(lambda: office.act(lambda d: making.create_run(d, command_of(RunCommand, form))))
    assert {"/extras/0/label", "/taxes"} <= set(said)


@pytest.mark.parametrize("seed", range(40 if LONG else 3))
def test_no_order_of_acts_makes_a_negative_total_or_loses_a_piece(office, seed):
    """Sign-ups with extras and codes, withdrawals, changed terms, undo and stock counts in random order."""
    chance = random.Random(seed)
    shelf = f"Box {next(number)}"
    office.act(lambda d: stock.count_stock(d, command_of(StockCommand, {"name": shelf, "add": 6})))
    run = a_run(office, capacity=9, smallest=0, extras=[{"label": "Box", "amount": "30.00", "item": shelf}])
    made = [
        a_code(office, most=3),
        a_code(office, off="500.00", percent=None, most_each=1, on=["standard", "box"]),
    ]
    box, seated, undoable, done = run["extras"][0]["id"], [], [], Counter()
    for _ in range(60):
        act = chance.choice(["sign up", "sign up", "sign up", "withdraw", "undo", "terms", "count"])
        try:
            if act == "sign up":
                ask = {"heads": chance.randint(1, 3), "code": chance.choice([None, *[c["code"] for c in made]]),
                       "extras": [{"extra_id": box, "count": chance.randint(1, 2)}] if chance.random() < 0.6 else []}  # fmt: skip
                held = sign_up(office, run, **ask)
                assert not held["quote"]["total"].startswith("-")
                assert all(not i["amount"].startswith("-") for i in held["quote"]["installments"])
                seated.append(held["enrollment_id"])
                undoable.append(held["change"])
            elif act == "withdraw" and seated:
                gone = office.act(lambda d: freed.withdraw(d, seated.pop(chance.randrange(len(seated)))))
                undoable.append(gone["change"])
            elif act == "undo" and undoable:
                office.act(lambda d: undo.undo(d, undoable.pop(chance.randrange(len(undoable)))))
            elif act == "terms":
                rates = [{"label": "Standard", "amount": f"{chance.randint(0, 300)}.00"}]
                new = {"rates": rates, "group": [{"from": 2, "percent": str(chance.randint(0, 100))}]}
                office.act(
                    lambda d, t=new: terms.change_terms(
                        d, run["id"], command_of(TermsPatch, {"seen": {}, "set": t})
                    )
                )
            elif act == "count":
                office.act(
                    lambda d: stock.count_stock(
                        d, command_of(StockCommand, {"name": shelf, "counted": chance.randint(0, 6)})
                    )
                )
            else:
                continue
            done[act] += 1
        except (Problem, Refused):
            pass
        assert on_hand(office, shelf) >= 0
    agrees(office)
    assert all(done[act] > 1 for act in ("sign up", "withdraw", "undo", "terms", "count")), done


def test_what_was_agreed_holds_also_with_an_extra_that_is_no_longer_offered(office, run, shelf):
    """A kept quote and a place in line keep their book, at its price, and it leaves the stock; nothing new is forced on them."""
    book, somebody = run["extras"][0]["id"], a_person(office)
    kept = keep(office, run, somebody, extras=[{"extra_id": book, "count": 1}])
    sign_up(
        office, run, extras=[{"extra_id": book, "count": 1}]
    )  # the book is held by somebody, so it is only put away
    gloves = [{"label": "Gloves", "amount": "9.00", "required": True}]
    change = {"seen": {}, "set": {"extras": gloves, "taxes": []}}
    office.act(lambda d: terms.change_terms(d, run["id"], command_of(TermsPatch, change)))
    held = office.act(
        lambda d: enrollments.enroll(
            d,
            command_of(
                EnrollCommand,
                {
                    "run_id": run["id"],
                    "person_id": somebody["id"],
                    "total": kept["total"],
                    "kept_quote_id": kept["id"],
                },
            ),
        )
    )
    assert held["quote"]["total"] == kept["total"] and on_hand(office, shelf) == 1
    agrees(office)
