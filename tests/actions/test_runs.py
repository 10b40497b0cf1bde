"""Making, changing and publishing runs; what their gates say in SQL and in the core."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.actions.across import finding, undo
from archgate.actions.across.commands import RunsWanted
from archgate.actions.fees import terms
from archgate.actions.fees.term_commands import TermsPatch
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.runs import making, moving, showing
from archgate.actions.runs.commands import CancelMeetingCommand, MeetingPatch, RunCommand, RunPatch
from archgate.actions.schedule import gates
from archgate.actions.schedule.commands import OneOffForm
from archgate.core.faults import Refused
from archgate.tables.courses import Run
from made import a_draft, a_run, enrolled, number, run_form, taken


def view(office, run):
    return office.read(lambda d: showing.run_view(d, run["id"]))


def faults(office, **changes):
    with pytest.raises(Refused) as refused:
        office.act(lambda d: making.create_run(d, command_of(RunCommand, run_form(**changes))))
    return {f.at: f.message for f in refused.value.faults}


def test_a_run_from_a_flyer_has_its_dates_facts_and_gates(office):
    run = a_draft(office)
    assert (run["status"], run["decision"], run["meetings"], run["hours"]) == (
        "draft",
        "undecided",
        8,
        "14.00",
    )
    assert (run["first"], run["last"], run["weeks"]) == ("2027-09-14", "2027-11-02", 8)
    assert [g["kind"] for g in run["gates"]] == ["early step ends", "sign-up closes", "starts", "ends"]
    assert run["price"]["amount"] == "210.00" and run["price"]["then"] == "240.00"
    assert run["code"].endswith("-27A")


def test_run_codes_go_on_by_letter(office):
    first = a_draft(office)
    second = a_draft(office, course=None, course_id=first["course"]["id"])
    assert second["code"] == first["code"][:-1] + "B"


def test_every_fault_of_a_form_comes_back_at_once(office):
    found = faults(
        office, course={"title": None}, capacity=0, smallest=9, pattern={"first": "x", "start": "25:00", "minutes": 0},
        rates=[{"amount": "240"}], plans=[], sign_up_opens="soon", nonsense=1,
    )  # fmt: skip
    shape = {
        "/capacity",
        "/course/title",
        "/pattern/first",
        "/pattern/start",
        "/pattern/minutes",
        "/sign_up_opens",
        "/nonsense",
    }
    assert shape <= set(found)
    found = faults(office, smallest=9, capacity=5, rates=[{"amount": "240"}], plans=[])
    assert {"/smallest", "/rates/0/amount", "/plans"} <= set(found)


@pytest.mark.parametrize(
    ("changes", "at", "words"),
    [
        ({"smallest": 20}, "/smallest", "more than the 14 seats"),
        ({"sign_up_opens": "2027-09-14"}, "/sign_up_opens", "after it closes"),
        ({"course_id": 10**9, "course": None}, "/course_id", "no such course"),
        ({"rates": [{"amount": "100.00", "early": [{"days_before": 5, "amount": "120.00"}]}]}, "/rates/0/early/0/amount", "below the fee"),
        ({"plans": [{"name": "P", "lines": [{"percent": "40", "due": {"after_sign_up": 0}}]}]}, "/plans/0/lines", "miss 60 of 100"),
        ({"changes": [{"n": 1, "minutes": 0}]}, "/changes/0/minutes", "from 1"),
        ({"place": "x" * 201}, "/place", "longer than 200"),
        ({"title": 5}, "/title", "must be a text"),
    ],
)  # fmt: skip
def test_a_fault_is_named_beside_its_field(office, changes, at, words):
    assert words in faults(office, **changes)[at]


def test_a_taken_code_is_refused_without_regard_to_case(office):
    run = a_draft(office, code=f"Mine-{next(number)}")
    assert "taken" in faults(office, code=run["code"].upper())["/code"]


def test_dates_changed_by_hand_before_saving_are_saved_so(office):
    run = a_draft(office, changes=[{"n": 2, "date": "2027-09-23"}, {"n": 8, "dropped": True}])
    assert [d["date"] for d in run["dates"]][:3] == ["2027-09-14", "2027-09-23", "2027-09-28"]
    assert run["meetings"] == 7


def test_one_meeting_is_moved_and_the_gates_move_along(office):
    run = a_draft(office)
    first = run["dates"][0]
    told = office.act(lambda d: moving.change_meetings(
        d, first["id"], command_of(MeetingPatch, {"seen": {"date": "2027-09-14"}, "set": {"date": "2027-09-16"}})))  # fmt: skip
    moved = {t["label"]: t["after"] for t in told["touches"]}
    assert moved["Sign-up closes"] == "2027-09-15"
    assert view(office, run)["gates"][0]["day"] == "2027-08-29"
    office.act(lambda d: undo.undo(d, told["change"]))
    assert view(office, run)["dates"][0]["date"] == "2027-09-14"
    assert view(office, run)["gates"][0]["day"] == "2027-08-27"


def test_a_meeting_is_added_and_taken_out_and_both_are_undone(office):
    run = a_draft(office)
    added = office.act(
        lambda d: moving.add_meeting(
            d, run["id"], command_of(OneOffForm, {"date": "2027-11-09", "start": "17:30", "minutes": 60})
        )
    )
    assert view(office, run)["meetings"] == 9
    out = office.act(
        lambda d: moving.cancel_meeting(
            d, view(office, run)["dates"][0]["id"], command_of(CancelMeetingCommand, {})
        )
    )
    assert view(office, run)["first"] == "2027-09-21"
    for change in (out, added):
        office.act(lambda d, c=change: undo.undo(d, c["change"]))
    assert [x["date"] for x in view(office, run)["dates"]] == [x["date"] for x in run["dates"]]


def test_the_last_meeting_of_a_run_stays(office):
    run = a_draft(office, pattern={"first": "2027-09-14", "start": "17:30", "minutes": 60})
    with pytest.raises(Problem, match="at least one meeting"):
        office.act(
            lambda d: moving.cancel_meeting(d, run["dates"][0]["id"], command_of(CancelMeetingCommand, {}))
        )


def test_only_a_field_that_changed_meanwhile_conflicts_and_both_values_come_back(office):
    run = a_draft(office)
    office.act(
        lambda d: making.change_run(
            d, run["id"], command_of(RunPatch, {"seen": {"place": run["place"]}, "set": {"place": "Yard"}})
        )
    )
    office.act(
        lambda d: making.change_run(
            d, run["id"], command_of(RunPatch, {"seen": {"capacity": 14}, "set": {"capacity": 20}})
        )
    )
    with pytest.raises(Problem) as problem:
        office.act(
            lambda d: making.change_run(
                d,
                run["id"],
                command_of(RunPatch, {"seen": {"place": run["place"]}, "set": {"place": "Barn"}}),
            )
        )
    assert problem.value.status == 409
    assert problem.value.extra["fields"]["place"] == {"seen": run["place"], "now": "Yard", "yours": "Barn"}
    assert view(office, run)["place"] == "Yard"


def test_capacity_never_falls_below_the_seats_taken(office):
    run = a_run(office)
    enrolled(office, run)
    enrolled(office, run)
    with pytest.raises(Refused, match="2 seats are taken"):
        office.act(
            lambda d: making.change_run(
                d, run["id"], command_of(RunPatch, {"seen": {}, "set": {"capacity": 1, "smallest": 0}})
            )
        )


def test_new_terms_leave_what_was_agreed_alone(office):
    run = a_run(office)
    held = enrolled(office, run)
    rate = {"code": "standard", "label": "Standard", "amount": "300.00", "early": []}
    office.act(
        lambda d: terms.change_terms(
            d, run["id"], command_of(TermsPatch, {"seen": {"rates": run["rates"]}, "set": {"rates": [rate]}})
        )
    )
    assert view(office, run)["price"]["amount"] == "300.00"
    assert held["quote"]["total"] == "210.00"
    assert enrolled(office, run)["quote"]["total"] == "300.00"


def test_a_plan_that_misses_the_whole_is_refused_when_changed(office):
    run = a_run(office)
    plan = {"name": "P", "lines": [{"percent": "90", "due": {"after_sign_up": 0}}]}
    with pytest.raises(Refused, match="miss 10 of 100"):
        office.act(
            lambda d: terms.change_terms(
                d, run["id"], command_of(TermsPatch, {"seen": {}, "set": {"plans": [plan]}})
            )
        )


def test_a_draft_is_published_once_and_publishing_is_undone_while_nobody_is_in(office):
    run = a_draft(office)
    told = office.act(lambda d: making.publish_run(d, run["id"]))
    with pytest.raises(Problem, match="published already"):
        office.act(lambda d: making.publish_run(d, run["id"]))
    office.act(lambda d: undo.undo(d, told["change"]))
    assert view(office, run)["status"] == "draft"
    told = office.act(lambda d: making.publish_run(d, run["id"]))
    enrolled(office, run)
    with pytest.raises(Problem, match="enrolled by now"):
        office.act(lambda d: undo.undo(d, told["change"]))


def test_what_would_stop_a_learner_stops_publishing(office):
    run = a_draft(office)
    with pytest.raises(Refused, match="already be closed"):
        office.later(days=60).act(lambda d: making.publish_run(d, run["id"]))


def test_undo_names_the_later_change_that_stands_in_its_way(office):
    run = a_draft(office)
    first = office.act(
        lambda d: making.change_run(
            d, run["id"], command_of(RunPatch, {"seen": {}, "set": {"place": "Yard"}})
        )
    )
    office.act(
        lambda d: making.change_run(
            d, run["id"], command_of(RunPatch, {"seen": {}, "set": {"place": "Barn"}})
        )
    )
    with pytest.raises(Problem, match="Changed place of"):
        office.act(lambda d: undo.undo(d, first["change"]))
    with pytest.raises(Problem, match="does not exist"):
        office.act(lambda d: undo.undo(d, "nothing"))


def test_undoing_twice_is_refused(office):
    run = a_draft(office)
    told = office.act(
        lambda d: making.change_run(
            d, run["id"], command_of(RunPatch, {"seen": {}, "set": {"place": "Yard"}})
        )
    )
    office.act(lambda d: undo.undo(d, told["change"]))
    with pytest.raises(Problem, match="undone already"):
        office.act(lambda d: undo.undo(d, told["change"]))


def test_lists_filter_in_sql_just_as_the_core_says(office):
    """For moments all over a run's life: the state that the core derives is the one under which SQL finds it."""
    word = f"Sqlgate{next(number)}"
    runs = [
        a_draft(office, title=f"{word} draft"),
        a_run(office, title=f"{word} later", sign_up_opens="2027-08-25"),
        a_run(office, title=f"{word} small", capacity=1, smallest=0),
        a_run(office, title=f"{word} plain"),
    ]
    enrolled(office, runs[2])
    for days in (-1, 4.99, 5, 12, 24, 25.5, 30, 74, 75.9, 90):
        moment = office.later(days=days)
        for run in runs:
            seen = moment.read(lambda d, r=run: showing.run_view(d, r["id"]))
            for sign_up in ("open", "full", "closed", "not yet"):
                found = moment.read(
                    lambda d, s=sign_up: finding.list_runs(d, RunsWanted(q=word, sign_up=s, limit=200))
                )
                assert (run["id"] in {r["id"] for r in found["items"]}) == (seen["sign_up"] == sign_up), (
                    days,
                    sign_up,
                )
            for teaching in ("before", "running", "ended"):
                found = moment.read(
                    lambda d, t=teaching: finding.list_runs(d, RunsWanted(q=word, teaching=t, limit=200))
                )
                assert (run["id"] in {r["id"] for r in found["items"]}) == (seen["teaching"] == teaching)


def test_stored_gates_are_those_of_the_core(office):
    run = a_draft(office, sign_up_opens="2027-07-01")

    def compare(d):
        row = d.session.get_one(Run, run["id"])
        wanted = gates.core_gates_of(row, d.zone)
        assert sorted((g.kind, g.day, g.at) for g in row.gates) == sorted(
            (g.kind, g.day, g.at) for g in wanted
        )

    office.read(compare)


def test_pages_of_a_list_follow_on_without_gap_or_repeat(office):
    word = f"Paged{next(number)}"
    made = {a_draft(office, title=f"{word} {n}")["id"] for n in range(5)}
    seen, after = [], ""
    while True:
        page = office.read(lambda d, a=after: finding.list_runs(d, RunsWanted(q=word, after=a, limit=2)))
        assert page["total"] == 5
        seen += [r["id"] for r in page["items"]]
        if page["next"] is None:
            break
        after = page["next"]
    assert len(seen) == 5 and set(seen) == made
    with pytest.raises(Problem, match="start at the first"):
        office.read(lambda d: finding.list_runs(d, RunsWanted(after="nonsense")))


@given(st.text(max_size=20))
def test_any_word_can_be_looked_for(office_for_words, word):
    assert office_for_words.read(lambda d: finding.list_runs(d, RunsWanted(q=word)))["total"] >= 0


@pytest.fixture(scope="module")
def office_for_words(sessions, users):
    from made import Office

    return Office(sessions, users["coordinator"], datetime(2027, 8, 20, tzinfo=UTC))


def test_a_price_names_the_day_through_which_it_holds(office):
    run = a_run(office)
    assert run["price"]["until"] == "2027-08-27"
    late = office.later(days=8).read(lambda d: showing.run_view(d, run["id"]))["price"]
    assert (late["amount"], late["until"]) == ("240.00", None)
    assert taken(office, run) == 0
    assert office.at + timedelta(days=8) > office.at
