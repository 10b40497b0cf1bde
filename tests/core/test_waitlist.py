from datetime import UTC, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.seats import Seated, Seats, seats_for
from archgate.core.waitlist import (
    Party,
    Rule,
    chances_of,
    goes_first,
    in_order,
    next_offers,
    next_that_fits,
    wilson,
)

NEW_YORK = ZoneInfo("America/New_York")
NOON = datetime(2027, 8, 20, 12, tzinfo=UTC)
parties = st.lists(
    st.builds(
        Party, st.integers(1, 10**6), st.integers(1, 6), st.integers(0, 500).map(lambda m: NOON + timedelta(minutes=m)),
        st.integers(0, 2),
    ), max_size=12, unique_by=lambda p: p.id,
)  # fmt: skip


def test_a_head_start_comes_first_then_who_joined_earlier_then_the_smaller_id():
    line = in_order(
        [
            Party(3, 1, NOON),
            Party(2, 1, NOON),
            Party(9, 1, NOON + timedelta(1), 1),
            Party(1, 1, NOON + timedelta(2)),
        ]
    )
    assert [p.id for p in line] == [9, 2, 3, 1]


def test_a_party_too_large_keeps_its_place_and_the_next_that_fits_is_seated():
    line = in_order([Party(1, 3, NOON), Party(2, 1, NOON + timedelta(1))])
    assert next_that_fits(line, 2).id == 2
    assert next_that_fits(line, 3).id == 1
    assert next_that_fits(line, 0) is None


@given(parties, st.integers(0, 8))
def test_nobody_before_the_next_fits_and_nobody_new_goes_before_somebody_who_does(waiting, free):
    line = in_order(waiting)
    following = next_that_fits(line, free)
    heads = tuple(p.heads for p in line)
    assert (following is not None) == goes_first(heads, free)
    if following:
        assert following.heads <= free
        assert all(p.heads > free for p in line[: line.index(following)])
        assert not isinstance(seats_for(Seats(free + 5, 5, heads), 1), Seated)


@given(
    parties, st.integers(0, 12), st.sampled_from(Rule), st.integers(1, 200), st.none() | st.integers(-50, 400)
)
def test_offers_are_in_order_fit_the_seats_and_end_before_sign_up_closes(waiting, free, rule, hours, closing):
    line = in_order(waiting)
    closes = None if closing is None else NOON + timedelta(hours=closing)
    offers, left = next_offers(line, free, rule, NOON, hours, closes)
    assert left >= 0 and left + sum(o.party.heads for o in offers) == free
    assert [o.party for o in offers] == [p for p in line if p in [o.party for o in offers]]
    if closes is not None and closes <= NOON:
        assert offers == ()
        return
    for offer in offers:
        assert NOON < offer.until <= NOON + timedelta(hours=hours)
        assert closes is None or offer.until <= closes
    passed = [p for p in line if p not in [o.party for o in offers]]
    if rule is Rule.STRICT and offers:
        assert [o.party for o in offers] == list(line[: len(offers)])
    if rule is Rule.FIT:
        assert all(p.heads > left for p in passed)  # whoever was passed over does not fit what is left


@pytest.mark.parametrize(
    ("at", "hours", "until"),
    [
        # the hour from 1 to 2 comes twice on 7 November 2027, that from 2 to 3 is left out on 14 March (IANA, America/New_York)
        (datetime(2027, 11, 6, 20, tzinfo=NEW_YORK), 36, "2027-11-08T07:00:00-05:00"),
        (datetime(2027, 3, 13, 20, tzinfo=NEW_YORK), 36, "2027-03-15T09:00:00-04:00"),
        (datetime(2027, 11, 7, 0, 30, tzinfo=NEW_YORK), 2, "2027-11-07T01:30:00-05:00"),
    ],
)
def test_the_hours_of_an_offer_are_hours_that_pass_also_when_the_clocks_change(at, hours, until):
    ((offer,), _) = next_offers(in_order([Party(1, 1, at)]), 1, Rule.FIT, at, hours, None)
    assert offer.until.isoformat() == until


def test_under_the_strict_rule_nobody_behind_a_party_too_large_is_offered():
    line = in_order([Party(1, 3, NOON), Party(2, 1, NOON + timedelta(1))])
    assert next_offers(line, 2, Rule.STRICT, NOON, 24, None) == ((), 2)
    assert [o.party.id for o in next_offers(line, 2, Rule.FIT, NOON, 24, None)[0]] == [2]
    assert next_that_fits(line, 2, Rule.STRICT) is None and goes_first((3, 1), 0, Rule.STRICT)


def test_the_chance_of_a_seat_by_hand():
    """By hand: of two seats each given up in one case of two, one comes free with 3/4, both with 1/4; three never."""
    line = tuple(Party(n, 1, datetime(2027, 8, n, tzinfo=UTC)) for n in (1, 2, 3))
    found = chances_of(line, 2, 2, Decimal("0.5"))
    assert [str(p) for p in found] == ["0.7500", "0.2500", "0.0000"]
    assert [str(p) for p in chances_of(line, 3, 2, Decimal("0.5"))] == ["1.0000", "0.7500", "0.2500"]
    assert [str(p) for p in chances_of(line, 2, 2, Decimal(1))] == ["1.0000", "1.0000", "0.0000"]


def test_the_share_seen_lies_between_wilsons_bounds():
    """Source: the score interval solves (p - share)^2 = z^2 p (1 - p) / n (Wilson 1927); put in, both bounds must fit."""
    z = Decimal("1.959963984540054")
    for hits, tries in ((1, 10), (5, 10), (37, 250)):
        share = Decimal(hits) / tries
        low, high = wilson(hits, tries)
        assert 0 < low < share < high < 1
        for p in (low, high):
            assert abs((p - share) ** 2 - z * z * p * (1 - p) / tries) < Decimal("0.000002")
    assert wilson(0, 10)[0] == 0 and wilson(10, 10)[1] == 1
