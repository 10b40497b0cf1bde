"""How a payment by card goes on, and the check digit of card numbers."""

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.cards import OVER, next_status, next_try
from archgate.core.states import CardStatus, ServiceStatus
from archgate.outside.card_service import rules

ANY = st.sampled_from(ServiceStatus)


@given(st.lists(st.tuples(ANY, st.booleans()), max_size=12))
def test_whatever_is_heard_in_whatever_order_what_was_captured_is_done_and_what_is_over_stays_over(news):
    status, over = CardStatus.BEGUN, None
    for found, wanted in news:
        status = next_status(status, found, wanted)
        if found is ServiceStatus.CAPTURED:
            assert status is CardStatus.DONE
        if over is not None:
            assert status in (over, CardStatus.DONE)
        over = status if status in OVER else over


@given(st.lists(ANY, min_size=1, max_size=6))
def test_the_same_news_twice_is_the_same_as_once(news):
    once, twice = CardStatus.BEGUN, CardStatus.BEGUN
    for found in news:
        once = next_status(once, found, True)
        twice = next_status(next_status(twice, found, True), found, True)
    assert once is twice


def test_a_capture_that_was_begun_is_not_turned_round_by_what_is_wanted_later():
    authorized = ServiceStatus.AUTHORIZED
    assert next_status(CardStatus.OPEN, authorized, True) is CardStatus.CAPTURING
    assert next_status(CardStatus.CAPTURING, authorized, False) is CardStatus.CAPTURING
    assert next_status(CardStatus.OPEN, authorized, False) is CardStatus.RELEASING
    assert next_status(CardStatus.RELEASING, authorized, True) is CardStatus.RELEASING


def test_a_refused_charge_is_tried_twice_more_and_then_left_to_people():
    day, tries = date(2027, 9, 1), []
    for refusals in range(1, 5):
        again = next_try(refusals, day)
        if again is None:
            break
        tries.append(again - day)
        day = again
    assert tries == [timedelta(days=3), timedelta(days=4)]
    assert next_try(0, day) is None and next_try(7, day) is None


def test_practice_numbers_are_right_by_the_check_digit_and_no_banks():
    """ISO/IEC 7812-1 annex B; its widely printed example 7992739871 has the check digit 3 (from memory)."""
    assert rules.check_digit("7992739871") == "3"
    assert len(rules.NUMBERS) == len(rules.Treatment)
    for number in rules.NUMBERS:
        assert (
            number.startswith("9999") and len(number) == 16 and rules.number_fault(rules.spaced(number)) == ""
        )
        assert "mistyped" in rules.number_fault(number[:-1] + str((int(number[-1]) + 1) % 10))


@pytest.mark.parametrize("text", ["", "9999", "abcd efgh ijkl mnop", "9" * 20, "٩٩٩٩٠٠٠٠٠٠٠٠٠٠١٢"])
def test_what_is_no_card_number_is_told(text):
    assert "12 to 19 digits" in rules.number_fault(text)


def test_another_number_that_is_right_is_not_taken_either():
    assert "practice" in rules.number_fault("79927398713000" + rules.check_digit("79927398713000"))


@pytest.mark.parametrize(("amount", "fee"), [(0, 0), (1, 1), (10_000, 275), (12_345, 334), (100, 28)])
def test_the_fee_of_the_stand_in(amount, fee):
    """25 thousandths and 25 units, half a unit up, never more than the sum; a tariff made up for practice."""
    assert (rules.fee_of(amount) if amount else 0) == fee
