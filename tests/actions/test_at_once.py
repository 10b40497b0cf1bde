"""Two people, or a double click: whatever changes a run takes its row first, and of ten who saw the same one is right."""

from functools import partial

import pytest
from sqlalchemy import func, select, text

from archgate.actions.across import checks, finding, merging, person_pages
from archgate.actions.across.commands import RunsWanted
from archgate.actions.courses import courses
from archgate.actions.courses.commands import CoursePatch
from archgate.actions.fees import plans, terms
from archgate.actions.fees.term_commands import PlanCommand, PlanPatch, TermsPatch
from archgate.actions.kernel import lookups
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import Unlocked
from archgate.actions.people import people
from archgate.actions.people.commands import PersonPatch
from archgate.actions.runs import copying, making, moving, notices, season, showing
from archgate.actions.runs.commands import CopyCommand, MeetingPatch, RunCommand, RunPatch, SeasonCommand
from archgate.actions.schedule import gates, places
from archgate.actions.seats import seats
from archgate.tables.courses import Run
from archgate.tables.people import Person
from archgate.tables.roster import NoticeSeen
from archgate.tables.schedule import Gate
from conftest import LONG
from made import a_draft, a_person, a_run, at_once, enrolled, number, run_form

again = pytest.mark.parametrize("turn", range(12 if LONG else 2))  # how often a race is run


def gates_of(office, run):
    query = select(Gate.kind, Gate.n, Gate.day).where(Gate.run_id == run["id"]).order_by(Gate.kind, Gate.n)
    return office.read(lambda d: d.session.execute(query).all())


def agree(office, run):
    return office.read(lambda d: not any(gates.wrong_gates(d, lookups.get_run(d, run["id"]))))


def done(outcomes):
    """How many were done; whatever else came is a refusal in words."""
    assert all(not isinstance(o, Exception) or isinstance(o, Problem) for o in outcomes), outcomes
    return sum(not isinstance(o, Exception) for o in outcomes)


@again
def test_two_saves_of_a_run_at_once_leave_each_gate_once_and_the_list_standing(office, turn):
    run = a_run(office)
    windows = [[{"opens": None, "closes": {"days_before": n}}] for n in (3, 5, 7, 9)]
    saves = [
        partial(
            office.act,
            lambda d, w=w: making.change_run(d, run["id"], command_of(RunPatch, {"set": {"windows": w, "decision_rule": {"days_before": 8}}})),
        )
        for w in windows
    ]  # fmt: skip
    assert done(at_once(saves)) == 4  # nobody said what they saw, so each is later than the one before
    kinds = [(kind, n) for kind, n, _ in gates_of(office, run)]
    assert len(kinds) == len(set(kinds)) and agree(office, run)
    listed = office.read(lambda d: finding.list_runs(d, RunsWanted(sign_up="open")))
    assert listed["total"] > 0


def test_of_ten_who_saw_the_same_one_saves_and_the_others_are_told(office):
    run = a_run(office)

    def save(n):
        body = {"set": {"capacity": 20 + n}, "seen": {"capacity": 14}}
        return office.act(lambda d: making.change_run(d, run["id"], command_of(RunPatch, body)))

    outcomes = at_once([partial(save, n) for n in range(10)])
    assert done(outcomes) == 1
    assert {o.status for o in outcomes if isinstance(o, Problem)} == {409}


def test_the_same_holds_of_a_meeting_a_person_a_course_a_room_and_a_plan(office):
    run = a_run(office)
    meeting, somebody = run["dates"][3]["id"], a_person(office)
    given, room = somebody["given"], run["place"]
    place = office.read(lambda d: next(p.id for p in places.list_places(d) if p.name == room))
    plan = office.act(lambda d: plans.make_plan(d, command_of(PlanCommand, {
        "name": f"Plan {next(number)}", "lines": [{"percent": "100", "due": {"after_sign_up": 0}}]})))["plan"]  # fmt: skip
    course = office.read(lambda d: lookups.get_run(d, run["id"]).course_id)
    title = run["course"]["title"]
    tries = {
        "meeting": lambda d, n: moving.change_meetings(
            d, meeting, command_of(MeetingPatch, {"set": {"minutes": 60 + n}, "seen": {"minutes": 105}})
        ),
        "person": lambda d, n: people.change_person(
            d,
            somebody["id"],
            command_of(PersonPatch, {"set": {"given": f"{given} {n}"}, "seen": {"given": given}}),
        ),
        "course": lambda d, n: courses.change_course(
            d, course, command_of(CoursePatch, {"set": {"title": f"{title} {n}"}, "seen": {"title": title}})
        ),
        "plan": lambda d, n: plans.change_plan(
            d,
            plan["id"],
            command_of(PlanPatch, {"set": {"name": f"{plan['name']} {n}"}, "seen": {"name": plan["name"]}}),
        ),
    }
    for what, do in tries.items():
        outcomes = at_once([partial(office.act, partial(do, n=n)) for n in range(1, 7)])
        assert done(outcomes) == 1, what
    assert place


@again
def test_terms_saved_twice_at_once_keep_every_gate_and_rate_once(office, turn):
    run = a_run(office)
    early = [{"days_before": 18, "amount": "210.00"}, {"days_before": 30, "amount": "200.00"}]

    def save(n):
        rates = [{"amount": "240.00", "early": early[: 1 + n % 2]}]
        return office.act(
            lambda d: terms.change_terms(d, run["id"], command_of(TermsPatch, {"set": {"rates": rates}}))
        )

    assert done(at_once([partial(save, n) for n in range(4)])) == 4
    assert agree(office, run)
    assert len(office.read(lambda d: showing.run_view(d, run["id"]))["rates"]) == 1


def test_a_season_and_a_copy_made_twice_at_once_are_whole_each(office):
    course = a_draft(office)["course"]
    row = {"course": course["code"], "first": "14 Sep 2027", "number": "3", "start": "18:00", "minutes": "60",
           "seats": "8", "rate": "100"}  # fmt: skip
    planned = at_once(
        [
            partial(
                office.act, lambda d: season.plan_season(d, command_of(SeasonCommand, {"rows": [row]}), True)
            )
        ]
        * 3
    )
    codes = [m["code"] for p in planned for m in p["made"]]
    assert done(planned) == 3 and len(set(codes)) == 3
    run = a_run(office)
    body = {"runs": [{"id": run["id"], "first": "2028-01-04"}]}
    copies = at_once([partial(office.act, lambda d: copying.copy_runs(d, command_of(CopyCommand, body)))] * 3)
    assert done(copies) == 3 and len({c["runs"][0]["new_code"] for c in copies}) == 3


@again
def test_two_records_merged_into_each_other_at_once_leave_one_of_them(office, turn):
    a, b = a_person(office), a_person(office)
    outcomes = at_once([
        partial(office.act, lambda d: merging.merge(d, a["id"], b["id"])),
        partial(office.act, lambda d: merging.merge(d, b["id"], a["id"])),
    ])  # fmt: skip
    assert done(outcomes) == 1
    query = select(func.count()).where(Person.id.in_((a["id"], b["id"])), Person.merged_into_id.is_(None))
    assert office.read(lambda d: d.session.scalar(query)) == 1


def test_nobody_is_seated_under_a_record_that_was_merged_away(office):
    run, kept, gone = a_run(office), a_person(office), a_person(office)
    office.act(lambda d: merging.merge(d, kept["id"], gone["id"]))
    with pytest.raises(Problem, match=f"merged into {kept['name']}") as problem:
        enrolled(office, run, gone)
    assert problem.value.extra["person"].id == kept["id"]


@again
def test_a_merge_and_a_sign_up_at_once_end_on_one_record(office, turn):
    run, kept, gone = a_run(office), a_person(office), a_person(office)
    outcomes = at_once([
        partial(office.act, lambda d: merging.merge(d, kept["id"], gone["id"])),
        partial(enrolled, office, run, gone),
    ])  # fmt: skip
    assert not isinstance(outcomes[0], Exception) or not isinstance(outcomes[1], Exception)
    page = office.read(lambda d: person_pages.person_page(d, gone["id"]))
    assert page["enrollments"] == [] and page["merged_into_id"] == kept["id"]


def test_a_notice_read_twice_at_once_is_read_once(office):
    run = a_run(office)
    version = office.act(lambda d: notices.set_notice(d, run["id"], "Bring shoes."))["version"]
    read = at_once([partial(office.act, lambda d: notices.acknowledge(d, run["id"], version))] * 4)
    assert done(read) == 4
    query = select(func.count()).select_from(NoticeSeen).where(NoticeSeen.run_id == run["id"])
    assert office.read(lambda d: d.session.scalar(query)) == 1


def test_rows_of_a_run_are_never_written_without_its_lock(office):
    run = a_run(office)

    def careless(d):
        d.session.get_one(Run, run["id"]).note = "written past the lock"

    with pytest.raises(Unlocked):
        office.act(careless)
    assert office.read(lambda d: lookups.get_run(d, run["id"]).note) == ""


def test_the_check_sees_a_gate_that_is_wrong_and_healing_mends_it(office, sessions):
    run = a_run(office, code=f"HEAL-{next(number)}")
    with sessions.begin() as session:
        session.execute(text("UPDATE gates SET day = day + INTERVAL 1 DAY WHERE run_id = :r AND kind = 'starts'"),
                        {"r": run["id"]})  # fmt: skip
    assert run["code"] in " ".join(office.read(checks.gate_faults))
    assert checks.heal_gates(sessions) >= 1
    assert agree(office, run) and office.read(checks.gate_faults) == []


def test_a_draft_made_twice_at_once_by_a_double_click_is_two_of_which_each_is_whole(office):
    course = a_draft(office)["course"]["id"]
    form = {**run_form(), "course": None, "course_id": course}
    made = at_once([partial(office.act, lambda d: making.create_run(d, command_of(RunCommand, form)))] * 3)
    assert done(made) == 3 and all(agree(office, m) for m in made)
    assert office.read(lambda d: seats.seats_of(d, lookups.get_run(d, made[0]["id"])).taken) == 0
