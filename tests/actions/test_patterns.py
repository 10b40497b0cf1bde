"""Patterns of a saved run, copies with another rhythm, kinds, files, defaults of every rule, and letters with the sum due back."""

from datetime import date

import pytest

from actions.test_offers import agrees, letters, refusal
from archgate.actions.across import undo
from archgate.actions.enrolling import changing
from archgate.actions.fees import course_defaults, quotes, terms
from archgate.actions.fees.commands import QuoteCommand
from archgate.actions.fees.term_commands import CenterDefaultsPatch
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.money import accounts
from archgate.actions.money.commands import PaymentCommand
from archgate.actions.people import organizations
from archgate.actions.people.commands import OrganizationCommand
from archgate.actions.runs import copying, lifecycle, making, moving, patterns, showing
from archgate.actions.runs.commands import (
    CopyCommand,
    KindCommand,
    MeetingPatch,
    RunCommand,
    RunPatch,
)
from archgate.actions.schedule.commands import PatternForm
from archgate.core.seats import NO_LIMIT
from archgate.tables.schedule import Meeting
from made import a_draft, a_person, a_run, at_once, enrolled, number, run_form, taken

TUESDAYS = {"first": "2027-09-14", "start": "17:30", "minutes": 105, "weekdays": ["TU"], "count": 8}


def view(office, run):
    return office.read(lambda d: showing.run_view(d, run["id"]))


def days(office, run):
    return [m["date"] for m in view(office, run)["dates"]]


def add(office, run, preview=False, **form):
    command = command_of(PatternForm, {**TUESDAYS, **form})
    return office.act(lambda d: patterns.add_pattern(d, run["id"], command), preview=preview)


def change(office, run, n=1, preview=False, **form):
    command = command_of(PatternForm, {**TUESDAYS, **form})
    return office.act(lambda d: patterns.change_pattern(d, run["id"], n, command), preview=preview)


def end(office, run, last, n=1):
    return office.act(lambda d: patterns.end_pattern(d, run["id"], n, date.fromisoformat(last)))


def undone(office, done):
    office.act(lambda d: undo.undo(d, done["change"]))


# --- patterns ---------------------------------------------------------------------------------------------


def test_a_pattern_is_added_to_a_published_run_with_its_consequences_and_undone(office):
    run = a_run(office)
    enrolled(office, run)
    shown = add(office, run, preview=True, first="2027-09-16", weekdays=["TH"], count=3)
    assert [d["after"]["date"] for d in shown["dates"]] == ["2027-09-16", "2027-09-23", "2027-09-30"]
    assert (shown["told"], len(days(office, run))) == (1, 8)
    done = add(office, run, first="2027-09-16", weekdays=["TH"], count=3)
    assert [p["n"] for p in view(office, run)["patterns"]] == [1, 2]
    assert {m["pattern_n"] for m in view(office, run)["dates"]} == {1, 2}
    undone(office, done)
    assert len(days(office, run)) == 8 and len(view(office, run)["patterns"]) == 1
    assert "/first" in refusal(lambda: add(office, run, first="2027-08-01", weekdays=["TH"]))
    agrees(office)


def test_a_changed_pattern_moves_what_is_ahead_and_what_was_held_stands(office):
    run = a_run(office)
    later = office.later(days=33)  # 22 September: two Tuesdays were held
    done = change(later, run, first="2027-09-15", weekdays=["WE"], start="18:00", count=6)
    assert days(office, run) == [
        "2027-09-14", "2027-09-21",
        "2027-09-29", "2027-10-06", "2027-10-13", "2027-10-20",
    ]  # fmt: skip
    assert {m["start"][11:16] for m in view(office, run)["dates"][2:]} == {"18:00"}
    assert len(view(office, run)["cancelled"]) == 2
    undone(later, done)
    assert days(office, run)[2:4] == ["2027-09-28", "2027-10-05"] and len(days(office, run)) == 8
    agrees(office)


def test_a_pattern_that_people_know_of_is_not_put_into_the_past(office):
    run = a_run(office)
    assert "/first" in refusal(lambda: change(office, run, first="2027-08-03"))
    assert days(office, run)[0] == "2027-09-14"
    draft = a_draft(office)
    change(office, draft, first="2027-08-03")
    assert days(office, draft)[0] == "2027-08-03"


def test_a_pattern_with_more_meetings_adds_them_at_its_end(office):
    run = a_draft(office)
    change(office, run, count=10, minutes=90)
    assert (len(days(office, run)), days(office, run)[-1]) == (10, "2027-11-16")
    assert view(office, run)["cancelled"] == []
    assert view(office, run)["patterns"][0]["count"] == 10


def test_a_pattern_ends_earlier_and_a_dated_run_keeps_a_meeting(office):
    run = a_run(office)
    done = end(office, run, "2027-10-01")
    assert days(office, run) == ["2027-09-14", "2027-09-21", "2027-09-28"]
    undone(office, done)
    assert len(days(office, run)) == 8
    with pytest.raises(Problem, match="at least one meeting"):
        end(office, run, "2027-09-13")
    assert "/last" in refusal(lambda: end(office, run, "2027-12-31"))
    late = office.later(days=40)
    assert "/last" in refusal(lambda: end(late, run, "2027-09-20"))
    with pytest.raises(Problem, match="pattern"):
        end(office, run, "2027-10-01", n=7)


def test_two_changes_of_a_pattern_at_once_come_one_after_the_other(office):
    run = a_run(office)
    came = at_once([lambda c=c: change(office, run, count=c) for c in (5, 9)])
    assert not [x for x in came if isinstance(x, Exception)]
    assert len(days(office, run)) in (5, 9)
    agrees(office)


def test_a_time_that_the_clocks_skip_is_kept_as_it_was_meant(office):
    """02:30 on 12 March 2028 in New York does not exist (tzdata); the meeting starts at 03:30, and is meant for 02:30."""
    pattern = {**TUESDAYS, "first": "2028-03-11", "start": "02:30", "weekdays": ["SA", "SU"], "count": 3}
    run = a_draft(office, pattern=pattern)
    skipped = view(office, run)["dates"][1]
    assert (skipped["date"], skipped["start"][11:16], skipped["clock"]) == ("2028-03-12", "03:30", "02:30")
    patch = {
        "seen": {"date": "2028-03-12", "start": skipped["clock"]},
        "set": {"date": "2028-03-19", "start": skipped["clock"]},
    }
    office.act(lambda d: moving.change_meetings(d, skipped["id"], command_of(MeetingPatch, patch)))
    row = office.read(lambda d: d.session.get_one(Meeting, skipped["id"]).start.isoformat())
    assert row == "02:30:00"
    assert view(office, run)["dates"][-1]["start"][11:16] == "02:30"


# --- copies -----------------------------------------------------------------------------------------------


def copy(office, run, first, **changes):
    body = {"runs": [{"id": run["id"], "first": first}], "changes": changes or None}
    return office.act(lambda d: copying.copy_runs(d, command_of(CopyCommand, body)))["runs"][0]


def test_a_copy_can_have_other_days_another_number_time_room_and_instructor(office):
    run = a_run(office)
    room = f"Room {next(number)}"
    made = copy(
        office, run, "2028-01-12", weekdays=["WE", "FR"], count=5, start="10:00", minutes=60, place=room,
        instructor="A. Novak",
    )  # fmt: skip
    new = view(office, {"id": made["run_id"]})
    assert [m["date"] for m in new["dates"]] == [
        "2028-01-12",
        "2028-01-14",
        "2028-01-19",
        "2028-01-21",
        "2028-01-26",
    ]
    assert {(m["start"][11:16], m["minutes"], m["room"], m["instructor"]) for m in new["dates"]} == {
        ("10:00", 60, room, "A. Novak")
    }
    assert (new["place"], new["instructor"], len(days(office, run))) == (room, "A. Novak", 8)
    plain = copy(office, run, "2028-01-12")
    assert plain["after"][0].startswith("2028-01-18")  # on the run's own weekday


def test_changes_are_for_the_copy_of_one_run_with_a_pattern(office):
    both = [a_run(office), a_run(office)]
    body = {"runs": [{"id": r["id"], "first": "2028-01-10"} for r in both], "changes": {"count": 3}}
    assert "/changes" in refusal(
        lambda: office.act(lambda d: copying.copy_runs(d, command_of(CopyCommand, body)))
    )


# --- kinds, open runs, defaults ---------------------------------------------------------------------------


def test_an_open_run_needs_no_number_of_seats_and_says_when_access_ends(office):
    form = run_form(kind="open", access_days=90, rates=[{"amount": "75.00"}])
    for name in ("capacity", "smallest", "pattern"):
        form.pop(name)
    made = office.act(lambda d: making.create_run(d, command_of(RunCommand, form)))
    office.act(lambda d: making.publish_run(d, made["id"]))
    assert made["capacity"] == NO_LIMIT
    quote = office.read(lambda d: quotes.quote_run(d, made["id"], QuoteCommand()))
    assert (quote["can_enroll"], quote["access_until"]) == (True, "2027-11-18")
    held = enrolled(office, made)
    assert office.read(lambda d: changing.view(d, held["enrollment_id"]))["access_until"] == "2027-11-18"


def kind(office, run, **body):
    return office.act(lambda d: making.change_kind(d, run["id"], command_of(KindCommand, body)))


def test_a_draft_becomes_a_cohort_an_open_run_and_comes_back(office):
    run = a_draft(office, rates=[{"amount": "240.00"}])
    kind(office, run, kind="cohort")
    cohort = view(office, run)
    assert (cohort["kind"], cohort["starts_on"], cohort["ends_on"]) == ("cohort", "2027-09-14", "2027-11-02")
    assert "/ends_on" in refusal(lambda: kind(office, run, kind="cohort", ends_on="2027-10-01"))
    assert "/access_days" in refusal(lambda: kind(office, run, kind="open"))
    done = kind(office, run, kind="open", access_days=60)
    assert (view(office, run)["kind"], days(office, run)) == ("open", [])
    assert "/kind" in refusal(lambda: kind(office, run, kind="dated"))
    undone(office, done)
    assert (view(office, run)["kind"], len(days(office, run))) == ("cohort", 8)
    kind(office, run, kind="dated")
    assert view(office, run)["starts_on"] is None
    with pytest.raises(Problem, match="published"):
        kind(office, a_run(office), kind="cohort")


def test_early_prices_that_count_from_a_start_keep_a_run_from_becoming_open(office):
    assert "/kind" in refusal(lambda: kind(office, a_draft(office), kind="open", access_days=30))


def test_code_and_zone_are_changed_and_meetings_without_a_place_move_with_the_zone(office):
    run = a_draft(office, place="")
    patch = {
        "seen": {"time_zone": run["time_zone"]},
        "set": {"time_zone": "Europe/Berlin", "code": f"Z{next(number)}"},
    }
    office.act(lambda d: making.change_run(d, run["id"], command_of(RunPatch, patch)))
    assert view(office, run)["dates"][0]["start"].endswith("+02:00")
    wrong = command_of(RunPatch, {"set": {"time_zone": "Nowhere/Land"}})
    assert "/set/time_zone" in refusal(lambda: office.act(lambda d: making.change_run(d, run["id"], wrong)))


def test_rules_of_the_line_gates_and_access_are_defaults_of_the_course_and_say_where_they_come_from(office):
    run = a_run(office)
    patch = {"set": {"offer_hours": 12, "line_rule": "strict", "decision_rule": {"days_before": 9}}}
    office.act(lambda d: making.change_run(d, run["id"], command_of(RunPatch, patch)))
    names = ["offer_hours", "line_rule", "decision_rule"]
    office.act(lambda d: course_defaults.keep_defaults(d, run["id"], names))
    new = a_draft(office, course_id=run["course"]["id"], course=None)
    assert (new["offer_hours"], new["line_rule"], new["decision_rule"]["days_before"]) == (12, "strict", 9)
    assert {new["origins"][n]["from"] for n in names} == {"course"}
    on_a_day = command_of(RunPatch, {"set": {"decision_rule": {"on": "2027-09-01"}}})
    office.act(lambda d: making.change_run(d, run["id"], on_a_day))
    assert "/names" in refusal(
        lambda: office.act(lambda d: course_defaults.keep_defaults(d, run["id"], ["decision_rule"]))
    )


def test_the_center_says_what_runs_start_from_where_the_course_says_nothing(office):
    before = office.read(lambda d: dict(d.center.defaults))
    patch = command_of(CenterDefaultsPatch, {"set": {"hold_hours": 30, "role": "observer"}})
    office.act(lambda d: terms.change_center_defaults(d, patch))
    try:
        run = a_draft(office)
        assert (run["hold_hours"], run["origins"]["hold_hours"]["from"], run["usual_role"]) == (
            30,
            "center",
            "observer",
        )
    finally:
        back = {"hold_hours": before.get("hold_hours"), "role": before.get("role")}
        office.act(lambda d: terms.change_center_defaults(d, command_of(CenterDefaultsPatch, {"set": back})))


# --- contracts, letters, quotes ---------------------------------------------------------------------------


def test_a_run_that_becomes_a_client_s_names_those_who_pay_themselves(office):
    run = a_run(office)
    somebody = a_person(office)
    enrolled(office, run, somebody)
    body = command_of(OrganizationCommand, {"name": f"Trust {next(number)}"})
    client = office.act(lambda d: organizations.create_organization(d, body))
    patch = command_of(RunPatch, {"set": {"client_id": client["id"]}})
    shown = office.act(lambda d: making.change_run(d, run["id"], patch), preview=True)
    line = next(t for t in shown["touches"] if "own payer" in t["label"])
    assert line["before"] == somebody["name"]


def test_a_file_is_taken_off_a_run_and_comes_back_by_undo(office):
    run = a_run(office)
    kept = office.act(lambda d: lifecycle.attach(d, run["id"], "contract.pdf", b"%PDF-1.7 made up"))
    done = office.act(lambda d: lifecycle.take_off_file(d, kept["id"]))
    assert view(office, run)["files"] == []
    with pytest.raises(Problem, match="This file"):
        office.read(lambda d: lifecycle.file_of(d, kept["id"]))
    undone(office, done)
    assert [f["name"] for f in view(office, run)["files"]] == ["contract.pdf"]


def test_the_letter_of_a_cancelled_run_says_the_sum_that_is_theirs_again(office):
    run = a_run(office)
    paid, unpaid = a_person(office), a_person(office)
    held = enrolled(office, run, paid)
    enrolled(office, run, unpaid)
    account = office.read(lambda d: changing.view(d, held["enrollment_id"]))["account_id"]
    cash = command_of(PaymentCommand, {"amount": "105.00", "method": "cash"})
    office.act(lambda d: accounts.take_payment(d, account, cash))
    firm = command_of(OrganizationCommand, {"name": f"Firm {next(number)}", "email": "firm@example.org"})
    client = office.act(lambda d: organizations.create_organization(d, firm))
    theirs = enrolled(office, run, organization_id=client["id"])
    owed = office.read(lambda d: changing.view(d, theirs["enrollment_id"]))["account_id"]
    office.act(lambda d: accounts.take_payment(d, owed, cash))
    office.act(lambda d: lifecycle.cancel_run(d, run["id"], "Too few."))
    told = {
        body.split(",")[0].removeprefix("Dear "): body
        for _, body in letters(office, run)
        if body.startswith("Dear")
    }
    assert "You have paid 105.00 USD" in told[paid["name"]]
    assert "You have paid" not in told[unpaid["name"]]
    assert "You have paid 105.00 USD" in told[client["name"]]
    assert "You have paid" not in told[theirs["name"]]


def test_a_quote_is_asked_as_of_another_day_with_a_party_and_a_sale_says_from_when_to_when(office):
    sale = {"from": "2027-08-22", "to": "2027-08-24", "amount": "198.00"}
    run = a_run(office, rates=[{"amount": "240.00", "sale": sale}])
    people = [{"rate_id": run["rates"][0]["id"], "count": 3}]
    ask = {"people": people, "day": "2027-08-23"}
    quote = office.read(lambda d: quotes.quote_run(d, run["id"], command_of(QuoteCommand, ask)))
    assert quote["total"] == "594.00"
    assert "from Sun 22 Aug 2027 through Tue 24 Aug 2027" in quote["lines"][0]["why"]
    now = office.read(lambda d: quotes.quote_run(d, run["id"], command_of(QuoteCommand, {"people": people})))
    assert now["total"] == "720.00"
    assert taken(office, run) == 0
