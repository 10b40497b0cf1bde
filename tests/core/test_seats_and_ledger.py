import pytest

from archgate.core.ledger import Entry, Posting, balances_of, charge_of, check_ledger_balances, reversal_of
from archgate.core.seats import Seated, Seats, Waits, check_seats, seats_for


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
