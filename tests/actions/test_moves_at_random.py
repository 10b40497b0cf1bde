"""Random changes of a run's dates, each undone or kept: what is derived always follows from the meetings."""

from collections import Counter
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from hypothesis import given, settings
from hypothesis import strategies as st

from archgate.actions.across.undo import undo
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.runs import moving, showing
from archgate.actions.runs.commands import CancelMeetingCommand, ExtendCommand, MeetingPatch, MoveRunCommand
from archgate.actions.schedule import gates, schedule
from archgate.core.faults import Refused
from archgate.core.schedule import Extra, built
from archgate.tables.courses import Run
from conftest import LONG
from made import Office, a_run, enrolled

acts = st.lists(
    st.one_of(
        st.tuples(st.just("move"), st.integers(-20, 40)),
        st.tuples(
            st.just("shift"), st.integers(0, 7), st.sampled_from(["this", "later", "all"]), st.integers(-3, 6)
        ),
        st.tuples(st.just("extend"), st.integers(1, 3)),
        st.tuples(st.just("cancel"), st.integers(0, 7), st.booleans()),
        st.tuples(st.just("undo"), st.integers(0, 5)),
    ),
    max_size=8,
)


def do(uow, run_id, act):
    run = uow.session.get_one(Run, run_id)
    held = schedule.ordered(run)
    if act[0] == "move":
        return moving.move_run(uow, run_id, command_of(MoveRunCommand, {"days": act[1]}))
    if act[0] == "extend":
        return moving.extend_run(uow, run_id, command_of(ExtendCommand, {"meetings": act[1]}))
    meeting = held[act[1] % len(held)]
    if act[0] == "shift":
        day = meeting.date + timedelta(days=act[3])
        return moving.change_meetings(
            uow, meeting.id, command_of(MeetingPatch, {"set": {"date": day.isoformat()}, "scope": act[2]})
        )
    instead = {"date": (held[-1].date + timedelta(days=1)).isoformat()} if act[2] else None
    return moving.cancel_meeting(
        uow, meeting.id, command_of(CancelMeetingCommand, {"why": "x", "replacement": instead})
    )


def dates(uow, run_id):
    run = uow.session.get_one(Run, run_id)
    return sorted((str(m.date), m.id) for m in run.meetings)


def check(uow, run_id):
    run = uow.session.get_one(Run, run_id)
    zone = ZoneInfo(run.time_zone)
    for m in run.all_meetings:
        planned = built(Extra(m.date, m.start, m.minutes), zone)
        assert (m.starts_at, m.ends_at) == (planned.start, planned.end)
    wanted = sorted((g.kind, g.day, g.at, g.n) for g in gates.core_gates_of(run, uow.zone))
    assert sorted((g.kind, g.day, g.at, g.n) for g in run.gates) == wanted
    assert run.meetings


def test_gates_and_moments_follow_the_meetings_whatever_is_done_and_undone(sessions, users):
    office = Office(sessions, users["coordinator"], datetime(2027, 8, 20, 14, tzinfo=UTC))
    succeeded = Counter()

    @given(acts)
    @settings(max_examples=200 if LONG else 8)
    def walk(plan):
        run = a_run(office)
        enrolled(office, run)
        undoable = []
        for act in plan:
            before = office.read(lambda d: dates(d, run["id"]))
            try:
                if act[0] == "undo":
                    if not undoable:
                        continue
                    key, was = undoable.pop()
                    office.act(lambda d, k=key: undo(d, k))
                    assert office.read(lambda d: dates(d, run["id"])) == was
                else:
                    done = office.act(lambda d, a=act: do(d, run["id"], a))
                    undoable.append((done["change"], before))
                succeeded[act[0]] += 1
            except (Problem, Refused):
                assert office.read(lambda d: dates(d, run["id"])) == before
            office.read(lambda d: check(d, run["id"]))
        assert office.read(lambda d: showing.run_view(d, run["id"]))["taken"] == 1

    walk()
    assert set(succeeded) == {"move", "shift", "extend", "cancel", "undo"}, (
        "a walk that does nothing says nothing"
    )
