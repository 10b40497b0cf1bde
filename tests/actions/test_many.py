"""Acts on many people of a roster, and what the database counts for long rosters, against the same worked out one by one."""

from __future__ import annotations

import random
from collections import Counter

import pytest
from sqlalchemy import select

from archgate.actions.across import logs, undo
from archgate.actions.enrolling import (
    enrollments,
    freed,
    groups,
    held_places,
    on_many,
    roles,
    roster,
    waitlist,
)
from archgate.actions.enrolling.commands import EnrollCommand, JoinCommand
from archgate.actions.fees import quotes, terms
from archgate.actions.fees.commands import QuoteCommand
from archgate.actions.fees.term_commands import CenterDefaultsPatch
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.messages import messages
from archgate.actions.money import accounts, money
from archgate.actions.money.commands import PayerCommand, PaymentCommand
from archgate.actions.people import organizations
from archgate.actions.people.commands import OrganizationCommand
from archgate.actions.runs import lifecycle, making, showing
from archgate.actions.runs.commands import DecideCommand, RunPatch
from archgate.actions.schedule import kept_clashes
from archgate.actions.seats.commands import HoldCommand
from archgate.core.faults import Refused
from archgate.core.money import format_amount
from archgate.core.states import LogOf
from archgate.tables.jobs import Job
from archgate.tables.log import Change
from archgate.tables.messages import Message
from archgate.tables.roster import Enrollment
from made import a_person, a_run, agrees, enrolled, number, roster_of, taken

POLICY = {"steps": [{"days_before": 14, "percent": "50"}], "kept_fee": "10.00", "transfer_fee": "5.00"}


@pytest.fixture
def policy(office):
    done = office.act(
        lambda d: terms.change_center_defaults(
            d, command_of(CenterDefaultsPatch, {"seen": {}, "set": {"refunds": POLICY}})
        )
    )
    yield
    office.act(lambda d: undo.undo(d, done["change"]))


def paid(office, person, amount):
    own = office.act(
        lambda d: accounts.account_for(
            d, command_of(PayerCommand, {"person_id": person["id"], "organization_id": None})
        )
    )["id"]
    office.act(
        lambda d: accounts.take_payment(
            d, own, command_of(PaymentCommand, {"amount": amount, "method": "cash"})
        )
    )
    return own


def balance(office, person):
    own = office.act(
        lambda d: accounts.account_for(
            d, command_of(PayerCommand, {"person_id": person["id"], "organization_id": None})
        )
    )["id"]
    return office.read(lambda d: accounts.account_page(d, own))["balance"]


@pytest.fixture
def three(office):
    """A run with three who owe 210.00 each: nothing paid, half paid, all paid."""
    run = a_run(office)
    persons = [a_person(office) for _ in range(3)]
    ids = [enrolled(office, run, p)["enrollment_id"] for p in persons]
    paid(office, persons[1], "105.00")
    paid(office, persons[2], "210.00")
    return run, persons, ids


# --- withdrawing and moving many --------------------------------------------------------------------------


def test_many_are_withdrawn_as_each_would_be_and_all_come_back(office, policy, three):
    """115.00 of 210.00 is kept of each (half of it goes back, less 10.00): shown, done and undone as one by one."""
    run, persons, ids = three
    alone = [office.read(lambda d, i=i: freed.withdrawal(d, i)) for i in ids]
    shown = office.act(lambda d: on_many.withdraw(d, run["id"], ids), preview=True)
    facts = ("enrollment_id", "name", "kept", "credit", "owed", "why")
    assert shown["people"] == [{k: a[k] for k in facts} for a in alone]
    assert (shown["kept"], shown["credit"], shown["owed"]) == ("345.00", "95.00", "125.00")
    assert taken(office, run) == 3 and [balance(office, p) for p in persons] == ["210.00", "105.00", "0.00"]
    done = office.act(lambda d: on_many.withdraw(d, run["id"], ids, "The client called it off"))
    assert taken(office, run) == 0 and [balance(office, p) for p in persons] == ["115.00", "10.00", "-95.00"]
    log = office.read(lambda d: logs.log_of(d, LogOf.PERSON, persons[0]["id"]).items)
    assert log[0]["summary"] == f"Withdrew {persons[0]['name']} from {run['code']}"
    said = office.read(lambda d: d.session.scalar(select(Change.summary).where(Change.key == done["change"])))
    assert said == f"Withdrew 3 from {run['code']}: The client called it off"
    agrees(office)
    office.act(lambda d: undo.undo(d, done["change"]))
    assert taken(office, run) == 3 and [balance(office, p) for p in persons] == ["210.00", "105.00", "0.00"]
    agrees(office)


def test_many_are_withdrawn_all_or_nobody(office, three):
    run, _, ids = three
    other = enrolled(office, a_run(office))["enrollment_id"]
    for wrong, words in (([*ids, other], "no longer holds a seat here"), ([*ids, 10**9], "no longer holds")):
        with pytest.raises(Problem, match=words):
            office.act(lambda d, w=wrong: on_many.withdraw(d, run["id"], w))
    for wrong in ([], list(range(1, 2003))):
        with pytest.raises(Refused, match="from 1 to 2000"):
            office.act(lambda d, w=wrong: on_many.withdraw(d, run["id"], w))
    with pytest.raises(Refused, match="longer than 200"):
        office.act(lambda d: on_many.withdraw(d, run["id"], ids, "x" * 201))
    assert taken(office, run) == 3


def test_a_withdrawal_of_many_is_not_undone_in_part(office, three):
    run, _, ids = three
    done = office.act(lambda d: on_many.withdraw(d, run["id"], ids))
    office.act(
        lambda d: making.change_run(
            d, run["id"], command_of(RunPatch, {"seen": {}, "set": {"capacity": 2, "smallest": 0}})
        )
    )
    with pytest.raises(Problem, match="seat is gone"):
        office.act(lambda d: undo.undo(d, done["change"]))
    assert taken(office, run) == 0
    agrees(office)


def test_many_move_with_their_money_and_all_come_back(office, policy, three):
    run, persons, ids = three
    there = a_run(office)
    shown = office.act(lambda d: on_many.move(d, run["id"], ids, there["id"]), preview=True)
    assert taken(office, there) == 0 and shown["kept"] == "15.00"
    done = office.act(lambda d: on_many.move(d, run["id"], ids, there["id"]))
    assert (done["to"], [p["name"] for p in done["people"]]) == (there["code"], [p["name"] for p in persons])
    assert (taken(office, run), taken(office, there)) == (0, 3)
    # Each owes 210.00 there and the 5.00 of the transfer, less what was paid.
    assert [balance(office, p) for p in persons] == ["215.00", "110.00", "5.00"]
    agrees(office)
    office.act(lambda d: undo.undo(d, done["change"]))
    assert (taken(office, run), taken(office, there)) == (3, 0)
    assert [balance(office, p) for p in persons] == ["210.00", "105.00", "0.00"]
    agrees(office)


def test_whoever_cannot_move_is_named_and_nobody_moves(office, three):
    run, persons, ids = three
    small = a_run(office, capacity=2, smallest=0)
    with pytest.raises(Problem, match=f"^{persons[2]['name']}: All 2 seats are taken"):
        office.act(lambda d: on_many.move(d, run["id"], ids, small["id"]))
    there = a_run(office)
    enrolled(office, there, persons[1])
    with pytest.raises(Problem, match=f"^{persons[1]['name']}: .* is already on the roster"):
        office.act(lambda d: on_many.move(d, run["id"], ids, there["id"]))
    assert (taken(office, run), taken(office, small), taken(office, there)) == (3, 0, 1)


# --- writing to many, groups ------------------------------------------------------------------------------


def letters(office, change):
    query = select(Message.to_email, Message.body, Job.status).join(Job).where(Job.change_key == change)
    return office.read(lambda d: d.session.execute(query).all())


def test_a_message_goes_once_to_everybody_whose_name_is_known(office):
    run = a_run(office)
    first, mute, both = a_person(office), a_person(office, email=""), a_person(office)
    for person in (first, mute):
        enrolled(office, run, person)
    quote = office.read(lambda d: quotes.quote_run(d, run["id"], command_of(QuoteCommand, {"heads": 3})))
    line = f"{both['given']} {both['family']}, {both['email']}"
    head = a_person(office)
    party = office.act(
        lambda d: enrollments.enroll(
            d,
            command_of(
                EnrollCommand,
                {
                    "run_id": run["id"],
                    "person_id": head["id"],
                    "total": quote["total"],
                    "heads": 3,
                    "names": [line],
                },
            ),
        )
    )
    done = office.act(lambda d: roster.tell(d, run["id"], " Boots ", "Bring some.\n"))
    assert (done["told"], done["without"]) == (3, [mute["name"]])
    sent = letters(office, done["change"])
    assert Counter(email for email, _, _ in sent) == Counter([first["email"], both["email"], head["email"]])
    assert {(body, status) for _, body, status in sent} == {("Bring some.", "queued")}
    some = office.act(lambda d: roster.tell(d, run["id"], "Hats", "Too.", [party["enrollment_id"]]))
    assert some["told"] == 2
    office.act(lambda d: messages.correct(d, last_change(d, some["change"]), last_change(d, some["change"])))
    assert {status for _, _, status in letters(office, some["change"])} == {"dropped"}
    with pytest.raises(Problem, match="Nobody is chosen"):
        office.act(lambda d: roster.tell(d, run["id"], "Hats", "Too.", [10**9]))


def last_change(uow, key):
    return uow.session.scalar(select(Change).where(Change.key == key))


def test_everybody_hears_that_a_run_goes_ahead(office):
    run = a_run(office)
    some = [a_person(office) for _ in range(3)]
    for person in some:
        enrolled(office, run, person)
    done = office.act(
        lambda d: lifecycle.decide(
            d, run["id"], command_of(DecideCommand, {"decision": "going ahead", "seen": "undecided"})
        )
    )
    assert done["told"] == 3
    sent = letters(office, done["change"])
    assert {email for email, _, _ in sent} == {p["email"] for p in some}
    for person in some:
        assert any(body.startswith(f"Dear {person['name']},\n\n") for _, body, _ in sent)


def test_people_are_put_in_groups_and_go_back_to_those_they_were_in(office):
    run = a_run(office)
    ids = [enrolled(office, run)["enrollment_id"] for _ in range(4)]

    def put(name, *which):
        return office.act(lambda d: groups.put_in_group(d, run["id"], name, list(which)))

    def where():
        names = {g["id"]: g["name"] for g in office.read(lambda d: groups.groups_of(d, run["id"]))}
        return [names.get(r["group"]) for r in roster_of(office, run)]

    put("East", ids[0], ids[1])
    put("West", ids[2])
    done = put("North", *ids)
    assert (done["people"], where()) == (4, ["North"] * 4)
    assert [g["name"] for g in done["groups"]] == ["North"]  # a group that nobody is in goes
    office.act(lambda d: undo.undo(d, done["change"]))
    assert where() == ["East", "East", "West", None]
    again = put("East", ids[0], ids[3])
    assert where() == ["East", "East", "West", "East"]
    put("West", ids[3])
    with pytest.raises(Problem, match="moved on"):
        office.act(lambda d: undo.undo(d, again["change"]))
    out = put(None, *ids)
    assert (where(), out["groups"]) == ([None] * 4, [])


# --- what the database counts -----------------------------------------------------------------------------


def busy_run(office, seed):
    """A run with whatever happens on one: parties named and not, paid in part, held, late, withdrawn, in other roles."""
    chance = random.Random(seed)
    run = a_run(office, capacity=60, smallest=0)
    for _ in range(14):
        person, heads = a_person(office), chance.choice((1, 1, 1, 2, 4))
        quote = office.read(
            lambda d, h=heads: quotes.quote_run(d, run["id"], command_of(QuoteCommand, {"heads": h}))
        )
        named = [
            f"Head{next(number)} Of, h{next(number)}@example.org" for _ in range(chance.randrange(heads))
        ]
        how = {"heads": heads, "names": named, "hold": chance.random() < 0.2}
        if chance.random() < 0.2:
            how = {"people": [{"count": heads}], "waive": "Helps out", "names": named}
            quote = office.read(
                lambda d, b=how: quotes.quote_run(
                    d, run["id"], command_of(QuoteCommand, {k: b[k] for k in ("people", "waive")})
                )
            )
        held = office.act(
            lambda d, p=person, t=quote["total"], h=how: enrollments.enroll(
                d, command_of(EnrollCommand, {"run_id": run["id"], "person_id": p["id"], "total": t, **h})
            )
        )
        what = chance.random()
        if what < 0.4 and any(c in "123456789" for c in quote["total"]):
            paid(office, person, chance.choice(("1.00", quote["due_now"] or "1.00", quote["total"])))
        elif what < 0.6:
            office.act(lambda d, e=held["enrollment_id"]: freed.withdraw(d, e))
    office.act(lambda d: roles.add_with_role(d, run["id"], a_person(office)["id"], "observer"))
    return run


@pytest.mark.parametrize("seed", range(3))
def test_figures_and_roster_are_what_one_by_one_says(office, seed):
    """Sums in SQL and rows as JSON against the same from the stored sign-ups, read one by one."""
    run = busy_run(office, seed)

    def reading(d):
        rows = d.session.scalars(
            select(Enrollment).where(Enrollment.run_id == run["id"], Enrollment.live == 1)
            .order_by(Enrollment.enrolled_at, Enrollment.id)
        ).all()  # fmt: skip
        held = money.open_installments(d, [e.id for e in rows])
        left = {e.id: sum(part for _, part in held.get(e.id, [])) for e in rows}
        learners = [e for e in rows if e.role == "learner"]
        figures = lifecycle.figures(d, lifecycle.get_run(d, run["id"]))
        firm = sum(e.heads for e in learners if e.total == 0 or left[e.id] < e.total)
        known = sum(1 + sum(1 for p in e.places if p.person_id) for e in learners)
        heads = sum(e.heads for e in learners)
        assert (figures.taken, figures.firm, figures.unpaid + figures.held, figures.unnamed) == (
            heads, firm, heads - firm, heads - known,
        )  # fmt: skip
        total, owed = sum(e.total for e in learners), sum(left[e.id] for e in learners)
        assert (figures.income, figures.paid) == (
            format_amount(total, "USD"),
            format_amount(total - owed, "USD"),
        )
        everybody = {e.person_id for e in rows} | {p.person_id for e in rows for p in e.places if p.person_id}
        assert figures.people == len(everybody) == len(messages.people_on(d, run["id"]))
        shown = roster.roster(d, run["id"])
        assert (shown.fees, shown.owed) == (format_amount(total, "USD"), format_amount(owed, "USD"))
        for row, e in zip(shown.rows, rows, strict=True):
            said = row._asdict()
            following = min(held.get(e.id, []), key=lambda r: (r[0].due, r[0].n), default=None)
            assert (said["id"], said["name"], said["heads"], said["role"]) == (
                e.id,
                e.person.name,
                e.heads,
                e.role,
            )
            assert (said["total"], said["owed"]) == (
                format_amount(e.total, "USD"),
                format_amount(left[e.id], "USD"),
            )
            assert (said["next_due"], said["next_amount"]) == (
                (following[0].due.isoformat(), format_amount(following[1], "USD"))
                if following
                else (None, None)
            )
            assert said["rate"] == roster.rate_label(e.quote) and said["answers"] == e.answers
            assert (
                said["held_until"] == d.local(e.hold_until) and said["signed_up"] == e.signed_up.isoformat()
            )
            assert [p.person_id for p in said["places"]] == [p.person_id for p in e.places]

    office.read(reading)
    agrees(office)


@pytest.mark.parametrize(
    "name",
    [
        'Ana "The Hammer"',
        "Back\\slash",
        "Zoë 李 Ünal",
        "🧱 Mason",
        "O'Neill, Jr.",
        "two  spaces",
        "<b>bold</b>",
    ],
)
def test_any_name_and_note_comes_through_the_roster_whole(office, name):
    run, person = a_run(office), a_person(office, given=name)
    note = f'Line one\nline two\t"{name}" \\ {{}} [1, 2] null'
    enrolled(office, run, person, note=note)
    row = roster_of(office, run)[0]
    assert (row["name"], row["note"], row["phone"], row["received_on"]) == (person["name"], note, None, None)


def test_a_held_seat_a_client_and_who_left_stand_on_the_roster(office):
    run = a_run(office)
    client = office.act(
        lambda d: organizations.create_organization(
            d, command_of(OrganizationCommand, {"name": f"Client {next(number)}"})
        )
    )
    held = enrolled(office, run, hold=True)
    enrolled(office, run, organization_id=client["id"])
    gone = a_person(office)
    left = enrolled(office, run, gone)
    office.act(lambda d: freed.withdraw(d, left["enrollment_id"]))
    rows = roster_of(office, run)
    # 48 hours from 20 August 2027, 10:00 in New York.
    assert (rows[0]["held_until"], rows[0]["id"]) == ("2027-08-22T10:00:00-04:00", held["enrollment_id"])
    assert [r["payer"] for r in rows] == [None, client["name"]]
    shown = office.read(lambda d: roster.roster(d, run["id"]))
    assert [g["name"] for g in shown["withdrawn"]] == [gone["name"]]


def test_learners_in_two_places_are_found_however_many_are_in_one(office):
    """Two runs at the same hours: those on both, by themselves or as the head of a party, and nobody else."""
    one, two, apart = (
        a_run(office, place="", pattern={"first": day, "start": "10:00", "minutes": 60, "count": 1})
        for day in ("2027-10-05", "2027-10-05", "2027-10-06")
    )
    alone, twice, headed, elsewhere = (a_person(office) for _ in range(4))
    for person, run in (
        (alone, one),
        (twice, one),
        (twice, two),
        (headed, one),
        (elsewhere, two),
        (alone, apart),
    ):
        enrolled(office, run, person)
    quote = office.read(lambda d: quotes.quote_run(d, two["id"], command_of(QuoteCommand, {"heads": 2})))
    line = f"{headed['given']} {headed['family']}, {headed['email']}"
    office.act(
        lambda d: enrollments.enroll(
            d,
            command_of(
                EnrollCommand,
                {
                    "run_id": two["id"],
                    "person_id": a_person(office)["id"],
                    "total": quote["total"],
                    "heads": 2,
                    "names": [line],
                },
            ),
        )
    )

    def of(run):
        found = office.read(lambda d: showing.run_view(d, run["id"]))["clashes"]
        return [c["who"] for c in found if c["kind"] == "learner"]

    wanted = ", ".join(sorted((twice["name"], headed["name"])))
    assert of(one) == of(two) == [wanted] and of(apart) == []
    every = office.read(lambda d: kept_clashes.of_center(d))
    assert [
        c["who"] for c in every if c["kind"] == "learner" and c["run"]["id"] in (one["id"], two["id"])
    ] == [wanted]


# --- a refusal costs nothing ------------------------------------------------------------------------------


def test_who_is_refused_is_told_the_first_thing_that_stands_in_the_way(office):
    """On the roster, in line, full, then what is wrong with the ask: in this order, and nothing is written."""
    run = a_run(office, capacity=1, smallest=0)
    seated, waits, new = a_person(office), a_person(office), a_person(office)
    enrolled(office, run, seated)
    office.act(
        lambda d: waitlist.join(d, command_of(JoinCommand, {"run_id": run["id"], "person_id": waits["id"]}))
    )

    def tried(person, **how):
        with pytest.raises((Problem, Refused)) as refused:
            office.act(
                lambda d: enrollments.enroll(
                    d,
                    command_of(
                        EnrollCommand,
                        {"run_id": run["id"], "person_id": person["id"], "total": "210.00", **how},
                    ),
                )
            )
        return refused.value

    assert tried(seated).kind == "already-in" and tried(waits).kind == "already-waiting"
    full = tried(new, heads=99)
    assert (full.kind, full.extra["place"]) == ("full", 2)
    office.act(
        lambda d: making.change_run(d, run["id"], command_of(RunPatch, {"seen": {}, "set": {"capacity": 9}}))
    )
    office.act(
        lambda d: held_places.hold(
            d, run["id"], command_of(HoldCommand, {"seats": 2, "for_whom": "Them", "last": "2027-08-25"})
        )
    )
    assert {f.at for f in tried(new, heads=99).faults} == {"/heads"}
    assert tried(new, plan_id=10**9).kind == "no-plan"
    with pytest.raises(Problem, match="does not exist"):
        office.act(
            lambda d: enrollments.enroll(
                d, command_of(EnrollCommand, {"run_id": 10**9, "person_id": new["id"], "total": "210.00"})
            )
        )
    assert taken(office, run) == 1
