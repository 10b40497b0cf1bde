"""The line of a full run and parties of several heads."""

import random
from collections import Counter
from datetime import timedelta
from functools import partial

import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule
from sqlalchemy import select

from archgate.actions.across import person_pages, undo
from archgate.actions.enrolling import enrollments, freed, held_places, offers, roster, transfers, waitlist
from archgate.actions.enrolling.commands import EnrollCommand, JoinCommand, TransferCommand, WithdrawCommand
from archgate.actions.fees import quotes, terms
from archgate.actions.fees.commands import QuoteCommand
from archgate.actions.fees.term_commands import TermsPatch
from archgate.actions.kernel import signing
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.money import money
from archgate.actions.runs import making
from archgate.actions.runs.commands import RunPatch
from archgate.actions.seats import seats
from archgate.actions.seats.commands import HoldCommand
from archgate.core.faults import Refused
from archgate.core.seats import check_seats
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.roster import Enrollment
from archgate.tables.seats import RunSeats
from archgate.tables.waitlist import Waiting
from conftest import LONG
from made import Office, a_person, a_run, at_once, enrolled, roster_of, taken


def join(office, run, heads=1, person=None):
    somebody = person or a_person(office)
    return office.act(
        lambda d: waitlist.join(
            d, command_of(JoinCommand, {"run_id": run["id"], "person_id": somebody["id"], "heads": heads})
        )
    )


def line(office, run):
    return office.read(lambda d: roster.roster(d, run["id"]))["waiting"]


def seat(office, waiting_id, total=None):
    shown = total or office.read(lambda d: waitlist.seat_quote(d, waiting_id))["total"]
    return office.act(lambda d: waitlist.seat(d, waiting_id, shown))


@pytest.fixture
def full(office):
    run = a_run(office, capacity=2, smallest=0)
    run["held"] = [enrolled(office, run), enrolled(office, run)]
    return run


def test_a_full_run_takes_people_in_line_in_order_of_joining(office, full):
    first = join(office, full)
    second = join(office.later(hours=1), full, heads=2)
    assert (first["place"], second["place"]) == (1, 2)
    assert [(w["place"], w["heads"], w["next"]) for w in line(office, full)] == [(1, 1, False), (2, 2, False)]
    quote = office.read(lambda d: quotes.quote_run(d, full["id"], QuoteCommand()))
    assert (quote["can_enroll"], quote["can_wait"], quote["place"], quote["why"]) == (
        False,
        True,
        3,
        "All 2 seats are taken.",
    )


def test_a_withdrawal_lets_the_next_be_seated_by_hand_at_todays_price(office, full):
    waiting = join(office, full)
    office.act(lambda d: freed.withdraw(d, full["held"][0]["enrollment_id"]))
    assert line(office, full)[0]["next"] is True
    held = seat(office.later(days=9), waiting["waiting_id"])
    assert held["quote"]["total"] == "240.00" and taken(office, full) == 2 and line(office, full) == []
    assert roster_of(office, full)[-1]["way_in"] == "waitlist"


def test_a_party_is_seated_on_the_rate_it_joined_with_also_when_that_was_taken_off_since(office, full):
    waiting = join(office, full)
    only = [{"label": "Late", "amount": "500.00"}]
    office.act(
        lambda d: terms.change_terms(
            d, full["id"], command_of(TermsPatch, {"seen": {}, "set": {"rates": only}})
        )
    )
    office.act(lambda d: freed.withdraw(d, full["held"][0]["enrollment_id"]))
    assert seat(office, waiting["waiting_id"])["quote"]["total"] == "210.00"


def test_somebody_new_does_not_pass_those_who_wait(office, full):
    join(office, full)
    office.act(lambda d: freed.withdraw(d, full["held"][0]["enrollment_id"]))
    with pytest.raises(Problem, match="somebody in line comes first") as problem:
        enrolled(office, full)
    assert problem.value.extra["place"] == 2


def test_the_line_is_kept_and_a_party_too_large_is_passed_over(office, full):
    large, small = join(office, full, heads=2), join(office.later(hours=1), full)
    office.act(lambda d: freed.withdraw(d, full["held"][0]["enrollment_id"]))
    with pytest.raises(Problem, match="1 of 2 are free"):
        seat(office, large["waiting_id"])
    seat(office, small["waiting_id"])
    assert [w["id"] for w in line(office, full)] == [large["waiting_id"]]


def test_nobody_joins_while_there_is_a_seat_nor_twice(office, full):
    with pytest.raises(Problem, match="There is a seat"):
        join(office, a_run(office))
    person = a_person(office)
    join(office, full, person=person)
    with pytest.raises(Problem, match="waits for"):
        join(office, full, person=person)
    with pytest.raises(Problem, match="already on the roster"):
        join(office, full, person={"id": full["held"][0]["person_id"]})


def test_no_free_seat_seats_nobody_and_a_changed_price_is_answered(office, full):
    waiting = join(office, full)
    with pytest.raises(Problem, match="No seat is free"):
        seat(office, waiting["waiting_id"])
    office.act(lambda d: freed.withdraw(d, full["held"][0]["enrollment_id"]))
    with pytest.raises(Problem) as problem:
        seat(office, waiting["waiting_id"], total="1.00")
    assert problem.value.kind == "total-changed"


def test_joining_leaving_and_seating_are_undone_and_the_place_in_line_is_kept(office, full):
    first, second = join(office, full), join(office.later(hours=1), full)
    left = office.act(lambda d: waitlist.leave(d, first["waiting_id"]))
    assert line(office, full)[0]["id"] == second["waiting_id"]
    office.act(lambda d: undo.undo(d, left["change"]))
    assert line(office, full)[0]["id"] == first["waiting_id"]
    office.act(lambda d: freed.withdraw(d, full["held"][0]["enrollment_id"]))
    held = seat(office, first["waiting_id"])
    office.act(lambda d: undo.undo(d, held["change"]))
    assert [w["id"] for w in line(office, full)] == [first["waiting_id"], second["waiting_id"]]
    assert taken(office, full) == 1 and office.read(money.ledger_faults) == []
    office.act(lambda d: undo.undo(d, second["change"]))
    assert [w["id"] for w in line(office, full)] == [first["waiting_id"]]
    with pytest.raises(Problem, match="no longer waits"):
        office.act(lambda d: waitlist.leave(d, second["waiting_id"]))


def test_a_party_takes_a_seat_a_head_pays_for_all_and_is_named_later(office):
    run = a_run(office, capacity=4, smallest=0)
    payer, guest = a_person(office), a_person(office)
    quote = office.read(lambda d: quotes.quote_run(d, run["id"], command_of(QuoteCommand, {"heads": 3})))
    held = office.act(
        lambda d: enrollments.enroll(
            d,
            command_of(
                EnrollCommand,
                {
                    "run_id": run["id"],
                    "person_id": payer["id"],
                    "total": quote["total"],
                    "heads": 3,
                    "note": "Side door",
                },
            ),
        )
    )
    assert (held["seat"], held["heads"], held["quote"]["total"], taken(office, run)) == (1, 3, "630.00", 3)
    row = roster_of(office, run)[0]
    assert [p["name"] for p in row["places"]] == [None, None] and row["note"] == "Side door"
    named = office.act(lambda d: enrollments.name_place(d, held["enrollment_id"], 2, guest["id"]))
    assert roster_of(office, run)[0]["places"][0]["name"] == guest["name"]
    with pytest.raises(Problem, match="already on the roster"):
        enrolled(office, run, guest)
    with pytest.raises(Problem, match="already on the roster"):
        office.act(lambda d: enrollments.name_place(d, held["enrollment_id"], 3, payer["id"]))
    page = office.read(lambda d: person_pages.person_page(d, guest["id"]))
    assert page["enrollments"][0]["guest"] is True
    office.act(lambda d: undo.undo(d, named["change"]))
    assert roster_of(office, run)[0]["places"][0]["name"] is None
    with pytest.raises(Problem, match="2 seats are needed; 1 of 4 is free"):
        office.act(
            lambda d: enrollments.enroll(
                d,
                command_of(
                    EnrollCommand,
                    {"run_id": run["id"], "person_id": guest["id"], "total": "420.00", "heads": 2},
                ),
            )
        )
    office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    assert taken(office, run) == 0


@pytest.mark.parametrize("heads", [0, -1, 51])
def test_a_party_has_at_least_one_head_and_not_too_many(office, heads):
    run = a_run(office)
    with pytest.raises(Refused, match="1 to 50 heads"):
        office.read(lambda d: quotes.quote_run(d, run["id"], command_of(QuoteCommand, {"heads": heads})))
    with pytest.raises(Refused, match="1 to 50 heads"):
        office.act(
            lambda d: enrollments.enroll(
                d,
                command_of(
                    EnrollCommand,
                    {
                        "run_id": run["id"],
                        "person_id": a_person(office)["id"],
                        "total": "0.00",
                        "heads": heads,
                    },
                ),
            )
        )


def test_parties_after_the_last_seats_at_once_never_oversell(office):
    run = a_run(office, capacity=10, smallest=0)
    chance = random.Random(4)
    sizes = [chance.randint(1, 4) for _ in range(24)]
    somebody = [a_person(office) for _ in sizes]

    def sit(person, heads):
        try:
            total = f"{210 * heads}.00"
            return office.act(
                lambda d: enrollments.enroll(
                    d,
                    command_of(
                        EnrollCommand,
                        {"run_id": run["id"], "person_id": person["id"], "total": total, "heads": heads},
                    ),
                )
            )["heads"]
        except Problem:
            return 0

    seated = at_once([partial(sit, p, h) for p, h in zip(somebody, sizes, strict=True)])
    assert sum(seated) == taken(office, run) <= 10


class Crash(Exception):
    """The process went down before its transaction was over."""


class SeatsUnderRandomActs(RuleBasedStateMachine):
    """Random acts on two small runs, against the database; after each, no seat is sold twice and the line is kept."""

    office: Office
    done: Counter[str]  # what was done, not only tried

    @initialize(rule=st.sampled_from(["fit", "strict"]), hold=st.booleans())
    def begin(self, rule, hold):
        self.runs = [a_run(self.office, capacity=3, smallest=0) for _ in range(2)]
        self.run = self.runs[0]
        self.moment = self.office
        self.undoable = []
        ask = {"line_rule": rule, "hold_hours": 24 if hold else None}
        seen = {"line_rule": "fit", "hold_hours": None}
        self.office.act(
            lambda d: making.change_run(d, self.run["id"], command_of(RunPatch, {"seen": seen, "set": ask}))
        )

    def attempt(self, what, uow, crash=False):
        self.moment = self.moment.later(minutes=1)

        def act(d):
            done = uow(d)
            d.session.flush()
            if crash:
                raise Crash
            return done

        try:
            done = self.moment.act(act)
        except (Problem, Refused):
            return
        except Crash:
            assert crash
            return
        self.done[what] += 1
        if isinstance(done, dict) and done.get("change"):
            self.undoable.append(done["change"])

    def total(self, heads):
        return self.moment.later(minutes=1).read(
            lambda d: quotes.quote_run(d, self.run["id"], command_of(QuoteCommand, {"heads": heads}))
        )["total"]

    def pick(self, rows, n):
        return rows[n % len(rows)] if rows else None

    @rule(heads=st.integers(1, 2), crash=st.booleans())
    def enroll(self, heads, crash):
        person, total = a_person(self.moment), self.total(heads)
        self.attempt(
            "enroll",
            lambda d: enrollments.enroll(
                d,
                command_of(
                    EnrollCommand,
                    {"run_id": self.run["id"], "person_id": person["id"], "total": total, "heads": heads},
                ),
            ),
            crash,
        )

    @rule(heads=st.integers(1, 2))
    def wait(self, heads):
        person = a_person(self.moment)
        self.attempt(
            "wait",
            lambda d: waitlist.join(
                d,
                command_of(
                    JoinCommand, {"run_id": self.run["id"], "person_id": person["id"], "heads": heads}
                ),
            ),
        )

    @rule(n=st.integers(0, 20), to=st.sampled_from([None, "next", "keep"]), crash=st.booleans())
    def withdraw(self, n, to, crash):
        row = self.pick(roster_of(self.moment, self.run), n)
        seat = to and {"to": to, "last": self.moment.at.date().isoformat()}
        if row:
            command = command_of(WithdrawCommand, {"seat": seat})
            self.attempt("withdraw", lambda d: freed.withdraw(d, row["id"], command), crash)

    @rule(n=st.integers(0, 20))
    def move(self, n):
        row = self.pick(roster_of(self.moment, self.run), n)
        if row:
            self.attempt(
                "move",
                lambda d: transfers.transfer(
                    d, row["id"], command_of(TransferCommand, {"run_id": self.runs[1]["id"]})
                ),
            )

    @rule(n=st.integers(0, 20), leave=st.booleans(), why=st.sampled_from(["", "her turn"]))
    def seat_or_leave(self, n, leave, why):
        row = self.pick(line(self.moment, self.run), n)
        if row and leave:
            self.attempt("leave", lambda d: waitlist.leave(d, row["id"]))
        elif row:
            total = self.total(row["heads"])
            self.attempt("seat", lambda d: waitlist.seat(d, row["id"], total, why))

    @rule(crash=st.booleans())
    def go_down(self, crash):
        self.attempt("go_down", lambda d: offers.go_down(d, self.run["id"]), crash)

    @rule(n=st.integers(0, 20), answer=st.sampled_from(["take", "decline", "time"]))
    def answer(self, n, answer):
        row = self.pick([w for w in line(self.moment, self.run) if w["status"] == "offered"], n)
        if row:
            total, token = self.total(row["heads"]), signing.token_for("o", row["id"], row["offers"])
            self.attempt(f"answer {answer}", lambda d: offers.reply(d, token, answer, total))

    @rule(n=st.integers(0, 20))
    def offer_out_of_turn(self, n):
        row = self.pick(line(self.moment, self.run), n)
        if row:
            self.attempt("offer_out_of_turn", lambda d: offers.offer(d, row["id"], "asked nicely"))

    @rule(hours=st.integers(1, 40))
    def time_goes_by(self, hours):
        if self.moment.at < self.office.at + timedelta(days=18):
            self.moment = self.moment.later(hours=hours)
        self.attempt("time_goes_by", lambda d: {"let": held_places.let_go(d, self.run["id"])})

    @rule(capacity=st.integers(1, 5), over=st.integers(0, 1))
    def change_capacity(self, capacity, over):
        self.attempt(
            "change_capacity",
            lambda d: making.change_run(
                d,
                self.run["id"],
                command_of(RunPatch, {"seen": {}, "set": {"capacity": capacity, "overbook": over}}),
            ),
        )

    @rule(many=st.integers(1, 2), days=st.integers(0, 2))
    def hold(self, many, days):
        last = (self.moment.at + timedelta(days=days)).date().isoformat()
        self.attempt(
            "hold",
            lambda d: held_places.hold(
                d, self.run["id"], command_of(HoldCommand, {"seats": many, "for_whom": "X", "last": last})
            ),
        )

    @precondition(lambda self: self.undoable)
    @rule(n=st.integers(0, 20))
    def take_back(self, n):
        change = self.undoable.pop(n % len(self.undoable))
        self.attempt("take_back", lambda d: undo.undo(d, change))

    @invariant()
    def nothing_is_wrong(self):
        if not hasattr(self, "runs"):
            return

        def reading(d):
            for held in self.runs:
                row = d.session.get_one(RunSeats, held["id"])
                run = d.session.get_one(Run, held["id"])
                assert check_seats(run.capacity + run.overbook, row.taken, seats.live_heads(d, run.id)) == []
                waiting = seats.line_of(d, run.id, offered=True)
                assert [w.joined_at for w in waiting] == sorted(w.joined_at for w in waiting)
                seated = {r["person_id"] for r in roster_of(self.office, held)}
                assert not seated & {w.person_id for w in waiting}
                state = seats.seats_of(d, run)
                # What was promised is there, unless somebody lowered the capacity since.
                promised = state.taken + state.kept
                assert promised <= state.whole or run.capacity + run.overbook < 4

        self.moment.read(reading)

    def teardown(self):
        """The whole ledger, which grows with every test, is read once at the end of the acts, and the log explains it all."""
        if not hasattr(self, "runs"):
            return
        assert self.moment.read(money.ledger_faults) == []

        def explained(d):
            ids = [r["id"] for r in self.runs]
            told = {
                (row["table"], row["id"], (row["after"] or {}).get("status"))
                for change in d.session.scalars(select(Change).where(Change.run_id.in_(ids)))
                for row in change.rows
            }
            for table in (Enrollment, Waiting):
                for row in d.session.scalars(select(table).where(table.run_id.in_(ids))):
                    assert (table.__tablename__, row.id, row.status) in told, (table, row.id, row.status)

        self.moment.read(explained)


def test_random_acts_never_sell_a_seat_twice(office):
    SeatsUnderRandomActs.office, SeatsUnderRandomActs.done = office, Counter()
    case = SeatsUnderRandomActs.TestCase()
    case.settings = settings(
        max_examples=150 if LONG else 10,
        stateful_step_count=60 if LONG else 30,
        deadline=None,
        derandomize=not LONG,
    )
    case.runTest()
    done = SeatsUnderRandomActs.done
    wanted = {"enroll", "wait", "withdraw", "go_down", "change_capacity", "hold", "take_back", "time_goes_by"}
    assert wanted <= set(done), f"never done: {wanted - set(done)}; done: {done}"
