"""Lists in the background: stopped, killed and gone on with at random, while others sign up; taken back row by row."""

import os
import random
import signal
import subprocess
import sys
from collections import Counter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import func, select, update

from archgate.actions.bulk import batches, confirming, hands, reading, running, taking_back
from archgate.actions.bulk.commands import BatchChangeCommand, ChooseCommand, DecideLinesCommand, RowFixForm
from archgate.actions.enrolling import freed, roster, waitlist
from archgate.actions.fees import terms
from archgate.actions.fees.term_commands import TermsPatch
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.money import accounts
from archgate.actions.money.commands import PaymentCommand
from archgate.actions.people import organizations, people, words
from archgate.actions.people.commands import OrganizationCommand, TagsCommand
from archgate.actions.runs import lifecycle, making
from archgate.actions.runs.commands import RunPatch
from archgate.papers.lists import read_table
from archgate.settings import ROOT
from archgate.tables.bulk import Batch, BatchRow
from archgate.tables.jobs import Job
from archgate.tables.log import Change
from archgate.tables.messages import Message
from archgate.tables.money import Entry, Posting
from archgate.tables.people import Person, PersonNumber
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment, RunGroup
from conftest import LONG
from made import DATA, MORNING, a_person, a_run, agrees, enrolled, number, roster_of, taken


def text_of(size, word, first=1):
    rows = [f"Ana{n},Berg{word},{word}.{n}@example.org,{1 + n % 3}" for n in range(first, first + size)]
    return "\n".join(["First name,Last name,Email,Party", *rows])


def a_list(office, run, text, name="long.csv"):
    data = text.encode()
    made = office.act(
        lambda d: batches.after(d, reading.create_batch(d, run and run["id"], name, data, read_table(data)))
    )
    return judged(office, made["id"])


def judged(office, batch):
    """A long list is judged by the worker."""
    word = hands.claim_one(office.sessions, batch)
    if word:
        hands.work_on(office.sessions, batch, word, at=office.at)
    return view(office, batch)


def view(office, batch):
    return office.read(lambda d: batches.batch_view(d, batch))


def confirm(office, batch, told=None):
    return office.act(
        lambda d: batches.after(d, confirming.confirm(d, batch["id"], batch["people"], batch["total"], told))
    )


def work(office, batch, size=running.SLICE, between=lambda: None):
    word = hands.claim_one(office.sessions, batch)
    assert word, "nobody else has it in hand"
    hands.work_on(office.sessions, batch, word, size, between, at=office.at)


def lost(office, batch):
    """The time passes after which a worker that left no word is taken for gone."""
    with office.sessions.begin() as session:
        session.execute(update(Batch).where(Batch.id == batch).values(alive_at=None))


class Killed(BaseException):
    """What a killed process does: nothing more."""


def books(office, run):
    """What a run's sign-ups come to, by name: heads, total, installments, and what was posted to the payer."""
    with office.sessions() as s:
        found = {}
        for e in s.scalars(select(Enrollment).where(Enrollment.run_id == run["id"], Enrollment.live == 1)):
            dues = s.execute(
                select(Installment.n, Installment.due, Installment.amount, Installment.open).where(
                    Installment.enrollment_id == e.id
                )
            ).all()
            posted = s.scalar(
                select(func.sum(Entry.amount))
                .join(Posting, Posting.id == Entry.posting_id)
                .where(Posting.enrollment_id == e.id, Entry.account_id == e.payer_id)
            )
            assert e.person.name not in found, "nobody twice"
            found[e.person.name] = (e.heads, e.total, sorted(map(tuple, dues)), int(posted or 0))
        return found


@pytest.mark.parametrize("seed", range(12 if LONG else 3))
def test_a_list_stopped_killed_and_resumed_at_random_ends_as_the_same_list_in_one_go(
    office, monkeypatch, seed
):
    """Others sign up meanwhile, the worker is killed between slices and in the middle of one, the list is stopped and gone on
    with; nobody is lost or enrolled twice, no seat is given twice, and the money is that of the list in one go."""
    chance, word = random.Random(seed), f"r{next(number)}"
    size, run, other = 140, a_run(office, capacity=600, smallest=0), a_run(office, capacity=600, smallest=0)
    text, done = text_of(size, word), Counter()
    batch = a_list(office, run, text)
    assert confirm(office, batch)["status"] == "running"
    write = running.write
    monkeypatch.setattr(confirming, "SLICE", 2)  # so that going on is the worker's, however little is left

    def write_or_die(slice_, change):
        write(slice_, change)
        if chance.random() < 0.2:
            done["killed in a slice"] += 1
            raise Killed

    def between():
        what = chance.choice(["nothing", "sign up", "stop", "killed", "again"])
        done[what] += 1
        if what == "sign up":
            enrolled(office, run)
        elif what == "stop":
            office.act(lambda d: confirming.stop(d, batch["id"]).key)
        elif what == "killed":
            raise Killed
        elif what == "again":
            with pytest.raises(Problem, match="being enrolled"):
                confirm(office, batch)

    monkeypatch.setattr(running, "write", write_or_die)
    for _ in range(200):
        now = view(office, batch["id"])
        if now["status"] == "enrolled":
            break
        if now["status"] == "stopped":
            office.act(lambda d, now=now: confirming.resume(d, batch["id"], now["people"], now["total"]).key)
            lost(office, batch["id"])
        try:
            work(office, batch["id"], chance.choice([3, 7, 20]), between)
        except Killed:
            assert hands.claim_one(office.sessions, batch["id"]) == ""  # not before it is taken for gone
            lost(office, batch["id"])
    monkeypatch.undo()
    end = view(office, batch["id"])
    assert end["status"] == "enrolled" and end["counts"] == {"enrolled": size}
    assert done["killed"] + done["killed in a slice"] >= 1 and done["stop"] + done["sign up"] >= 1
    assert taken(office, run) == sum(1 + n % 3 for n in range(1, size + 1)) + done["sign up"]
    whole = a_list(office, other, text)
    confirm(office, whole)
    work(office, whole["id"])
    mine = {name: x for name, x in books(office, run).items() if name.endswith(word)}
    assert mine == books(office, other)
    agrees(office)


def test_a_worker_that_wakes_up_after_its_list_was_taken_does_nothing(office):
    run = a_run(office, capacity=400, smallest=0)
    batch = a_list(office, run, text_of(120, f"w{next(number)}"))
    confirm(office, batch)
    old = hands.claim_one(office.sessions, batch["id"])
    lost(office, batch["id"])
    new = hands.claim_one(office.sessions, batch["id"])
    user = office.user
    assert old and new and old != new
    assert hands.enroll_next(office.sessions, batch["id"], old, user, 50, office.at) is False
    assert taken(office, run) == 0
    hands.work_on(office.sessions, batch["id"], new, at=office.at)
    assert view(office, batch["id"])["counts"] == {"enrolled": 120}


SCRIPT = """
import sys, time
from datetime import datetime
from archgate.actions.bulk.hands import work_on
from archgate.tables.engine import engine_for, sessions_of
url, batch, word, at = sys.argv[1:]
def between():
    print("slice", flush=True)
    time.sleep(0.3)
work_on(sessions_of(engine_for(url)), int(batch), word, 10, between, datetime.fromisoformat(at))
"""


def test_a_process_killed_in_the_middle_is_gone_on_with(office, engine):
    run = a_run(office, capacity=400, smallest=0)
    batch = a_list(office, run, text_of(130, f"k{next(number)}"))
    confirm(office, batch)
    word = hands.claim_one(office.sessions, batch["id"])
    url = engine.url.render_as_string(hide_password=False)
    command = [sys.executable, "-c", SCRIPT, url, str(batch["id"]), word, MORNING.isoformat()]
    env = {**os.environ, "PYTHONPATH": str(ROOT / "server")}
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=env) as child:
        for _ in range(3):
            assert child.stdout.readline() == "slice\n"
        child.send_signal(signal.SIGKILL)
    before = view(office, batch["id"])
    assert 30 <= before["counts"]["enrolled"] < 130 and before["status"] == "running"
    lost(office, batch["id"])
    work(office, batch["id"])
    assert view(office, batch["id"])["counts"] == {"enrolled": 130}
    agrees(office)


def test_of_two_workers_one_has_a_list_in_hand(office):
    run = a_run(office, capacity=400, smallest=0)
    batch = a_list(office, run, text_of(120, f"t{next(number)}"))
    confirm(office, batch)
    words_given = [hands.claim_one(office.sessions, batch["id"]) for _ in range(3)]
    assert sum(map(bool, words_given)) == 1


@settings(max_examples=20 if LONG else 4, deadline=None)
@given(st.lists(st.integers(1, 12), min_size=1, max_size=4), st.integers(1, 30))
def test_a_list_split_into_lists_ends_as_the_whole(split, capacity):
    """At one clock, without group prices and automatic offers: the same people seated, waiting and owing."""
    office = test_a_list_split_into_lists_ends_as_the_whole.office
    whole, parts = (a_run(office, capacity=capacity, smallest=0) for _ in range(2))
    word, size = f"s{next(number)}", sum(split)
    confirm_all(office, whole, text_of(size, word))
    first = 1
    for piece in split:
        confirm_all(office, parts, text_of(piece, word, first))
        first += piece
    assert books(office, whole) == books(office, parts)
    waits = [
        [(w["name"], w["heads"]) for w in office.read(lambda d, r=r: roster.roster(d, r["id"]))["waiting"]]
        for r in (whole, parts)
    ]
    assert waits[0] == waits[1]


def confirm_all(office, run, text):
    batch = a_list(office, run, text)
    if batch["can_enroll"]:
        confirm(office, batch)


@pytest.fixture(autouse=True)
def _office_for_properties(office):
    test_a_list_split_into_lists_ends_as_the_whole.office = office


# --- what moves on meanwhile ------------------------------------------------------------------------------


def test_seats_that_others_took_meanwhile_put_the_rest_in_line_and_it_says_so(office):
    run, word = a_run(office, capacity=110, smallest=0), f"m{next(number)}"
    text = "\n".join(["Name,Email", *(f"Ana{n} Berg{word},{word}.{n}@example.org" for n in range(110))])
    batch = a_list(office, run, text)
    assert batch["people"] == 110
    confirm(office, batch)
    for _ in range(3):
        enrolled(office, run)
    work(office, batch["id"], 25)
    end = view(office, batch["id"])
    assert (end["counts"], taken(office, run)) == ({"enrolled": 107, "waiting": 3}, 110)
    last = office.read(lambda d: batches.batch_rows(d, batch["id"], "waiting", 0))["items"]
    assert [i["why"] for i in last] == [
        f"Added; 1 needed, 0 free: waits as number {n} in line." for n in (1, 2, 3)
    ]


def test_whoever_came_onto_the_run_meanwhile_is_left_as_they_are(office):
    run, word = a_run(office, capacity=300, smallest=0), f"c{next(number)}"
    somebody = a_person(office, given="Ana5", family=f"Berg{word}", email=f"{word}.5@example.org")
    batch = a_list(office, run, text_of(120, word))
    confirm(office, batch)
    enrolled(office, run, somebody)
    work(office, batch["id"])
    end = view(office, batch["id"])
    assert end["counts"] == {"enrolled": 119, "was in already": 1}
    assert Counter(r["person_id"] for r in roster_of(office, run))[somebody["id"]] == 1


def test_a_fee_that_changes_lets_the_list_stand_until_it_is_confirmed_anew(office):
    run, word = a_run(office, capacity=300, smallest=0, rates=[{"amount": "100.00"}]), f"f{next(number)}"
    batch = a_list(office, run, text_of(120, word))
    confirm(office, batch)
    word_of = hands.claim_one(office.sessions, batch["id"])
    hands.enroll_next(office.sessions, batch["id"], word_of, office.user, 20, office.at)
    dearer = command_of(TermsPatch, {"set": {"rates": [{"label": "Standard", "amount": "110.00"}]}})
    office.act(lambda d: terms.change_terms(d, run["id"], dearer))
    hands.work_on(office.sessions, batch["id"], word_of, 20, at=office.at)
    stands = view(office, batch["id"])
    assert stands["status"] == "stopped" and "110.00 now" in stands["note"].replace("220.00", "110.00")
    again = office.act(lambda d: batches.after(d, reading.judge_again(d, batch["id"])))
    assert again["people"] == 100 and again["counts"]["enrolled"] == 20
    confirm(office, again)
    assert view(office, batch["id"])["counts"] == {"enrolled": 120}
    assert {r["total"] for r in roster_of(office, run) if r["heads"] == 1} == {"100.00", "110.00"}


def test_a_run_taken_off_sale_lets_the_list_stand(office):
    run, word = a_run(office, capacity=300, smallest=0), f"o{next(number)}"
    batch = a_list(office, run, text_of(120, word))
    confirm(office, batch)
    office.act(lambda d: lifecycle.set_sale(d, run["id"], False))
    work(office, batch["id"])
    stands = view(office, batch["id"])
    assert stands["status"] == "stopped" and "off sale" in stands["note"] and taken(office, run) == 0
    office.act(lambda d: lifecycle.set_sale(d, run["id"], True))
    office.act(lambda d: confirming.resume(d, batch["id"], stands["people"], stands["total"]).key)
    lost(office, batch["id"])
    work(office, batch["id"])
    assert view(office, batch["id"])["counts"] == {"enrolled": 120}


# --- judged ----------------------------------------------------------------------------------------------


def test_a_long_list_is_judged_by_the_worker_and_a_corrected_row_alone_is_judged_again(office):
    run, word = a_run(office, capacity=9000, smallest=0), f"j{next(number)}"
    text = text_of(1200, word).replace(f"{word}.7@example.org", "seven@@example.org")
    data = text.encode()
    made = office.act(
        lambda d: batches.after(d, reading.create_batch(d, run["id"], "long.csv", data, read_table(data)))
    )
    assert made["status"] == "judging" and made["counts"] == {} and not made["can_enroll"]
    batch = judged(office, made["id"])
    assert batch["counts"] == {"will enroll": 1199, "needs fixing": 1} and not batch["moved"]
    assert batch["kinds"][0]["decisions"][0] == "take what is suggested"
    with office.sessions() as s:
        before = s.scalar(select(BatchRow.why).where(BatchRow.batch_id == batch["id"], BatchRow.line == 9))
    fix = command_of(RowFixForm, {"email": "seven@example.org"})
    after = office.act(lambda d: batches.after(d, reading.fix_row(d, batch["id"], 8, fix)))
    assert (after["status"], after["counts"]) == ("judged", {"will enroll": 1200})
    with office.sessions() as s:
        row = select(BatchRow.why).where(BatchRow.batch_id == batch["id"], BatchRow.line == 9)
        assert s.scalar(row) == before


def test_where_seats_are_short_a_corrected_row_has_the_whole_list_judged_again(office):
    run, word = a_run(office, capacity=10, smallest=0), f"q{next(number)}"
    text = text_of(1100, word).replace(f"{word}.1@example.org", "one@@example.org")
    batch = a_list(office, run, text)
    first = batch["people"]
    fix = command_of(RowFixForm, {"email": "one@example.org"})
    after = office.act(lambda d: batches.after(d, reading.fix_row(d, batch["id"], 2, fix)))
    assert after["status"] == "judging"
    end = judged(office, batch["id"])
    assert end["items"][0]["verdict"] == "will enroll" and end["people"] <= first + 1


def test_one_decision_is_put_into_all_lines_of_a_kind(office):
    run, n = a_run(office, capacity=100), next(number)
    rows = [f"A{k} B{n},,555 01{k:02d}{n},standrd" for k in range(4)] + [
        f"C{k} D{n},c{k}.{n}@x.org,," for k in range(2)
    ]
    batch = a_list(office, run, "\n".join(["Name,Email,Phone,Rate", *rows]))
    assert {k["kind"]: k["lines"] for k in batch["kinds"]} == {"no email": 4}

    def decide(kind, decision):
        command = command_of(DecideLinesCommand, {"kind": kind, "decision": decision})
        return office.act(lambda d: batches.after(d, reading.decide(d, batch["id"], command)[0]))

    after = decide("no email", "enroll without email")
    assert {k["kind"]: k["lines"] for k in after["kinds"]} == {"unknown rate": 4}
    end = decide("unknown rate", "take what is suggested")
    assert end["counts"] == {"will enroll": 6} and not end["kinds"]
    with pytest.raises(Problem, match="None of these"):
        decide("no email", "enroll without email")


def test_a_list_says_that_people_or_seats_have_changed_since_it_was_judged(office):
    run = a_run(office, capacity=20)
    batch = a_list(office, run, text_of(3, f"v{next(number)}"))
    assert not view(office, batch["id"])["moved"]
    enrolled(office, run)
    assert view(office, batch["id"])["moved"]


# --- several runs, groups, numbers, terms -----------------------------------------------------------------


def test_a_list_fills_several_runs_with_groups_and_keeps_numbers_and_orders(office):
    one, two, n = a_run(office, capacity=8), a_run(office, capacity=9), next(number)
    client = office.act(
        lambda d: organizations.create_organization(d, command_of(OrganizationCommand, {"name": f"Mill {n}"}))
    )
    text = "Name,Email,Staff no,Run,Group,Purchase order\n"
    text += f"Ann Berg{n},a{n}@x.org,00{n},{one['code']},Early,PO-1\n"
    text += f"Ann Berg{n},a{n}@x.org,00{n},{two['code'].lower()},,\n"
    text += f"Bo Dahl{n},b{n}@x.org,,{two['code']},Late,\nCy Ek{n},c{n}@x.org,,{two['code']}X,,\n"
    batch = a_list(office, None, text)
    assert batch["items"][3]["suggested"] == two["code"] and batch["counts"]["needs fixing"] == 1
    change = command_of(BatchChangeCommand, {"organization_id": client["id"], "order_number": "PO-ALL"})
    batch = office.act(lambda d: batches.after(d, reading.change_batch(d, batch["id"], change)))
    assert [(r["code"], r["seats"]) for r in batch["runs"]] == [(one["code"], 1), (two["code"], 2)]
    assert batch["new_people"] == 2 and batch["payers"][0]["name"] == client["name"]
    confirm(office, batch)
    with office.sessions() as s:
        of = select(Enrollment).where(Enrollment.batch_id == batch["id"]).order_by(Enrollment.id)
        made = list(s.scalars(of))
        assert len(made) == 3 and made[0].person_id == made[1].person_id
        assert {e.order_number for e in made} == {"PO-1", "PO-ALL"}
        numbers = s.scalars(select(PersonNumber).where(PersonNumber.number == f"00{n}")).all()
        assert [x.organization_id for x in numbers] == [client["id"]]
    groups = office.read(lambda d: roster.roster(d, two["id"]))["groups"]
    assert [(g["name"], g["people"]) for g in groups] == [("Late", 1)]


def test_a_row_that_waits_brings_its_group_order_and_contact_to_its_seat(office):
    run, n = a_run(office, capacity=1, smallest=0), next(number)
    first = enrolled(office, run)
    text = "Name,Email,Group,Purchase order,Contact\n"
    batch = a_list(office, run, text + f"Ann Berg{n},a{n}@x.org,Late,PO-7,Kim\n")
    assert batch["counts"] == {"will wait": 1}
    confirm(office, batch)
    office.act(lambda d: freed.withdraw(d, first["enrollment_id"]))
    waiting = office.read(lambda d: roster.roster(d, run["id"]))["waiting"][0]
    total = office.read(lambda d: waitlist.seat_quote(d, waiting["id"]))["total"]
    seated = office.act(lambda d: waitlist.seat(d, waiting["id"], total))
    with office.sessions() as s:
        made = s.get_one(Enrollment, seated["enrollment_id"])
        assert (made.order_number, made.contact) == ("PO-7", "Kim")
        assert s.get_one(RunGroup, made.group_id).name == "Late"


def test_a_list_without_a_run_needs_a_column_that_names_it(office):
    batch = a_list(office, None, text_of(2, f"n{next(number)}"))
    assert "No column names the run" in batch["column_faults"][0] and not batch["can_enroll"]


def test_another_sheet_of_a_workbook_can_be_taken(office):
    run, data = a_run(office, capacity=90), (DATA / "evening-class.xlsx").read_bytes()
    made = office.act(
        lambda d: batches.after(d, reading.create_batch(d, run["id"], "class.xlsx", data, read_table(data)))
    )
    assert made["sheet"] == "Spring" and len(made["sheets"]) == 2
    other = next(s for s in made["sheets"] if s != "Spring")
    kept = office.read(lambda d: reading.file_of(d, made["id"]))
    assert kept == data
    table = read_table(data, "Spring")
    again = office.act(lambda d: batches.after(d, reading.read_anew(d, made["id"], table)))
    assert again["sheet"] == "Spring" and again["lines"] == 40 and other != again["sheet"]


def test_columns_picked_by_hand_are_remembered_for_the_same_headings(office):
    n = next(number)
    text = f"Kennung,Wer,Post\n1,Ann Berg{n},a{n}@x.org\n"
    run = a_run(office)
    batch = a_list(office, run, text)
    assert batch["column_faults"]
    columns = command_of(BatchChangeCommand, {"columns": {"name": 1, "email": 2}})
    batch = office.act(lambda d: batches.after(d, reading.change_batch(d, batch["id"], columns)))
    confirm(office, batch)
    later = a_list(office, a_run(office), text.replace("Ann", "Bea").replace(f",a{n}@", f",b{n}@"))
    assert later["columns"] == {"name": 1, "email": 2} and later["people"] == 1


def test_people_who_are_known_are_chosen_by_tag_roster_and_run_and_left_out_by_name(office):
    past, run, n = a_run(office, capacity=30), a_run(office, capacity=30), next(number)
    three = [a_person(office) for _ in range(3)]
    for person in three[:2]:
        enrolled(office, past, person)
    office.act(
        lambda d: people.tag_person(d, three[2]["id"], command_of(TagsCommand, {"tags": [f"chosen{n}"]}))
    )

    def chosen(**by):
        command = ChooseCommand(run_id=run["id"], **by)
        found = office.read(lambda d: reading.preview_choice(d, command))["people"]
        batch = office.act(lambda d: batches.after(d, reading.choose_people(d, command)))
        assert found == batch["lines"]
        return batch

    assert chosen(tag=f"CHOSEN{n}")["items"][0]["person_id"] == three[2]["id"]
    batch = chosen(of_run_id=past["id"])
    assert {i["person_id"] for i in batch["items"]} == {p["id"] for p in three[:2]}
    assert batch["file_name"] == f"people on {past['code']}"
    out = command_of(RowFixForm, {"left_out": "yes"})
    batch = office.act(lambda d: batches.after(d, reading.fix_row(d, batch["id"], 1, out)))
    assert batch["counts"] == {"will enroll": 1, "left out": 1}
    confirm(office, batch)
    assert chosen(of_run_id=past["id"], but_run_id=run["id"])["lines"] == 1
    with pytest.raises(Problem, match="Nobody is chosen"):
        chosen(tag="nobody has this")


# --- told, and taken back ---------------------------------------------------------------------------------


def letters(office, batch):
    query = (
        select(Message.to_name, Job.status)
        .join(Job)
        .where(
            Job.change_key.in_(
                select(Change.key).where(Change.subject == "batch", Change.subject_id == batch)
            )
        )
    )
    with office.sessions() as s:
        return {(name, str(status)) for name, status in s.execute(query)}


@pytest.mark.parametrize(("told", "names"), [(["learner"], 3), ([], 0), (None, 3)])
def test_who_is_told_is_said_with_the_confirmation(office, told, names):
    run = a_run(office, capacity=40)
    office.act(
        lambda d: making.change_run(d, run["id"], command_of(RunPatch, {"set": {"told": ["learner"]}}))
    )
    batch = a_list(office, run, text_of(3, f"u{next(number)}"))
    assert batch["letters"] == 3 and batch["told_usually"] == ["learner"]
    assert (batch["new_people"], batch["installments"], batch["seats"]) == (3, 6, 6)
    confirm(office, batch, told)
    assert len(letters(office, batch["id"])) == names


def test_a_list_is_taken_back_as_far_as_nothing_later_depends_on_it(office):
    """A paid row, one withdrawn since and one whose heads were named stay and are named; letters that wait are dropped; people
    whom the list added go, those who were known stay."""
    run, word = a_run(office, capacity=300, smallest=0), f"b{next(number)}"
    known = a_person(office, given="Ana9", family=f"Berg{word}", email=f"{word}.9@example.org")
    batch = a_list(office, run, text_of(120, word))
    confirm(office, batch, ["learner"])
    work(office, batch["id"])
    rows = {r["name"]: r for r in roster_of(office, run)}
    paid, gone = rows[f"Ana3 Berg{word}"], rows[f"Ana4 Berg{word}"]
    with office.sessions() as s:
        account = s.get_one(Enrollment, paid["id"]).payer_id
    pay = command_of(PaymentCommand, {"amount": "50.00", "method": "cash"})
    office.act(lambda d: accounts.take_payment(d, account, pay))
    office.act(lambda d: freed.withdraw(d, gone["id"]))
    begun = office.act(lambda d: batches.after(d, taking_back.take_back(d, batch["id"])))
    assert begun["status"] == "taking back" and begun["progress"]["of"] == 120
    word_of_worker = hands.claim_one(office.sessions, batch["id"])
    assert office.act(lambda d: taking_back.one_slice(d, batch["id"], word_of_worker))
    assert view(office, batch["id"])["progress"]["done"] == taking_back.BACK
    stopped = office.act(lambda d: batches.after(d, confirming.stop(d, batch["id"])))
    assert stopped["status"] == "enrolled" and stopped["can_take_back"] > 0
    assert not office.act(lambda d: taking_back.one_slice(d, batch["id"], word_of_worker))
    assert view(office, batch["id"])["counts"] == stopped["counts"]
    office.act(lambda d: taking_back.take_back(d, batch["id"]))  # seventy: few enough to be done at once
    end = view(office, batch["id"])
    assert (end["status"], end["counts"]) == ("enrolled", {"enrolled": 2, "taken back": 118})
    left = {
        i["name"]: i["why"]
        for i in office.read(lambda d: batches.batch_rows(d, batch["id"], "enrolled", 0))["items"]
    }
    assert "a payment settles it" in left[f"Ana3 Berg{word}"] and "Withdrew" in left[f"Ana4 Berg{word}"]
    assert taken(office, run) == paid["heads"]
    assert {status for _, status in letters(office, batch["id"])} == {"queued", "dropped"}
    with office.sessions() as s:
        there = set(s.scalars(select(Person.name).where(Person.family == f"Berg{word}", Person.there())))
    assert there == {f"Ana{n} Berg{word}" for n in (3, 4, 9)}
    assert office.read(lambda d: words.ids_found(d, f"ana9 berg{word}", 5)) == [known["id"]]
    assert office.read(lambda d: words.ids_found(d, f"ana10 berg{word}", 5)) == []
    with office.sessions() as s:
        removed = s.scalar(select(Person.id).where(Person.name == f"Ana10 Berg{word}"))
    with pytest.raises(Problem, match="was removed with the list"):
        enrolled(office, run, {"id": removed})
    agrees(office)


def test_single_lines_are_taken_back_and_come_in_again_with_the_same_list(office):
    run, word = a_run(office, capacity=300, smallest=0), f"l{next(number)}"
    batch = a_list(office, run, text_of(4, word))
    confirm(office, batch)
    back = office.act(lambda d: batches.after(d, taking_back.take_back(d, batch["id"], [3])))
    assert back["counts"] == {"enrolled": 3, "taken back": 1}
    with pytest.raises(Problem, match="None of these lines"):
        office.act(lambda d: taking_back.take_back(d, batch["id"], [3]))
    with pytest.raises(Problem, match="None of these lines"):
        office.act(lambda d: taking_back.take_back(d, batch["id"], None, "waiting"))
    found = office.act(
        lambda d: batches.after(d, taking_back.take_back(d, batch["id"], None, "enrolled", "ana1 berg"))
    )
    assert found["counts"] == {"enrolled": 2, "taken back": 2}
    office.act(lambda d: batches.after(d, taking_back.take_back(d, batch["id"], [4])))
    again = a_list(office, run, text_of(4, word))
    assert again["counts"] == {"already in": 1, "will enroll": 3}
    confirm(office, again)
    assert taken(office, run) == sum(1 + n % 3 for n in range(1, 5))
    agrees(office)


def test_all_lists_stand_on_one_page_and_each_has_a_report(office):
    run, word = a_run(office, capacity=300, smallest=0), f"p{next(number)}"
    batch = a_list(office, run, text_of(3, word), "page.csv")
    confirm(office, batch)
    mine = office.read(lambda d: batches.list_batches(d, run_id=run["id"]))
    assert [(b["file_name"], b["enrolled"], b["status"]) for b in mine["items"]] == [
        ("page.csv", 3, "enrolled")
    ]
    name, lines = office.read(lambda d: (lambda n, x: [n, list(x)])(*batches.report_lines(d, batch["id"])))
    assert name == "page.csv" and len(lines) == 4 and lines[1][11] == "enrolled"
