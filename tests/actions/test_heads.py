"""One head of a party more or fewer, with its money; learners who become something else; letters seen first; remarks on health."""

import pytest
from sqlalchemy import select

from actions.test_offers import agrees, letters, refusal
from actions.test_waitlist import join, line
from archgate.actions.across import logs, person_pages, undo
from archgate.actions.courses import courses
from archgate.actions.courses.commands import CoursePatch
from archgate.actions.enrolling import changing, enrollments, heads, roles, roster
from archgate.actions.enrolling.commands import (
    AddHeadCommand,
    EnrollCommand,
    RoleCommand,
    WithdrawHeadCommand,
)
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.money import accounts
from archgate.actions.money.commands import PayerCommand, PaymentCommand
from archgate.actions.people import people
from archgate.actions.people.commands import PersonPatch
from archgate.core.states import LogOf
from archgate.papers import rosters
from archgate.tables.roster import Enrollment
from made import a_person, a_run, at_once, enrolled, roster_of, taken


def signed(office, number):
    return office.read(lambda d: changing.view(d, number))


def add(office, number, preview=False, **body):
    return office.act(lambda d: heads.add(d, number, command_of(AddHeadCommand, body)), preview=preview)


def go(office, number, n, preview=False, **body):
    command = command_of(WithdrawHeadCommand, body)
    return office.act(lambda d: heads.withdraw(d, number, n, command), preview=preview)


def undone(office, done):
    office.act(lambda d: undo.undo(d, done["change"]))


def pay(office, number, amount):
    account = signed(office, number)["account_id"]
    body = command_of(PaymentCommand, {"amount": amount, "method": "cash"})
    office.act(lambda d: accounts.take_payment(d, account, body))


@pytest.fixture
def run(office):
    return a_run(office, capacity=6, smallest=0)


@pytest.fixture
def party(office, run):
    """Three heads at the early price of 210.00, one of them with a name."""
    quote = {"people": [{"rate_id": run["rates"][0]["id"], "count": 3}], "total": "630.00"}
    return enrolled(office, run, names=["Ada Quill"], **quote)["enrollment_id"]


def test_a_head_that_joins_pays_what_its_rate_costs_now_and_the_others_keep_their_price(office, run, party):
    late = office.later(days=10)  # the early price is over
    shown = add(late, party, preview=True)
    assert (shown["total_before"], shown["total"]) == ("630.00", "870.00")
    with pytest.raises(Problem, match=r"total was 840\.00"):
        add(late, party, total="840.00")
    done = add(late, party, total="870.00")
    assert (done["heads"], taken(office, run), len(roster_of(office, run)[0]["places"])) == (4, 4, 3)
    assert sum(float(r["amount"]) for r in done["after"]) == 870
    undone(late, done)
    assert (taken(office, run), signed(office, party)["quote"]["total"]) == (3, "630.00")
    agrees(office)


def test_a_head_takes_a_seat_after_those_in_line_and_never_one_too_many(office):
    run = a_run(office, capacity=2, smallest=0)
    number = enrolled(office, run)["enrollment_id"]
    came = at_once([lambda: add(office, number)] * 2)
    assert sum(isinstance(x, Problem) for x in came) == 1 and taken(office, run) == 2
    first = join(office, run)
    done = go(office, number, 2, seat={"to": "next"})
    assert done["seat"] == f"{first['name']} has an offer."
    with pytest.raises(Problem, match="on offer"):
        add(office, number)
    agrees(office)


def test_a_named_head_sits_nowhere_twice(office, run, party):
    somebody = a_person(office)
    enrolled(office, run, somebody)
    with pytest.raises(Problem, match="already on the roster"):
        add(office, party, person_id=somebody["id"])
    other = a_person(office)
    add(office, party, person_id=other["id"])
    assert roster_of(office, run)[0]["places"][-1]["name"] == other["name"]


def test_a_head_that_leaves_gives_its_share_back_less_what_the_policy_keeps(office, run, party):
    policy = {"refunds": {"steps": [{"days_before": 20, "percent": "50"}]}}
    office.act(
        lambda d: courses.change_course(d, run["course"]["id"], command_of(CoursePatch, {"set": policy}))
    )
    pay(office, party, "315.00")
    shown = go(office, party, 2, preview=True)
    assert (shown["kept"], shown["total"]) == ("105.00", "525.00")
    assert "50 percent is given back" in shown["why"]
    assert {"/why"} == set(refusal(lambda: go(office, party, 2, keep="10.00")))
    assert {"/keep"} == set(refusal(lambda: go(office, party, 2, keep="211.00", why="x")))
    done = go(office, party, 2, keep="10.00", why="Ill")
    assert (done["total"], done["heads"], taken(office, run)) == ("430.00", 2, 2)
    view = signed(office, party)
    assert [x["label"] for x in view["quote"]["lines"] if x["kind"] == "kept"] == ["Kept of Ada Quill"]
    assert [p["name"] for p in roster_of(office, run)[0]["places"]] == [None]
    agrees(office)
    # What was kept stays with the sign-up when it changes again, and goes when the head comes back.
    again = add(office, party)
    assert again["total"] == "640.00"
    undone(office, again)
    undone(office, done)
    view = signed(office, party)
    assert (view["quote"]["total"], view["heads"], taken(office, run)) == ("630.00", 3, 3)
    assert [p["name"] for p in roster_of(office, run)[0]["places"]] == ["Ada Quill", None]
    agrees(office)


def test_the_one_who_signed_up_is_no_head_to_withdraw_and_one_alone_has_none(office, run, party):
    for n in (1, 4):
        with pytest.raises(Problem, match="This place of the party"):
            go(office, party, n)
    assert taken(office, run) == 3


def test_a_head_withdrawn_twice_at_once_is_one_head_fewer_each(office, run, party):
    came = at_once([lambda: go(office, party, 3)] * 2)
    assert sum(isinstance(x, Problem) for x in came) == 1
    assert taken(office, run) == 2
    agrees(office)


def test_required_extras_come_and_go_with_a_head(office):
    run = a_run(office, extras=[{"label": "Kit", "amount": "20.00", "required": True}])
    number = enrolled(office, run)["enrollment_id"]
    assert add(office, number)["total"] == "460.00"
    assert go(office, number, 2)["total"] == "230.00"
    agrees(office)


# --- roles ------------------------------------------------------------------------------------------------


def role(office, number, name, preview=False, **more):
    command = command_of(RoleCommand, {"role": name, **more})
    return office.act(lambda d: roles.set_role(d, number, command), preview=preview)


def test_a_learner_becomes_an_assistant_and_the_seat_and_the_charge_go_back_in_one_act(office):
    run = a_run(office, capacity=1, smallest=0)
    number = enrolled(office, run)["enrollment_id"]
    first = join(office, run)
    pay(office, number, "105.00")
    done = role(office, number, "assistant", seat={"to": "next"})
    assert "105.00 that was paid is credit" in done["said"] and first["name"] in done["said"]
    assert [(r["role"], r["total"]) for r in roster_of(office, run)] == [("assistant", "0.00")]
    assert line(office, run)[0]["status"] == "offered"
    undone(office, done)
    assert [r["role"] for r in roster_of(office, run)] == ["learner"]
    assert (taken(office, run), line(office, run)[0]["status"]) == (1, "waiting")
    agrees(office)


def test_an_assistant_becomes_a_learner_with_a_seat_at_today_s_price(office, run):
    somebody = a_person(office)
    was = office.act(lambda d: roles.add_with_role(d, run["id"], somebody["id"], "assistant"))
    shown = role(office, was["enrollment_id"], "learner", preview=True)
    assert shown["total"] == "210.00"
    with pytest.raises(Problem, match=r"total was 1\.00"):
        role(office, was["enrollment_id"], "learner", total="1.00")
    done = role(office, was["enrollment_id"], "learner", total="210.00")
    assert (taken(office, run), [r["role"] for r in roster_of(office, run)]) == (1, ["learner"])
    undone(office, done)
    assert (taken(office, run), [r["role"] for r in roster_of(office, run)]) == (0, ["assistant"])
    agrees(office)


def test_a_full_run_makes_no_learner_and_a_party_no_assistant(office, party):
    run = a_run(office, capacity=1, smallest=0)
    enrolled(office, run)
    was = office.act(lambda d: roles.add_with_role(d, run["id"], a_person(office)["id"], "observer"))
    with pytest.raises(Problem, match="taken"):
        role(office, was["enrollment_id"], "learner")
    with pytest.raises(Problem, match="for others too"):
        role(office, party, "assistant")
    with pytest.raises(Problem, match="already"):
        role(office, was["enrollment_id"], "observer")


# --- letters and health -----------------------------------------------------------------------------------


def test_the_letter_of_a_sign_up_is_seen_first_with_a_line_of_one_s_own_and_nothing_is_written(office, run):
    somebody = a_person(office)
    body = {"run_id": run["id"], "person_id": somebody["id"], "total": "210.00", "told": ["learner"]}
    command = command_of(EnrollCommand, {**body, "word": "Bring the chisel you asked about."})
    seen = office.act(lambda d: enrollments.enroll(d, command, letters=True), preview=True)
    assert [x["to"] for x in seen["letters"]] == [somebody["name"]]
    assert "Bring the chisel you asked about." in seen["letters"][0]["text"]
    assert (taken(office, run), letters(office, run)) == (0, [])
    office.act(lambda d: enrollments.enroll(d, command))
    assert letters(office, run)[0] == (seen["letters"][0]["subject"], seen["letters"][0]["text"])


def test_a_message_to_a_roster_names_whoever_it_goes_to_and_is_seen_first(office, run):
    somebody, silent = a_person(office), a_person(office, email=None)
    for person in (somebody, silent):
        enrolled(office, run, person, told=[])

    def write(d):
        return roster.tell(d, run["id"], "The room", "Dear {given}, it is the hall. {name}")

    seen = office.act(write, preview=True)
    assert seen["first"]["text"] == f"Dear {somebody['given']}, it is the hall. {somebody['name']}"
    assert (seen["told"], seen["without"], letters(office, run)) == (1, [silent["name"]], [])
    office.act(write)
    assert letters(office, run) == [("The room", seen["first"]["text"])]


def test_a_remark_on_health_is_on_no_sheet_file_or_log_unless_asked_for(office, run):
    somebody = a_person(office)
    enrolled(office, run, somebody, note="Pays late")
    remark = "Allergic to lime dust"
    patch = command_of(PersonPatch, {"seen": {"health": ""}, "set": {"health": remark}})
    office.act(lambda d: people.change_person(d, somebody["id"], patch))
    assert office.read(lambda d: person_pages.person_page(d, somebody["id"]))["health"] == remark

    def file(**what):
        return str(office.read(lambda d: roster.lines_of(d, run["id"], **what)))

    def sheet(**what):
        return rosters.html_of(
            "sign-in", office.read(lambda d: roster.paper_of(d, run["id"], "sign-in", **what))
        )

    for made in (file, sheet):
        assert remark not in made() and remark not in made(remarks=True)
        assert "Pays late" in made(remarks=True) and "Pays late" not in made(health=True)
        assert remark in made(health=True)
    ask = logs.LogAsk()
    told = str(office.read(lambda d: logs.lines(d, LogOf.PERSON, somebody["id"], ask)))
    assert "remark on health" in told and remark not in told
    found = office.read(lambda d: person_pages.find_people(d, somebody["name"]))
    assert found and remark not in str(found)


def test_who_became_something_else_counts_as_a_seat_given_up(office, run):
    number = enrolled(office, run)["enrollment_id"]
    role(office, number, "observer")
    statuses = select(Enrollment.status).where(Enrollment.run_id == run["id"])
    assert sorted(office.read(lambda d: [str(s) for s in d.session.scalars(statuses)])) == [
        "other role",
        "seated",
    ]
    account = office.act(
        lambda d: accounts.account_for(
            d, command_of(PayerCommand, {"person_id": signed(office, number)["person_id"]})
        )
    )
    page = office.read(lambda d: accounts.account_page(d, account["id"]))
    assert page["balance_at"] == "0.00"
    agrees(office)
