"""Copies to new dates and the season table."""

from datetime import date

import pytest

from archgate.actions.across.undo import undo
from archgate.actions.enrolling import held_places, interest
from archgate.actions.enrolling.commands import QuestionsCommand
from archgate.actions.fees import course_defaults
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.runs import copying, making, moving, notices, showing
from archgate.actions.runs import season as seasons
from archgate.actions.runs.commands import CopyCommand, MeetingPatch, RunPatch, SeasonCommand
from archgate.actions.schedule import places
from archgate.actions.schedule.commands import ClosureCommand
from archgate.actions.seats.commands import HoldCommand, SetAsideCommand
from archgate.core.faults import Refused
from made import a_draft, a_run, enrolled, number


def copied(office, run, preview=False, **how):
    body = how or {"runs": [{"id": run["id"], "first": "2028-01-10"}]}
    return office.act(lambda d: copying.copy_runs(d, command_of(CopyCommand, body)), preview=preview)


def test_a_copy_moves_dates_gates_prices_and_plans_by_the_same_shift(office):
    run = a_run(
        office,
        windows=[{"opens": {"on": "2027-07-01"}, "closes": {"days_before": 3}}],
        decision_rule={"days_before": 10},
        rates=[{"amount": "240.00", "early": [{"until": "2027-08-31", "amount": "210.00"}]}],
        plans=[{"name": "Fixed", "lines": [{"percent": "100", "due": {"on": "2027-09-01"}}]}],
    )
    enrolled(office, run)
    done = copied(office, run)["runs"][0]
    assert done["shift"] == 119 and done["after"][0].startswith("2028-01-11")  # the Tuesday on or after
    assert done["left_behind"] == ["the roster, 1 seats"]
    new = office.read(lambda d: showing.run_view(d, done["run_id"]))
    assert (new["status"], new["taken"], new["sign_up_opens"]) == ("draft", 0, "2027-10-28")
    assert {g["label"]: g["day"] for g in new["gates"]} == {
        "Sign-up opens": "2027-10-28", "Early price ends": "2027-12-28", "Decision day": "2028-01-01",
        "Sign-up closes": "2028-01-08", "First meeting": "2028-01-11", "Last meeting": "2028-02-29",
    }  # fmt: skip
    assert new["plans"][0]["lines"][0]["due"] == {"on": "2027-12-29"}


def test_a_copy_goes_around_closed_days_as_its_pattern_says(office):
    pattern = {"first": "2027-09-14", "start": "17:30", "minutes": 105, "count": 3}
    runs = [a_draft(office, pattern={**pattern, "on_closure": how}) for how in ("extend", "skip")]
    office.act(
        lambda d: places.add_closure(d, command_of(ClosureCommand, {"from": "2028-01-18", "label": "Works"}))
    )
    made = [copied(office, run)["runs"][0] for run in runs]
    assert [len(m["after"]) for m in made] == [3, 2]
    assert made[0]["after"][-1].startswith("2028-02-01") and "2028" in made[1]["dropped"][0]
    office.act(lambda d: places.set_closure(d, date(2028, 1, 18), False))


def test_a_run_changed_by_hand_is_copied_meeting_by_meeting(office):
    run = a_draft(office)
    meeting = run["dates"][1]["id"]
    office.act(
        lambda d: moving.change_meetings(
            d, meeting, command_of(MeetingPatch, {"set": {"date": "2027-09-23", "start": "10:00"}})
        )
    )
    after = copied(office, run)["runs"][0]["after"]
    assert after[1].startswith("2028-01-20T10:00") and after[2].startswith("2028-01-25T17:30")


def test_a_season_is_copied_at_once_and_undone_at_once(office):
    word = next(number)
    runs = [
        a_draft(office, pattern={"first": f"2047-0{m}-05", "start": "10:00", "minutes": 60, "count": 2})
        for m in (3, 4)
    ]
    body = {"since": "2047-03-01", "until": "2047-04-30", "weeks": 52}  # years of this test alone
    seen = copied(office, None, preview=True, **body)
    assert {r["from_id"] for r in seen["runs"]} == {r["id"] for r in runs}
    done = copied(office, None, **body)
    ids = [r["run_id"] for r in done["runs"]]
    assert [r["after"][0][:10] for r in done["runs"]] == ["2048-03-03", "2048-04-03"], word
    office.act(lambda d: undo(d, done["change"]))
    for run_id in ids:
        with pytest.raises(Problem):
            office.read(lambda d, r=run_id: showing.run_view(d, r))


def test_copies_that_somebody_worked_on_are_not_taken_back(office):
    run = a_draft(office)
    done = copied(office, run)
    office.act(lambda d: making.publish_run(d, done["runs"][0]["run_id"]))
    with pytest.raises(Problem, match="is published"):
        office.act(lambda d: undo(d, done["change"]))


@pytest.mark.parametrize(
    "body",
    [{}, {"weeks": 2}, {"runs": [{"id": 1}]}, {"since": "2040-01-01", "until": "2040-02-01", "weeks": 1}],
)
def test_a_copy_of_nothing_is_refused(office, body):
    with pytest.raises(Refused):
        copied(office, None, **(body or {"weeks": None}))


# --- the season table -------------------------------------------------------------------------------------


@pytest.fixture
def course(office):
    run = a_draft(office)
    office.act(lambda d: course_defaults.keep_defaults(d, run["id"], ["capacity", "rates", "plans", "place"]))
    return office.read(lambda d: showing.run_view(d, run["id"]))["course"]


def row(of, **more):
    return {
        "course": of["code"],
        "first": "14 Sep 2028",
        "weekdays": "Thu",
        "number": "4",
        "start": "5:30 pm",
        "minutes": "1:45",
        **more,
    }


def table(office, rows, save=False):
    return office.act(
        lambda d: seasons.plan_season(d, command_of(SeasonCommand, {"rows": rows}), save), preview=not save
    )


def test_rows_become_drafts_with_what_the_course_brings(office, course):
    rows = [
        row(course, seats="9", rate="300", room=f"Barn {next(number)}", instructor="S. Season"),
        {},
        row(course, first="9/19/2028", weekdays=""),
    ]
    told = table(office, rows)
    assert (told["runs"], told["faults"]) == (2, 0) and told["rows"][1]["empty"]
    assert [d[:16] for d in told["rows"][2]["dates"]] == [
        f"2028-{d}T17:30" for d in ("09-19", "09-26", "10-03", "10-10")
    ]
    assert len(told["rows"][0]["new"]) == 2
    done = table(office, rows, save=True)
    first = office.read(lambda d: showing.run_view(d, done["made"][0]["id"]))
    assert (first["capacity"], first["rates"][0]["amount"], first["instructor"]) == (9, "300.00", "S. Season")
    second = office.read(lambda d: showing.run_view(d, done["made"][1]["id"]))
    assert (second["capacity"], second["place"]) == (14, course["defaults"]["place"])
    office.act(lambda d: undo(d, done["change"]))


def test_rows_clash_with_each_other_and_with_what_is_planned(office, course):
    room = f"Table room {next(number)}"
    told = table(office, [row(course, room=room), row(course, room=room, start="18:00")])
    assert told["rows"][0]["clashes"] == told["rows"][1]["clashes"] != []
    assert "row 1" in told["rows"][0]["clashes"][0] and "row 2" in told["rows"][0]["clashes"][0]


def test_every_fault_stands_at_its_cell_and_nothing_is_saved(office, course):
    rows = [
        row(course, first="soon", seats="many"),
        row(course, course="Nothing such"),
        row(course, start="25:00", minutes="", weekdays="Foo"),
    ]
    told = table(office, rows)
    assert {f["at"] for r in told["rows"] for f in r["faults"]} == {
        "/rows/0/first", "/rows/0/seats", "/rows/1/course", "/rows/2/start", "/rows/2/minutes", "/rows/2/weekdays",
    }  # fmt: skip
    with pytest.raises(Refused):
        table(office, rows, save=True)


def test_cohorts_and_open_runs_stand_in_the_table_too(office, course):
    rows = [
        row(course, kind="cohort", ends="26 Oct 2028"),
        {"course": course["title"], "kind": "open", "number": "90"},
    ]
    done = table(office, rows, save=True)
    kinds = [office.read(lambda d, r=m: showing.run_view(d, r["id"])) for m in done["made"]]
    assert [(k["kind"], k["ends_on"], k["access_days"]) for k in kinds] == [
        ("cohort", "2028-10-26", None),
        ("open", None, 90),
    ]


def test_a_copy_takes_along_how_the_line_goes_who_is_told_and_the_seats_set_aside(office):
    run = a_run(office)
    facts = {
        "overbook": 2,
        "line_rule": "strict",
        "auto_offer": False,
        "offer_hours": 12,
        "hold_hours": 48,
        "told": ["office"],
    }
    office.act(lambda d: making.change_run(d, run["id"], command_of(RunPatch, {"set": facts})))
    office.act(lambda d: notices.set_notice(d, run["id"], "Bring shoes."))
    office.act(
        lambda d: interest.set_questions(
            d,
            run["id"],
            None,
            command_of(QuestionsCommand, {"questions": ["Which level?"], "head_start_hours": 24}),
        )
    )
    aside = {"name": "Guild", "seats": 2, "last": "2027-09-01", "tag": "guild"}
    office.act(lambda d: held_places.set_aside(d, run["id"], command_of(SetAsideCommand, aside)))
    office.act(
        lambda d: held_places.hold(
            d, run["id"], command_of(HoldCommand, {"seats": 1, "for_whom": "Ada", "last": "2027-09-01"})
        )
    )
    done = copied(office, run)["runs"][0]
    new = office.read(lambda d: showing.run_view(d, done["run_id"]))
    assert {k: new[k] for k in facts} == facts
    assert new["questions"] == ["Which level?"] and new["notice"]["text"] == "Bring shoes."
    kept = office.read(lambda d: held_places.kept_back(d, new["id"]))
    assert [(a["name"], a["seats"], a["last"], a["tag"]) for a in kept["set_asides"]] == [
        ("Guild", 2, "2027-12-29", "guild")
    ]
    assert any(g["label"].startswith("2 seats of Guild") for g in new["gates"])
    assert done["left_behind"] == ["1 held place"]
