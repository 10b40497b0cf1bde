"""The log of a run, a person and an account: what was done, by whom, and its undo as long as there is one."""

from datetime import timedelta

from archgate.actions.across import logs, undo
from archgate.clock import system_now
from made import a_person, a_run, enrolled, number


def test_what_was_done_on_a_run_stands_in_its_log_with_its_undo_until_it_is_undone(office):
    run = a_run(office)
    held = enrolled(office, run, a_person(office, family=f"Logged{next(number)}"))
    line = office.read(lambda d: logs.run_log(d, run["id"]))["items"][0]
    assert line["undo"] == held["change"] and line["by"] and "Logged" in line["summary"]
    office.act(lambda d: undo.undo(d, line["undo"]))
    after = office.read(lambda d: logs.run_log(d, run["id"]))["items"]
    assert after[0]["summary"] == f"Undid: {line['summary']}" and after[0]["undo"] is None
    assert (after[1]["undo"], after[1]["undone"]) == (None, True)


def test_an_act_that_others_go_by_has_its_undo_for_half_an_hour(office, monkeypatch):
    run = a_run(office)
    held = enrolled(office, run)
    for minutes, key in ((29, held["change"]), (31, None)):
        now = system_now() + timedelta(minutes=minutes)
        monkeypatch.setattr(logs, "system_now", lambda now=now: now)
        assert office.read(lambda d: logs.run_log(d, run["id"]))["items"][0]["undo"] == key


def test_a_long_log_comes_page_by_page_each_line_once(office):
    run = a_run(office, capacity=100)
    for _ in range(70):
        enrolled(office, run)
    first = office.read(lambda d: logs.run_log(d, run["id"]))
    rest = office.read(lambda d: logs.run_log(d, run["id"], first["next"]))
    assert len(first["items"]) == logs.PAGE and rest["next"] is None
    texts = [line["summary"] for line in first["items"] + rest["items"]]
    assert len(texts) == len(set(texts)) >= 71
