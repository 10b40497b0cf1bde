"""The client's list of 24 goes onto a run in one step; files that are no lists are refused with their reason."""

import pytest
from sqlalchemy import select

from archgate.actions.across import undo
from archgate.actions.bulk import batches, confirming, hands, reading, running
from archgate.actions.bulk.commands import BatchChangeCommand, RowFixForm
from archgate.actions.enrolling import held_places, roster
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.messages import messages
from archgate.actions.people import organizations, people
from archgate.actions.people.commands import OrganizationCommand, TagsCommand
from archgate.actions.runs import making
from archgate.actions.runs.commands import RunPatch
from archgate.actions.seats.commands import SetAsideCommand
from archgate.core.faults import Refused
from archgate.papers.lists import read_table
from archgate.tables.jobs import Job
from archgate.tables.messages import Message
from made import DATA, a_person, a_run, agrees, enrolled, number, roster_of, taken

CLIENT = (DATA / "client-list.csv").read_bytes()


@pytest.fixture
def client(office):
    return office.act(
        lambda d: organizations.create_organization(
            d, command_of(OrganizationCommand, {"name": f"Client {next(number)}"})
        )
    )


def batch_for(office, run, client, data=CLIENT):
    made = office.act(
        lambda d: batches.after(
            d, reading.create_batch(d, run["id"], "client-list.csv", data, read_table(data))
        )
    )
    return office.act(
        lambda d: batches.after(
            d,
            reading.change_batch(
                d, made["id"], command_of(BatchChangeCommand, {"organization_id": client["id"]})
            ),
        )
    )


def confirm(office, batch):
    """Confirm what is shown, and have the worker do the rest of a long list."""
    done = office.act(
        lambda d: batches.after(d, confirming.confirm(d, batch["id"], batch["people"], batch["total"]))
    )
    worked(office, batch["id"])
    return {**office.read(lambda d: batches.batch_view(d, batch["id"])), "change": done["change"]}


def worked(office, number, size=running.SLICE):
    """The worker takes a list, if it is to be worked on, and works until it is done."""
    word = hands.claim_one(office.sessions, number)
    if word:
        hands.work_on(office.sessions, number, word, size, at=office.at)


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
    again = office.act(
        lambda d: batches.after(
            d, reading.create_batch(d, run["id"], "client-list.csv", CLIENT, read_table(CLIENT))
        )
    )
    assert again["organization"]["id"] == client["id"]  # remembered from the first time
    assert again["counts"]["already in"] == 24 and again["people"] == 0 and again["earlier"]
    with pytest.raises(Problem, match="Nobody on this list"):
        confirm(office, again)
    assert roster_of(office, run) == before


def test_known_people_are_known_again_on_another_run(office, client):
    confirm(office, batch_for(office, a_run(office, capacity=30), client))
    batch = batch_for(office, a_run(office, capacity=30), client)
    assert len(batch["items"]) == 24 and all(i["person_id"] for i in batch["items"])


def test_of_a_list_larger_than_the_free_seats_the_rest_waits_in_order(office, client):
    run = a_run(office, capacity=10)
    batch = batch_for(office, run, client)
    assert (batch["counts"]["will enroll"], batch["counts"]["will wait"]) == (10, 14)
    done = confirm(office, batch)
    assert taken(office, run) == 10 and done["counts"]["waiting"] == 14
    found = office.read(lambda d: roster.roster(d, run["id"]))["waiting"]
    assert [w["place"] for w in found] == list(range(1, 15)) and found[0]["name"] == "Leonhard Löchel"
    office.act(lambda d: undo.undo(d, done["change"]))
    assert office.read(lambda d: roster.roster(d, run["id"]))["waiting"] == []


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
    back = office.read(lambda d: batches.batch_view(d, batch["id"]))
    assert (back["status"], back["counts"]) == ("taken back", {"taken back": 24})
    again = office.act(lambda d: batches.after(d, reading.judge_again(d, batch["id"])))
    assert again["status"] == "judged" and again["people"] == 24
    confirm(office, again)
    assert taken(office, run) == 24


def test_columns_are_changed_by_hand_and_bad_ones_named(office, client):
    batch = batch_for(office, a_run(office, capacity=30), client)
    worse = office.act(
        lambda d: batches.after(
            d, reading.change_batch(d, batch["id"], command_of(BatchChangeCommand, {"columns": {"email": 2}}))
        )
    )
    assert worse["column_faults"] and worse["people"] == 0
    with pytest.raises(Refused, match="no fact named"):
        office.act(
            lambda d: batches.after(
                d,
                reading.change_batch(
                    d, batch["id"], command_of(BatchChangeCommand, {"columns": {"shoe": 1}})
                ),
            )
        )
    with pytest.raises(Refused, match="no such organization"):
        office.act(
            lambda d: batches.after(
                d,
                reading.change_batch(
                    d, batch["id"], command_of(BatchChangeCommand, {"organization_id": 10**9})
                ),
            )
        )


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "empty"),
        (b"  \r\n ", "empty"),
        (b"a,b\n" + b"\0,c\n" * 9, "NUL bytes"),
        (b"just a sentence\nand another", "no table"),
        (b"PK\x03\x04nonsense", "no workbook"),
        (b"name,email\n", "no lines"),
        (b"x" * (11 * 1024 * 1024), "larger than 10 MB"),
        (b"name,email\n" + b"a,b@example.org\n" * 50_001, "more than 50,000"),
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


FRONT_DESK = (DATA / "front-desk-export.csv").read_bytes()
THREE_RATES = [
    {"label": name, "amount": fee}
    for name, fee in (("Standard", "240.00"), ("Member", "200.00"), ("Concession", "150.00"))
]


@pytest.fixture
def hall(office):
    """A run of 200 seats with three rates."""
    return a_run(office, capacity=200, smallest=0, rates=THREE_RATES)


def read(office, run, data=FRONT_DESK, name="front-desk-export.csv"):
    return office.act(
        lambda d: batches.after(d, reading.create_batch(d, run["id"], name, data, read_table(data)))
    )


def test_the_front_desks_export_is_read_as_it_comes(office, hall):
    batch = read(office, hall)
    assert batch["reading"] == "UTF-8, semicolon between cells, 151 lines"
    assert batch["columns"] == {
        "given": 0,
        "family": 1,
        "email": 2,
        "phone": 3,
        "rate": 4,
        "remarks": 5,
        "party": 6,
    }
    assert batch["counts"] == {"will enroll": 142, "needs fixing": 7, "left out": 2}
    assert (batch["people"], batch["seats"], batch["total"]) == (142, 174, "34010.00")
    assert {s["rate"]: s["heads"] for s in batch["sums"]} == {"Member": 61, "Concession": 59, "Standard": 54}


def test_every_odd_line_of_the_export_is_caught_and_named(office, hall):
    items = {i["line"]: i for i in read(office, hall)["items"]}
    why = {line: i["why"] for line, i in items.items() if i["verdict"] in ("needs fixing", "left out")}
    assert why == {
        22: "It repeats line 7.",
        23: "It repeats line 8.",
        32: "The email is missing. Add one, or tick that there is none.",
        33: '"not an address" is not an email address.',
        34: '"two@at@example.org" is not an email address.',
        42: "The name is missing.",
        73: 'There is no rate "premium"; the run has standard, member, concession.',
        93: "The line is empty.",
        153: "It is a total, not a person.",
    }
    odd = {line: i["odd"] for line, i in items.items() if i["odd"]}
    assert (
        list(odd) == [12, 63, 64]
        and "begins like a formula" in odd[63][0]
        and "name begins like" in odd[64][0]
    )
    gallo = next(i for i in items.values() if i["family"] == "Gallo")
    assert gallo["remarks"].splitlines() == ["Bring own chisels", 'and a "dummy" mallet']


def test_the_export_is_corrected_in_place_enrolled_and_changes_nothing_again(office, hall):
    batch = read(office, hall)
    number = batch["id"]
    fixes = {
        32: {"no_email": "yes"},
        33: {"email": "ignacy@example.org"},
        42: {"given": "Eric", "family": "Smith"},
        73: {"rate": "standard"},
    }
    for line, body in fixes.items():
        batch = office.act(
            lambda d, n=line, b=body: batches.after(
                d, reading.fix_row(d, number, n, command_of(RowFixForm, b))
            )
        )
    assert batch["counts"] == {"will enroll": 146, "needs fixing": 3, "left out": 2}
    done = confirm(office, batch)
    assert done["counts"]["enrolled"] == 146 and taken(office, hall) == batch["seats"]
    tina = next(r for r in roster_of(office, hall) if r["name"] == "Tina Oconnell")
    assert (tina["heads"], tina["email"], tina["note"], tina["rate"]) == (
        2,
        None,
        "Vegetarian lunch",
        "Concession",
    )
    again = read(office, hall)
    assert again["counts"] == {"already in": 142, "needs fixing": 7, "left out": 2} and again["people"] == 0


def test_corrections_are_taken_back_and_bad_ones_refused(office, hall):
    batch = read(office, hall)
    office.act(
        lambda d: batches.after(
            d, reading.fix_row(d, batch["id"], 42, command_of(RowFixForm, {"given": "Eric"}))
        )
    )
    back = office.act(
        lambda d: batches.after(d, reading.fix_row(d, batch["id"], 42, command_of(RowFixForm, {})))
    )
    assert back["counts"] == batch["counts"]
    with pytest.raises(Refused, match="not a known key"):
        office.act(
            lambda d: batches.after(
                d, reading.fix_row(d, batch["id"], 42, command_of(RowFixForm, {"shoe": "9"}))
            )
        )
    with pytest.raises(Problem, match="This line does not exist"):
        office.act(
            lambda d: batches.after(
                d, reading.fix_row(d, batch["id"], 9999, command_of(RowFixForm, {"given": "X"}))
            )
        )


def test_a_list_larger_than_the_run_fills_it_and_lines_up_the_rest_by_party(office):
    run = a_run(office, capacity=100, smallest=0, rates=THREE_RATES)
    batch = read(office, run)
    assert batch["seats"] == 100 and batch["waits"] == 142 - batch["people"]
    done = confirm(office, batch)
    assert taken(office, run) == 100 and done["counts"]["waiting"] == batch["waits"]


def test_a_workbook_with_a_title_above_its_headings_is_read(office, hall):
    batch = read(office, hall, (DATA / "evening-class.xlsx").read_bytes(), "evening-class.xlsx")
    assert batch["reading"] == 'Workbook, sheet "Spring" of 2, headings on line 3, 40 lines'
    assert batch["columns"] == {"given": 0, "family": 1, "email": 2, "phone": 3, "party": 5}
    assert batch["counts"] == {"will enroll": 40}
    assert batch["items"][0]["line"] == 4 and batch["items"][0]["phone"].startswith("555")
    confirm(office, batch)


def test_a_list_gives_set_aside_seats_to_those_they_are_for_and_says_so(office, client):
    """By tag or because the organization pays; the seats stay with the group, and nobody else of the list gets them."""
    run = a_run(office, capacity=3, smallest=0)
    tag = f"guild{run['id']}"
    aside = {"name": "the Guild", "seats": 2, "last": "2027-09-01", "tag": tag}
    office.act(lambda d: held_places.set_aside(d, run["id"], command_of(SetAsideCommand, aside)))
    member = a_person(office)
    office.act(lambda d: people.tag_person(d, member["id"], command_of(TagsCommand, {"tags": [tag]})))
    text = "First name,Last name,Email\nA,One,a.one@example.org\nB,Two,b.two@example.org\n"
    text += f"{member['given']},{member['family']},{member['email']}\n"
    batch = read(office, run, text.encode(), "guild.csv")
    assert [i["verdict"] for i in batch["items"]] == ["will enroll", "will wait", "will enroll"]
    assert batch["items"][2]["why"] == "Known; gets a seat, set aside for the Guild."
    confirm(office, batch)
    back = office.read(lambda d: held_places.kept_back(d, run["id"]))
    assert (back["free"], [s["taken"] for s in back["set_asides"]]) == (0, [1])
    paid = {"name": "the client", "seats": 1, "last": "2027-09-01", "organization_id": client["id"]}
    more = a_run(office, capacity=1, smallest=0)
    office.act(lambda d: held_places.set_aside(d, more["id"], command_of(SetAsideCommand, paid)))
    batch = read(office, more, text.encode(), "guild.csv")
    assert [i["verdict"] for i in batch["items"]] == ["will wait"] * 3
    body = {"organization_id": client["id"]}
    batch = office.act(
        lambda d: batches.after(d, reading.change_batch(d, batch["id"], command_of(BatchChangeCommand, body)))
    )
    assert [i["verdict"] for i in batch["items"]] == ["will enroll", "will wait", "will wait"]
    agrees(office)


def read_text(office, run, text):
    data = text.encode()
    return office.act(
        lambda d: batches.after(d, reading.create_batch(d, run["id"], "list.csv", data, read_table(data)))
    )


def test_the_same_email_under_another_name_is_asked_about_and_may_be_somebody_new(office):
    run, known = (
        a_run(office),
        a_person(office, given="Ann", family="Berg", email=f"ab{next(number)}@example.org"),
    )
    batch = read_text(office, run, f"First name,Last name,Email\nAnnika,Berg,{known['email']}\n")
    assert batch["items"][0]["verdict"] == "unsure who" and "is Ann Berg here" in batch["items"][0]["why"]
    fixed = office.act(
        lambda d: batches.after(
            d, reading.fix_row(d, batch["id"], 2, command_of(RowFixForm, {"somebody_new": "yes"}))
        )
    )
    assert fixed["items"][0]["verdict"] == "will enroll" and fixed["items"][0]["person_id"] is None
    mended = office.act(
        lambda d: batches.after(
            d,
            reading.fix_row(d, batch["id"], 2, command_of(RowFixForm, {"somebody_new": "", "given": "Ann"})),
        )
    )
    assert mended["items"][0]["person_id"] == known["id"]


def test_people_known_by_a_number_alone_are_known_again_without_an_organization(office):
    first, second, n = a_run(office), a_run(office), next(number)
    text = f'Personnel no,Name,Phone\n00{n}1,"Berg, Ann",555 0101{n}\n00{n}2,"Dahl, Bo",\n'
    batch = read_text(office, first, text)
    assert batch["people"] == 2
    confirm(office, batch)
    again = read_text(office, second, text.replace("555 0101", "555 0199"))
    assert all(i["person_id"] for i in again["items"]) and again["people"] == 2
    assert read_text(office, first, text + "\n")["counts"] == {"already in": 2}


def test_everybody_of_a_list_is_told_as_at_the_desk(office):
    run = a_run(office, capacity=40)
    office.act(
        lambda d: making.change_run(
            d, run["id"], command_of(RunPatch, {"set": {"told": ["learner", "office"]}})
        )
    )
    batch = read_text(
        office,
        run,
        "First name,Last name,Email\nAnn,Told,ann.told@example.org\nBo,Told,bo.told@example.org\n",
    )
    done = confirm(office, batch)
    query = select(Message).join(Job).where(Job.change_key == done["change"]).order_by(Message.to_name)
    letters = office.read(
        lambda d: [(m.to_name, m.subject, messages.letter_in(d, m).text) for m in d.session.scalars(query)]
    )
    title = run["title"]
    assert [(name, subject) for name, subject, _ in letters] == [
        ("Ann Told", f"Enrolled on {title}"), ("Bo Told", f"Enrolled on {title}"),
    ]  # fmt: skip
    body = letters[0][2]
    assert body.count("\n- ") == run["meetings"] and run["place"] in body and "What is due, in USD:" in body


def test_an_unclosed_quote_is_named_at_its_line_and_nobody_vanishes(office):
    run = a_run(office, capacity=40)
    batch = read_text(
        office, run, 'First name,Last name,Email\nAnn,"Qu,aq@example.org\nBo,Qu,bq@example.org\n'
    )
    assert [i["line"] for i in batch["items"]] == [2, 3] and "never closed" in batch["items"][0]["odd"][0]


def test_a_list_without_headings_keeps_everybody(office):
    run, n = a_run(office, capacity=40), next(number)
    batch = read_text(
        office, run, f"Ann,Bare,a{n}@example.org,555-010203\nBo,Bare,b{n}@example.org,555-010204\n"
    )
    assert batch["columns"] == {"email": 2, "phone": 3, "given": 0, "family": 1} and batch["people"] == 2


def test_a_long_list_comes_page_by_page_with_its_counts(office):
    run = a_run(office, capacity=900)
    lines = "\n".join(f"Page{n} Turner{n},page{n}@example.org" for n in range(1, 451))
    batch = read(office, run, f"Name,Email\n{lines}\n".encode())
    assert (batch["lines"], len(batch["items"]), batch["counts"]) == (450, 200, {"will enroll": 450})
    seen, after = list(batch["items"]), batch["next"]
    while after is not None:
        page = office.read(lambda d, after=after: batches.batch_rows(d, batch["id"], "will enroll", after))
        seen, after = seen + page["items"], page["next"]
    assert [i["line"] for i in seen] == list(range(2, 452))
    assert office.read(lambda d: batches.batch_rows(d, batch["id"], "needs fixing", 0))["items"] == []
