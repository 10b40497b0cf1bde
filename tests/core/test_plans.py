from datetime import date, timedelta
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core import plans
from archgate.core.faults import Refused
from archgate.core.plans import Due, DueKind, PlanLine, due_text, installments_of

NOW = Due(DueKind.AFTER_SIGN_UP, 0)
SIGNED, START = date(2027, 8, 20), date(2027, 9, 14)


def percent(text, due=NOW):
    return PlanLine(due, percent=Decimal(text))


def fixed(units, due=NOW):
    return PlanLine(due, amount=units)


def parts(n, due=NOW):
    return PlanLine(due, parts=n)


def rest(due=NOW):
    return PlanLine(due, rest=True)


def amounts(lines, total, signed=SIGNED, start=START):
    return [i.amount for i in installments_of(tuple(lines), total, signed, start, "USD").installments]


def said(lines, total, start=START):
    with pytest.raises(Refused) as refused:
        installments_of(tuple(lines), total, SIGNED, start, "USD")
    return [f"{f.at} {f.message}" for f in refused.value.faults]


def test_a_deposit_and_three_equal_parts_from_the_start():
    months = [parts(1, Due(DueKind.MONTHS_AFTER_START, k)) for k in range(3)]
    done = installments_of((fixed(4000), *months), 24000, SIGNED, START, "USD")
    assert [(i.due.isoformat(), i.amount) for i in done.installments] == [
        ("2027-08-20", 4000), ("2027-09-14", 6667), ("2027-10-14", 6667), ("2027-11-14", 6666),
    ]  # fmt: skip
    assert (done.due_now, done.due_later, done.total) == (4000, 20000, 24000)
    assert done.installments[1].why == "1 of 3 parts of what is left, on the first day."


def test_percents_share_what_fixed_amounts_leave():
    assert amounts([fixed(1000), percent("50"), percent("50")], 10001) == [1000, 4501, 4500]


def test_with_a_rest_each_percent_is_of_the_total_and_rounded_half_up():
    assert amounts([fixed(1000), percent("33.333"), rest()], 10001) == [1000, 3334, 5667]


def test_a_line_larger_than_what_is_left_is_cut_and_lines_of_zero_are_left_out():
    assert amounts([fixed(9000), fixed(5000), rest()], 10000) == [9000, 1000]
    assert amounts([fixed(9000), percent("50"), rest()], 10000) == [9000, 1000]
    assert amounts([percent("100")], 0) == []


def test_amounts_alone_must_reach_the_total_and_the_last_is_cut():
    assert amounts([fixed(6000), fixed(6000)], 10000) == [6000, 4000]
    assert said([fixed(6000)], 10000) == ["/lines The lines miss 40.00 of the total; add a line or a rest."]


@pytest.mark.parametrize(
    ("lines", "words"),
    [
        ([], "needs at least one line"),
        ([percent("50")], "miss 50 of 100"),
        ([percent("60"), percent("60")], "20 over 100"),
        ([percent("60"), percent("60"), rest()], "20 over 100"),
        ([rest(), percent("50")], "comes last"),
        ([rest(), rest()], "Only one line"),
        ([parts(1), rest()], "cannot stand beside parts"),
    ],
)
def test_a_plan_that_does_not_make_the_whole_is_refused_and_says_by_how_much(lines, words):
    assert any(words in text for text in said(lines, 10000))


def test_a_due_date_that_is_past_becomes_the_sign_up_date_and_is_said():
    done = installments_of((percent("50", Due(DueKind.BEFORE_START, 60)), percent("50", Due(DueKind.ON, on=date(2027, 9, 1)))),
                           10000, SIGNED, START, "USD")  # fmt: skip
    assert [i.due.isoformat() for i in done.installments] == ["2027-08-20", "2027-09-01"]
    assert "is past, so it is due at sign-up." in done.installments[0].why


def test_installments_stand_by_due_date_then_by_line():
    lines = [percent("20", Due(DueKind.AFTER_START, 1)), percent("30"), percent("50")]
    assert amounts(lines, 10000) == [3000, 5000, 2000]


def test_month_ends_are_counted_from_the_start_never_chained():
    lines = [parts(1, Due(DueKind.MONTHS_AFTER_START, k)) for k in range(4)]
    done = installments_of(tuple(lines), 400, date(2026, 1, 1), date(2026, 1, 31), "USD")
    assert [i.due.isoformat() for i in done.installments] == [
        "2026-01-31",
        "2026-02-28",
        "2026-03-31",
        "2026-04-30",
    ]


def test_a_line_by_the_start_needs_a_start():
    assert "no start date" in said([percent("100", Due(DueKind.BEFORE_START, 3))], 100, start=None)[0]


def test_a_due_date_beyond_the_calendar_is_refused():
    assert "beyond the calendar" in said([percent("100", Due(DueKind.AFTER_SIGN_UP, 36600 * 200))], 100)[0]


@pytest.mark.parametrize(
    ("due", "text"),
    [
        (NOW, "at sign-up"),
        (Due(DueKind.AFTER_SIGN_UP, 1), "1 day after sign-up"),
        (Due(DueKind.BEFORE_START, 14), "14 days before the start"),
        (Due(DueKind.MONTHS_AFTER_START, 2), "2 months after the start"),
        (Due(DueKind.AFTER_START, 0), "on the first day"),
        (Due(DueKind.ON, on=date(2027, 9, 1)), "on Wed 1 Sep 2027"),
        (Due(DueKind.MONTHS_AFTER_SIGN_UP, 1), "1 month after sign-up"),
    ],
)
def test_due_rules_read_as_words(due, text):
    assert due_text(due) == text


shares = st.one_of(
    st.lists(st.integers(1, 20), min_size=1, max_size=8).map(lambda ws: [parts(w) for w in ws]),
    st.lists(st.integers(0, 90000), max_size=4).map(lambda us: [*map(fixed, us), rest()]),
    st.integers(1, 99).map(lambda p: [percent(str(p)), percent(str(100 - p))]),
    st.lists(st.integers(0, 40000), max_size=3).map(lambda us: [*map(fixed, us), parts(1), parts(2)]),
)


@given(shares, st.integers(0, 10**7), st.dates(date(2026, 1, 1), date(2028, 1, 1)))
def test_installments_sum_to_the_total_and_none_is_zero_or_before_the_sign_up(lines, total, signed):
    done = installments_of(tuple(lines), total, signed, START, "USD")
    assert sum(i.amount for i in done.installments) == total == done.due_now + done.due_later
    assert all(i.amount > 0 and i.due >= signed for i in done.installments)
    assert [i.n for i in done.installments] == list(range(1, len(done.installments) + 1))


rows_of = st.lists(
    st.tuples(st.integers(0, 40), st.integers(1, 9000), st.integers(0, 9000)), min_size=1, max_size=6
).map(
    lambda rows: tuple(
        plans.Standing(n, START + timedelta(days=day), amount, min(paid, amount))
        for n, (day, amount, paid) in enumerate(rows, 1)
    )
)


@given(rows_of, st.data())
def test_credit_comes_from_what_is_open_first_and_only_then_from_what_is_paid(rows, data):
    whole = sum(r.amount for r in rows)
    credit = data.draw(st.integers(0, whole))
    cuts = plans.credited(rows, credit)
    assert sum(c.open + c.paid for c in cuts) == credit
    assert all(
        0 <= c.open <= r.amount - r.paid and 0 <= c.paid <= r.paid for c, r in zip(cuts, rows, strict=True)
    )
    unpaid = sum(r.amount - r.paid for r in rows)
    assert sum(c.paid for c in cuts) == max(0, credit - unpaid)


def test_what_is_open_goes_oldest_first_and_what_is_paid_latest_first():
    rows = tuple(
        plans.Standing(n, START + timedelta(days=n), 100, paid) for n, paid in ((1, 60), (2, 100), (3, 20))
    )
    assert plans.credited(rows, 50) == (plans.Cut(40, 0), plans.Cut(0, 0), plans.Cut(10, 0))
    assert plans.credited(rows, 200) == (plans.Cut(40, 0), plans.Cut(0, 60), plans.Cut(80, 20))


def test_a_due_date_counts_forward_from_the_sign_up_and_both_ways_from_the_start():
    by_days = [Due(DueKind.AFTER_SIGN_UP, 30), Due(DueKind.BEFORE_START, 7), Due(DueKind.AFTER_START, 7)]
    assert [plans.due_of(due, SIGNED, START) for due in by_days] == [
        date(2027, 9, 19), date(2027, 9, 7), date(2027, 9, 21),
    ]  # fmt: skip


def test_installments_stand_by_due_date_then_as_the_plan_names_them_and_know_their_line():
    late, soon = Due(DueKind.AFTER_SIGN_UP, 30), Due(DueKind.AFTER_SIGN_UP, 7)
    done = installments_of(
        (fixed(3000, late), fixed(9000), fixed(1000), rest(soon)), 24000, SIGNED, START, "USD"
    )
    assert [(i.n, i.amount, i.line) for i in done.installments] == [
        (1, 9000, 2),
        (2, 1000, 3),
        (3, 11000, 4),
        (4, 3000, 1),
    ]


def test_the_rule_of_each_amount_is_said():
    both = (fixed(1000), percent("50"), percent("50"))
    assert plans.share_text(both[1], both, "USD") == "50 percent of what the fixed amounts leave"
    alone = (percent("50"), percent("50"))
    assert plans.share_text(alone[0], alone, "USD") == "50 percent of the total"
    open_ended = (fixed(1000), percent("50"), rest())
    assert plans.share_text(open_ended[1], open_ended, "USD") == "50 percent of the total"


def test_a_rest_beside_parts_is_named_at_its_line():
    assert said([parts(1), rest()], 24000) == [
        "/lines/1/rest A rest cannot stand beside parts: the parts share all of it."
    ]


def test_why_a_plan_does_not_fit_is_said_once_for_all_totals():
    lines = (fixed(5000), rest())
    assert plans.misfits_of(lines, [24000, 12000], "USD") == []
    wrong = plans.misfits_of((percent("50"),), [24000, 12000], "USD")
    assert len(wrong) == 1 and plans.misfits_of((percent("50"),), [], "USD") == []


def test_a_plan_for_the_same_total_stays_as_it_is():
    rows = (plans.Standing(1, SIGNED, 9000, 9000), plans.Standing(2, START, 15000))
    assert plans.replanned(rows, 24000, SIGNED) == plans.Replanned((9000, 15000), 0, 0)


def test_credit_takes_what_is_open_first_the_oldest_due_and_then_what_is_paid_the_latest():
    rows = (plans.Standing(1, START, 5000, 1000), plans.Standing(2, SIGNED, 3000, 3000))
    assert plans.credited(rows, 4500) == (plans.Cut(4000, 500), plans.Cut(0, 0))
    assert plans.credited(rows, 0) == (plans.Cut(0, 0), plans.Cut(0, 0))
    assert plans.credited(rows, 6000) == (plans.Cut(4000, 1000), plans.Cut(0, 1000))
