"""The client's list of 24 goes onto a run in one step; files that are no lists are refused with their reason."""

import pytest

from archgate.actions import bulk, people, rosters, undo
from archgate.actions.problems import Problem
from archgate.core.faults import Refused
from archgate.papers.lists import read_table
from made import DATA, a_run, enrolled, number, roster_of, taken

CLIENT = (DATA / "client-list.csv").read_bytes()


@pytest.fixture
def client(office):
    return office.act(lambda d: people.create_organization(d, f"Client {next(number)}"))


def batch_for(office, run, client, data=CLIENT):
    made = office.act(lambda d: bulk.create_batch(d, run["id"], "client-list.csv", data))
    return office.act(lambda d: bulk.change_batch(d, made["id"], {"organization_id": client["id"]}))


def confirm(office, batch):
    return office.act(lambda d: bulk.enroll_batch(d, batch["id"], batch["people"], batch["total"]))


def test_the_client_list_is_read_with_its_encoding_columns_and_zeros():
    table = read_table(CLIENT)
    assert table.reading == "Windows-1252, comma between cells, 24 lines"
    assert table.headings == ["Personnel no", "Name (Last, First)", "Work email", "Department", "Start date"]
    assert table.rows[0] == (
        2,
        ["04000", "Jacob, Michèle", "michle.jacob1@example.org", "Survey", "21.03.2027"],
    )


def test_the_list_is_judged_confirmed_and_on_the_roster(office, client):
    run = a_run(office, capacity=30, smallest=0)
    batch = batch_for(office, run, client)
    assert batch["columns"] == {"number": 0, "name": 1, "email": 2, "department": 3}
    assert (batch["counts"]["will enroll"], batch["people"], batch["total"]) == (24, 24, "5040.00")
    assert taken(office, run) == 0
    done = confirm(office, batch)
    assert done["counts"]["enrolled"] == 24 and taken(office, run) == 24
    rows = roster_of(office, run)
    assert rows[0]["name"] == "Michèle Jacob" and {r["payer"] for r in rows} == {client["name"]}
    assert {r["way_in"] for r in rows} == {"list"}


def test_the_same_file_again_changes_nothing(office, client):
    run = a_run(office, capacity=30, smallest=0)
    confirm(office, batch_for(office, run, client))
    before = roster_of(office, run)
    again = office.act(lambda d: bulk.create_batch(d, run["id"], "client-list.csv", CLIENT))
    assert again["organization"]["id"] == client["id"]  # remembered from the first time
    assert again["counts"]["already in"] == 24 and again["people"] == 0 and again["earlier"]
    with pytest.raises(Problem, match="Nobody on this list"):
        confirm(office, again)
    assert roster_of(office, run) == before


def test_known_people_are_known_again_on_another_run(office, client):
    confirm(office, batch_for(office, a_run(office, capacity=30), client))
    batch = batch_for(office, a_run(office, capacity=30), client)
    assert all(i["person_id"] for i in batch["items"])


def test_of_a_list_larger_than_the_free_seats_the_rest_waits_in_order(office, client):
    run = a_run(office, capacity=10)
    batch = batch_for(office, run, client)
    assert (batch["counts"]["will enroll"], batch["counts"]["will wait"]) == (10, 14)
    done = confirm(office, batch)
    assert taken(office, run) == 10 and done["counts"]["waiting"] == 14
    found = office.look(lambda d: rosters.roster(d, run["id"]))["waiting"]
    assert [w["place"] for w in found] == list(range(1, 15)) and found[0]["name"] == "Leonhard Löchel"
    office.act(lambda d: undo.undo(d, done["change"]))
    assert office.look(lambda d: rosters.roster(d, run["id"]))["waiting"] == []


def test_what_was_confirmed_must_still_be_so(office, client):
    run = a_run(office, capacity=24)
    batch = batch_for(office, run, client)
    enrolled(office, run)
    with pytest.raises(Problem) as problem:
        confirm(office, batch)
    assert problem.value.extra["shown"]["people"] == 24 and problem.value.extra["now"]["people"] == 23
    assert taken(office, run) == 1


def test_a_list_is_enrolled_once_and_taken_back_as_a_whole(office, client):
    run = a_run(office, capacity=30)
    batch = batch_for(office, run, client)
    done = confirm(office, batch)
    with pytest.raises(Problem, match="already"):
        confirm(office, batch)
    office.act(lambda d: undo.undo(d, done["change"]))
    assert taken(office, run) == 0 and roster_of(office, run) == []
    again = office.look(lambda d: bulk.batch_view(d, batch["id"]))
    assert again["status"] == "judged" and again["people"] == 24


def test_columns_are_changed_by_hand_and_bad_ones_named(office, client):
    batch = batch_for(office, a_run(office, capacity=30), client)
    worse = office.act(lambda d: bulk.change_batch(d, batch["id"], {"columns": {"email": 2}}))
    assert worse["column_faults"] and worse["people"] == 0
    with pytest.raises(Refused, match="no fact named"):
        office.act(lambda d: bulk.change_batch(d, batch["id"], {"columns": {"shoe": 1}}))
    with pytest.raises(Refused, match="no such organization"):
        office.act(lambda d: bulk.change_batch(d, batch["id"], {"organization_id": 10**9}))


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "empty"),
        (b"  \r\n ", "empty"),
        (b"a,b\n\0,c\n", "NUL bytes"),
        (b"just a sentence\nand another", "no table"),
        (b"PK\x03\x04nonsense", "no workbook"),
        (b"name,email\n", "no lines"),
        (b"x" * (11 * 1024 * 1024), "larger than 10 MB"),
        (b"name,email\n" + b"a,b@example.org\n" * 20_001, "more than 20000"),
    ],
)
def test_a_file_that_is_no_list_is_refused_with_its_reason(data, words):
    with pytest.raises(ValueError, match=words):
        read_table(data)


@pytest.mark.parametrize(
    ("text", "encoding"),
    [
        ("Name;Email\r\nJosé;j@x.org\r\n", "utf-8-sig"),
        ("Name\tEmail\nJosé\tj@x.org\n", "utf-16"),
        ("Name|Email\nJosé|j@x.org", "cp1252"),
    ],
)
def test_lists_come_in_many_dialects(text, encoding):
    table = read_table(text.encode(encoding))
    assert table.headings == ["Name", "Email"] and table.rows == [(2, ["José", "j@x.org"])]


def test_quoted_cells_hold_separators_quotes_and_line_breaks():
    """RFC 4180, from memory: doubled quotes and line breaks inside quotes belong to the cell."""
    table = read_table(b'Name,Note\r\n"A, ""B""","one\r\ntwo"\r\nC,D\r\n')
    assert table.rows == [(2, ['A, "B"', "one\r\ntwo"]), (4, ["C", "D"])]
