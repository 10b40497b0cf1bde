"""Several rates and plans, defaults from the course, and the readiness check."""

import pytest

from archgate.actions.across import undo
from archgate.actions.courses import courses
from archgate.actions.courses.commands import CoursePatch
from archgate.actions.enrolling import freed
from archgate.actions.fees import course_defaults, quotes, terms
from archgate.actions.fees.commands import QuoteCommand
from archgate.actions.fees.term_commands import TermsPatch
from archgate.actions.kernel.commands import command_of
from archgate.actions.runs import making, showing
from archgate.actions.runs.commands import RunPatch
from archgate.core.faults import Refused
from made import a_draft, a_run, enrolled, roster_of

RATES = [
    {"label": "Standard", "amount": "240.00", "early": [{"days_before": 18, "amount": "210.00"}, {"days_before": 7, "percent": "5"}]},
    {"label": "Member, local", "amount": "200.00", "early": [{"until": "2027-09-01", "off": "20.00"}]},
]  # fmt: skip
PLANS = [
    {"name": "All now", "lines": [{"percent": "100", "due": {"after_sign_up": 0}}]},
    {"name": "Thirds", "lines": [{"parts": 1, "due": {"months_after_start": k}} for k in range(3)]},
]


def view(office, run):
    return office.read(lambda d: showing.run_view(d, run["id"]))


def change(office, run, **what):
    return office.act(
        lambda d: terms.change_terms(d, run["id"], command_of(TermsPatch, {"seen": {}, "set": what}))
    )


def test_a_run_has_several_rates_steps_and_plans_and_a_sign_up_picks_one_of_each(office):
    run = a_run(office, rates=RATES, plans=PLANS)
    assert [(r["code"], r["label"]) for r in run["rates"]] == [
        ("standard", "Standard"),
        ("member-local", "Member, local"),
    ]
    member, thirds = run["rates"][1]["id"], run["plans"][1]["id"]
    quote = office.read(
        lambda d: quotes.quote_run(
            d, run["id"], command_of(QuoteCommand, {"rate_id": member, "plan_id": thirds})
        )
    )
    assert quote["total"] == "180.00"
    assert [i["due"] for i in quote["installments"]] == ["2027-09-14", "2027-10-14", "2027-11-14"]
    labels = [g["label"] for g in run["gates"] if g["kind"] == "early step ends"]
    assert labels == [
        "Early price ends (Standard)",
        "Early price ends (Member, local)",
        "Early price ends (Standard)",
    ]
    assert [line["rate"] for line in run["price_line"]] == ["Standard", "Member, local"]
    assert [s["total"] for s in run["price_line"][0]["steps"]] == ["210.00", "228.00", "240.00"]


@pytest.mark.parametrize(
    ("what", "at", "words"),
    [
        ({"rates": []}, "/set/rates", "At least one rate"),
        ({"plans": []}, "/set/plans", "At least one payment plan"),
        ({"rates": [RATES[0], RATES[0]]}, "/set/rates/1/label", "is named twice"),
        ({"plans": [PLANS[0], PLANS[0]]}, "/set/plans/1/name", "Two plans are named"),
        ({"rates": [{"label": "X", "amount": "10"}]}, "/set/rates/0/amount", "USD has 2 decimals"),
        ({"rates": [{"label": "X", "amount": "10.00", "early": [{"amount": "9.00"}]}]}, "/set/rates/0/early/0", "needs one of"),
        ({"plans": [{"name": "Short", "lines": [{"amount": "9.00", "due": {"after_sign_up": 0}}]}]}, "/set/plans/0/lines", "miss 231.00"),
    ],
)  # fmt: skip
def test_faulty_terms_are_named_beside_their_field(office, what, at, words):
    run = a_draft(office)
    with pytest.raises(Refused) as refused:
        change(office, run, **what)
    assert words in {f.at: f.message for f in refused.value.faults}[at]


def test_a_rate_that_somebody_holds_is_kept_out_of_sight_and_can_come_back(office):
    run = a_run(office, rates=RATES)
    enrolled(office, run)
    change(office, run, rates=[RATES[1]])
    assert [r["label"] for r in view(office, run)["rates"]] == ["Member, local"]
    assert roster_of(office, run)[0]["rate"] == "Standard, early"
    change(office, run, rates=RATES)
    assert [r["id"] for r in view(office, run)["rates"]] == [r["id"] for r in run["rates"]]


def test_a_change_of_terms_is_undone_whole(office):
    run = a_draft(office, rates=RATES, plans=PLANS)
    told = change(office, run, rates=[{"label": "Only", "amount": "99.00"}], plans=[PLANS[0]])
    assert {t["label"] for t in told["touches"]} >= {"Price now", "Rate Standard", "Rate Only", "Plan Thirds"}
    office.act(lambda d: undo.undo(d, told["change"]))
    after = view(office, run)
    assert (after["rates"], after["plans"]) == (run["rates"], run["plans"])


def test_a_plan_that_no_longer_makes_the_whole_stops_a_dearer_rate(office):
    fixed = [{"name": "Fixed", "lines": [{"amount": "240.00", "due": {"after_sign_up": 0}}]}]
    run = a_draft(office, plans=fixed)
    with pytest.raises(Refused, match=r"Fixed: The lines miss 10\.00"):
        change(office, run, rates=[{"label": "Standard", "amount": "250.00"}])


def of_the_course(run):
    return {name for name, origin in run["origins"].items() if origin["from"] == "course"}


def test_a_courses_next_run_starts_from_its_defaults_and_says_so(office):
    first = a_draft(office, rates=RATES, plans=PLANS, place="Quarry yard", capacity=9)
    told = office.act(
        lambda d: course_defaults.keep_defaults(d, first["id"], ["rates", "plans", "place", "capacity"])
    )
    assert of_the_course(view(office, first)) == {"rates", "plans", "place", "capacity"}
    bare = {
        "course": None,
        "course_id": first["course"]["id"],
        "rates": None,
        "plans": None,
        "place": None,
        "capacity": None,
    }
    second = a_draft(office, **bare)
    assert (second["place"], second["capacity"], second["smallest"]) == ("Quarry yard", 9, 6)
    assert [r["label"] for r in second["rates"]] == ["Standard", "Member, local"]
    assert of_the_course(second) == {"rates", "plans", "place", "capacity"}
    own = a_draft(office, **{**bare, "capacity": 20})
    assert own["capacity"] == 20 and "capacity" not in of_the_course(own)
    office.act(
        lambda d: making.change_run(d, own["id"], command_of(RunPatch, {"seen": {}, "set": {"capacity": 9}}))
    )
    assert "capacity" in of_the_course(view(office, own))
    office.act(lambda d: undo.undo(d, told["change"]))
    assert view(office, second)["course"]["defaults"] == {}
    with pytest.raises(Refused, match="keeps only these"):
        office.act(lambda d: course_defaults.keep_defaults(d, first["id"], ["code"]))


def test_a_course_is_changed_and_lost_updates_are_refused(office):
    course = a_draft(office)["course"]
    seen = {"title": course["title"]}
    done = office.act(
        lambda d: courses.change_course(
            d, course["id"], command_of(CoursePatch, {"seen": seen, "set": {"title": "New"}})
        )
    )
    assert done["title"] == "New"
    with pytest.raises(Exception, match="Somebody else changed"):
        office.act(
            lambda d: courses.change_course(
                d, course["id"], command_of(CoursePatch, {"seen": seen, "set": {"title": "Other"}})
            )
        )


POLICY = {"steps": [{"days_before": 14, "percent": "50"}], "kept_fee": "10.00", "transfer_fee": "5.00"}


def test_a_course_has_its_own_refunds_until_it_takes_the_centers_again(office):
    """The policy of the course decides for all its runs, those on sale too; without one the center's (here none)."""
    run = a_run(office)
    course, somebody = run["course"], enrolled(office, run)

    def put(policy, seen):
        body = {"seen": {"refunds": seen}, "set": {"refunds": policy}}
        return office.act(lambda d: courses.change_course(d, course["id"], command_of(CoursePatch, body)))

    def kept():
        return office.read(lambda d: freed.withdrawal(d, somebody["enrollment_id"]))["kept"]

    center = office.read(terms.center_defaults)["values"].get("refunds")
    before = kept()
    done = put(POLICY, None)
    # 14 September is 25 days ahead: 50 percent of 210.00 goes back, less 10.00; 115.00 is kept (worked out by hand).
    assert (done["defaults"]["refunds"], kept()) == (POLICY, "115.00")
    with pytest.raises(Exception, match="Somebody else changed"):
        put(None, None)
    with pytest.raises(Refused) as refused:
        put({"steps": [{"days_before": -1, "percent": "101"}]}, POLICY)
    assert {f.at for f in refused.value.faults} == {
        "/set/refunds/steps/0/days_before",
        "/set/refunds/steps/0/percent",
    }
    with pytest.raises(Refused, match="at least one step"):
        put({"steps": []}, POLICY)
    assert kept() == "115.00"
    office.act(lambda d: undo.undo(d, done["change"]))
    assert kept() == before and office.read(terms.center_defaults)["values"].get("refunds") == center
    done = put(POLICY, None)
    gone = put(None, POLICY)
    assert "refunds" not in gone["defaults"] and kept() == before
    body = {"seen": {"title": course["title"]}, "set": {"title": "Only the title"}}
    titled = office.act(lambda d: courses.change_course(d, course["id"], command_of(CoursePatch, body)))
    assert titled["title"] == "Only the title" and "refunds" not in titled["defaults"]


def findings(office, run, error):
    return {f["at"]: f["message"] for f in view(office, run)["readiness"] if f["error"] is error}


def test_a_ready_run_has_no_errors_and_warnings_lead_to_their_place(office):
    run = a_draft(office, place="", instructor="", sign_up_opens="2027-08-29",
                  changes=[{"n": 2, "date": "2027-09-14"}])  # fmt: skip
    assert findings(office, run, error=True) == {}
    warnings = findings(office, run, error=False)
    assert warnings["/instructor"] == "The run has no instructor."
    assert warnings["/place"] == "The run has no place."
    assert warnings["/dates"] == "There are two meetings on Tue 14 Sep 2027."
    assert warnings["/sign_up_opens"] == "Sign-up is not open yet on the day it is published."
    said = "Standard: the early step holds through Fri 27 Aug 2027, before sign-up opens on Sun 29 Aug 2027."
    assert warnings["/rates"] == said


def test_what_would_stop_a_learner_is_an_error(office):
    run = a_draft(office)
    late = office.later(days=60)
    assert "already be closed" in findings(late, run, error=True)["/dates"]
    assert "ended on" in findings(late, run, error=False)["/rates"]


def test_a_fee_far_from_the_courses_other_runs_is_questioned(office):
    run = a_draft(office)
    again = {"course": None, "course_id": run["course"]["id"]}
    odd = a_draft(office, **again, rates=[{"amount": "2400.00"}])
    assert findings(office, odd, error=False)["/rates"].startswith("Standard: 2400.00 is more than twice")
    assert "/rates" not in findings(
        office, a_draft(office, **again, rates=[{"amount": "250.00"}]), error=False
    )
