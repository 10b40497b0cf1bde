import pytest

from archgate.actions.across import today
from archgate.actions.across.commands import About, RemindCommand, SettleReminderCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.runs import lifecycle
from archgate.actions.runs.commands import DecideCommand
from archgate.actions.schedule import places
from archgate.actions.schedule.commands import ClosureCommand
from archgate.core.faults import Refused
from made import a_draft, a_run, enrolled, number


def decisions(office):
    return {d["run_id"]: d for d in office.read(today.today)["decisions"]}


def test_a_run_comes_up_on_its_decision_day_or_when_it_is_short_and_about_to_begin(office):
    ruled = a_run(office, decision_rule={"days_before": 10})
    short = a_run(office)
    assert not {ruled["id"], short["id"]} & set(decisions(office))
    near = office.later(days=12)  # 1 September: decision day is on the 4th, the start within 14 days
    found = decisions(near)
    assert found[ruled["id"]]["day"] == "2027-09-04" and found[short["id"]]["taken"] == 0
    near.act(
        lambda d: lifecycle.decide(d, ruled["id"], command_of(DecideCommand, {"decision": "going ahead"}))
    )
    assert ruled["id"] not in decisions(near)
    for _ in range(6):
        enrolled(near, short)
    assert short["id"] not in decisions(near)


def test_drafts_that_are_not_ready_say_why(office):
    pattern = {"first": "2031-09-14", "start": "17:30", "minutes": 60, "count": 2}
    run = a_draft(office, place="", pattern=pattern)
    then = office.later(days=1460)  # 19 August 2031
    found = {d["run_id"]: d for d in then.read(today.drafts)}
    assert found[run["id"]]["wrong"] and found[run["id"]]["start"] == "2031-09-14"
    assert run["id"] not in {d["run_id"] for d in office.read(today.drafts)}


def test_a_closed_day_is_said(office):
    office.act(
        lambda d: places.add_closure(d, command_of(ClosureCommand, {"from": "2027-08-20", "label": "Fair"}))
    )
    assert office.read(today.today)["closed"] == "Fair"
    office.act(lambda d: places.set_closure(d, d.today, False))


def test_a_reminder_comes_up_on_its_day_in_that_persons_list_until_it_is_done(office, users):
    text = f"Call back {next(number)}"
    run = a_draft(office)
    made = office.act(
        lambda d: today.remind(
            d, command_of(RemindCommand, {"day": "2027-08-25", "text": text, "run_id": run["id"]})
        )
    )

    def seen(who):
        return [r["text"] for r in who.read(today.today)["reminders"]]

    assert (
        text not in seen(office) and text in seen(office.later(days=5)) and text in seen(office.later(days=9))
    )
    assert text in [r["text"] for r in office.read(lambda d: today.reminders(d, About(run_id=run["id"])))]
    office.act(
        lambda d: today.settle_reminder(
            d, made["id"], command_of(SettleReminderCommand, {"day": "2027-09-30"})
        )
    )
    assert text not in seen(office.later(days=9))
    office.act(
        lambda d: today.settle_reminder(d, made["id"], command_of(SettleReminderCommand, {"done": True}))
    )
    assert text not in seen(office.later(days=60))
    office.act(
        lambda d: today.settle_reminder(d, made["id"], command_of(SettleReminderCommand, {"done": False}))
    )
    assert text in seen(office.later(days=60))


def test_a_reminder_for_a_colleague_is_in_their_list_and_nobody_elses(office, users):
    from dataclasses import replace

    text = f"For the chief {next(number)}"
    chief = replace(office, user=users["administrator"])
    made = office.act(
        lambda d: today.remind(
            d, command_of(RemindCommand, {"day": "2027-08-20", "text": text, "user_id": chief.user.id})
        )
    )
    assert text in [r["text"] for r in chief.read(today.today)["reminders"]]
    assert text not in [r["text"] for r in office.read(today.today)["reminders"]]
    other = chief.act(
        lambda d: today.remind(d, command_of(RemindCommand, {"day": "2027-08-20", "text": "mine"}))
    )
    with pytest.raises(Problem):
        office.act(
            lambda d: today.settle_reminder(d, other["id"], command_of(SettleReminderCommand, {"done": True}))
        )
    assert made["by"] != made["to"]


@pytest.mark.parametrize(
    "body",
    [
        {},
        {"day": "soon", "text": "x"},
        {"day": "2027-08-20", "text": " "},
        {"day": "2027-08-20", "text": "x", "run_id": 10**9},
    ],
)
def test_a_reminder_needs_a_day_and_a_text(office, body):
    with pytest.raises(Refused):
        office.act(lambda d: today.remind(d, command_of(RemindCommand, body)))
