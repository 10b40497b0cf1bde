"""The six kinds of clashes, live, in one place, accepted with a reason."""

from datetime import UTC, date, datetime, timedelta
from functools import partial

import pytest
from sqlalchemy import delete

from archgate.actions.across import checks, undo
from archgate.actions.enrolling import enrollments, freed
from archgate.actions.enrolling.commands import WithdrawCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.runs import making, moving, season, showing
from archgate.actions.runs.commands import DatesCommand, MeetingPatch, MoveRunCommand, RunPatch
from archgate.actions.schedule import clashes, kept_clashes, places
from archgate.actions.schedule.commands import (
    AcceptClashCommand,
    BusyCommand,
    ClosureCommand,
    PlaceCommand,
)
from archgate.actions.teaching import instructors
from archgate.actions.teaching.commands import InstructorCommand
from archgate.core.faults import Refused
from archgate.tables.schedule import KeptClash
from conftest import LONG
from made import a_draft, a_person, a_run, at_once, enrolled, number


def found(office, run):
    return [(c["kind"], c["date"]) for c in office.read(lambda d: showing.run_view(d, run["id"]))["clashes"]]


def once(day, start="17:30", minutes=60):
    return {"first": day, "start": start, "minutes": minutes, "count": 1}


@pytest.fixture
def names():
    n = next(number)
    return {"place": f"Room {n}", "instructor": f"Teacher {n}"}


def test_an_instructor_and_a_room_at_two_meetings_at_once(office, names):
    a_draft(office, pattern=once("2027-10-04"), **names)
    second = a_draft(office, pattern=once("2027-10-04", "18:00"), **names)
    assert found(office, second) == [("instructor", "2027-10-04"), ("room", "2027-10-04")]
    touching = a_draft(office, pattern=once("2027-10-04", "16:30"), **names)
    assert found(office, touching) == []


def test_what_is_online_holds_any_number_at_once(office):
    place = office.act(
        lambda d: places.save_place(
            d, None, command_of(PlaceCommand, {"name": f"Net {next(number)}", "kind": "online"})
        )
    )
    runs = [a_draft(office, pattern=once("2027-10-05"), place=place["name"]) for _ in range(2)]
    assert found(office, runs[1]) == []


def test_a_room_too_small_for_the_seats_is_one_clash_for_the_whole_run(office, names):
    office.act(
        lambda d: places.save_place(d, None, command_of(PlaceCommand, {"name": names["place"], "seats": 10}))
    )
    run = a_draft(office, **names)
    assert found(office, run) == [("too small", "2027-09-14")]
    office.act(
        lambda d: making.change_run(d, run["id"], command_of(RunPatch, {"seen": {}, "set": {"capacity": 10}}))
    )
    assert found(office, run) == []


def test_a_closure_an_absence_and_hours(office, names):
    run = a_draft(office, pattern=once("2027-10-06"), **names)
    day = {"from": "2027-10-06"}
    office.act(lambda d: places.add_closure(d, command_of(ClosureCommand, {**day, "label": "Works"})))
    teacher = next(i for i in office.read(instructors.list_instructors) if i["name"] == names["instructor"])
    away = office.act(lambda d: places.add_busy(d, "instructor", teacher["id"], command_of(BusyCommand, day)))
    assert found(office, run) == [("closure", "2027-10-06"), ("not available", "2027-10-06")]
    office.act(lambda d: places.remove_busy(d, away["id"]))
    hours = [{"weekday": "WE", "from": "18:00", "to": "21:00"}]
    office.act(lambda d: instructors.save(d, teacher["id"], command_of(InstructorCommand, {"hours": hours})))
    assert found(office, run) == [("closure", "2027-10-06"), ("not available", "2027-10-06")]
    office.act(lambda d: instructors.save(d, teacher["id"], command_of(InstructorCommand, {"hours": []})))
    office.act(lambda d: places.set_closure(d, date(2027, 10, 6), False))
    assert found(office, run) == []


def test_a_room_closed_for_a_week(office, names):
    run = a_draft(office, pattern=once("2027-10-07"), **names)
    room = next(p for p in office.read(places.list_places) if p["name"] == names["place"])
    office.act(
        lambda d: places.add_busy(
            d, "place", room["id"], command_of(BusyCommand, {"from": "2027-10-04", "through": "2027-10-10"})
        )
    )
    assert found(office, run) == [("not available", "2027-10-07")]


def test_a_learner_in_two_places_at_once(office):
    runs = [a_run(office, pattern=once("2027-10-08"), place="") for _ in range(2)]
    person = a_person(office)
    for run in runs:
        enrolled(office, run, person)
    assert found(office, runs[0]) == [("learner", "2027-10-08")]
    every = office.read(lambda d: kept_clashes.of_center(d, most=None))
    mine = [c for c in every if c["kind"] == "learner" and person["name"] in c["text"]]
    assert len(mine) == 1 and "1 learner would be at" in mine[0]["text"]


def test_a_move_says_which_clashes_it_makes_and_heals(office, names):
    a_draft(office, pattern=once("2027-10-11"), **names)
    a_draft(office, pattern=once("2027-10-12"), **names)
    run = a_draft(office, pattern=once("2027-10-11"), **names)
    done = office.act(
        lambda d: moving.move_run(d, run["id"], command_of(MoveRunCommand, {"days": 1})), preview=True
    )
    assert {c["date"] for c in done["made"]} == {"2027-10-12"} and len(done["made"]) == 2
    assert {c["date"] for c in done["healed"]} == {"2027-10-11"} and len(done["healed"]) == 2


def test_dates_being_typed_clash_with_what_is_planned(office, names):
    a_draft(office, pattern=once("2027-10-13"), **names)
    form = {"patterns": [once("2027-10-13", "17:45")], "place": names["place"].upper(), "capacity": 9}
    told = office.act(lambda d: season.plan_dates(d, command_of(DatesCommand, form)), preview=True)
    assert [(c["kind"], c["n"]) for c in told["clashes"]] == [("room", 1)]
    assert "this run" in told["clashes"][0]["text"]


def test_an_accepted_clash_comes_up_again_when_a_time_of_it_changes(office, names):
    a_draft(office, pattern=once("2027-10-14"), place=names["place"])
    run = a_draft(office, pattern=once("2027-10-14"), place=names["place"])
    view = office.read(lambda d: showing.run_view(d, run["id"]))
    clash = view["clashes"][0]
    with pytest.raises(Refused):
        office.act(
            lambda d: kept_clashes.accept(
                d, command_of(AcceptClashCommand, {"key": clash["key"], "reason": "  "})
            )
        )
    office.act(
        lambda d: kept_clashes.accept(
            d, command_of(AcceptClashCommand, {"key": clash["key"], "reason": "Both fit into the hall."})
        )
    )
    view = office.read(lambda d: showing.run_view(d, run["id"]))
    assert view["clashes"][0]["accepted"] == "Both fit into the hall."
    assert not [f for f in view["readiness"] if f["at"] == "/clashes"]
    meeting = view["dates"][0]["id"]
    office.act(
        lambda d: moving.change_meetings(d, meeting, command_of(MeetingPatch, {"set": {"start": "17:45"}}))
    )
    assert office.read(lambda d: showing.run_view(d, run["id"]))["clashes"][0]["accepted"] is None
    with pytest.raises(Problem, match="does not exist"):
        office.act(
            lambda d: kept_clashes.accept(
                d, command_of(AcceptClashCommand, {"key": "room:1:2", "reason": "x"})
            )
        )


def test_cancelled_runs_and_past_meetings_clash_with_nothing(office, names):
    a_draft(office, pattern=once("2027-10-15"), **names)
    second = a_draft(office, pattern=once("2027-10-15"), **names)
    after = office.later(days=60)
    assert found(office, second) and found(after, second) == []


def test_one_typed_date_is_checked_by_an_index(office, sessions):
    """The query behind a single date reads by instructor and place, not the whole table."""
    from sqlalchemy import text

    with sessions() as session:
        plan = session.execute(text(
            "EXPLAIN SELECT id FROM meetings WHERE starts_at > '2027-01-01' AND starts_at < '2027-01-09' AND ends_at > '2027-01-08'"
            " AND id IN (SELECT meeting_id FROM meeting_teachers WHERE instructor_id = 1)")).mappings().all()  # fmt: skip
    assert {row["table"] for row in plan} == {"meetings", "meeting_teachers"}
    assert all(row["key"] and row["type"] != "ALL" for row in plan), plan
    assert timedelta(minutes=7 * 24 * 60) <= clashes.LONGEST


def test_only_runs_that_meet_at_one_time_are_looked_through_for_learners():
    def row(n, run, start, end):
        day = datetime(2027, 9, 1, tzinfo=UTC)
        return clashes.Row(n, run, day + timedelta(hours=start), day + timedelta(hours=end), day.date(), None)

    rows = [
        row(1, 1, 9, 11),
        row(2, 2, 10, 12),
        row(3, 3, 12, 13),
        row(4, 3, 12, 14),
        row(5, 4, 20, 21),
        row(6, 5, 8, 9),
    ]
    assert clashes.meeting_together(rows) == {1, 2}  # touching, or with itself, is not together
    assert clashes.meeting_together([]) == set()


# --- what is kept -----------------------------------------------------------------------------------------


def kept_is_real(office):
    return office.read(kept_clashes.faults) == []


def mine(office, *runs):
    """The kept clashes of these runs, without asking the run's page."""
    ids = {r["id"] for r in runs}
    return sorted(
        (str(c.kind), len(c.people))
        for c in office.read(lambda d: kept_clashes.kept(d, most=None))
        if ids & {c.a.run_id, c.b.run_id if c.b else 0}
    )


def test_a_learner_who_leaves_or_is_taken_back_clashes_with_nothing(office):
    first, second = (a_run(office, pattern=once("2027-11-02"), place="") for _ in range(2))
    people = [a_person(office) for _ in range(2)]
    done = [enrolled(office, run, person) for run in (first, second) for person in people]
    assert mine(office, first, second) == [("learner", 2)]
    office.act(
        lambda d: freed.withdraw(d, done[0]["enrollment_id"], command_of(WithdrawCommand, {"why": "Ill"}))
    )
    assert mine(office, first, second) == [("learner", 1)]
    office.act(lambda d: undo.undo(d, done[3]["change"]))
    assert mine(office, first, second) == [] and kept_is_real(office)


def test_a_head_of_a_party_who_is_named_is_in_two_places_too(office):
    first, second = (a_run(office, pattern=once("2027-11-03"), place="") for _ in range(2))
    guest, other = a_person(office), a_person(office)
    enrolled(office, first, guest)
    party = enrolled(office, second, a_person(office), heads=2, total="420.00")

    def name(person):
        office.act(lambda d: enrollments.name_place(d, party["enrollment_id"], 2, person["id"]))

    name(guest)
    assert mine(office, first, second) == [("learner", 1)]
    name(other)
    assert mine(office, first, second) == [] and kept_is_real(office)


def test_what_is_cancelled_moved_or_undone_is_brought_up_to_date(office, names):
    first = a_draft(office, pattern=once("2027-11-04"), **names)
    second = a_draft(office, pattern=once("2027-11-04"), **names)
    both = [("instructor", 0), ("room", 0)]
    assert mine(office, first, second) == both
    moved = office.act(lambda d: moving.move_run(d, second["id"], command_of(MoveRunCommand, {"days": 1})))
    assert mine(office, first, second) == []
    office.act(lambda d: undo.undo(d, moved["change"]))
    assert mine(office, first, second) == both
    room = next(p for p in office.read(places.list_places) if p["name"] == names["place"])
    office.act(lambda d: places.save_place(d, room["id"], command_of(PlaceCommand, {"kind": "online"})))
    assert mine(office, first, second) == [("instructor", 0)] and kept_is_real(office)


@pytest.mark.parametrize("turn", range(8 if LONG else 2))
def test_two_who_put_two_runs_into_one_room_at_once_both_see_it(office, names, turn):
    runs = [a_draft(office, pattern=once("2027-11-08")) for _ in range(4)]
    office.act(lambda d: places.save_place(d, None, command_of(PlaceCommand, {"name": names["place"]})))
    put = command_of(RunPatch, {"set": {"place": names["place"]}})
    saves = [partial(office.act, lambda d, r=r: making.change_run(d, r["id"], put)) for r in runs]
    assert [type(o) for o in at_once(saves) if isinstance(o, Exception)] == []
    assert kept_is_real(office)


@pytest.mark.parametrize("turn", range(8 if LONG else 2))
def test_two_who_bring_one_person_onto_two_runs_at_once_both_see_it(office, turn):
    runs = [a_run(office, pattern=once("2027-11-09"), place="") for _ in range(3)]
    person = a_person(office)
    outcomes = at_once([partial(enrolled, office, run, person) for run in runs])
    assert [o for o in outcomes if isinstance(o, Exception)] == []
    assert mine(office, *runs) == [("learner", 1)] * 3 and kept_is_real(office)


def test_what_is_lost_is_found_by_the_check_and_healed(office, names):
    first = a_draft(office, pattern=once("2027-11-10"), **names)
    second = a_draft(office, pattern=once("2027-11-10"), **names)
    before = office.read(kept_clashes.faults)
    theirs = delete(KeptClash).where(KeptClash.run_id.in_([first["id"], second["id"]]))
    office.act(lambda d: d.session.execute(theirs) and None)
    lost = [f for f in office.read(kept_clashes.faults) if f not in before]
    assert len(lost) == 2 and all("is not kept" in f for f in lost)
    assert checks.heal(office.sessions) >= 2
    assert mine(office, first, second) == [("instructor", 0), ("room", 0)] and kept_is_real(office)
