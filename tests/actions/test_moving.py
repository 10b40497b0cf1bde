"""Changing dates of a saved run: what moves along is shown before, saved whole, and undone whole."""

from datetime import date

import pytest
from sqlalchemy import select

from archgate.actions.across.undo import undo
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.runs import lifecycle, moving, showing
from archgate.actions.runs.commands import CancelMeetingCommand, ExtendCommand, MeetingPatch, MoveRunCommand
from archgate.actions.schedule import places
from archgate.actions.schedule.commands import ClosureCommand
from archgate.actions.teaching import instructors
from archgate.actions.teaching.commands import InstructorCommand
from archgate.core.faults import Refused
from archgate.tables.jobs import Job
from archgate.tables.messages import Message
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment
from archgate.tables.schedule import Meeting
from made import a_draft, a_person, a_run, enrolled, number

ON_START = [{"name": "On the first day", "lines": [
    {"percent": "50", "due": {"after_sign_up": 0}}, {"percent": "50", "due": {"after_start": 0}},
]}]  # fmt: skip


def view(office, run):
    return office.read(lambda d: showing.run_view(d, run["id"]))


def days(office, run):
    return [m["date"] for m in view(office, run)["dates"]]


def change(office, run, n, body, preview=False):
    meeting = view(office, run)["dates"][n - 1]["id"]
    return office.act(
        lambda d: moving.change_meetings(d, meeting, command_of(MeetingPatch, body)), preview=preview
    )


def test_this_and_all_later_move_and_the_earlier_stay(office):
    run = a_draft(office)
    done = change(office, run, 4, {"set": {"date": "2027-10-06", "start": "18:00"}, "scope": "later"})
    assert days(office, run) == [
        "2027-09-14", "2027-09-21", "2027-09-28", "2027-10-06", "2027-10-13", "2027-10-20", "2027-10-27", "2027-11-03",
    ]  # fmt: skip
    assert len(done["dates"]) == 5 and done["dates"][0]["before"]["date"] == "2027-10-05"
    office.act(lambda d: undo(d, done["change"]))
    assert days(office, run)[3:5] == ["2027-10-05", "2027-10-12"]


def test_all_meetings_change_room_and_instructor_at_once_but_not_a_one_off(office):
    run = a_draft(office, extra=[{"date": "2027-10-10", "start": "10:00", "minutes": 60}])
    hall = f"Hall {next(number)}"
    change(office, run, 2, {"set": {"room": hall, "instructor": "N. Newcomer"}, "scope": "all"})
    rooms = {m["date"]: (m["room"], m["instructor"]) for m in view(office, run)["dates"]}
    assert rooms.pop("2027-10-10") == (run["place"], None)
    assert set(rooms.values()) == {(hall, "N. Newcomer")}


def test_a_preview_shows_everything_and_saves_nothing(office):
    run = a_run(office, plans=ON_START)
    person = a_person(office, given="Ada", family=f"Preview{next(number)}")
    enrolled(office, run, person)
    shown = office.act(
        lambda d: moving.move_run(d, run["id"], command_of(MoveRunCommand, {"weeks": 2})), preview=True
    )
    assert [t["label"] for t in shown["touches"]] == [
        "Early price ends", "Sign-up closes", "First meeting", "Last meeting",
    ]  # fmt: skip
    assert shown["told"] == 1 and len(shown["dates"]) == 8
    assert shown["installments"]["number"] == 1
    assert shown["installments"]["examples"][0] | {"name": ""} == {
        "name": "", "amount": "105.00", "before": "2027-09-14", "after": "2027-09-28",
    }  # fmt: skip
    assert days(office, run)[0] == "2027-09-14"
    assert not office.read(
        lambda d: d.session.scalars(select(Message).where(Message.run_id == run["id"])).all()
    )


def test_moving_a_run_moves_due_dates_that_count_from_the_start_and_undo_takes_all_back(office):
    run = a_run(office, plans=ON_START)
    enrolled(office, run)

    def due(d):
        return [str(i.due) for i in d.session.scalars(
            select(Installment).where(Installment.enrollment_id.in_(
                select(Enrollment.id).where(Enrollment.run_id == run["id"]))))]  # fmt: skip

    done = office.act(
        lambda d: moving.move_run(d, run["id"], command_of(MoveRunCommand, {"first": "2027-09-16"}))
    )
    assert office.read(due) == ["2027-08-20", "2027-09-16"]
    assert view(office, run)["patterns"][0]["weekdays"] == ["TH"]
    office.act(lambda d: undo(d, done["change"]))
    assert office.read(due) == ["2027-08-20", "2027-09-14"]
    assert days(office, run)[0] == "2027-09-14"


def test_what_was_due_already_stays(office):
    run = a_run(office, plans=ON_START)
    enrolled(office, run)
    late = office.later(days=26)  # 15 September: the first day is past
    done = late.act(lambda d: moving.move_run(d, run["id"], command_of(MoveRunCommand, {"weeks": 1})))
    assert done["installments"]["number"] == 0


def test_a_message_waits_and_is_dropped_by_an_undo_or_corrected_after(office):
    run = a_run(office)
    enrolled(office, run)

    def states(d):
        return [
            (m.subject, m.job.status)
            for m in d.session.scalars(
                select(Message).where(Message.run_id == run["id"]).order_by(Message.id)
            )
        ]

    done = office.act(lambda d: moving.move_run(d, run["id"], command_of(MoveRunCommand, {"days": 1})))
    assert [s for _, s in office.read(states)] == ["queued"]
    office.act(lambda d: undo(d, done["change"]))
    assert [s for _, s in office.read(states)] == ["dropped"]
    done = office.act(lambda d: moving.move_run(d, run["id"], command_of(MoveRunCommand, {"days": 1})))

    def sent(d):
        for job in d.session.scalars(select(Job).where(Job.change_key == done["change"])):
            job.status = "done"

    office.act(sent)
    office.act(lambda d: undo(d, done["change"]))
    assert office.read(states)[-1] == (f"Correction: {run['title']}: new dates", "queued")


@pytest.mark.parametrize(
    ("body", "said"),
    [
        ({}, "needs one of"),
        ({"days": 1, "weeks": 1}, "only one of"),
        ({"days": 0}, "stands there already"),
        ({"first": "2027-09-14"}, "stands there already"),
        ({"days": 99999}, "from -3660 to 3660"),
        ({"first": "9999-12-31"}, "at most 3660 days"),
    ],
)
def test_a_move_that_makes_no_sense_is_refused(office, body, said):
    run = a_draft(office)
    with pytest.raises(Refused, match=said):
        office.act(lambda d: moving.move_run(d, run["id"], command_of(MoveRunCommand, body)))


def test_a_run_is_extended_by_its_pattern_leaving_closed_days_out(office):
    run = a_draft(office)
    office.act(
        lambda d: places.add_closure(
            d, command_of(ClosureCommand, {"from": "2027-11-09", "label": "Roof works"})
        )
    )
    done = office.act(lambda d: moving.extend_run(d, run["id"], command_of(ExtendCommand, {"meetings": 2})))
    assert days(office, run)[-2:] == ["2027-11-16", "2027-11-23"]
    assert view(office, run)["patterns"][0]["count"] == 10
    office.act(lambda d: undo(d, done["change"]))
    assert len(days(office, run)) == 8
    office.act(lambda d: places.set_closure(d, date(2027, 11, 9), False))


def test_a_cancelled_meeting_is_kept_with_its_reason_and_may_be_held_instead(office):
    run = a_run(office)
    meeting = run["dates"][1]["id"]
    done = office.act(lambda d: moving.cancel_meeting(
        d, meeting, command_of(CancelMeetingCommand, {"why": "ill", "replacement": {"date": "2027-11-09", "start": "17:30"}})))  # fmt: skip
    seen = view(office, run)
    assert [m["date"] for m in seen["cancelled"]] == ["2027-09-21"] and seen["cancelled"][0]["why"] == "ill"
    assert (len(seen["dates"]), seen["dates"][-1]["date"], seen["dates"][-1]["minutes"]) == (
        8,
        "2027-11-09",
        105,
    )
    assert done["call_list"] is None
    with pytest.raises(Problem, match="was cancelled"):
        office.act(lambda d: moving.cancel_meeting(d, meeting, command_of(CancelMeetingCommand, {})))
    office.act(lambda d: undo(d, done["change"]))
    assert view(office, run)["cancelled"] == [] and len(days(office, run)) == 8


def test_cancelled_on_its_own_morning_it_leads_to_the_call_list(office):
    run = a_run(office)
    morning = office.later(days=25)  # 14 September, 10 in the morning
    done = morning.act(
        lambda d: moving.cancel_meeting(
            d, run["dates"][0]["id"], command_of(CancelMeetingCommand, {"why": "ill"})
        )
    )
    assert done["call_list"] == run["dates"][0]["id"]


def test_a_sequence_rises_with_every_change_also_with_an_undo(office):
    run = a_run(office)
    meeting = run["dates"][0]["id"]

    def sequence(d):
        return d.session.get_one(Meeting, meeting).sequence

    seen = [office.read(sequence)]
    done = change(office, run, 1, {"set": {"start": "18:00"}})
    seen.append(office.read(sequence))
    office.act(lambda d: undo(d, done["change"]))
    seen.append(office.read(sequence))
    assert seen == sorted(set(seen))


def test_free_times_are_suggested_for_the_instructor_and_the_room(office):
    teacher, room = f"T. Free{next(number)}", f"Room {next(number)}"
    run = a_run(office, instructor=teacher, place=room)
    a_draft(office, instructor=teacher, pattern={
        "first": "2027-11-09", "start": "18:00", "minutes": 60, "weekdays": ["TU"], "count": 1})  # fmt: skip
    office.act(
        lambda d: places.add_closure(
            d, command_of(ClosureCommand, {"from": "2027-11-16", "label": "Roof works"})
        )
    )
    found = office.read(lambda d: moving.suggest(d, run["dates"][0]["id"]))
    assert found[0]["date"] == "2027-11-23"  # the 9th is taken, the 16th closed
    assert {"date": "2027-09-15", "start": "17:30", "why": "the next free day at this hour"} in found
    office.act(lambda d: places.set_closure(d, date(2027, 11, 16), False))


def test_only_a_field_that_somebody_else_changed_conflicts(office):
    run = a_draft(office)
    seen = {"date": "2027-09-14", "start": "17:30", "room": run["place"]}
    change(office, run, 1, {"seen": seen, "set": {"start": "18:00"}})
    change(office, run, 1, {"seen": seen, "set": {"date": "2027-09-15"}})
    with pytest.raises(Problem) as problem:
        change(office, run, 1, {"seen": seen, "set": {"start": "19:00"}})
    assert problem.value.extra["fields"]["start"] == {"seen": "17:30", "now": "18:00", "yours": "19:00"}


# --- what was held stands, and who is told what -----------------------------------------------------------


def letters(office, done):
    """The letters that a change wrote: who, about what, and what it says."""
    query = select(Message).join(Job).where(Job.change_key == done["change"]).order_by(Message.id)
    return office.read(lambda d: [(m.to_name, m.subject, m.body) for m in d.session.scalars(query)])


def test_meetings_that_were_held_stand_when_all_or_the_whole_run_move(office):
    run = a_run(office)
    enrolled(office, run)
    begun = office.later(days=40)  # 29 September: three of eight evenings were held
    done = change(begun, run, 2, {"set": {"start": "18:30"}, "scope": "all"})
    assert {t["label"]: t["after"] for t in done["touches"]}["Meetings held already"] == "3 stay as they are"
    assert [m["start"][11:16] for m in view(begun, run)["dates"]] == ["17:30"] * 3 + ["18:30"] * 5
    moved = begun.act(lambda d: moving.move_run(d, run["id"], command_of(MoveRunCommand, {"weeks": 1})))
    assert days(begun, run)[:4] == ["2027-09-14", "2027-09-21", "2027-09-28", "2027-10-12"]
    assert {t["label"]: t["after"] for t in moved["touches"]}["Meetings held already"] == "3 stay as they are"
    begun.act(lambda d: moving.move_run(d, run["id"], command_of(MoveRunCommand, {"first": "2027-10-05"})))
    assert days(begun, run)[2:5] == ["2027-09-28", "2027-10-05", "2027-10-12"]
    over = office.later(days=200)
    with pytest.raises(Refused, match="held already"):
        over.act(lambda d: moving.move_run(d, run["id"], command_of(MoveRunCommand, {"weeks": 1})))
    with pytest.raises(Refused, match="held already"):
        change(over, run, 2, {"set": {"start": "19:00"}, "scope": "later"})
    change(over, run, 2, {"set": {"minutes": 90}})  # what is changed by itself is a correction


def test_people_on_a_run_off_sale_are_told_like_any_others(office):
    run = a_run(office, place="Online test")
    person = a_person(office)
    enrolled(office, run, person)
    office.act(lambda d: lifecycle.set_sale(d, run["id"], False))
    done = office.act(lambda d: moving.move_run(d, run["id"], command_of(MoveRunCommand, {"weeks": 1})))
    assert done["told"] == 1 and [name for name, _, _ in letters(office, done)] == [person["name"]]
    on_the_day = office.later(days=32)  # 21 September, now the first evening
    first = view(on_the_day, run)["dates"][0]["id"]
    fallen = on_the_day.act(
        lambda d: moving.cancel_meeting(d, first, command_of(CancelMeetingCommand, {"why": "ill"}))
    )
    assert fallen["call_list"] == first


def test_a_letter_says_what_changed_to_whom_it_concerns_and_none_goes_for_nothing(office):
    n = next(number)
    old, new = (
        office.act(lambda d, w=w: instructors.save(d, None, command_of(InstructorCommand, {"name": f"{w} Teacher{n}", "email": f"{w}{n}@example.org"})))["name"]
        for w in ("Old", "New")
    )  # fmt: skip
    run = a_run(office, instructor=old)
    person = a_person(office)
    enrolled(office, run, person)
    done = change(office, run, 2, {"set": {"instructor": new}})
    told = {name: body for name, _, body in letters(office, done)}
    assert done["told"] == 0 and set(told) == {old, new}
    assert "is no longer yours" in told[old] and "is yours" in told[new]
    undone = office.act(lambda d: undo(d, done["change"]))
    assert undone["summary"].endswith("2 letters were dropped before going out.")
    place = f"Hall {next(number)}"
    done = change(office, run, 2, {"set": {"room": place}})
    told = {name: (subject, body) for name, subject, body in letters(office, done)}
    assert (
        told[person["name"]][0].endswith(": another place") and f"17:30, {place}" in told[person["name"]][1]
    )
    assert told[old][0].endswith(": your dates")
    longer = change(office, run, 2, {"set": {"minutes": 120}})
    assert "now 120 minutes long" in next(
        b for name, _, b in letters(office, longer) if name == person["name"]
    )


def test_a_time_that_the_clocks_skip_is_kept_as_it_was_meant(office):
    """14 March 2027, 2:30 does not exist in New York (tz database): held at 3:30, and 2:30 again on any other day."""
    early = office.later(days=-200)
    pattern = {"first": "2027-03-14", "start": "02:30", "minutes": 60, "count": 2}
    run = a_draft(early, pattern=pattern)
    assert [m["start"][11:16] for m in run["dates"]] == ["03:30", "02:30"]
    change(early, run, 1, {"set": {"date": "2027-03-15"}})
    assert view(early, run)["dates"][0]["start"][11:16] == "02:30"
