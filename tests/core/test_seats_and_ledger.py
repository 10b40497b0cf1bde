from dataclasses import replace
from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.ledger import (
    Entry,
    Posting,
    balances_of,
    charge_of,
    check_ledger_balances,
    credit_of,
    payment_of,
    refund_of,
    reversal_of,
    service_fee_of,
    write_off_of,
)
from archgate.core.seats import NoSeat, Seated, Seats, SetAside, Waits, check_seats, seated_in, seats_for
from archgate.core.waitlist import Rule, goes_first


def test_a_free_seat_is_given_with_its_number():
    assert seats_for(Seats(14, 9), 1) == Seated(10, 1)
    assert seats_for(Seats(14, 12), 2) == Seated(13, 2)


def test_without_a_seat_a_party_waits_at_its_place_and_the_reason_is_said():
    assert seats_for(Seats(14, 14), 1) == Waits(1, "All 14 seats are taken.")
    assert seats_for(Seats(14, 13, (2,)), 2) == Waits(2, "2 seats are needed; 1 of 14 is free.")
    assert seats_for(Seats(14, 15), 1) == Waits(1, "All 14 seats are taken.")


def test_somebody_in_line_whom_the_free_seats_fit_comes_before_anybody_new():
    assert seats_for(Seats(14, 12, (1, 4)), 1) == Waits(
        3, "2 of 14 seats are free, and somebody in line comes first."
    )
    assert seats_for(Seats(14, 12, (4,)), 1) == Seated(13, 1)


DAY = date(2027, 8, 20)
APART = SetAside(7, "Guild members", 4, DAY, taken=1)


def test_seats_set_aside_are_the_groups_until_the_last_day_and_anybodys_after():
    seats = Seats(14, 10, (), set_asides=(APART,), day=DAY)
    assert seats.free == 1 and seats.free_for(7) == 4
    assert seats_for(seats, 2) == Waits(1, "2 seats are needed; 1 of 14 is free.")
    assert seats_for(seats, 2, 7) == Seated(11, 2, 7)
    later = Seats(14, 10, (), set_asides=(APART,), day=DAY + timedelta(days=1))
    assert seats_for(later, 2) == Seated(11, 2)
    assert seats_for(later, 4, 7) == Seated(11, 4)


def test_a_group_has_its_own_seats_whoever_waits_and_no_others_before_the_line():
    seats = Seats(14, 10, (1,), set_asides=(APART,), day=DAY)
    assert seats_for(seats, 3, 7) == Seated(11, 3, 7)
    assert isinstance(seats_for(seats, 4, 7), Waits)


def test_held_places_and_open_offers_are_not_free_and_overbooked_seats_are():
    assert seats_for(Seats(14, 10, held=3, offered=1), 1) == Waits(
        1, "No seat is free: 10 of 14 are taken, 3 held, 1 on offer."
    )
    assert seats_for(Seats(14, 14, overbook=2), 2) == Seated(15, 2)
    assert seats_for(Seats(14, 16, overbook=2), 1) == Waits(1, "All 16 seats are taken.")


def test_a_party_larger_than_the_run_is_refused_and_never_waits():
    assert seats_for(Seats(14, 0), 15) == NoSeat("15 seats are needed; the run has 14.")


def test_under_the_strict_rule_somebody_new_waits_behind_whoever_is_in_line():
    assert isinstance(seats_for(Seats(14, 12, (4,), rule=Rule.STRICT), 1), Waits)


@given(
    st.integers(1, 40), st.integers(0, 45), st.lists(st.integers(1, 6), max_size=4), st.integers(0, 5), st.integers(0, 9),
    st.integers(0, 9), st.lists(st.tuples(st.integers(1, 9), st.integers(0, 9), st.booleans()), max_size=3),
    st.integers(1, 8), st.sampled_from([None, 0, 1, 2]), st.sampled_from(Rule),
)  # fmt: skip
def test_no_sign_up_takes_a_seat_that_is_not_there(
    capacity, taken, line, over, held, offered, apart, heads, group, rule
):
    """Whatever is taken, held, offered and set aside, a seat that is given leaves every promise kept."""
    asides = tuple(
        SetAside(n, str(n), seats, DAY if on else DAY - timedelta(days=1), used)
        for n, (seats, used, on) in enumerate(apart)
    )
    seats = Seats(capacity, taken, tuple(line), over, held, offered, asides, DAY, rule)
    found = seats_for(seats, heads, group)
    if isinstance(found, Seated):
        others = sum(s.left(DAY) for s in asides if s.id != group)
        own = seats.left_of(group)
        assert taken + heads + held + offered + others <= capacity + over
        assert heads <= own or not goes_first(seats.waiting, seats.free, rule)
    elif isinstance(found, Waits):
        assert found.place == len(line) + 1 and found.why.endswith(".")
    else:
        assert heads > capacity + over


def test_nobody_is_no_sign_up():
    with pytest.raises(ValueError, match="at least one head"):
        seats_for(Seats(1, 0), 0)


def test_a_wrong_seat_row_is_found():
    assert check_seats(14, 9, 9) == []
    assert len(check_seats(14, 15, 16)) == 2


def test_a_charge_and_its_reversal_leave_nothing():
    charge = charge_of(1, 2, 24000, "USD")
    back = reversal_of(charge)
    assert check_ledger_balances([(1, charge), (2, back)]) == []
    assert balances_of([charge]) == {1: 24000, 2: -24000}
    assert balances_of([charge, back]) == {1: 0, 2: 0}


def test_a_posting_that_is_off_is_named():
    assert check_ledger_balances([(7, Posting("charge", "USD", (Entry(1, 5), Entry(2, -4))))]) == [
        "Posting 7 is off by 1."
    ]


def test_whoever_is_seated_is_counted_with_the_run_and_with_their_group():
    other = replace(APART, id=8, taken=0)
    seats = Seats(14, 10, set_asides=(APART, other), day=DAY)
    after = seated_in(seats, Seated(11, 2, 7))
    assert (after.taken, [s.taken for s in after.set_asides]) == (12, [3, 0])
    assert [s.taken for s in seated_in(seats, Seated(11, 1)).set_asides] == [1, 0]


def test_more_taken_than_there_are_seats_is_said():
    assert check_seats(14, 15, 15) == ["15 seats are taken of 14."]
    assert check_seats(14, 14, 14) == []


def test_every_kind_of_posting_balances_and_moves_what_the_payer_owes_as_it_should():
    accounts = {"income": 10, "tax:Sales": 11}
    by_kind = {
        "payment": (payment_of(1, 2, 500, "USD"), -500),
        "refund": (refund_of(1, 2, 500, "USD"), 500),
        "write-off": (write_off_of(1, 3, 500, "USD"), -500),
        "credit": (credit_of(1, accounts.__getitem__, 530, [("Sales", 30)], "USD"), -530),
        "service fee": (service_fee_of(2, 4, 25, "USD"), 0),
    }
    for name, (posting, owed) in by_kind.items():
        assert check_ledger_balances([(0, posting)]) == [], name
        assert sum(e.amount for e in posting.entries if e.account == 1) == owed, name
    assert credit_of(1, accounts.__getitem__, 530, [("Sales", 30)], "USD").entries == (
        Entry(1, -530), Entry(11, 30), Entry(10, 500),
    )  # fmt: skip
