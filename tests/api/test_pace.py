"""Lists ask as many statements for many rows as for few, and what is asked most goes by an index."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager

import pytest
from sqlalchemy import Engine, event, text

from made import number, run_form


@contextmanager
def counted(engine: Engine) -> Iterator[list[tuple[str, object]]]:
    asked: list[tuple[str, object]] = []

    def listen(connection, cursor, statement, parameters, *more):
        asked.append((statement, parameters))

    event.listen(engine, "before_cursor_execute", listen)
    try:
        yield asked
    finally:
        event.remove(engine, "before_cursor_execute", listen)


def a_published_run(clerk):
    made = clerk.post("/api/v1/runs", json=run_form()).json()
    clerk.post(f"/api/v1/runs/{made['id']}/publish")
    return made


def a_person_by_api(clerk, **facts):
    n = next(number)
    body = {"given": f"Pia{n}", "email": f"pace{n}@example.org", "anyway": True, **facts}
    return clerk.post("/api/v1/people", json=body).json()["id"]


def sit(clerk, run, number):
    """So many people more on a run; their ids."""
    people = [a_person_by_api(clerk, family="Pacer") for _ in range(number)]
    for person in people:
        body = {"run_id": run["id"], "person_id": person, "total": "210.00"}
        assert clerk.post("/api/v1/enrollments", json=body).status_code == 201
        account = clerk.post("/api/v1/accounts", json={"person_id": person}).json()["id"]
        paid = {"amount": "1.00", "method": "cash"}
        assert clerk.post(f"/api/v1/accounts/{account}/payments", json=paid).status_code == 201
    return people


LISTS: dict[str, Callable[[dict[str, int]], str]] = {
    "runs": lambda _: "/runs",
    "people": lambda _: "/people?q=pacer&limit=50",
    "roster": lambda at: f"/runs/{at['run']}/roster",
    "attendance": lambda at: f"/runs/{at['run']}/attendance",
    "payers": lambda _: "/outstanding/payers",
    "open installments": lambda at: f"/outstanding/open?run_id={at['run']}",
    "outstanding": lambda _: "/outstanding",
    "messages": lambda _: "/messages",
    "log of the run": lambda at: f"/logs/run/{at['run']}",
    "till": lambda _: "/till",
    "account": lambda at: f"/accounts/{at['account']}",
    "ribbon": lambda _: "/ribbon",
    "demand": lambda _: "/demand",
}


@pytest.fixture(scope="module")
def grown(clerk):
    """The statements of each list when there is little, and when there is more."""
    engine = clerk.app.state.sessions.kw["bind"]
    run = a_published_run(clerk)
    first, *_ = sit(clerk, run, 2)
    at = {"run": run["id"], "account": clerk.post("/api/v1/accounts", json={"person_id": first}).json()["id"]}

    def statements():
        numbers = {}
        for name, address in LISTS.items():
            clerk.get(f"/api/v1{address(at)}")  # what a process keeps is kept now
            with counted(engine) as asked:
                answer = clerk.get(f"/api/v1{address(at)}")
            assert answer.status_code == 200, answer.text
            numbers[name] = len(asked)
        return numbers

    few = statements()
    sit(clerk, run, 8)
    for _ in range(8):
        sit(clerk, a_published_run(clerk), 1)
    return few, statements()


@pytest.mark.parametrize("name", LISTS)
def test_a_list_asks_no_more_for_many_rows_than_for_few(grown, name):
    few, many = grown
    assert many[name] <= few[name]


# What is asked on every day of a center that is ten years old, and the index it goes by.
BY_INDEX = {
    "SELECT open_due, SUM(open) FROM installments WHERE open_due IS NOT NULL GROUP BY open_due": "ix_installments_open",
    "SELECT id FROM accounts WHERE currency = 'USD' AND listed IS NOT NULL ORDER BY listed, id LIMIT 100": "ix_accounts_listed",
    "SELECT id FROM installments WHERE payer_id = 1 AND open_due IS NOT NULL": "ix_installments_payer",
    "SELECT person_id FROM people_words WHERE word LIKE 'str%' ORDER BY sort, person_id LIMIT 8": "ix_people_words_word",
    "SELECT SUM(total) FROM enrollments WHERE run_id = 1 AND live = 1": "ix_enrollments_earned",
    "SELECT id FROM changes WHERE subject = 'person' AND subject_id = 1": "ix_changes_subject",
}


@pytest.mark.parametrize("statement", BY_INDEX)
def test_what_is_asked_most_goes_by_an_index(clerk, statement):
    hint = BY_INDEX[statement]
    with clerk.app.state.sessions() as session:
        plan = session.execute(text(f"EXPLAIN {statement}")).mappings().all()
    assert all(hint in (row["possible_keys"] or row["key"] or "") for row in plan), plan
