"""Kinds of runs, windows, decisions, and the ends of a run."""

import pytest

from archgate.actions.across import checks, finding
from archgate.actions.across.commands import RunsWanted
from archgate.actions.across.undo import undo
from archgate.actions.enrolling import calls, enrollments, waitlist
from archgate.actions.enrolling.commands import CallCommand, EnrollCommand, JoinCommand
from archgate.actions.fees import quotes
from archgate.actions.fees.commands import QuoteCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.money import money
from archgate.actions.people import organizations
from archgate.actions.people.commands import OrganizationCommand
from archgate.actions.runs import lifecycle, making, moving, showing
from archgate.actions.runs.commands import (
    CancelMeetingCommand,
    DecideCommand,
    ExtendCommand,
    MeetingPatch,
    MoveRunCommand,
    RunPatch,
)
from archgate.core.faults import Refused
from made import a_draft, a_person, a_run, agrees, enrolled, number, taken

COHORT = {
    "kind": "cohort",
    "starts_on": "2027-09-14",
    "ends_on": "2027-10-25",
    "week_names": ["Walls", "Roofs"],
    "access_days": 30,
}
OPEN = {
    "kind": "open",
    "access_days": 90,
    "pattern": None,
    "rates": [{"amount": "75.00"}],
    "plans": [{"name": "Now", "lines": [{"percent": "100", "due": {"after_sign_up": 0}}]}],
}


def view(office, run):
    return office.read(lambda d: showing.run_view(d, run["id"]))


def test_a_cohort_has_its_days_its_named_weeks_and_an_end_of_access(office):
    run = a_run(office, **{**COHORT, "ends_on": "2027-11-02"})
    assert [(w["name"], w["from"], w["to"], w["meetings"]) for w in run["named_weeks"]][:3] == [
        ("Walls", "2027-09-14", "2027-09-20", 1), ("Roofs", "2027-09-21", "2027-09-27", 1), ("Week 3", "2027-09-28", "2027-10-04", 1),
    ]  # fmt: skip
    assert {g["label"]: g["day"] for g in run["gates"]}["Access ends"] == "2027-12-02"
    with pytest.raises(Refused, match="ends on Fri 1 Oct 2027, before its meeting on Tue 2 Nov 2027"):
        a_draft(office, **{**COHORT, "ends_on": "2027-10-01"})
    last = run["dates"][-1]["id"]
    with pytest.raises(Refused, match="before its meeting on Wed 3 Nov 2027"):
        office.act(
            lambda d: moving.change_meetings(
                d, last, command_of(MeetingPatch, {"set": {"date": "2027-11-03"}})
            )
        )
    with pytest.raises(Refused, match="The cohort ends on Mon 1 Nov 2027"):
        office.act(
            lambda d: moving.extend_run(d, run["id"], command_of(ExtendCommand, {"ends_on": "2027-11-01"}))
        )


def test_access_to_a_cohort_may_end_with_its_last_day(office):
    run = a_draft(office, **{**COHORT, "ends_on": "2027-11-02", "access_days": 0})
    assert {g["label"]: g["day"] for g in run["gates"]}["Access ends"] == "2027-11-02"
    with pytest.raises(Refused, match="number of days of access"):
        a_draft(office, **{**OPEN, "access_days": 0})


def test_gates_after_the_end_decide_nothing_and_are_refused(office):
    late = [{"opens": None, "closes": {"on": "2027-11-03"}}]
    with pytest.raises(Refused, match="after the run ends on Tue 2 Nov 2027"):
        a_draft(office, windows=late)
    with pytest.raises(Refused, match="The decision day, Wed 3 Nov 2027, is after"):
        a_draft(office, decision_rule={"on": "2027-11-03"})
    run = a_run(office)
    for change in ({"windows": late}, {"decision_rule": {"on": "2027-11-03"}}):
        with pytest.raises(Refused, match="after the run ends"):
            office.act(lambda d, c=change: making.change_run(d, run["id"], command_of(RunPatch, {"set": c})))
    with pytest.raises(Refused, match="after the run ends"):
        office.act(
            lambda d: lifecycle.decide(
                d, run["id"], command_of(DecideCommand, {"decision": "waits", "until": "2027-12-01"})
            )
        )


def test_a_cohort_may_have_no_meeting_and_is_extended_by_its_last_day(office):
    run = a_run(office, **{**COHORT, "pattern": None})
    assert (run["meetings"], run["first"], run["last"]) == (0, "2027-09-14", "2027-10-25")
    office.act(
        lambda d: moving.extend_run(d, run["id"], command_of(ExtendCommand, {"ends_on": "2027-11-01"}))
    )
    assert view(office, run)["ends_on"] == "2027-11-01"
    moved = office.act(
        lambda d: moving.move_run(d, run["id"], command_of(MoveRunCommand, {"first": "2027-09-21"}))
    )
    assert {t["label"] for t in moved["touches"]} >= {"Starts", "Ends", "Access ends", "Sign-up closes"}


def test_an_open_run_takes_people_at_any_time(office):
    run = a_run(office, **OPEN)
    assert (run["sign_up"], run["gates"], run["first"]) == ("open", [], None)
    enrolled(office.later(days=400), run)
    assert run["id"] in {
        r["id"]
        for r in office.read(lambda d: finding.list_runs(d, RunsWanted(q=run["code"], sign_up="open")))[
            "items"
        ]
    }


@pytest.mark.parametrize(
    ("form", "at"),
    [
        ({**COHORT, "ends_on": None}, "/ends_on"),
        ({**COHORT, "ends_on": "2027-09-13"}, "/ends_on"),
        ({"starts_on": "2027-09-14"}, "/starts_on"),
        ({**OPEN, "access_days": None}, "/access_days"),
        ({**OPEN, "pattern": {"first": "2027-09-14", "start": "10:00", "minutes": 60}}, "/kind"),
        ({**OPEN, "rates": [{"amount": "75.00", "early": [{"days_before": 3, "amount": "70.00"}]}]}, "/kind"),
        ({**OPEN, "plans": [{"name": "x", "lines": [{"percent": "100", "due": {"after_start": 0}}]}]}, "/plans"),
        ({"kind": "weekly"}, "/kind"),
        ({"windows": [{"opens": {"on": "2027-09-14"}}]}, "/windows/0/opens"),
        ({"windows": [{"opens": {"on": "2027-07-01", "days_before": 3}}]}, "/windows/0/opens/days_before"),
        ({"decision_rule": {"days_before": -1}}, "/decision_rule/days_before"),
        ({"client_id": 10**9}, "/client_id"),
    ],
)  # fmt: skip
def test_what_a_kind_of_run_cannot_have_is_named(office, form, at):
    with pytest.raises(Refused) as refused:
        a_draft(office, **form)
    assert at in {f.at for f in refused.value.faults}


def test_lists_filter_several_windows_in_sql_just_as_the_core_says(office):
    word = f"Windows{next(number)}"
    run = a_run(office, title=word, windows=[
        {"opens": {"on": "2027-08-22"}, "closes": {"on": "2027-08-24"}}, {"opens": {"days_before": 10}, "closes": None}])  # fmt: skip
    for days in (0, 2, 3, 4.9, 5, 10, 15, 20, 24, 26):
        moment = office.later(days=days)
        state = moment.read(lambda d: showing.run_view(d, run["id"]))["sign_up"]
        for sign_up in ("open", "closed", "not yet", "full"):
            found = moment.read(lambda d, s=sign_up: finding.list_runs(d, RunsWanted(q=word, sign_up=s)))[
                "items"
            ]
            assert bool(found) is (state == sign_up), (days, sign_up, state)


def test_gates_change_with_what_they_touch_shown_and_undone(office):
    run = a_run(office)
    body = {
        "seen": {"windows": [], "decision_rule": None},
        "set": {"windows": [{"closes": {"days_before": 5}}], "decision_rule": {"on": "2027-09-01"}},
    }
    done = office.act(lambda d: making.change_run(d, run["id"], command_of(RunPatch, body)))
    assert {(t["label"], t["before"], t["after"]) for t in done["touches"]} == {
        ("Sign-up closes", "2027-09-13", "2027-09-09"), ("Decision day", None, "2027-09-01"),
    }  # fmt: skip
    office.act(lambda d: undo(d, done["change"]))
    assert view(office, run)["decision_day"] is None


def test_going_ahead_tells_everybody_and_waiting_moves_the_decision_day(office):
    run = a_run(office, decision_rule={"days_before": 10})
    enrolled(office, run)
    done = office.act(
        lambda d: lifecycle.decide(
            d, run["id"], command_of(DecideCommand, {"decision": "waits", "until": "2027-09-10"})
        )
    )
    assert done["told"] == 0 and view(office, run)["decision_day"] == "2027-09-10"
    done = office.act(
        lambda d: lifecycle.decide(
            d, run["id"], command_of(DecideCommand, {"decision": "going ahead", "seen": "waits"})
        )
    )
    assert done["told"] == 1 and view(office, run)["decision"] == "going ahead"
    with pytest.raises(Problem, match="Somebody else said"):
        office.act(
            lambda d: lifecycle.decide(
                d, run["id"], command_of(DecideCommand, {"decision": "undecided", "seen": "waits"})
            )
        )
    office.act(lambda d: undo(d, done["change"]))
    assert view(office, run)["decision_until"] == "2027-09-10"


def test_the_figures_of_a_decision_count_firm_unpaid_and_unnamed_apart(office):
    run = a_run(office, rates=[{"amount": "240.00"}, {"label": "Staff", "amount": "0.00"}])
    enrolled(office, run, heads=1)
    quote = office.read(
        lambda d: quotes.quote_run(
            d, run["id"], command_of(QuoteCommand, {"rate_id": run["rates"][1]["id"], "heads": 3})
        )
    )
    someone = a_person(office)
    office.act(
        lambda d: enrollments.enroll(
            d,
            command_of(
                EnrollCommand,
                {
                    "run_id": run["id"],
                    "person_id": someone["id"],
                    "total": quote["total"],
                    "rate_id": run["rates"][1]["id"],
                    "heads": 3,
                },
            ),
        )
    )
    told = office.read(lambda d: lifecycle.figures(d, lifecycle.get_run(d, run["id"])))
    assert (told["taken"], told["firm"], told["unpaid"], told["unnamed"]) == (4, 3, 1, 2)
    assert (told["income"], told["hours_saved"], told["people"]) == ("240.00", "14.00", 2)


def test_a_run_is_withdrawn_from_sale_and_put_back_without_touching_anybody(office):
    run = a_run(office)
    enrolled(office, run)
    office.act(lambda d: lifecycle.set_sale(d, run["id"], False))
    assert (view(office, run)["sign_up"], taken(office, run)) == ("closed", 1)
    with pytest.raises(Problem):
        enrolled(office, run)
    office.act(lambda d: lifecycle.set_sale(d, run["id"], True))
    assert view(office, run)["sign_up"] == "open"


def test_a_cancelled_run_gives_back_seats_and_charges_dissolves_its_line_and_is_undone_whole(office):
    run = a_run(office, capacity=2, smallest=0)
    held = [enrolled(office, run) for _ in range(2)]
    waits = a_person(office)
    office.act(
        lambda d: waitlist.join(d, command_of(JoinCommand, {"run_id": run["id"], "person_id": waits["id"]}))
    )
    seen = office.act(lambda d: lifecycle.cancel_run(d, run["id"], "Too few."), preview=True)
    assert (seen["told"], seen["enrolled"]) == (3, 2)
    assert {t["label"]: t["after"] for t in seen["touches"]}["Charges taken back"] == "420.00"
    assert view(office, run)["status"] == "published"
    done = office.act(lambda d: lifecycle.cancel_run(d, run["id"], "Too few."))
    after = view(office, run)
    assert (after["status"], after["taken"], after["waiting"], len(after["cancelled"])) == (
        "cancelled",
        0,
        0,
        8,
    )

    def owed(d):
        accounts = [d.session.get_one(lifecycle.Enrollment, h["enrollment_id"]).payer_id for h in held]
        return sum(money.balances(d, accounts).values())

    assert office.read(owed) == 0
    agrees(office)
    assert checks.heal_gates(office.sessions) == 0
    assert [g["at"] for g in view(office, run)["gates"]] == [
        g["at"] for g in run["gates"]
    ]  # when it would have been
    office.act(lambda d: undo(d, done["change"]))
    agrees(office)
    back = view(office, run)
    assert (back["status"], back["taken"], back["waiting"], len(back["dates"]), back["decision"]) == (
        "published",
        2,
        1,
        8,
        "undecided",
    )
    assert office.read(owed) == 42000 and office.read(money.ledger_faults) == []


def test_a_run_is_archived_only_when_it_is_over_and_leaves_the_lists(office):
    run = a_run(office)
    with pytest.raises(Problem, match="Only a run that is over"):
        office.act(lambda d: lifecycle.archive(d, run["id"]))
    after = office.later(days=100)
    after.act(lambda d: lifecycle.archive(d, run["id"]))
    assert not after.read(lambda d: finding.list_runs(d, RunsWanted(q=run["code"])))["items"]
    assert after.read(lambda d: finding.list_runs(d, RunsWanted(q=run["code"], teaching="all")))["items"]
    assert after.read(lambda d: finding.list_runs(d, RunsWanted(q=run["code"], status="archived")))["items"]
    after.act(lambda d: lifecycle.bring_back(d, run["id"]))
    assert view(after, run)["status"] == "published"


def test_a_contract_run_is_billed_to_its_client_and_keeps_its_contract(office):
    client = office.act(
        lambda d: organizations.create_organization(
            d, command_of(OrganizationCommand, {"name": f"Client {next(number)}"})
        )
    )
    run = a_run(office, client_id=client["id"])
    held = enrolled(office, run)

    def payer(d):
        row = d.session.get_one(lifecycle.Enrollment, held["enrollment_id"])
        return d.session.get_one(money.Account, row.payer_id).owner

    assert office.read(payer) == f"organization:{client['id']}"
    made = office.act(lambda d: lifecycle.attach(d, run["id"], "contract.pdf", b"%PDF-1.7 made up"))
    assert view(office, run)["files"][0]["name"] == "contract.pdf"
    assert office.read(lambda d: lifecycle.file_of(d, made["id"]))[2] == b"%PDF-1.7 made up"
    with pytest.raises(Problem, match="kept as PDF"):
        office.act(lambda d: lifecycle.attach(d, run["id"], "contract.pdf", b"MZ program"))


def test_the_call_list_keeps_what_came_of_each_call(office):
    run = a_run(office, instructor="C. Caller")
    people_on = [a_person(office, phone="555-0101"), a_person(office, email=None, phone="555-0102")]
    for person in people_on:
        enrolled(office, run, person)
    meeting = run["dates"][0]["id"]
    office.act(lambda d: moving.cancel_meeting(d, meeting, command_of(CancelMeetingCommand, {"why": "ill"})))
    rows = {p["name"]: p for p in office.read(lambda d: calls.call_list(d, meeting))["people"]}
    assert rows[people_on[0]["name"]]["message"] == "waits" and rows[people_on[1]["name"]]["message"] is None
    told = office.act(lambda d: calls.note_call(d, meeting, people_on[1]["id"], "reached", "comes next week"))
    assert (
        next(p for p in told["people"] if p["person_id"] == people_on[1]["id"])["note"] == "comes next week"
    )
    assert office.act(lambda d: calls.set_paid(d, meeting, False))["instructor_paid"] is False
    with pytest.raises(Refused):
        command_of(CallCommand, {"outcome": "sang"})
    with pytest.raises(Problem):
        office.act(lambda d: calls.set_paid(d, run["dates"][1]["id"], True))


def test_a_length_in_words_that_the_dates_do_not_bear_out_is_shown(office):
    run = a_draft(office, title="A wall in six evenings")
    found = [f for f in run["readiness"] if f["at"] == "/title"]
    assert (
        found[0]["message"] == '"six evenings" does not fit the dates: there are 8 meetings.'
        and not found[0]["error"]
    )
