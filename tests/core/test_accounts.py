from datetime import date, timedelta
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.accounts import (
    BUCKETS,
    Open,
    ageing_of,
    allocate,
    bucket_of,
    deferred_by_month,
    due_in,
    expected_by_week,
)
from archgate.core.faults import Refused
from archgate.core.ledger import balances_of, check_ledger_balances, enrollment_postings
from archgate.core.plans import Standing, replanned
from archgate.core.refunds import (
    Policy,
    RefundStep,
    Settled,
    kept_of,
    kept_of_no_show,
    kept_of_transfer,
    settled,
    settled_together,
    share_of_meeting,
)

DAY = date(2027, 8, 20)
ROWS = [Open(3, date(2027, 9, 1), 5000), Open(1, date(2027, 7, 1), 4000), Open(2, date(2027, 7, 1), 3000)]


def test_a_payment_settles_what_is_oldest_due_and_the_rest_is_credit():
    assert allocate(6000, ROWS, "USD") == ({1: 4000, 2: 2000}, 0)
    assert allocate(13000, ROWS, "USD") == ({1: 4000, 2: 3000, 3: 5000}, 1000)
    assert allocate(100, [], "USD") == ({}, 100)


def test_the_due_date_decides_and_not_the_order_in_which_installments_were_made():
    """Where a plan was changed, an installment made later may be due earlier."""
    rows = [
        Open(1, date(2027, 11, 1), 5000),
        Open(2, date(2027, 10, 1), 4000),
        Open(3, date(2027, 9, 1), 3000),
    ]
    assert allocate(6000, rows, "USD") == ({3: 3000, 2: 3000}, 0)
    assert allocate(7001, rows, "USD") == ({3: 3000, 2: 4000, 1: 1}, 0)


def test_chosen_parts_are_taken_as_chosen_and_never_more_than_is_left():
    assert allocate(6000, ROWS, "USD", {3: 5000}) == ({3: 5000}, 1000)
    with pytest.raises(Refused) as refused:
        allocate(6000, ROWS, "USD", {3: 5001, 9: 1, 2: 3000})
    assert [f.at for f in refused.value.faults] == ["/installments/3", "/installments/9", "/installments"]
    assert "20.02 more" in refused.value.faults[2].message


@pytest.mark.parametrize(
    ("late", "bucket"),
    [(-5, "current"), (0, "current"), (1, "1-30"), (30, "1-30"), (31, "31-60"), (60, "31-60"), (61, "61-90"),
     (90, "61-90"), (91, "over 90"), (400, "over 90")],
)  # fmt: skip
def test_the_age_of_a_debt(late, bucket):
    """Common practice, no source: current, then 1 to 30, 31 to 60, 61 to 90 and over 90 days past due."""
    assert bucket_of(DAY - timedelta(days=late), DAY) == bucket


def test_sums_by_age_week_and_month():
    assert ageing_of(ROWS, DAY) == {"current": 5000, "1-30": 0, "31-60": 7000, "61-90": 0, "over 90": 0}
    assert expected_by_week(ROWS, DAY) == [(date(2027, 8, 16), 7000), (date(2027, 8, 30), 5000)]
    ends = [(date(2027, 8, 20), 1), (date(2027, 8, 21), 2), (date(2027, 10, 5), 3), (date(2027, 10, 30), 4)]
    assert deferred_by_month(ends, DAY) == [(date(2027, 8, 1), 2), (date(2027, 10, 1), 7)]


@given(st.lists(st.tuples(st.dates(), st.integers(1, 10**6)), max_size=8), st.integers(0, 10**7), st.dates())
def test_nothing_is_lost_between_a_payment_its_parts_and_the_ages(held, amount, day):
    rows = [Open(n, due, left) for n, (due, left) in enumerate(held)]
    settled, credit = allocate(amount, rows, "USD")
    assert sum(settled.values()) + credit == amount
    assert all(0 < part <= rows[n].left for n, part in settled.items())
    assert credit == 0 or sum(settled.values()) == sum(r.left for r in rows)
    ages = ageing_of(rows, day)
    assert sum(ages.values()) == sum(r.left for r in rows) == sum(a for _, a in expected_by_week(rows, day))
    assert tuple(ages) == BUCKETS


# --- what a sign-up posts ---------------------------------------------------------------------------------

ROOMS = {"income": 2, "discounts": 3, "tax:A": 4, "tax:B": 5}


def test_a_sign_up_posts_charge_discount_and_taxes_and_the_payer_owes_the_total():
    postings = enrollment_postings(1, ROOMS.__getitem__, [24000, -2400, 3150], [("A", 189, False)], "USD")
    assert [p.kind for p in postings] == ["charge", "discount", "tax"]
    assert balances_of(postings) == {1: 24939, 2: -27150, 3: 2400, 4: -189}
    inside = enrollment_postings(1, ROOMS.__getitem__, [11498], [("A", 500, True), ("B", 998, True)], "USD")
    assert balances_of(inside) == {1: 11498, 2: -10000, 4: -500, 5: -998}
    assert enrollment_postings(1, ROOMS.__getitem__, [0], [("A", 0, False)], "USD") == []


@given(
    st.lists(st.integers(0, 10**6), min_size=1, max_size=5),
    st.integers(0, 100),
    st.lists(st.integers(0, 1000), max_size=2),
    st.booleans(),
)
def test_every_posting_of_a_sign_up_balances(lines, percent, taxes, included):
    off = -(sum(lines) * percent // 100)
    named = [
        (name, min(t, sum(lines) + off if included else t), included)
        for name, t in zip("AB", taxes, strict=False)
    ]
    postings = enrollment_postings(1, ROOMS.__getitem__, [*lines, off], named, "USD")
    assert check_ledger_balances(enumerate(postings)) == []
    total = sum(lines) + off + (0 if included else sum(t for _, t, _ in named))
    assert balances_of(postings).get(1, 0) == total


# --- refunds ----------------------------------------------------------------------------------------------

POLICY = Policy((RefundStep(7, Decimal(50)), RefundStep(30, Decimal(100))), 2500)
START = date(2027, 9, 14)


@pytest.mark.parametrize(
    ("day", "kept", "words"),
    [
        (
            date(2027, 8, 15),
            2500,
            "30 days before the start 100 percent is given back, less the kept fee of 25.00.",
        ),
        (date(2027, 8, 16), 14500, "29 days before the start 50 percent"),
        (date(2027, 9, 7), 14500, "7 days before"),
        (date(2027, 9, 8), 24000, "6 days before the start 0 percent is given back."),
        (date(2027, 9, 13), 24000, "1 day before"),
        (date(2027, 9, 20), 24000, "After the start 0 percent"),
    ],
)
def test_what_is_kept_of_a_price_by_the_days_before_the_start(day, kept, words):
    """Worked by hand: of 240.00, all less 25.00 from 30 days before, half less 25.00 from 7, then nothing back."""
    found = kept_of(POLICY, 24000, START, day, "USD")
    assert found.amount == kept and words in found.why


@pytest.mark.parametrize(
    ("before", "kept"), [(90, 12000), (60, 12000), (59, 0), (30, 0), (29, 4800), (7, 4800), (6, 24000)]
)
def test_a_policy_that_does_not_fall_goes_by_the_step_reached_not_by_the_best_or_the_last(before, kept):
    """Worked by hand: half back from 60 days (the place is kept open), all from 30, four fifths from 7."""
    steps = (RefundStep(30, Decimal(100)), RefundStep(7, Decimal(80)), RefundStep(60, Decimal(50)))
    assert kept_of(Policy(steps), 24000, START, START - timedelta(days=before), "USD").amount == kept


def test_without_a_policy_a_start_or_a_price_everything_goes_back():
    assert kept_of(None, 24000, START, DAY, "USD").amount == 0
    assert kept_of(POLICY, 24000, None, DAY, "USD").amount == 0
    assert kept_of(POLICY, 0, START, DAY, "USD") == kept_of(None, 0, None, DAY, "USD")
    assert kept_of(Policy((RefundStep(0, Decimal(5)),), 2500), 24000, START, DAY, "USD").amount == 24000


# --- the plan worked out again ----------------------------------------------------------------------------

PLAN = (
    Standing(1, date(2027, 8, 1), 4000, 4000),
    Standing(2, date(2027, 9, 14), 10000),
    Standing(3, date(2027, 10, 14), 10000),
)


def test_a_dearer_price_is_spread_over_what_is_not_due_yet():
    assert replanned(PLAN, 27001, DAY).amounts == (4000, 11501, 11500)
    late = date(2027, 12, 1)
    assert replanned(PLAN, 27000, late) == replanned(PLAN, 27000, late).__class__(
        (4000, 10000, 10000), 3000, 0
    )


def test_a_cheaper_price_comes_off_what_is_not_due_yet_and_the_rest_is_credit():
    assert replanned(PLAN, 20000, DAY).amounts == (4000, 8000, 8000)
    found = replanned(PLAN, 1000, DAY)
    assert (found.amounts, found.credit) == ((4000, 0, 0), 3000)
    part = (PLAN[0], Standing(2, date(2027, 9, 14), 10000, 9000), PLAN[2])
    assert replanned(part, 14000, DAY).amounts == (4000, 9000, 1000)


UNEQUAL = (
    Standing(1, date(2027, 8, 1), 4000, 4000),
    Standing(2, date(2027, 9, 14), 12000),
    Standing(3, date(2027, 10, 14), 4000),
)


@pytest.mark.parametrize(
    ("total", "amounts"),
    [
        (24000, (4000, 15000, 5000)),  # 40.00 more, three to one
        (24001, (4000, 15001, 5000)),  # 3000.75 and 1000.25: the unit left over goes to the larger fraction
        (16000, (4000, 9000, 3000)),  # 40.00 less, three to one
        (15999, (4000, 8999, 3000)),
    ],
)
def test_a_difference_is_shared_in_proportion_to_unequal_later_lines(total, amounts):
    """Worked by hand from the rule of the plan: proportional to their amounts, not in equal parts."""
    assert replanned(UNEQUAL, total, DAY).amounts == amounts


standings = st.lists(
    st.tuples(st.dates(date(2027, 1, 1), date(2028, 1, 1)), st.integers(1, 10**6), st.integers(0, 100)),
    max_size=6,
).map(
    lambda rows: tuple(
        Standing(n, due, amount, amount * part // 100) for n, (due, amount, part) in enumerate(rows)
    )
)


@given(standings, st.integers(0, 5 * 10**6), st.dates(date(2027, 1, 1), date(2028, 1, 1)))
def test_a_plan_worked_out_again_makes_the_new_total_and_what_is_paid_or_due_stands(rows, total, day):
    found = replanned(rows, total, day)
    assert sum(found.amounts) + found.extra - found.credit == total
    assert not (found.extra and found.credit)
    for row, amount in zip(rows, found.amounts, strict=True):
        assert amount >= row.paid
        if row.due <= day or row.paid == row.amount:
            assert amount == row.amount


@pytest.mark.parametrize(
    ("policy", "total", "kept"),
    [(None, 5000, 0), (Policy((), transfer_fee=1500), 5000, 1500), (Policy((), transfer_fee=1500), 900, 900), (Policy((), 2500), 0, 0)],
)  # fmt: skip
def test_the_fee_for_a_transfer_is_kept_and_never_more_than_the_price(policy, total, kept):
    found = kept_of_transfer(policy, total, "USD")
    assert (found.amount, found.why[-1]) == (kept, ".")


@given(st.integers(0, 10**6), st.lists(st.integers(1, 600), min_size=1, max_size=30))
def test_all_meetings_together_are_worth_the_price(total, minutes):
    shares = [share_of_meeting(total, minutes, n) for n in range(len(minutes))]
    assert sum(shares) == total
    for share, length in zip(shares, minutes, strict=True):
        assert abs(share - total * length / sum(minutes)) < 1


def test_why_everything_goes_back_is_said_and_the_first_day_itself_still_counts():
    policy = Policy((RefundStep(0, Decimal(50)),))
    assert (
        kept_of(None, 24000, START, START, "USD").why
        == "There is no refund policy; everything is given back."
    )
    no_start = kept_of(policy, 24000, None, START, "USD")
    assert no_start.why == "The run has no start to count days from; everything is given back."
    that_day = kept_of(policy, 24000, START, START, "USD")
    assert (that_day.amount, that_day.why) == (12000, "0 days before the start 50 percent is given back.")


def test_who_does_not_come_gets_nothing_back():
    assert (kept_of_no_show(24000).amount, kept_of_no_show(0).amount) == (24000, 0)
    assert kept_of_no_show(24000).why == "Who does not come gets nothing back."


def test_what_was_paid_settles_what_is_kept_first():
    each = [settled(10000, 4000), settled(1000, 4000), settled(4000, 4000)]
    assert [(s.kept, s.credit, s.owed) for s in each] == [(4000, 6000, 0), (4000, 0, 3000), (4000, 0, 0)]
    assert settled_together(each) == Settled(12000, 6000, 3000)


@given(late=st.integers(-120, 200), age=st.sampled_from(BUCKETS))
def test_the_days_of_an_age_are_those_whose_debts_have_it(late, age):
    day = date(2027, 5, 12)
    due = day - timedelta(days=late)
    first, last = due_in(day, age)
    assert ((first is None or first <= due) and (last is None or due <= last)) == (bucket_of(due, day) == age)


@given(late=st.integers(-120, 200), weeks=st.integers(0, 20))
def test_the_days_of_a_week_are_those_expected_in_it(late, weeks):
    day = date(2027, 5, 12)
    due, monday = day - timedelta(days=late), date(2027, 5, 10) + timedelta(weeks=weeks)
    first, last = due_in(day, week=monday)
    expected = expected_by_week([Open(1, due, 100)], day)[0][0]
    assert ((first is None or first <= due) and (last is None or due <= last)) == (expected == monday)
