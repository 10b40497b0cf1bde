"""What becomes of a seat that comes free, and of a line as a whole; sign-ups after the close; opening now."""

from datetime import timedelta

import pytest
from sqlalchemy import select

from actions.test_offers import agrees, letters, refusal
from actions.test_waitlist import join, line
from archgate.actions.across import undo
from archgate.actions.enrolling import freed, held_places, interest, offers, on_many, transfers, whole_line
from archgate.actions.enrolling.commands import (
    CarryLineCommand,
    ClearLineCommand,
    InterestCommand,
    TransferCommand,
    WithdrawCommand,
)
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.runs import lifecycle, making, moving, showing
from archgate.actions.runs.commands import MoveRunCommand, RunPatch
from archgate.actions.seats.commands import HoldCommand, SetAsideCommand
from archgate.tables.jobs import Job
from archgate.tables.messages import Message
from archgate.tables.schedule import Gate
from made import TODAY, a_person, a_run, at_once, enrolled, taken


@pytest.fixture
def full(office):
    run = a_run(office, capacity=2, smallest=0)
    run["held"] = [enrolled(office, run), enrolled(office, run)]
    return run


def withdraw(office, full, seat=None, n=0):
    command = command_of(WithdrawCommand, {"seat": seat})
    return office.act(lambda d: freed.withdraw(d, full["held"][n]["enrollment_id"], command))


def undone(office, key):
    return office.act(lambda d: undo.undo(d, key))


def test_the_act_that_frees_a_seat_names_who_could_have_it_and_offers_it_at_once_to_the_next(office, full):
    first, second = join(office, full), join(office.later(hours=1), full)
    could = office.read(lambda d: freed.withdrawal(d, full["held"][0]["enrollment_id"]))["could"]
    assert [(c["name"], c["next"]) for c in could] == [(first["name"], True), (second["name"], False)]
    gone = withdraw(office, full, {"to": "next"})
    assert gone["seat"] == f"{first['name']} has an offer."
    assert [w["status"] for w in line(office, full)] == ["offered", "waiting"]
    agrees(office)


def test_whoever_had_an_offer_taken_back_is_no_next_in_line(office, full):
    first = join(office, full)
    gone = withdraw(office, full, {"to": "next"})
    assert gone["seat"] == f"{first['name']} has an offer."
    office.act(lambda d: offers.take_back(d, first["waiting_id"], "The room is smaller"))
    said = office.read(lambda d: freed.withdrawal(d, full["held"][1]["enrollment_id"]))
    assert "by hand only" in said["line"] and first["name"] not in said["line"]
    assert [(c["name"], c["next"]) for c in said["could"]] == [(first["name"], False)]


def test_where_offers_are_made_by_hand_the_next_in_line_gets_one_when_that_is_said(office, full):
    by_hand = command_of(RunPatch, {"set": {"auto_offer": False}})
    office.act(lambda d: making.change_run(d, full["id"], by_hand))
    first = join(office, full)
    withdraw(office, full)
    assert line(office, full)[0]["status"] == "waiting"
    again = {**full, "held": full["held"][1:]}
    assert withdraw(office, again, {"to": "next"})["seat"] == f"{first['name']} has an offer."


def test_out_of_turn_needs_a_reason_and_somebody_of_this_line(office, full):
    _, second = join(office, full), join(office.later(hours=1), full)
    chosen = {"to": "chosen", "waiting_id": second["waiting_id"]}
    with pytest.raises(Problem, match="Out of turn, say why"):
        withdraw(office, full, chosen)
    assert "/seat/waiting_id" in refusal(
        lambda: withdraw(office, full, {"to": "chosen", "waiting_id": 10**9})
    )
    assert taken(office, full) == 2
    withdraw(office, full, {**chosen, "why": "They came twice for nothing"})
    assert [w["status"] for w in line(office, full)] == ["waiting", "offered"]


def test_a_seat_that_is_kept_goes_to_nobody_of_the_line_until_its_day(office, full):
    join(office, full)
    kept = {"to": "keep", "last": str(TODAY + timedelta(days=2)), "why": "the Guild"}
    assert "/seat/last" in refusal(lambda: withdraw(office, full, {"to": "keep"}))
    assert "/seat/last" in refusal(
        lambda: withdraw(office, full, {**kept, "last": str(TODAY - timedelta(days=1))})
    )
    assert "stays held" in withdraw(office, full, kept)["seat"]
    holds = office.read(lambda d: held_places.kept_back(d, full["id"]))["holds"]
    assert [(h["for_whom"], h["seats"]) for h in holds] == [("the Guild", 1)]
    assert line(office, full)[0]["status"] == "waiting"
    agrees(office)


@pytest.mark.parametrize("to", ["next", "keep"])
def test_an_undo_of_the_withdrawal_takes_its_seat_back_from_the_offer_or_the_keeping(office, full, to):
    first = join(office, full)
    gone = withdraw(office, full, {"to": to, "last": str(TODAY)})
    undone(office, gone["change"])
    assert taken(office, full) == 2
    assert [w["status"] for w in line(office, full)] == ["waiting"]
    assert office.read(lambda d: held_places.kept_back(d, full["id"]))["holds"] == []
    query = (
        select(Job.status)
        .join(Message)
        .where(Message.run_id == full["id"], Message.person_id == first["person_id"])
    )
    assert set(office.read(lambda d: [str(s) for s in d.session.scalars(query)])) <= {"dropped"}
    agrees(office)


def test_two_withdrawals_at_once_make_two_offers_and_no_more(office, full):
    for _ in range(3):
        join(office, full)
    at_once([lambda n=n: withdraw(office, full, {"to": "next"}, n) for n in (0, 1)])
    assert [w["status"] for w in line(office, full)].count("offered") == 2
    assert taken(office, full) == 0
    agrees(office)


def test_who_moves_away_leaves_a_seat_that_is_asked_about_too(office, full):
    there, first = a_run(office), join(office, full)
    body = command_of(TransferCommand, {"run_id": there["id"], "seat": {"to": "next"}})
    moved = office.act(lambda d: transfers.transfer(d, full["held"][0]["enrollment_id"], body))
    assert line(office, full)[0]["status"] == "offered"
    undone(office, moved["change"])
    assert (taken(office, full), taken(office, there)) == (2, 0)
    assert [w["name"] for w in line(office, full)] == [first["name"]]


# --- the line as a whole ---------------------------------------------------------------------------------


def test_a_line_is_cleared_told_or_not_and_comes_back_by_undo(office, full):
    names = {join(office.later(hours=n), full)["name"] for n in range(2)}
    told = command_of(ClearLineCommand, {"tell": True, "why": "The room is gone."})
    done = office.act(lambda d: whole_line.clear(d, full["id"], told))
    assert (done["people"], done["told"], line(office, full)) == (2, 2, [])
    assert all("The room is gone." in body for _, body in letters(office, full)[-2:])
    undone(office, done["change"])
    assert {w["name"] for w in line(office, full)} == names
    quiet = office.act(
        lambda d: whole_line.clear(d, full["id"], command_of(ClearLineCommand, {"tell": False}))
    )
    assert quiet["told"] == 0
    with pytest.raises(Problem, match="Nobody waits"):
        office.act(lambda d: whole_line.clear(d, full["id"], told))


def test_a_line_is_carried_over_with_its_order_and_who_is_there_already_stays(office, full):
    first, second, third = (join(office.later(hours=n), full) for n in range(3))
    there = a_run(office, course_id=full["course"]["id"], course=None, capacity=1, smallest=0)
    enrolled(office, there, {"id": second["person_id"]})
    assert there["id"] in [r["id"] for r in office.read(lambda d: whole_line.next_runs(d, full["id"]))]
    body = command_of(CarryLineCommand, {"to_run_id": there["id"], "tell": True})
    done = office.act(lambda d: whole_line.carry_over(d, full["id"], body))
    assert (done["people"], done["stayed"], done["told"]) == (2, [second["name"]], 2)
    moved = line(office, there)
    assert [w["name"] for w in moved] == [first["name"], third["name"]]
    assert moved[0]["joined"] == "2027-08-20T10:00:00-04:00"
    assert [w["name"] for w in line(office, full)] == [second["name"]]
    assert there["code"] in letters(office, there)[-1][1]
    undone(office, done["change"])
    assert line(office, there) == []
    assert [w["name"] for w in line(office, full)] == [first["name"], second["name"], third["name"]]
    agrees(office)


def test_a_line_is_carried_to_a_run_of_the_same_course_only_and_an_offer_stays_here(office, full):
    row, other = join(office, full), a_run(office)
    for n in (other["id"], full["id"]):
        body = command_of(CarryLineCommand, {"to_run_id": n, "tell": False})
        assert "/to_run_id" in refusal(
            lambda body=body: office.act(lambda d: whole_line.carry_over(d, full["id"], body))
        )
    withdraw(office, full, {"to": "next"})
    assert line(office, full)[0]["id"] == row["waiting_id"]
    with pytest.raises(Problem, match="without an offer"):
        office.act(lambda d: whole_line.clear(d, full["id"], command_of(ClearLineCommand, {"tell": False})))


def test_a_line_carried_twice_at_once_stands_once_in_the_other(office, full):
    join(office, full)
    there = a_run(office, course_id=full["course"]["id"], course=None, capacity=1, smallest=0)
    body = command_of(CarryLineCommand, {"to_run_id": there["id"], "tell": False})
    came = at_once([lambda: office.act(lambda d: whole_line.carry_over(d, full["id"], body))] * 2)
    assert sum(isinstance(x, Problem) for x in came) == 1
    assert len(line(office, there)) == 1


def test_a_line_is_a_file_with_seats_rate_and_tag(office, full):
    row = join(office, full)
    head, one = office.read(lambda d: whole_line.lines_of(d, full["id"], "autumn"))
    assert head[0] == "Place" and head[-1] == "Tag"
    assert one[0] == "1" and one[-1] == "autumn" and f"{one[1]} {one[2]}" == row["name"]


# --- after the close, off sale, and opening now -----------------------------------------------------------


def test_people_move_to_a_run_off_sale_or_closed_with_a_reason_only(office, full):
    there = a_run(office)
    office.act(lambda d: lifecycle.set_sale(d, there["id"], False))
    number = full["held"][0]["enrollment_id"]
    with pytest.raises(Problem, match="off sale"):
        office.act(lambda d: transfers.transfer(d, number, TransferCommand(run_id=there["id"])))
    why = TransferCommand(run_id=there["id"], exception="Promised on the phone")
    moved = office.act(lambda d: transfers.transfer(d, number, why))
    assert taken(office, there) == 1
    late = office.later(days=25)  # the first meeting is over
    other = a_run(office)
    with pytest.raises(Problem, match="closed"):
        late.act(lambda d: on_many.move(d, full["id"], [full["held"][1]["enrollment_id"]], other["id"]))
    late.act(
        lambda d: on_many.move(
            d, full["id"], [full["held"][1]["enrollment_id"]], other["id"], "Ill last week"
        )
    )
    assert (taken(office, full), taken(office, other), moved["to"]) == (0, 1, there["code"])


def test_the_desk_enrolls_on_a_run_off_sale_with_a_reason(office):
    run = a_run(office)
    office.act(lambda d: lifecycle.set_sale(d, run["id"], False))
    with pytest.raises(Problem, match="off sale"):
        enrolled(office, run)
    enrolled(office, run, exception="The director's guest")
    assert taken(office, run) == 1


def test_opening_now_says_beforehand_who_hears_of_it(office):
    opens = str(TODAY + timedelta(days=10))
    run = a_run(office, sign_up_opens=opens)
    for how in ({"run_id": run["id"]}, {"course_id": run["course"]["id"]}):
        body = command_of(InterestCommand, {**how, "person_id": a_person(office)["id"]})
        office.act(lambda d, body=body: interest.show_interest(d, body))
    patch = command_of(
        RunPatch, {"seen": {"windows": run["windows"]}, "set": {"windows": [{"opens": {"on": str(TODAY)}}]}}
    )
    found = office.act(lambda d: making.change_run(d, run["id"], patch), preview=True)
    told = [t["after"] for t in found["touches"] if t["label"] == "Told that sign-up opens"]
    assert told == ["2 people on the interest lists, within a minute or two"]
    office.act(lambda d: making.change_run(d, run["id"], patch))
    assert office.act(lambda d: interest.tell(d, run["id"])) == 2
    assert office.read(lambda d: showing.run_view(d, run["id"]))["sign_up"] == "open"


def test_seats_set_aside_by_days_before_the_start_follow_it(office):
    run = a_run(office)
    body = command_of(SetAsideCommand, {"name": "The Guild", "seats": 3, "days_before": 14})
    office.act(lambda d: held_places.set_aside(d, run["id"], body))

    def gate():
        query = select(Gate.rule, Gate.day).where(
            Gate.run_id == run["id"], Gate.kind == "set-aside seats released"
        )
        return office.read(lambda d: [(r, str(day)) for r, day in d.session.execute(query)])

    assert gate() == [("14 days before start", "2027-08-31")]
    moved = office.act(lambda d: moving.move_run(d, run["id"], command_of(MoveRunCommand, {"weeks": 1})))
    assert gate() == [("14 days before start", "2027-09-07")]
    undone(office, moved["change"])
    assert gate() == [("14 days before start", "2027-08-31")]
    both = {"name": "G", "seats": 1, "days_before": 3, "last": str(TODAY)}
    for wrong in (both, {"name": "G", "seats": 1}):
        assert "/last" in refusal(
            lambda wrong=wrong: office.act(
                lambda d: held_places.set_aside(d, run["id"], command_of(SetAsideCommand, wrong))
            )
        )


def test_a_decision_is_weighed_with_held_seats_apart(office):
    run = a_run(office, smallest=3)
    enrolled(office, run)
    enrolled(office, run, hold=True)
    office.act(
        lambda d: held_places.hold(
            d, run["id"], command_of(HoldCommand, {"seats": 2, "for_whom": "A firm", "last": str(TODAY)})
        )
    )
    found = office.read(lambda d: lifecycle.figures(d, d.session.get_one(lifecycle.Run, run["id"])))
    assert (found["firm"], found["unpaid"], found["held"], found["kept"]) == (0, 1, 1, 2)
