"""Instructors as people, several of them on a run, cover, and applications."""

from datetime import date, timedelta

import pytest
from sqlalchemy import func, select

from archgate.actions.across import merging, undo
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.people import people
from archgate.actions.runs import making, moving, season, showing
from archgate.actions.runs.commands import MeetingPatch, RunPatch, SeasonCommand
from archgate.actions.schedule import calendars, kept_clashes, places
from archgate.actions.schedule.commands import BusyCommand
from archgate.actions.teaching import (
    applications,
    assigning,
    covering,
    instructors,
    loads,
    settings,
)
from archgate.actions.teaching.commands import (
    AcceptCommand,
    ApplicationCommand,
    ApplyCommand,
    AssignCommand,
    CoverCallCommand,
    CoverCommand,
    InstructorCommand,
    MergeInstructorsCommand,
    RulesCommand,
    TakeCoverCommand,
)
from archgate.core.faults import Refused
from archgate.core.states import ApplicationStatus, Part
from archgate.tables.jobs import Job
from archgate.tables.messages import Message
from archgate.tables.people import Person
from archgate.tables.teaching import Application, Instructor
from made import a_draft, a_person, a_run, at_once, enrolled, number, taken


def a_teacher(office, **facts):
    body = {"name": f"T. Each{next(number)}", **facts}
    return office.act(lambda d: instructors.save(d, None, command_of(InstructorCommand, body)))


def change(office, teacher, **facts):
    return office.act(lambda d: instructors.save(d, teacher["id"], command_of(InstructorCommand, facts)))


def faults_of(refused):
    return {f.at: f.message for f in refused.value.faults}


def taught(run):
    return [m["instructor"] for m in run["dates"]]


def seen(office, run):
    return office.read(lambda d: showing.run_view(d, run["id"]))


def put(office, run, *who, preview=False, **where):
    forms = [{"instructor_id": t["id"], "part": p} for t, p in who]
    command = command_of(AssignCommand, {"teachers": forms, **where})
    return office.act(lambda d: assigning.assign(d, run["id"], command), preview=preview)


def weekly(day="2027-09-14", count=8, weekday="TU", start="17:30", minutes=120):
    return {"first": day, "start": start, "minutes": minutes, "weekdays": [weekday], "count": count}


# --- who they are -----------------------------------------------------------------------------------------


def test_an_instructor_is_a_person_with_the_same_email_and_phone(office):
    made = a_teacher(office, email="t.each@example.org", phone="555-0101")
    person = office.read(lambda d: people.person_view(people.get_person(d, made["person_id"])))
    assert (person["email"], person["phone"]) == ("t.each@example.org", "555-0101")
    change(office, made, phone="555-0199")
    again = office.read(lambda d: people.person_view(people.get_person(d, made["person_id"])))
    assert again["phone"] == "555-0199"


def test_a_learner_who_teaches_is_one_record(office):
    learner = a_person(office)
    made = a_teacher(office, person_id=learner["id"])
    assert (made["person_id"], made["email"]) == (learner["id"], learner["email"])
    with pytest.raises(Refused) as refused:
        a_teacher(office, person_id=learner["id"])
    assert "is an instructor already" in faults_of(refused)["/person_id"]


def test_what_they_can_teach_when_and_for_what_is_kept(office):
    run = a_draft(office)
    hours = [{"weekday": "MO", "from": "17:00", "to": "21:00"}]
    can = [{"course_id": run["course"]["id"], "level": "leads"}, {"category": "Stone", "level": "assists"}]
    pay = {"kind": "per_hour", "amount": "42.00"}
    made = a_teacher(
        office, hours=hours, qualifications=can, pay=pay, most_hours="18.5", employment="outside"
    )
    assert made["hours"] == hours and made["most_hours"] == "18.5" and made["employment"] == "outside"
    assert made["pay"] == {"kind": "per_hour", "amount": "42.00", "percent": None, "text": "42.00 an hour"}
    assert [(q["course"], q["category"], q["level"]) for q in made["qualifications"]] == [
        (run["course"]["title"], None, "leads"),
        (None, "Stone", "assists"),
    ]
    fewer = change(office, made, qualifications=can[:1], pay=None, most_hours=None)
    assert len(fewer["qualifications"]) == 1 and fewer["pay"] is None and fewer["most_hours"] is None


@pytest.mark.parametrize(
    ("facts", "at"),
    [
        ({"name": "A; B"}, "/name"),
        ({"name": "A (assistant)"}, "/name"),
        ({"email": "nobody"}, "/email"),
        ({"phone": "no digits"}, "/phone"),
        ({"most_hours": "0"}, "/most_hours"),
        ({"most_hours": "-4"}, "/most_hours"),
        ({"most_hours": "200"}, "/most_hours"),
        ({"pay": {"kind": "per_hour"}}, "/pay/amount"),
        ({"pay": {"kind": "share_percent"}}, "/pay/percent"),
        ({"pay": {"kind": "share_percent", "percent": "120"}}, "/pay/percent"),
        ({"pay": {"kind": "flat", "amount": "1.234"}}, "/pay/amount"),
        ({"hours": [{"weekday": "MO", "from": "21:00", "to": "17:00"}]}, "/hours/0"),
        ({"qualifications": [{}]}, "/qualifications/0"),
        ({"qualifications": [{"course_id": 999999999}]}, "/qualifications/0"),
    ],
)
def test_bad_facts_are_refused_each_at_its_field(office, facts, at):
    with pytest.raises(Refused) as refused:
        a_teacher(office, **facts)
    assert at in faults_of(refused)


def test_two_at_once_with_one_name_make_one(office):
    name = f"T. Win{next(number)}"
    done = at_once([lambda: a_teacher(office, name=name)] * 4)
    assert sum(isinstance(d, dict) for d in done) == 1
    count = select(func.count()).select_from(Instructor).where(Instructor.name == name)
    assert office.read(lambda d: d.session.scalar(count)) == 1


def test_an_instructor_changed_is_as_before_after_an_undo(office):
    made = a_teacher(office, pay={"kind": "flat", "amount": "10.00"}, qualifications=[{"category": "Stone"}])
    change(office, made, pay={"kind": "flat", "amount": "99.00"}, qualifications=[])
    key = office.read(lambda d: d.session.scalar(select(undo.Change.key).order_by(undo.Change.id.desc())))
    office.act(lambda d: undo.undo(d, key))
    after = office.read(lambda d: instructors.instructor_view(d, made["id"]))
    assert after["pay"]["amount"] == "10.00" and len(after["qualifications"]) == 1


def test_two_people_who_both_teach_become_one_with_one_instructor(office):
    """Merging the people of two instructors merges the instructors, too: nobody is two."""
    one, other = a_teacher(office), a_teacher(office)
    run = a_run(office, instructor=other["name"])
    office.act(lambda d: merging.merge(d, one["person_id"], other["person_id"]))
    assert set(taught(seen(office, run))) == {one["name"]}
    with_one = office.read(lambda d: instructors.instructor_view(d, one["id"]))
    assert with_one["person_id"] == one["person_id"]


def test_a_learner_merged_into_an_instructor_and_the_other_way_stay_an_instructor(office):
    teacher, learner = a_teacher(office), a_person(office)
    office.act(lambda d: merging.merge(d, learner["id"], teacher["person_id"]))
    assert office.read(lambda d: instructors.instructor_view(d, teacher["id"]))["person_id"] == learner["id"]


def test_merging_instructors_moves_their_meetings_and_is_taken_back(office):
    kept, gone = a_teacher(office), a_teacher(office)
    run = a_run(office, instructor=f"{gone['name']}; {kept['name']} (assistant)")
    command = MergeInstructorsCommand(gone_id=gone["id"])
    before = office.act(lambda d: instructors.merge(d, kept["id"], command), preview=True)
    assert taught(seen(office, run))[0] == f"{gone['name']}; {kept['name']} (assistant)"
    done = office.act(lambda d: instructors.merge(d, kept["id"], command))
    assert before["moved"] == done["moved"]
    assert set(taught(seen(office, run))) == {f"{kept['name']} (assistant)"}
    office.act(lambda d: undo.undo(d, done["change"]))
    assert set(taught(seen(office, run))) == {f"{gone['name']}; {kept['name']} (assistant)"}


# --- several of them --------------------------------------------------------------------------------------


def test_several_names_with_semicolons_are_several_people(office):
    a, b = a_teacher(office), a_teacher(office)
    run = a_run(office, instructor=f"{a['name']} ; {b['name']} (Assistant)")
    text = f"{a['name']}; {b['name']} (assistant)"
    assert run["instructor"] == text and set(taught(run)) == {text}
    count = select(func.count()).select_from(Instructor).where(Instructor.name.contains(";"))
    assert office.read(lambda d: d.session.scalar(count)) == 0


def test_a_pattern_and_a_meeting_have_several_of_their_own(office):
    a, b, c = a_teacher(office), a_teacher(office), a_teacher(office)
    pattern = {**weekly(count=2), "instructor": f"{a['name']}; {b['name']}"}
    run = a_run(office, pattern=pattern, instructor=c["name"])
    assert set(taught(run)) == {f"{a['name']}; {b['name']}"} and run["instructor"] == c["name"]
    first = run["dates"][0]
    body = {
        "seen": {"instructor": first["instructor"]},
        "set": {"instructor": f"{c['name']}; {a['name']} (substitute)"},
    }
    office.act(lambda d: moving.change_meetings(d, first["id"], command_of(MeetingPatch, body)))
    assert taught(seen(office, run)) == [
        f"{c['name']}; {a['name']} (substitute)",
        f"{a['name']}; {b['name']}",
    ]


def test_clashes_feeds_and_letters_know_every_one_of_them(office):
    a, b = a_teacher(office, email="a.lead@example.org"), a_teacher(office, email="b.helps@example.org")
    a_run(office, instructor=b["name"], pattern=weekly())
    run = a_run(office, instructor=f"{a['name']}; {b['name']} (assistant)", pattern=weekly())
    clashing = [
        c for c in office.read(lambda d: kept_clashes.of_run(d, run["id"])) if c["kind"] == "instructor"
    ]
    assert {c["who"] for c in clashing} == {b["name"]} and clashing[0]["instructor_id"] == b["id"]
    feed = office.act(lambda d: calendars.feed_of(d, "instructor", b["id"]))
    token = feed["path"].split("/")[-1].removesuffix(".ics")
    lines = office.read(lambda d: calendars.feed_content(d, token)).decode().replace("\r\n ", "")
    assert lines.count("BEGIN:VEVENT") == 16 and f"with {a['name']}\\; {b['name']} (assistant)" in lines
    office.act(
        lambda d: moving.cancel_meeting(d, run["dates"][0]["id"], moving.CancelMeetingCommand(why="snow"))
    )
    told = select(Message.to_email).where(Message.run_id == run["id"])
    assert {"a.lead@example.org", "b.helps@example.org"} <= set(
        office.read(lambda d: list(d.session.scalars(told)))
    )


def test_the_season_table_takes_several(office):
    a, b = a_teacher(office), a_teacher(office)
    course = a_draft(office)["course"]["code"]
    row = {"course": course, "first": "14 Sep 2027", "weekdays": "Tue", "number": "3", "start": "10:00", "minutes": "60",
           "seats": "9", "rate": "240", "instructor": f"{a['name']}; {b['name']} (assistant)"}  # fmt: skip
    made = office.act(lambda d: season.plan_season(d, command_of(SeasonCommand, {"rows": [row]}), save=True))
    run = office.read(lambda d: showing.run_view(d, made["made"][0]["id"]))
    assert set(taught(run)) == {f"{a['name']}; {b['name']} (assistant)"}


def test_another_usual_one_takes_over_the_coming_meetings_that_had_the_old(office):
    a, b, c = a_teacher(office), a_teacher(office), a_teacher(office)
    run = a_run(office, instructor=a["name"])
    put(office, run, (b, "lead"), meeting_id=run["dates"][1]["id"])
    patch = {
        "seen": {"instructor": a["name"]},
        "set": {"instructor": f"{a['name']}; {c['name']} (assistant)"},
    }
    office.act(lambda d: making.change_run(d, run["id"], command_of(RunPatch, patch)))
    now = taught(seen(office, run))
    assert now[1] == b["name"] and set(now[:1] + now[2:]) == {f"{a['name']}; {c['name']} (assistant)"}


# --- assigning --------------------------------------------------------------------------------------------


def test_candidates_are_ordered_by_what_matters_and_say_why(office):
    run = a_run(office, pattern=weekly())
    course = [{"course_id": run["course"]["id"]}]
    cheap = a_teacher(office, qualifications=course, pay={"kind": "per_hour", "amount": "30.00"})
    dear = a_teacher(office, qualifications=course, pay={"kind": "per_meeting", "amount": "90.00"})
    full = a_teacher(office, qualifications=course, pay={"kind": "flat", "amount": "1.00"}, most_hours="1")
    away = a_teacher(office, qualifications=course, pay={"kind": "flat", "amount": "1.00"})
    office.act(
        lambda d: places.add_busy(
            d, "instructor", away["id"], command_of(BusyCommand, {"from": "2027-09-14"})
        )
    )
    other = a_teacher(office, qualifications=[{"category": "Elsewhere"}])
    found = office.read(lambda d: assigning.candidates(d, run["id"], None, None, Part.LEAD))
    rows = {c["instructor_id"]: c for c in found["candidates"]}
    mine = [c["instructor_id"] for c in found["candidates"] if c["instructor_id"] in
            {t["id"] for t in (cheap, dear, full, away, other)}]  # fmt: skip
    assert mine == [cheap["id"], dear["id"], full["id"], other["id"], away["id"]]
    assert (rows[cheap["id"]]["cost"], rows[dear["id"]]["cost"]) == ("480.00", "720.00")
    assert rows[full["id"]]["over_week"] and rows[other["id"]]["fit"] == "not qualified"
    assert rows[away["id"]]["why_not"] == ["away: Tue 14 Sep 2027"] and not rows[away["id"]]["free"]
    assert rows[other["id"]]["cost"] is None and rows[other["id"]]["why_cost"] == "to be agreed"
    assert rows[cheap["id"]]["marks"]["average"] is None


def test_whoever_is_paid_by_the_head_costs_what_the_run_needs_before_anybody_has_signed_up(office):
    run = a_run(office, pattern=weekly())  # eight meetings; it needs six heads, at 240.00
    heads = a_teacher(office, pay={"kind": "per_head", "amount": "40.00"})
    share = a_teacher(office, pay={"kind": "share_percent", "percent": "25"})
    for _ in range(7):
        found = office.read(lambda d: assigning.candidates(d, run["id"], None, None, Part.LEAD))
        rows = {c["instructor_id"]: c for c in found["candidates"]}
        assert rows[heads["id"]]["cost"] == ("240.00" if taken(office, run) < 7 else "280.00")
        assert ("with the 6 heads" in rows[heads["id"]]["why_cost"]) == (taken(office, run) < 6)
        enrolled(office, run)
    assert rows[share["id"]]["cost"] == "315.00"  # a quarter of six times 210.00, the early price


def test_hours_of_the_week_and_the_season_count_what_is_taught(office):
    a = a_teacher(office, most_hours="20")
    a_run(office, instructor=a["name"], pattern=weekly(count=3))
    a_run(
        office,
        instructor=f"{a['name']} (assistant)",
        pattern=weekly(day="2027-09-16", weekday="TH", count=1, minutes=90),
    )
    week = office.read(lambda d: loads.week_of(d, a["id"], date(2027, 9, 15)))
    assert (week["hours"], week["season_hours"], week["season"]) == ("3.5", "7.5", "Jul to Sep 2027")
    assert [(m["part"], m["clash"]) for m in week["meetings"]] == [("lead", False), ("assistant", False)]


def test_assigning_a_run_shows_its_clashes_first_and_is_undone(office):
    a, b = a_teacher(office), a_teacher(office)
    a_run(office, instructor=b["name"], pattern=weekly())
    run = a_run(office, instructor=a["name"], pattern=weekly())
    look = put(office, run, (b, "lead"), preview=True)
    assert len(look["made"]) == 8 and set(taught(seen(office, run))) == {a["name"]}
    done = put(office, run, (a, "lead"), (b, "assistant"), seen=a["name"])
    assert set(taught(seen(office, run))) == {f"{a['name']}; {b['name']} (assistant)"}
    office.act(lambda d: undo.undo(d, done["change"]))
    assert set(taught(seen(office, run))) == {a["name"]}


def test_an_assignment_that_somebody_changed_meanwhile_shows_both(office):
    a, b, c = a_teacher(office), a_teacher(office), a_teacher(office)
    run = a_run(office, instructor=a["name"])
    put(office, run, (b, "lead"), seen=a["name"])
    with pytest.raises(Problem) as conflict:
        put(office, run, (c, "lead"), seen=a["name"])
    assert conflict.value.kind == "changed-meanwhile"


@pytest.mark.parametrize("where", ["run", "meeting"])
def test_assignments_that_cannot_be_are_refused(office, where):
    a = a_teacher(office)
    run = a_run(office, instructor=a["name"])
    place = {} if where == "run" else {"meeting_id": run["dates"][0]["id"]}
    with pytest.raises(Refused) as refused:
        put(office, run, (a, "lead"), (a, "assistant"), **place)
    assert "stands here twice" in faults_of(refused)["/teachers/1"]
    with pytest.raises(Refused) as refused:
        put(office, run, (a, "lead"), **place)
    assert "already" in faults_of(refused)["/teachers"]
    change(office, a, active=False)
    with pytest.raises(Refused) as refused:
        put(office, run, (a, "assistant"), **place)
    assert "does not teach here any more" in faults_of(refused)["/teachers/0"]
    with pytest.raises(Problem):
        put(office, run, meeting_id=999999999)


def test_two_assign_one_run_at_once_and_one_after_the_other(office):
    a, b = a_teacher(office), a_teacher(office)
    run = a_run(office)
    done = at_once([lambda: put(office, run, (a, "lead")), lambda: put(office, run, (b, "lead"))] * 2)
    assert sum(isinstance(d, dict) for d in done) >= 1
    assert len(set(taught(seen(office, run)))) == 1


# --- cover ------------------------------------------------------------------------------------------------


def course_of(run):
    return [{"course_id": run["course"]["id"]}]


def a_proposal(office, sessions, **facts):
    plan = office.act(lambda d: covering.ask_for(d, command_of(CoverCommand, facts)))
    key = select(Job.id).where(Job.kind == covering.JOB, Job.key.startswith(f"cover:{plan['id']}:"))
    assert office.read(lambda d: d.session.scalar(key))
    covering.work_out(sessions, plan["id"])
    return office.read(lambda d: covering.plan_view(d, covering.get_plan(d, plan["id"])))


def test_an_absence_is_written_down_covered_and_the_cover_undone(office, sessions):
    ill = a_teacher(office)
    run = a_run(office, instructor=f"{ill['name']}", pattern=weekly(count=4))
    cheap = a_teacher(office, qualifications=course_of(run), pay={"kind": "per_hour", "amount": "30.00"})
    a_teacher(office, qualifications=course_of(run), pay={"kind": "per_hour", "amount": "31.00"})
    span = {"from": "2027-09-13", "through": "2027-09-24"}
    looked = office.read(lambda d: covering.uncovered(d, ill["id"], date(2027, 9, 13), date(2027, 9, 24)))
    assert [m["day"] for m in looked["meetings"]] == ["2027-09-14", "2027-09-21"]
    plan = a_proposal(office, sessions, instructor_id=ill["id"], absence="ill", **span)
    assert plan["status"] == "ready" and plan["said"].startswith("2 of 2 meetings are covered, at 120.00 USD")
    assert {x["instructor_id"] for x in plan["lines"]} == {cheap["id"]}
    assert [b["label"] for b in office.read(lambda d: places.list_busy(d, "instructor", ill["id"]))] == [
        "ill"
    ]
    assert set(taught(seen(office, run))) == {ill["name"]}, "a proposal changes nothing"
    done = office.act(
        lambda d: covering.take(d, plan["id"], TakeCoverCommand(meeting_ids=[plan["lines"][0]["meeting_id"]]))
    )
    assert (done["taken"], taught(seen(office, run))[:2]) == (
        1,
        [f"{cheap['name']} (substitute)", ill["name"]],
    )
    rest = office.act(lambda d: covering.take(d, plan["id"], TakeCoverCommand()))
    assert rest["taken"] == 1
    office.act(lambda d: undo.undo(d, rest["change"]))
    assert taught(seen(office, run))[:2] == [f"{cheap['name']} (substitute)", ill["name"]]


def test_an_absence_that_stands_already_is_not_written_down_twice(office, sessions):
    ill = a_teacher(office)
    a_run(office, instructor=ill["name"], pattern=weekly(count=1))
    facts = {"instructor_id": ill["id"], "absence": "ill", "from": "2027-09-14", "through": "2027-09-14"}
    for _ in range(2):
        a_proposal(office, sessions, **facts)
    assert len(office.read(lambda d: places.list_busy(d, "instructor", ill["id"]))) == 1


def test_cover_opens_at_the_absence_that_is_written_down(office):
    ill = a_teacher(office)
    found = office.read(lambda d: covering.uncovered(d, ill["id"]))
    assert (found["first"], found["last"], found["away"]) == ("2027-08-20", "2027-08-26", False)
    for first, last in (("2027-09-13", "2027-09-24"), ("2027-08-18", "2027-08-29")):
        form = {"from": first, "through": last, "label": "ill"}
        office.act(lambda d, f=form: places.add_busy(d, "instructor", ill["id"], command_of(BusyCommand, f)))
    found = office.read(lambda d: covering.uncovered(d, ill["id"]))
    assert (found["first"], found["last"], found["away"]) == ("2027-08-20", "2027-08-29", True)
    nobody = office.read(lambda d: covering.span_of(d, None, None, None))
    assert nobody == (date(2027, 8, 20), date(2027, 11, 18))


def test_whoever_has_no_agreed_pay_is_not_the_cheapest_and_the_line_says_so(office, sessions):
    ill, dear, open_ = a_teacher(office), a_teacher(office), a_teacher(office)
    run = a_run(office, pattern=weekly(count=1), instructor=ill["name"])
    span = {"from": "2027-09-13", "through": "2027-09-15"}
    change(office, open_, qualifications=course_of(run))
    alone = a_proposal(office, sessions, instructor_id=ill["id"], **span)
    assert (alone["lines"][0]["instructor"], alone["lines"][0]["cost"]) == (open_["name"], None)
    assert "the pay is to be agreed" in alone["lines"][0]["why"]
    assert alone["said"].startswith("1 of 1 meeting is covered, the pay still to be agreed;")
    change(office, dear, qualifications=course_of(run), pay={"kind": "flat", "amount": "900.00"})
    both = a_proposal(office, sessions, instructor_id=ill["id"], **span)
    assert (both["lines"][0]["instructor"], both["lines"][0]["cost"]) == (dear["name"], "900.00")


def test_a_proposal_whose_working_out_was_cut_off_is_worked_out_when_it_is_taken_up_again(
    office, sessions, monkeypatch
):
    ill, other = a_teacher(office), a_teacher(office)
    run = a_run(office, pattern=weekly(count=1), instructor=ill["name"])
    change(office, other, qualifications=course_of(run))
    facts = {"instructor_id": ill["id"], "from": "2027-09-13", "through": "2027-09-15"}
    plan = office.act(lambda d: covering.ask_for(d, command_of(CoverCommand, facts)))

    def killed(question):
        raise KeyboardInterrupt

    with monkeypatch.context() as m, pytest.raises(KeyboardInterrupt):
        m.setattr(covering, "propose", killed)
        covering.work_out(sessions, plan["id"])
    shown = lambda: office.read(lambda d: covering.plan_view(d, covering.get_plan(d, plan["id"])))  # noqa: E731
    assert shown()["status"] == "working"
    covering.work_out(sessions, plan["id"])
    covering.work_out(sessions, plan["id"])  # twice is once
    assert (shown()["status"], len(shown()["lines"])) == ("ready", 1)


def test_where_only_the_other_of_two_could_the_meeting_stays_uncovered_and_says_so(office, sessions):
    ill, other = a_teacher(office), a_teacher(office)
    run = a_run(office, pattern=weekly(count=1), instructor=f"{ill['name']}; {other['name']} (assistant)")
    change(office, other, qualifications=course_of(run))
    span = {"from": "2027-09-13", "through": "2027-09-15"}
    plan = a_proposal(office, sessions, instructor_id=ill["id"], **span)
    assert (plan["status"], plan["covered"]) == ("ready", 0)
    assert "1 teaches it already" in plan["lines"][0]["why"]


def test_an_absence_said_twice_at_once_is_written_once_and_there_is_a_most(office, monkeypatch):
    ill = a_teacher(office)
    away = command_of(BusyCommand, {"from": "2027-09-13", "through": "2027-09-24", "label": "ill"})
    done = at_once([lambda: office.act(lambda d: places.add_busy(d, "instructor", ill["id"], away))] * 3)
    assert len({d["id"] for d in done}) == 1
    assert len(office.read(lambda d: places.list_busy(d, "instructor", ill["id"]))) == 1
    monkeypatch.setattr(places, "MOST_AWAY", 1)
    other = command_of(BusyCommand, {"from": "2027-10-13"})
    with pytest.raises(Refused) as refused:
        office.act(lambda d: places.add_busy(d, "instructor", ill["id"], other))
    assert "1 such times already" in faults_of(refused)["/from"]


def test_what_cannot_be_covered_says_which_rule_stands_in_the_way(office, sessions):
    ill = a_teacher(office)
    run = a_run(office, instructor=ill["name"], pattern=weekly(count=1, day="2031-09-16"))
    busy = a_teacher(office, qualifications=course_of(run))
    a_run(office, instructor=busy["name"], pattern=weekly(count=1, day="2031-09-16"))
    plan = a_proposal(
        office, sessions, **{"instructor_id": ill["id"], "from": "2031-09-16", "through": "2031-09-16"}
    )
    line = plan["lines"][0]
    assert line["instructor_id"] is None and "1 teaches at that time" in line["why"], line["why"]
    with pytest.raises(Refused):
        office.act(lambda d: covering.take(d, plan["id"], TakeCoverCommand()))


def test_runs_of_a_season_that_have_nobody_are_staffed(office, sessions):
    day = date(2032, 1, 6)
    runs = [a_run(office, pattern=weekly(day=(day + timedelta(days=n)).isoformat(), count=2, weekday=w))
            for n, w in enumerate(("TU", "WE", "TH"))]  # fmt: skip
    can = [c for r in runs for c in course_of(r)]
    a = a_teacher(office, qualifications=can, most_hours="4", pay={"kind": "per_hour", "amount": "20.00"})
    b = a_teacher(office, qualifications=can, pay={"kind": "per_hour", "amount": "25.00"})
    span = {"from": "2032-01-01", "through": "2032-01-31"}
    plan = a_proposal(office, sessions, **span)
    assert plan["covered"] == 6
    assert [x["instructor_id"] for x in plan["lines"]].count(a["id"]) == 4, "four hours a week"
    done = office.act(lambda d: covering.take(d, plan["id"], TakeCoverCommand()))
    assert done["taken"] == 6
    names = {n for r in runs for n in taught(seen(office, r))}
    assert names == {a["name"], b["name"]}
    with pytest.raises(Refused) as refused:
        a_proposal(office, sessions, **span)
    assert "there is nothing to cover" in faults_of(refused)["/from"]
    office.act(lambda d: undo.undo(d, done["change"]))
    assert all(n is None for r in runs for n in taught(seen(office, r)))


def test_a_proposal_whose_meetings_moved_on_is_taken_in_part(office, sessions):
    ill, other = a_teacher(office), a_teacher(office)
    run = a_run(office, instructor=ill["name"], pattern=weekly(count=2, day="2033-09-13"))
    sub = a_teacher(office, qualifications=course_of(run))
    plan = a_proposal(
        office, sessions, **{"instructor_id": ill["id"], "from": "2033-09-12", "through": "2033-09-23"}
    )
    put(office, run, (other, "lead"), meeting_id=run["dates"][0]["id"])
    done = office.act(lambda d: covering.take(d, plan["id"], TakeCoverCommand()))
    assert (done["taken"], done["left"]) == (1, 1) or done["taken"] == 1
    assert taught(seen(office, run)) == [other["name"], f"{sub['name']} (substitute)"]


def test_a_proposal_taken_twice_at_once_is_taken_once(office, sessions):
    ill = a_teacher(office)
    run = a_run(office, instructor=ill["name"], pattern=weekly(count=2, day="2034-09-12"))
    a_teacher(office, qualifications=course_of(run))
    plan = a_proposal(
        office, sessions, **{"instructor_id": ill["id"], "from": "2034-09-11", "through": "2034-09-22"}
    )
    done = at_once([lambda: office.act(lambda d: covering.take(d, plan["id"], TakeCoverCommand()))] * 3)
    assert [d["taken"] for d in done if isinstance(d, dict)] == [2]


def test_whoever_is_called_is_noted_and_whoever_accepts_steps_in(office):
    ill, sub, no = a_teacher(office), a_teacher(office), a_teacher(office)
    run = a_run(office, instructor=ill["name"], pattern=weekly(count=2))
    m = run["dates"][0]["id"]
    for answer in ("asked", "declined"):
        office.act(
            lambda d, a=answer: covering.note_call(
                d, m, no["id"], command_of(CoverCallCommand, {"answer": a})
            )
        )
    done = office.act(lambda d: covering.step_in(d, m, ill["id"], sub["id"]))
    assert taught(seen(office, run)) == [f"{sub['name']} (substitute)", ill["name"]]
    found = office.read(lambda d: assigning.candidates(d, run["id"], None, m, Part.SUBSTITUTE))
    answers = {c["instructor_id"]: c["answer"] for c in found["candidates"]}
    assert (answers[no["id"]], answers[sub["id"]]) == ("declined", "accepted")
    with pytest.raises(Problem):
        office.act(lambda d: covering.step_in(d, m, ill["id"], sub["id"]))
    office.act(lambda d: undo.undo(d, done["change"]))
    assert taught(seen(office, run)) == [ill["name"], ill["name"]]


@pytest.mark.parametrize(
    ("facts", "at"),
    [
        ({"from": "2027-09-14", "through": "2027-09-13"}, "/through"),
        ({"from": "2027-01-01", "through": "2037-01-01"}, "/through"),
        ({"from": "2040-01-01", "through": "2040-01-02"}, "/from"),
        ({"from": "2027-09-14", "through": "2027-09-15", "absence": "ill"}, "/instructor_id"),
    ],
)
def test_a_proposal_for_nothing_is_refused_in_a_sentence(office, facts, at):
    with pytest.raises(Refused) as refused:
        office.act(lambda d: covering.ask_for(d, command_of(CoverCommand, facts)))
    assert faults_of(refused)[at].endswith(".")


# --- applications -----------------------------------------------------------------------------------------


def rules(office, **facts):
    office.act(lambda d: settings.change(d, command_of(RulesCommand, facts)))


def applies(office, **facts):
    n = next(number)
    body = {"given": "Ap", "family": f"Ply{n}", "email": f"ap{n}@example.org", "answers": ["walls"], **facts}
    office.act(lambda d: applications.apply(d, command_of(ApplyCommand, body)))
    newest = select(Application).where(Application.email == body["email"]).order_by(Application.id.desc())
    return office.read(lambda d: d.session.scalars(newest).all())


def test_from_an_application_to_an_instructor_in_one_step(office):
    rules(office, applications_open=True, application_questions=["What?"])
    row = applies(office)[0]
    command = AcceptCommand(name=f"A. Pply{next(number)}")
    made = office.act(lambda d: applications.make_instructor(d, row.id, command))
    shown = office.read(lambda d: applications.view_of(d, d.session.get_one(Application, row.id)))
    assert (shown["status"], shown["instructor_id"], made["email"]) == ("accepted", made["id"], row.email)
    assert shown["answers"] == [{"question": "What?", "answer": "walls"}]
    with pytest.raises(Problem):
        office.act(lambda d: applications.make_instructor(d, row.id, command))


def test_an_applicant_who_is_known_stays_one_person(office):
    rules(office, applications_open=True, application_questions=[])
    person = a_person(office)
    row = applies(office, given=person["given"], family=person["family"], email=person["email"], answers=[])[
        0
    ]
    name = f"K. Nown{next(number)}"
    made = office.act(lambda d: applications.make_instructor(d, row.id, AcceptCommand(name=name)))
    assert made["person_id"] == person["id"]
    count = select(func.count()).select_from(Person).where(Person.email == person["email"])
    assert office.read(lambda d: d.session.scalar(count)) == 1


def test_nobody_can_tell_by_applying_whether_they_are_blocked_and_nothing_is_kept_twice(office):
    rules(office, applications_open=True, application_questions=["What?"])
    row = applies(office)[0]
    command = ApplicationCommand(status=ApplicationStatus.BLOCKED)
    office.act(lambda d: applications.set_status(d, row.id, command))
    assert [r.id for r in applies(office, email=row.email)] == [row.id]


def test_an_application_with_gaps_or_while_they_are_shut_is_refused(office):
    rules(office, applications_open=True, application_questions=["What?", "When?"])
    with pytest.raises(Refused) as refused:
        applies(office, given="", family="", email="nobody", phone="x", answers=["walls", " "])
    assert set(faults_of(refused)) == {"/given", "/email", "/phone", "/answers/1"}
    rules(office, applications_open=False)
    with pytest.raises(Problem) as shut:
        applies(office)
    assert shut.value.kind == "applications-shut"
