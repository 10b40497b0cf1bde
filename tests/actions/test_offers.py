"""Seats that come free: offered, answered by a link, passed on; held, set aside, held for a payment; the interest list."""

import json
import re
from datetime import timedelta

import pytest
from sqlalchemy import select

from actions.test_waitlist import join, line, seat
from archgate.actions.across import undo
from archgate.actions.enrolling import (
    calls,
    changing,
    enrollments,
    freed,
    held_places,
    interest,
    invites,
    offers,
    roster,
    waitlist,
)
from archgate.actions.enrolling.commands import (
    EnrollCommand,
    GiveBackCommand,
    InterestCommand,
    JoinCommand,
    QuestionsCommand,
)
from archgate.actions.fees import quotes
from archgate.actions.fees.commands import QuoteCommand
from archgate.actions.kernel import lookups, signing
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.messages import webhooks as hooks
from archgate.actions.messages.commands import WebhookCommand
from archgate.actions.money import accounts
from archgate.actions.money.commands import PayerCommand, PaymentCommand
from archgate.actions.people import organizations, people
from archgate.actions.people.commands import OrganizationCommand, TagsCommand
from archgate.actions.runs import making, moving, showing
from archgate.actions.runs.commands import CancelMeetingCommand, RunCommand, RunPatch
from archgate.actions.seats.commands import HoldChangeCommand, HoldCommand, SetAsideCommand
from archgate.core.faults import Refused
from archgate.core.waitlist import wilson
from archgate.jobs import worker
from archgate.jobs.worker import Worker, down_the_lines, tell_interested
from archgate.tables.log import Change
from archgate.tables.messages import Message
from archgate.tables.outside import WebhookStandIn
from archgate.tables.waitlist import Interest, Waiting
from made import a_person, a_run, agrees, at_once, enrolled, number, roster_of, run_form, taken


def refusal(do):
    with pytest.raises(Refused) as refused:
        do()
    return {f.at: f.message for f in refused.value.faults}


def go(office, run):
    return office.act(lambda d: offers.go_down(d, run["id"]))


def token_of(office, waiting_id):
    row = office.read(lambda d: d.session.get_one(Waiting, waiting_id))
    return signing.token_for("o", row.id, row.offers)


def reply(office, token, answer, total=""):
    return office.act(lambda d: offers.reply(d, token, answer, total))


def letters(office, run):
    query = select(Message).where(Message.run_id == run["id"]).order_by(Message.id)
    return [(m.subject, m.body) for m in office.read(lambda d: d.session.scalars(query).all())]


@pytest.fixture
def full(office):
    run = a_run(office, capacity=2, smallest=0)
    run["held"] = [enrolled(office, run), enrolled(office, run)]
    return run


def leave(office, full, n=0):
    office.act(lambda d: freed.withdraw(d, full["held"][n]["enrollment_id"]))


def test_a_seat_that_comes_free_is_offered_to_the_next_who_takes_it_by_the_link(office, full, monkeypatch):
    monkeypatch.setenv("ARCHGATE_ADDRESS", "https://quay.example.org/")
    first, second = join(office, full), join(office.later(hours=1), full)
    assert go(office, full).offered == []
    leave(office, full)
    assert go(office, full).offered == [first["name"]]
    assert line(office, full)[0]["until"] == "2027-08-21T22:00:00-04:00"
    with pytest.raises(Problem, match="1 on offer"):
        enrolled(office, full)
    token = token_of(office, first["waiting_id"])
    assert f"https://quay.example.org/reply/{token}\n" in letters(office, full)[-1][1]
    page = office.read(lambda d: offers.reply_page(d, token))
    assert (page["stands"], page["quote"]["total"], page["heads"]) == (True, "210.00", 1)
    with pytest.raises(Problem, match=r"total was 1\.00"):
        reply(office, token, "take", "1.00")
    assert reply(office, token, "take", "210.00")["said"] == "You have taken it."
    assert (taken(office, full), roster_of(office, full)[-1]["name"]) == (2, first["name"])
    log = office.read(
        lambda d: d.session.scalars(select(Change).where(Change.action == "take an offer")).all()
    )
    assert log[-1].user_id is None and first["name"] in log[-1].summary
    with pytest.raises(Problem, match="You have taken it"):
        reply(office, token, "take", "210.00")
    assert [w["id"] for w in line(office, full)] == [second["waiting_id"]]
    agrees(office)


def test_an_offer_that_is_not_answered_passes_on_and_a_declined_one_too(office, full):
    rows = [join(office.later(hours=n), full) for n in range(3)]
    leave(office, full)
    go(office, full)
    late = office.later(hours=37)
    moved = go(late, full)
    assert (moved.ended, moved.offered) == ([rows[0]["name"]], [rows[1]["name"]])
    old = token_of(office, rows[0]["waiting_id"])
    assert "run out" in late.read(lambda d: offers.reply_page(d, old))["said"]
    reply(late, token_of(office, rows[1]["waiting_id"]), "decline")
    assert go(late, full).offered == [rows[2]["name"]]
    assert any("ran out" in subject for subject, _ in letters(office, full))


def test_somebody_asks_for_time_and_gets_it(office, full):
    row = join(office, full)
    leave(office, full)
    go(office, full)
    token = token_of(office, row["waiting_id"])
    assert reply(office, token, "time")["asked_time"] is True
    assert line(office, full)[0]["asked_time"] is True
    office.act(lambda d: offers.more_time(d, row["waiting_id"], 24))
    assert go(office.later(hours=40), full).ended == []
    assert go(office.later(hours=61), full).ended == [row["name"]]
    with pytest.raises(Problem, match=r"no longer waits"):
        office.act(lambda d: offers.more_time(d, row["waiting_id"], 24))


@pytest.mark.parametrize(
    "token", ["", "o1.1.x", "x", "o999999.1." + signing.signature("o999999.1"), "a.b.c.d"]
)
def test_a_link_that_was_not_made_here_names_nothing(office, token):
    with pytest.raises(Problem, match="does not exist"):
        office.read(lambda d: offers.reply_page(d, token))


def test_an_older_link_answers_nothing_once_another_offer_was_made(office, full):
    row = join(office, full)
    leave(office, full)
    go(office, full)
    old = token_of(office, row["waiting_id"])
    change = office.read(
        lambda d: d.session.scalars(
            select(Change).where(Change.action == "offer a seat", Change.subject_id == row["waiting_id"])
        ).one()
    )
    office.act(lambda d: undo.undo(d, change.key))
    assert go(office, full).offered == [], "what somebody undid is not done again by itself"
    office.act(lambda d: offers.offer(d, row["waiting_id"], "after all"))
    assert office.read(lambda d: offers.reply_page(d, old))["stands"] is False
    assert office.read(lambda d: offers.reply_page(d, token_of(office, row["waiting_id"])))["stands"] is True


def test_out_of_turn_needs_a_reason_and_never_a_seat_that_is_not_there(office, full):
    first, second = join(office, full), join(office.later(hours=1), full)
    with pytest.raises(Problem, match="No seat is free"):
        office.act(lambda d: offers.offer(d, second["waiting_id"], "her sister is on it"))
    leave(office, full)
    with pytest.raises(Problem, match=f"{first['name']} is next in line"):
        office.act(lambda d: offers.offer(d, second["waiting_id"]))
    office.act(lambda d: offers.offer(d, second["waiting_id"], "her sister is on it"))
    assert go(office, full).offered == []
    with pytest.raises(Problem, match="No seat is free"):
        seat(office, first["waiting_id"])
    seat(office, second["waiting_id"])  # on the phone: the seat on offer is hers
    agrees(office)


def test_more_seats_move_the_line_and_the_rule_of_the_run_decides(office):
    run = a_run(office, capacity=2, smallest=0)
    for _ in range(2):
        enrolled(office, run)
    large, small = join(office, run, heads=2), join(office.later(hours=1), run)
    ask = {"seen": {"line_rule": "fit"}, "set": {"line_rule": "strict"}}
    office.act(lambda d: making.change_run(d, run["id"], command_of(RunPatch, ask)))
    office.act(
        lambda d: making.change_run(
            d, run["id"], command_of(RunPatch, {"seen": {"capacity": 2}, "set": {"capacity": 3}})
        )
    )
    assert go(office, run).offered == []  # the party of two is next and does not fit
    office.act(
        lambda d: making.change_run(
            d, run["id"], command_of(RunPatch, {"seen": {"line_rule": "strict"}, "set": {"line_rule": "fit"}})
        )
    )
    assert go(office, run).offered == [small["name"]]
    assert {w["id"]: w["status"] for w in line(office, run)}[large["waiting_id"]] == "waiting"


def test_nothing_is_offered_where_staff_do_it_or_sign_up_has_closed(office, full):
    join(office, full)
    leave(office, full)
    office.act(
        lambda d: making.change_run(
            d, full["id"], command_of(RunPatch, {"seen": {"auto_offer": True}, "set": {"auto_offer": False}})
        )
    )
    assert go(office, full).offered == []
    office.act(
        lambda d: making.change_run(
            d, full["id"], command_of(RunPatch, {"seen": {"auto_offer": False}, "set": {"auto_offer": True}})
        )
    )
    assert go(office.later(days=30), full).offered == []
    assert go(office.later(days=24), full).offered != []
    assert (
        line(office.later(days=24), full)[0]["until"] == "2027-09-14T00:00:00-04:00"
    )  # not after sign-up closes


def test_the_worker_goes_down_every_line(office, full, sessions):
    row = join(office, full)
    leave(office, full)
    assert full["id"] in office.read(offers.due_lines)
    down_the_lines(sessions)  # by the real clock, which is before sign-up closes
    assert {w["id"]: w["status"] for w in line(office, full)}[row["waiting_id"]] == "offered"


def test_a_run_in_trouble_keeps_no_other_from_moving_and_a_round_no_other_round(
    office, full, sessions, monkeypatch
):
    """One run fails while the worker goes down the lines, then a whole round does: everything else is done."""
    other = a_run(office, capacity=1, smallest=0)
    held = enrolled(office, other)
    waits = {run["id"]: join(office, run)["waiting_id"] for run in (full, other)}
    leave(office, full)
    office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    real = offers.go_down

    def fails(uow, run_id):
        if run_id == full["id"]:
            raise ZeroDivisionError("made up")
        return real(uow, run_id)

    monkeypatch.setattr(offers, "go_down", fails)
    assert down_the_lines(sessions).endswith(" 1 run in trouble.")
    assert line(office, other)[0]["status"] == "offered"
    assert {w["id"]: w["status"] for w in line(office, full)}[waits[full["id"]]] == "waiting"
    done = []

    def broken(sessions):
        raise ZeroDivisionError("made up")

    rounds = (
        (f"a {full['id']}", timedelta(hours=1), broken),
        (f"b {full['id']}", timedelta(hours=1), lambda s: done.append(1) or "Done."),
    )
    monkeypatch.setattr(worker, "rounds", lambda: rounds)
    for _ in range(2):  # the first time, a round is only put down
        Worker.with_stand_ins(sessions).timed()
    assert done == [1]
    Worker.with_stand_ins(sessions).timed()  # what failed comes round again, what was done does not
    assert done == [1]


def test_an_earlier_day_of_receipt_and_a_head_start_come_first_with_a_reason(office, full):
    join(office, full)
    somebody, other = a_person(office), a_person(office)
    with pytest.raises(Refused):
        office.act(
            lambda d: waitlist.join(
                d,
                command_of(
                    JoinCommand,
                    {"run_id": full["id"], "person_id": somebody["id"], "received_on": "2027-08-18"},
                ),
            )
        )
    early = office.act(
        lambda d: waitlist.join(
            d,
            command_of(
                JoinCommand,
                {
                    "run_id": full["id"],
                    "person_id": somebody["id"],
                    "received_on": "2027-08-18",
                    "exception": "Came by post",
                },
            ),
        )
    )
    assert early["place"] == 1
    with pytest.raises(Refused):
        office.act(
            lambda d: waitlist.join(
                d, command_of(JoinCommand, {"run_id": full["id"], "person_id": other["id"], "head_start": 1})
            )
        )
    first = office.act(
        lambda d: waitlist.join(
            d,
            command_of(
                JoinCommand,
                {
                    "run_id": full["id"],
                    "person_id": other["id"],
                    "head_start": 1,
                    "exception": "Missed the last run",
                },
            ),
        )
    )
    assert first["place"] == 1
    chances = [float(w["chance"]) for w in line(office, full)]
    assert chances == sorted(chances, reverse=True) and 0 < chances[0] < 1


# --- seats kept back --------------------------------------------------------------------------------------


def hold(office, run, **body):
    held = {"seats": 2, "for_whom": "The Guild", "last": "2027-08-25", **body}
    return office.act(lambda d: held_places.hold(d, run["id"], command_of(HoldCommand, held)))


def test_places_held_without_names_are_nobody_elses_until_they_lapse(office):
    run = a_run(office, capacity=3, smallest=0)
    held = hold(office, run)
    enrolled(office, run)
    with pytest.raises(Problem, match="1 of 3 are taken, 2 held"):
        enrolled(office, run)
    somebody = a_person(office)
    office.act(
        lambda d: enrollments.enroll(
            d,
            command_of(
                EnrollCommand,
                {
                    "run_id": run["id"],
                    "person_id": somebody["id"],
                    "total": "210.00",
                    "held_place_id": held["id"],
                },
            ),
        )
    )
    assert [h["seats"] for h in office.read(lambda d: held_places.kept_back(d, run["id"]))["holds"]] == [1]
    after = office.later(days=6)
    assert after.read(lambda d: held_places.kept_back(d, run["id"]))["free"] == 1
    assert after.act(lambda d: held_places.let_go(d, run["id"])) == 1
    assert after.read(lambda d: held_places.kept_back(d, run["id"]))["holds"] == []
    with pytest.raises(Problem, match="not held any more"):
        after.act(
            lambda d: enrollments.enroll(
                d,
                command_of(
                    EnrollCommand,
                    {
                        "run_id": run["id"],
                        "person_id": a_person(office)["id"],
                        "total": "210.00",
                        "held_place_id": held["id"],
                    },
                ),
            )
        )
    agrees(office)


def test_held_places_are_changed_let_go_and_undone(office):
    run = a_run(office, capacity=5, smallest=0)
    held = hold(office, run)
    assert refusal(lambda: hold(office, run, seats=4)) == {"/seats": "3 seats are free."}
    assert set(refusal(lambda: hold(office, run, seats=40, for_whom="", last="2027-08-01"))) == {
        "/seats",
        "/for_whom",
        "/last",
    }
    more = office.act(
        lambda d: held_places.change_hold(
            d, held["id"], command_of(HoldChangeCommand, {"seats": 5, "last": "2027-09-01"})
        )
    )
    assert (more["seats"], more["last"]) == (5, "2027-09-01")
    gone = office.act(
        lambda d: held_places.change_hold(d, held["id"], command_of(HoldChangeCommand, {"seats": 0}))
    )
    assert gone["status"] == "released"
    office.act(lambda d: undo.undo(d, gone["change"]))
    back = office.read(lambda d: held_places.kept_back(d, run["id"]))
    assert ([h["seats"] for h in back["holds"]], back["free"]) == ([5], 0)
    office.act(lambda d: undo.undo(d, more["change"]))
    assert [
        (h["seats"], h["last"]) for h in office.read(lambda d: held_places.kept_back(d, run["id"]))["holds"]
    ] == [(held["seats"], held["last"])]
    gone = office.act(
        lambda d: held_places.change_hold(d, held["id"], command_of(HoldChangeCommand, {"seats": 0}))
    )
    again = hold(office, run)
    office.act(lambda d: undo.undo(d, again["change"]))
    assert office.read(lambda d: held_places.kept_back(d, run["id"]))["free"] == 5
    for _ in range(4):
        enrolled(office, run)
    with pytest.raises(Problem, match="of these seats are taken by now"):
        office.act(lambda d: undo.undo(d, gone["change"]))
    assert office.read(lambda d: held_places.kept_back(d, run["id"]))["free"] == 1
    agrees(office)


def test_seats_set_aside_are_taken_back_changed_and_ended_with_their_gate(office):
    run = a_run(office, capacity=4, smallest=0)

    def aside(**changes):
        ask = {"name": "Night shift", "seats": 3, "last": "2027-08-25", "tag": f"night{run['id']}", **changes}
        return office.act(lambda d: held_places.set_aside(d, run["id"], command_of(SetAsideCommand, ask)))

    def now():
        back = office.read(lambda d: held_places.kept_back(d, run["id"]))
        gates = office.read(lambda d: showing.run_view(d, run["id"]))["gates"]
        days = [g["day"] for g in gates if g["kind"] == "set-aside seats released"]
        return [(s["seats"], s["last"]) for s in back["set_asides"]], back["free"], days

    made = aside()
    assert now() == ([(3, "2027-08-25")], 1, ["2027-08-25"])
    office.act(lambda d: undo.undo(d, made["change"]))
    assert now() == ([], 4, [])
    made = aside()
    number_of = made["set_asides"][0]["id"]
    changed = aside(id=number_of, seats=1, last="2027-08-30")
    assert now() == ([(1, "2027-08-30")], 3, ["2027-08-30"])
    office.act(lambda d: undo.undo(d, changed["change"]))
    assert now() == ([(3, "2027-08-25")], 1, ["2027-08-25"])
    ended = aside(id=number_of, seats=0)
    assert now() == ([], 4, [])
    enrolled(office, run)
    office.act(lambda d: undo.undo(d, ended["change"]))
    assert now() == ([(3, "2027-08-25")], 0, ["2027-08-25"])
    again = aside(id=number_of, seats=0)
    enrolled(office, run)
    with pytest.raises(Problem, match="1 of these seats are taken by now"):
        office.act(lambda d: undo.undo(d, again["change"]))
    with pytest.raises(Problem):
        office.later(minutes=31).act(lambda d: undo.undo(d, made["change"]))
    agrees(office)


def test_seats_set_aside_are_for_the_group_by_tag_or_payer_until_the_day(office):
    run = a_run(office, capacity=3, smallest=0)
    tag = f"guild{next(number)}"
    ask = {"name": "The Guild", "seats": 2, "last": "2027-08-25", "tag": tag}
    done = office.act(lambda d: held_places.set_aside(d, run["id"], command_of(SetAsideCommand, ask)))
    assert done["free"] == 1
    view = office.read(lambda d: showing.run_view(d, run["id"]))
    assert [g["day"] for g in view["gates"] if g["kind"] == "set-aside seats released"] == ["2027-08-25"]
    enrolled(office, run)
    with pytest.raises(Problem, match="2 set aside"):
        enrolled(office, run)
    member = a_person(office)
    office.act(lambda d: people.tag_person(d, member["id"], command_of(TagsCommand, {"tags": [tag]})))
    quote = office.read(
        lambda d: quotes.quote_run(d, run["id"], command_of(QuoteCommand, {"person_id": member["id"]}))
    )
    assert (quote["set_aside"], quote["can_enroll"]) == ("The Guild", True)
    held = enrolled(office, run, member)
    assert [s["taken"] for s in office.read(lambda d: held_places.kept_back(d, run["id"]))["set_asides"]] == [
        1
    ]
    later = office.later(days=6)
    assert later.read(lambda d: held_places.kept_back(d, run["id"]))["free"] == 1
    enrolled(later, run)
    office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    assert "/seats" in refusal(
        lambda: office.act(
            lambda d: held_places.set_aside(
                d, run["id"], command_of(SetAsideCommand, {**ask, "name": "Others", "tag": None, "seats": 3})
            )
        )
    )
    agrees(office)


def test_a_seat_on_payment_is_held_and_lapses_or_is_taken_for_good(office):
    run = a_run(office, capacity=2, smallest=0)
    office.act(
        lambda d: making.change_run(
            d, run["id"], command_of(RunPatch, {"seen": {"hold_hours": None}, "set": {"hold_hours": 24}})
        )
    )
    slow, quick = a_person(office), a_person(office)
    first, second = enrolled(office, run, slow), enrolled(office, run, quick)
    assert first["held_until"] == "2027-08-21T10:00:00-04:00"
    with pytest.raises(Problem, match="All 2 seats"):
        enrolled(office, run)
    own = office.act(
        lambda d: accounts.account_for(
            d, command_of(PayerCommand, {"person_id": quick["id"], "organization_id": None})
        )
    )["id"]
    office.act(
        lambda d: accounts.take_payment(
            d, own, command_of(PaymentCommand, {"amount": "105.00", "method": "cash"})
        )
    )
    assert {r["name"]: bool(r["held_until"]) for r in roster_of(office, run)} == {
        slow["name"]: True,
        quick["name"]: False,
    }
    later = office.later(hours=25)
    assert later.act(lambda d: held_places.let_go(d, run["id"])) == 1
    assert [r["name"] for r in roster_of(later, run)] == [quick["name"]]
    assert second["held_until"] and taken(later, run) == 1
    agrees(later)


def test_a_free_seat_or_one_that_staff_say_so_is_taken_at_once(office):
    run = a_run(office, rates=[{"amount": "0.00"}])
    office.act(
        lambda d: making.change_run(
            d, run["id"], command_of(RunPatch, {"seen": {"hold_hours": None}, "set": {"hold_hours": 24}})
        )
    )
    assert enrolled(office, run)["held_until"] is None
    paid = a_run(office)
    office.act(
        lambda d: making.change_run(
            d, paid["id"], command_of(RunPatch, {"seen": {"hold_hours": None}, "set": {"hold_hours": 24}})
        )
    )
    assert enrolled(office, paid, hold=False)["held_until"] is None
    assert enrolled(office, a_run(office), hold=True)["held_until"] == "2027-08-22T10:00:00-04:00"


def test_seats_are_overbooked_as_far_as_the_run_allows(office):
    run = a_run(office, capacity=1, smallest=0)
    office.act(
        lambda d: making.change_run(
            d, run["id"], command_of(RunPatch, {"seen": {"overbook": 0}, "set": {"overbook": 1}})
        )
    )
    enrolled(office, run)
    enrolled(office, run)
    with pytest.raises(Problem, match="All 2 seats are taken"):
        enrolled(office, run)
    agrees(office)


def test_seats_beyond_the_capacity_are_not_lowered_past_what_was_promised(office):
    run = a_run(office, capacity=3, smallest=0)

    def change(**facts):
        office.act(
            lambda d: making.change_run(d, run["id"], command_of(RunPatch, {"seen": {}, "set": facts}))
        )

    change(overbook=1)
    enrolled(office, run)
    hold(office, run)
    assert "2 are held" in refusal(lambda: change(capacity=2, overbook=0))["/set/capacity"]
    change(capacity=2, overbook=1)
    assert "keep 1 beyond" in refusal(lambda: change(overbook=0))["/set/overbook"]
    change(capacity=3, overbook=0)
    agrees(office)


# --- exceptions at the desk -------------------------------------------------------------------------------


def test_after_the_close_somebody_comes_in_with_a_reason_and_never_on_a_cancelled_run(office):
    run, late = a_run(office), office.later(days=40)
    with pytest.raises(Problem, match="Sign-up has closed"):
        enrolled(late, run)
    somebody = a_person(office)
    quote = late.read(
        lambda d: quotes.quote_run(d, run["id"], command_of(QuoteCommand, {"exception": "Walked in"}))
    )
    assert quote["can_enroll"] is True and quote["late"] is True
    late.act(
        lambda d: enrollments.enroll(
            d,
            command_of(
                EnrollCommand,
                {
                    "run_id": run["id"],
                    "person_id": somebody["id"],
                    "total": "240.00",
                    "exception": "Walked in",
                },
            ),
        )
    )
    assert roster_of(late, run)[0]["exception"] == "Walked in"
    with pytest.raises(Problem, match="seats are needed"):
        late.act(
            lambda d: enrollments.enroll(
                d,
                command_of(
                    EnrollCommand,
                    {
                        "run_id": a_run(office, capacity=1, smallest=0)["id"],
                        "person_id": a_person(office)["id"],
                        "total": "480.00",
                        "exception": "x",
                        "heads": 2,
                    },
                ),
            )
        )


def test_the_day_a_form_came_in_decides_the_early_price_and_the_refund(office):
    run, late = a_run(office), office.later(days=9)
    assert late.read(lambda d: quotes.quote_run(d, run["id"], QuoteCommand()))["total"] == "240.00"
    ask = {"received_on": "2027-08-27", "exception": "Came on Friday by post"}
    assert (
        late.read(lambda d: quotes.quote_run(d, run["id"], command_of(QuoteCommand, ask)))["total"]
        == "210.00"
    )
    assert set(
        refusal(
            lambda: late.read(
                lambda d: quotes.quote_run(
                    d, run["id"], command_of(QuoteCommand, {"received_on": "2027-08-27"})
                )
            )
        )
    ) == {"/exception"}
    assert set(
        refusal(
            lambda: late.read(
                lambda d: quotes.quote_run(
                    d, run["id"], command_of(QuoteCommand, {"received_on": "2027-09-27"})
                )
            )
        )
    ) == {"/received_on"}
    somebody = a_person(office)
    held = late.act(
        lambda d: enrollments.enroll(
            d,
            command_of(
                EnrollCommand, {"run_id": run["id"], "person_id": somebody["id"], "total": "210.00", **ask}
            ),
        )
    )
    assert held["quote"]["installments"][0]["due"] == "2027-08-29"  # due as of today all the same
    row = roster_of(late, run)[0]
    assert (row["received_on"], row["signed_up"]) == ("2027-08-27", "2027-08-29")


def test_a_seat_is_waived_with_a_reason_and_extras_are_not(office):
    run = a_run(office, extras=[{"label": "Book", "amount": "30.00"}])
    ask = {"waive": "Helps in the kitchen", "extras": [{"extra_id": run["extras"][0]["id"], "count": 1}]}
    quote = office.read(lambda d: quotes.quote_run(d, run["id"], command_of(QuoteCommand, ask)))
    assert quote["total"] == "30.00" and "Helps in the kitchen" in quote["lines"][0]["why"]
    office.act(
        lambda d: enrollments.enroll(
            d,
            command_of(
                EnrollCommand,
                {"run_id": run["id"], "person_id": a_person(office)["id"], "total": "30.00", **ask},
            ),
        )
    )
    assert set(
        refusal(
            lambda: office.read(
                lambda d: quotes.quote_run(d, run["id"], command_of(QuoteCommand, {"waive": " "}))
            )
        )
    ) == {"/waive"}
    agrees(office)


def test_those_told_of_an_enrollment_are_told_and_no_others(office):
    client = office.act(
        lambda d: organizations.create_organization(
            d, command_of(OrganizationCommand, {"name": f"Told {next(number)}"})
        )
    )["id"]
    run = a_run(office)
    enrolled(office, run)
    assert letters(office, run) == []
    enrolled(office, run, told=["learner"])
    assert [subject for subject, _ in letters(office, run)] == [f"Enrolled on {run['title']}"]
    assert "105.00 on Fri 20 Aug 2027" in letters(office, run)[0][1]
    enrolled(office, run, told=["payer"], organization_id=client)  # it has no email yet
    assert len(letters(office, run)) == 1
    with pytest.raises(Refused):
        enrolled(office, run, told=["neighbors"])


# --- interest ---------------------------------------------------------------------------------------------


def ahead(office):
    """A published run whose sign-up opens on 30 August."""
    return a_run(office, sign_up_opens="2027-08-30")


def listed(office, run, person=None, **more):
    somebody = person or a_person(office)
    return office.act(
        lambda d: interest.show_interest(
            d, command_of(InterestCommand, {"run_id": run["id"], "person_id": somebody["id"], **more})
        )
    )


def test_an_interest_list_is_no_enrollment_and_all_are_told_when_sign_up_opens(office, sessions):
    run, somebody = ahead(office), a_person(office)
    done = listed(office, run, somebody)
    assert done["said"].startswith("This is not an enrollment") and taken(office, run) == 0
    listed(office, run)
    with pytest.raises(Problem, match="on this list already"):
        listed(office, run, somebody)
    assert run["id"] not in office.read(interest.due_runs)
    opened = office.later(days=10)
    assert run["id"] in opened.read(interest.due_runs)
    assert opened.act(lambda d: interest.tell(d, run["id"])) == 2
    assert opened.act(lambda d: interest.tell(d, run["id"])) == 0
    assert [subject for subject, _ in letters(office, run)] == [f"Sign-up for {run['title']} is open"] * 2
    with pytest.raises(Problem, match="no new names"):
        listed(opened, run)
    enrolled(opened, run, somebody)
    assert len(opened.read(lambda d: interest.list_view(d, run["id"], None))["people"]) == 1
    assert tell_interested(sessions) == "0 people told that sign-up opens."


def test_whoever_is_told_signs_up_waits_or_leaves_by_a_link_of_their_own(office):
    run = a_run(office, sign_up_opens="2027-08-30", capacity=1, smallest=0)
    first, second, third = (listed(office, run) for _ in range(3))
    tokens = [signing.token_for("i", row["id"], 1) for row in (first, second, third)]
    page = office.read(lambda d: invites.reply_page(d, tokens[0]))
    assert (page["stands"], page["said"]) == (False, "Sign-up has not opened yet.")
    opened = office.later(days=10)
    opened.act(lambda d: interest.tell(d, run["id"]))
    assert f"/reply/{tokens[0]}\n" in letters(office, run)[0][1]

    def answer(n, said, total=""):
        return opened.act(lambda d: invites.reply(d, tokens[n], said, total))

    assert opened.read(lambda d: invites.reply_page(d, tokens[0]))["full"] is False
    with pytest.raises(Problem, match=r"total was 1\.00"):
        answer(0, "take", "1.00")
    for odd in ("", "lots", "-1.00"):  # a link is answered by anybody: refused in a sentence, never a crash
        assert set(refusal(lambda odd=odd: answer(0, "take", odd))) == {"/total"}
    assert answer(0, "take", "240.00")["said"] == "You have signed up."
    assert roster_of(opened, run)[0]["way_in"] == "interest list"
    assert opened.read(lambda d: invites.reply_page(d, tokens[1]))["full"] is True
    assert "You are in line" in answer(1, "wait")["said"] and len(line(opened, run)) == 1
    assert answer(2, "decline")["said"] == "You are off the list."
    with pytest.raises(Problem, match="You are off the list"):
        answer(2, "take", "240.00")
    with pytest.raises(Problem, match="does not exist"):
        office.read(lambda d: invites.reply_page(d, "i1.1.forged"))
    agrees(opened)


def test_a_head_start_lets_the_list_in_before_the_others(office):
    run, somebody = ahead(office), a_person(office)
    listed(office, run, somebody)
    office.act(
        lambda d: interest.set_questions(
            d, run["id"], None, command_of(QuestionsCommand, {"head_start_hours": 48})
        )
    )
    early = office.later(days=8)
    assert early.act(lambda d: interest.tell(d, run["id"])) == 1
    assert "for others it opens on Mon 30 Aug 2027" in letters(office, run)[0][1]
    with pytest.raises(Problem, match="not open yet"):
        enrolled(early, run)
    quote = early.read(
        lambda d: quotes.quote_run(d, run["id"], command_of(QuoteCommand, {"person_id": somebody["id"]}))
    )
    assert quote["can_enroll"] is True
    enrolled(early, run, somebody)
    assert taken(early, run) == 1


def test_own_questions_are_answered_carried_over_exported_and_cleared(office):
    run = ahead(office)
    office.act(
        lambda d: interest.set_questions(
            d, run["id"], None, command_of(QuestionsCommand, {"questions": ["Which evening?"]})
        )
    )
    assert "/answers" in refusal(lambda: listed(office, run, answers={"Shoe size?": "9"}))
    done = listed(office, run, answers={"Which evening?": "Tuesday"})
    assert set(refusal(lambda: command_of(QuestionsCommand, {"questions": ["", 5]}))) == {
        "/questions/0",
        "/questions/1",
    }
    rows = office.read(lambda d: interest.lines_of(d, run["id"], None, "news"))
    assert rows[0][-2:] == ["Which evening?", "Tag"] and rows[1][-2:] == ["Tuesday", "news"]
    there = office.act(
        lambda d: making.create_run(
            d, command_of(RunCommand, {**form_of(run), "sign_up_opens": "2027-08-30"})
        )
    )
    carried = office.act(lambda d: interest.carry_over(d, run["id"], None, there["id"]))
    assert carried["people"] == 1
    assert len(office.read(lambda d: interest.list_view(d, there["id"], None))["people"]) == 1
    cleared = office.act(lambda d: interest.clear(d, there["id"], None))
    assert cleared["people"] == 1
    office.act(lambda d: undo.undo(d, cleared["change"]))
    assert len(office.read(lambda d: interest.list_view(d, there["id"], None))["people"]) == 1
    assert (
        done["id"]
        != office.read(
            lambda d: d.session.scalars(select(Interest).where(Interest.run_id == there["id"])).one()
        ).id
    )


def form_of(run):
    return {**run_form(), "course": None, "course_id": run["course"]["id"]}


def test_demand_shows_courses_that_people_wait_for_without_an_open_run(office, full):
    join(office, full, heads=2)
    somebody = a_person(office)
    course = full["course"]["id"]
    office.act(
        lambda d: interest.show_interest(
            d, command_of(InterestCommand, {"course_id": course, "person_id": somebody["id"]})
        )
    )
    found = next(c for c in office.read(interest.demand) if c["course_id"] == course)
    assert (found["interested"], found["waiting"], found["open"], found["coming"]) == (1, 2, [], [])
    leave(office, full)
    assert next(c for c in office.read(interest.demand) if c["course_id"] == course)["open"] == [full["code"]]


def test_a_list_is_sent_on_by_signed_webhook_once(office, sessions):
    run = ahead(office)
    listed(office, run)
    wrong = refusal(
        lambda: office.act(
            lambda d: hooks.add(d, command_of(WebhookCommand, {"name": "x", "address": "ftp://x"}))
        )
    )
    assert set(wrong) == {"/address"}
    made = office.act(
        lambda d: hooks.add(
            d,
            command_of(
                WebhookCommand, {"name": "Mailing", "address": f"https://lists.example.org/{next(number)}"}
            ),
        )
    )
    office.act(lambda d: interest.send_on(d, run["id"], None, made["id"], "spring"))
    Worker.with_stand_ins(sessions).drain()
    taken_rows = office.read(
        lambda d: d.session.scalars(
            select(WebhookStandIn).where(WebhookStandIn.address == made["address"])
        ).all()
    )
    assert len(taken_rows) == 1
    sent = json.loads(taken_rows[0].body)
    assert (sent["type"], sent["data"]["tag"], len(sent["data"]["people"])) == (
        "interest.listed",
        "spring",
        1,
    )
    assert taken_rows[0].signature.startswith("v1,")
    office.act(lambda d: hooks.remove(d, made["id"]))
    with pytest.raises(Problem, match="no such address"):
        office.act(lambda d: interest.send_on(d, run["id"], None, made["id"]))


def test_a_roster_is_written_to_and_those_without_email_are_named(office):
    run, mute = a_run(office), a_person(office, email=None)
    enrolled(office, run)
    enrolled(office, run, mute)
    done = office.act(lambda d: roster.tell(d, run["id"], "Bring boots", "It will rain."))
    assert (done["told"], done["without"]) == (1, [mute["name"]])
    assert set(refusal(lambda: office.act(lambda d: roster.tell(d, run["id"], " ", "")))) == {
        "/subject",
        "/body",
    }


def test_the_day_a_form_came_in_decides_who_may_have_a_rate(office):
    rates = [
        {"label": "Summer", "amount": "200.00", "offered_to": "2027-08-10"},
        {"label": "Standard", "amount": "240.00"},
    ]
    run = a_run(office, rates=rates)
    summer, person = run["rates"][0]["id"], a_person(office)
    ask = {"rate_id": summer, "received_on": "2027-08-09", "exception": "came by post"}
    quote = office.read(lambda d: quotes.quote_run(d, run["id"], command_of(QuoteCommand, ask)))
    assert quote["total"] == "200.00"
    held = office.act(
        lambda d: enrollments.enroll(
            d,
            command_of(
                EnrollCommand, {"run_id": run["id"], "person_id": person["id"], "total": "200.00", **ask}
            ),
        )
    )
    assert held["quote"]["total"] == "200.00"
    with pytest.raises(Refused, match="10 Aug 2027"):
        office.read(
            lambda d: quotes.quote_run(
                d, run["id"], command_of(QuoteCommand, {**ask, "received_on": "2027-08-11"})
            )
        )


def test_seats_kept_back_are_never_cut_in_silence_by_fewer_seats(office):
    run = a_run(office, capacity=10, smallest=0)
    enrolled(office, run)
    hold(office, run, seats=4, for_whom="Ada", last="2027-09-01")
    with pytest.raises(Refused, match="keep 5 seats"):
        office.act(lambda d: making.change_run(d, run["id"], command_of(RunPatch, {"set": {"capacity": 4}})))
    office.act(lambda d: making.change_run(d, run["id"], command_of(RunPatch, {"set": {"capacity": 5}})))


def test_a_cancelled_meeting_is_given_back_to_those_it_was_meant_for_only(office):
    run = a_run(office)
    before, after = a_person(office), a_person(office)
    enrolled(office, run, before)
    meeting = run["dates"][2]["id"]
    office.act(lambda d: moving.cancel_meeting(d, meeting, command_of(CancelMeetingCommand, {"why": "ill"})))
    later = office.later(days=1)
    enrolled(later, run, after)
    called = later.read(lambda d: calls.call_list(d, meeting))
    assert [p["name"] for p in called["people"]] == [before["name"]]
    done = later.act(lambda d: changing.credit_meeting(d, meeting, command_of(GiveBackCommand, {})))
    assert [p["name"] for p in done["people"]] == [before["name"]]


def test_the_place_said_is_the_place_given_also_behind_an_open_offer(office, full):
    join(office, full)
    leave(office, full)
    assert go(office, full).offered
    somebody = a_person(office)
    said = office.read(
        lambda d: quotes.quote_run(d, full["id"], command_of(QuoteCommand, {"person_id": somebody["id"]}))
    )
    joined = office.act(
        lambda d: waitlist.join(
            d, command_of(JoinCommand, {"run_id": full["id"], "person_id": somebody["id"]})
        )
    )
    assert said["place"] == joined["place"] == 2


def test_chances_come_from_runs_that_are_over_with_how_sure_they_are(office):
    """The interval for 95 in 100 by Wilson (1927), as scipy works it out."""
    from scipy.stats import binomtest

    for hits, tries in ((0, 10), (3, 40), (50, 50), (17, 312)):
        low, high = wilson(hits, tries)
        other = binomtest(hits, tries).proportion_ci(0.95, "wilson")
        assert float(low) == pytest.approx(other.low, abs=1e-6) and float(high) == pytest.approx(
            other.high, abs=1e-6
        )
    before = office.read(lambda d: offers.leave_rate(d)[0])
    run = a_run(office)
    for _ in range(3):
        enrolled(office, run)
    assert office.read(lambda d: offers.leave_rate(d)[0]) == before, "seats sold today say nothing yet"
    rate, (low, high), said = office.later(days=200).read(offers.leave_rate)
    assert low <= rate <= high and "on runs that are over" in said


def test_a_course_counts_as_open_only_where_somebody_new_gets_a_seat(office):
    run = a_run(office, capacity=3, smallest=0)
    course = office.read(lambda d: lookups.get_run(d, run["id"]).course_id)
    office.act(
        lambda d: interest.show_interest(
            d, command_of(InterestCommand, {"course_id": course, "person_id": a_person(office)["id"]})
        )
    )

    def open_runs():
        return next(c["open"] for c in office.read(interest.demand) if c["course_id"] == course)

    assert open_runs() == [run["code"]]
    hold(office, run, seats=3, for_whom="Ada", last="2027-09-01")
    assert open_runs() == []


def test_those_listed_for_a_course_are_told_by_its_next_run_with_a_seat(office):
    first = a_run(office, capacity=1, smallest=0)
    enrolled(office, first)
    course = office.read(lambda d: lookups.get_run(d, first["id"]).course_id)
    person = a_person(office)
    office.act(
        lambda d: interest.show_interest(
            d, command_of(InterestCommand, {"course_id": course, "person_id": person["id"]})
        )
    )
    assert first["id"] not in office.read(interest.due_runs), "it has no seat to give"
    second = a_run(office, course=None, course_id=course)
    assert second["id"] in office.read(interest.due_runs)
    assert office.act(lambda d: interest.tell(d, second["id"])) == 1
    assert second["id"] not in office.read(interest.due_runs)
    assert office.act(lambda d: interest.tell(d, second["id"])) == 0
    query = select(Message.body).where(Message.person_id == person["id"])
    body = office.read(lambda d: d.session.scalars(query).one())
    token = re.search(r"/reply/(\S+)", body)[1]
    assert office.read(lambda d: invites.reply_page(d, token))["stands"]


def test_an_offer_that_is_taken_back_keeps_the_place_and_comes_again_by_hand_only(office):
    run = a_run(office, capacity=1, smallest=0)
    held = enrolled(office, run)
    first, second = a_person(office), a_person(office)
    lined = [join(office, run, person=p) for p in (first, second)]
    office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    assert office.act(lambda d: offers.go_down(d, run["id"])).offered == [first["name"]]
    number_of = lined[0]["waiting_id"]
    with pytest.raises(Refused):
        office.act(lambda d: offers.take_back(d, number_of, " "))
    done = at_once([lambda: office.act(lambda d: offers.take_back(d, number_of, "The room is smaller"))] * 3)
    assert len([d for d in done if isinstance(d, dict)]) == 1
    assert {d.kind for d in done if isinstance(d, Problem)} == {"no-offer"}
    assert office.act(lambda d: offers.go_down(d, run["id"])).offered == [second["name"]], (
        "not to them by itself"
    )
    shown = {w["name"]: w for w in office.read(lambda d: roster.roster(d, run["id"]))["waiting"]}
    assert shown[first["name"]]["place"] == 1 and shown[first["name"]]["by_hand"]
    office.act(lambda d: offers.take_back(d, lined[1]["waiting_id"], "The room is smaller"))
    again = office.act(lambda d: offers.offer(d, number_of, "They called"))
    assert again["name"] == first["name"]
