"""The log of a run, a person and an account: what was done, by whom, and its undo as long as there is one."""

from datetime import timedelta

import pytest
from sqlalchemy import select

from archgate.actions.across import logs, today, undo
from archgate.actions.across.commands import About, RemindCommand
from archgate.actions.courses import courses
from archgate.actions.courses.commands import CoursePatch
from archgate.actions.kernel.commands import command_of
from archgate.clock import system_now
from archgate.core.faults import Refused
from archgate.core.states import LogOf
from archgate.tables.money import Account
from made import a_person, a_run, enrolled, number


def test_what_was_done_on_a_run_stands_in_its_log_with_its_undo_until_it_is_undone(office):
    run = a_run(office)
    held = enrolled(office, run, a_person(office, family=f"Logged{next(number)}"))
    line = office.read(lambda d: logs.log_of(d, LogOf.RUN, run["id"]))["items"][0]
    assert line["undo"] == held["change"] and line["by"] and "Logged" in line["summary"]
    office.act(lambda d: undo.undo(d, line["undo"]))
    after = office.read(lambda d: logs.log_of(d, LogOf.RUN, run["id"]))["items"]
    assert after[0]["summary"] == f"Undid: {line['summary']}" and after[0]["undo"] is None
    assert (after[1]["undo"], after[1]["undone"]) == (None, True)


def test_an_act_that_others_go_by_has_its_undo_for_half_an_hour(office, monkeypatch):
    run = a_run(office)
    held = enrolled(office, run)
    for minutes, key in ((29, held["change"]), (31, None)):
        now = system_now() + timedelta(minutes=minutes)
        monkeypatch.setattr(logs, "system_now", lambda now=now: now)
        assert office.read(lambda d: logs.log_of(d, LogOf.RUN, run["id"]))["items"][0]["undo"] == key


def test_a_long_log_comes_page_by_page_each_line_once(office):
    run = a_run(office, capacity=100)
    for _ in range(70):
        enrolled(office, run)
    first = office.read(lambda d: logs.log_of(d, LogOf.RUN, run["id"]))
    rest = office.read(lambda d: logs.log_of(d, LogOf.RUN, run["id"], logs.LogAsk(first["next"])))
    assert len(first["items"]) == logs.PAGE and rest["next"] is None
    texts = [line["summary"] for line in first["items"] + rest["items"]]
    assert len(texts) == len(set(texts)) >= 71


def asked(office, about, number, **ask):
    return office.read(lambda d: logs.log_of(d, about, number, logs.LogAsk(**ask)))["items"]


def test_a_log_is_searched_by_words_that_all_stand_in_it_and_by_who_did_it(office, users):
    run = a_run(office)
    one, two = (a_person(office, family=f"Sought{next(number)}") for _ in range(2))
    enrolled(office, run, one)
    enrolled(office, run, two)
    found = asked(office, LogOf.RUN, run["id"], words=f"enrolled {one['family']}")
    assert len(found) == 1 and one["family"] in found[0]["summary"]
    assert asked(office, LogOf.RUN, run["id"], words="100%_") == [], "what is typed is never a wildcard"
    assert asked(office, LogOf.RUN, run["id"], user_id=users["administrator"].id) == []
    everything = asked(office, LogOf.CENTER, 1, words=one["family"])
    assert found[0]["key"] in {line["key"] for line in everything}


def test_a_change_says_what_became_what(office):
    run = a_run(office)
    course = run["course"]["id"]
    body = {"set": {"title": "Slating by hand", "code": "SLATES"}, "seen": {}}
    done = office.act(lambda d: courses.change_course(d, course, command_of(CoursePatch, body)))
    shown = office.read(lambda d: logs.change_shown(d, done["change"]))
    assert {(f["what"], f["field"], f["after"]) for f in shown["fields"]} >= {
        ("course", "title", "Slating by hand"), ("course", "code", "SLATES")
    }  # fmt: skip
    (line,) = asked(office, LogOf.COURSE, course, words="Changed code")
    assert line["key"] == done["change"] and line["undo"]
    lines = office.read(lambda d: logs.lines(d, LogOf.COURSE, course, logs.LogAsk()))
    assert lines[0] == ["When", "Who", "What", "From what to what", "Undone"]
    assert any("course, title: " in row[3] and "to Slating by hand" in row[3] for row in lines)
    office.act(lambda d: undo.undo(d, line["undo"]))
    assert (
        office.read(lambda d: courses.course_view(courses.get_course(d, course)))["title"]
        == run["course"]["title"]
    )


def test_somebody_is_reminded_of_a_run_a_person_a_course_or_a_payer_and_of_one_thing_at_a_time(office):
    run, person = a_run(office), a_person(office)
    account = enrolled(office, run, person) and office.read(
        lambda d: d.session.scalar(select(Account.id).where(Account.person_id == person["id"]))
    )
    things = {
        "run_id": run["id"],
        "person_id": person["id"],
        "course_id": run["course"]["id"],
        "account_id": account,
    }
    names = {
        "run_id": run["code"],
        "person_id": person["name"],
        "course_id": run["course"]["title"],
        "account_id": person["name"],
    }
    for name, thing in things.items():
        body = {"day": "2027-08-25", "text": "Call back", name: thing}
        made = office.act(lambda d, b=body: today.remind(d, command_of(RemindCommand, b)))
        assert made["about"] == names[name]
        listed = office.read(lambda d, n=name, t=thing: today.reminders(d, About(**{n: t})))
        assert [r["id"] for r in listed] == [made["id"]]
    with pytest.raises(Refused):
        office.act(
            lambda d: today.remind(d, command_of(RemindCommand, {"day": "2027-08-25", "text": "x", **things}))
        )
    with pytest.raises(Refused):
        office.act(
            lambda d: today.remind(
                d, command_of(RemindCommand, {"day": "2027-08-25", "text": "x", "course_id": 10**9})
            )
        )
