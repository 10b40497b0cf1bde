from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.eligibility import Person, Terms, why_not
from archgate.core.faults import Refused
from archgate.core.fees import (
    Agreed,
    Ask,
    Code,
    EarlyStep,
    Extra,
    Fees,
    GroupStep,
    Heads,
    Rate,
    Sale,
    next_change_of,
    parts_on,
    price_line_of,
    quote_for,
    sums_of,
    total_on,
    unit_price,
)
from archgate.core.taxes import Tax, taxes_on

ZONE = ZoneInfo("America/New_York")
START = date(2027, 9, 14)
STANDARD = Rate(
    "standard", 24000, "Standard",
    (EarlyStep(days_before=18, amount=21000), EarlyStep(until=date(2027, 9, 3), percent=Decimal(5))),
)  # fmt: skip


def quote_on(day, rate=STANDARD, heads=1, hour=12):
    moment = datetime(day.year, day.month, day.day, hour, tzinfo=ZONE)
    return quote_for(Fees((rate,)), Ask((Heads("standard", heads),)), moment, START, ZONE, "USD")


@pytest.mark.parametrize(
    ("day", "total"),
    [
        (date(2027, 8, 27), 21000),
        (date(2027, 8, 28), 22800),
        (date(2027, 9, 3), 22800),
        (date(2027, 9, 4), 24000),
        (date(2027, 9, 14), 24000),
    ],
)
def test_the_lowest_step_that_still_holds_applies_through_its_last_day(day, total):
    assert quote_on(day).total == total


def test_a_step_holds_to_the_last_second_of_its_day_in_the_centers_zone():
    last = datetime(2027, 8, 28, 3, 59, 59, tzinfo=UTC)
    for moment, total in ((last, 21000), (last + timedelta(seconds=1), 22800)):
        assert (
            quote_for(Fees((STANDARD,)), Ask((Heads("standard", 1),)), moment, START, ZONE, "USD").total
            == total
        )


def test_the_next_change_is_the_first_midnight_with_another_total():
    change = quote_on(date(2027, 8, 20)).next_change
    assert change and (change.at.isoformat(), change.total) == ("2027-08-28T00:00:00-04:00", 22800)
    assert quote_on(date(2027, 9, 5)).next_change is None


def test_a_step_that_changes_nothing_is_no_change():
    flat = Rate("standard", 24000, "Standard", (EarlyStep(days_before=30, amount=24000),))
    assert quote_on(date(2027, 8, 1), flat).next_change is None


def test_every_line_says_why():
    quote = quote_on(date(2027, 8, 20), heads=2)
    assert quote.total == 42000
    assert quote.lines[0].why == (
        "The regular amount is 240.00; the early price is 210.00. The early step holds through Fri 27 Aug 2027,"
        " 18 days before start. It is the lowest of the reductions that hold. 2 people."
    )
    assert "No early step holds any more." in quote_on(date(2027, 9, 10)).lines[0].why


def test_an_amount_off_never_goes_below_zero_and_percents_round_the_reduction_half_up():
    free = Rate("standard", 1000, "Standard", (EarlyStep(days_before=0, off=5000),))
    assert quote_on(START, free).total == 0
    odd = Rate("standard", 1005, "Standard", (EarlyStep(days_before=0, percent=Decimal(10)),))
    assert quote_on(START, odd).total == 904  # 100.5 off is 101 off


def test_every_fault_of_an_ask_is_named_at_once():
    with pytest.raises(Refused) as refused:
        ask = Ask((Heads("member", 0),))
        quote_for(Fees((STANDARD,)), ask, datetime(2027, 8, 1, tzinfo=UTC), START, ZONE, "USD")
    assert [f.at for f in refused.value.faults] == ["/ask/people/0/rate", "/ask/people/0/count"]


@given(st.integers(0, 200), st.permutations(STANDARD.early))
def test_the_price_never_falls_as_the_start_comes_nearer_and_ignores_the_order_of_steps(back, steps):
    day = START - timedelta(days=back)
    mixed = replace(STANDARD, early=tuple(steps))
    assert quote_on(day, mixed).total == quote_on(day).total
    assert quote_on(day - timedelta(days=1)).total <= quote_on(day).total


@given(st.integers(0, 120), st.integers(0, 120), st.integers(1, 5))
def test_the_price_line_agrees_with_the_quote_on_every_day(back, length, heads):
    first = START - timedelta(days=back)
    last = first + timedelta(days=length)
    line = price_line_of(Fees((STANDARD,)), Ask((Heads("standard", heads),)), first, last, START)
    assert line[0].first == first and line[-1].last == last
    for a, b in pairwise(line):
        assert b.first == a.last + timedelta(days=1) and a.total != b.total
    for stretch in line:
        for day in (stretch.first, stretch.last):
            assert quote_on(day, heads=heads).total == stretch.total


# --- everything else that decides a price -----------------------------------------------------------------

MEMBER = Rate("member", 20000, "Member")
BOOK = Extra("book", 3150, "Handbook", stock=8, most=5)
PACK = Extra("pack", 2400, "Glass pack", required=True)
GROUP = (GroupStep(3, Decimal(5)), GroupStep(6, Decimal(10)))
LINTEL = Code("LINTEL", percent=Decimal(10), on=frozenset({"standard"}))
AT = datetime(2027, 8, 20, 10, tzinfo=ZONE)


def ask(*people, extras=(), code=None):
    return Ask(tuple(Heads(*p) for p in people), tuple(extras), code)


def told(fees, asked, moment=AT):
    return quote_for(fees, asked, moment, START, ZONE, "USD")


def faults(fees, asked, moment=AT):
    with pytest.raises(Refused) as refused:
        told(fees, asked, moment)
    return {f.at: f.message for f in refused.value.faults}


def test_a_sale_competes_with_early_steps_and_the_lowest_wins_alone():
    sale = replace(STANDARD, sale=Sale(date(2027, 8, 25), date(2027, 8, 30), 19800))
    prices = {d: quote_on(date(2027, 8, d), sale).total for d in (24, 25, 28, 30, 31)}
    assert prices == {24: 21000, 25: 19800, 28: 19800, 30: 19800, 31: 22800}
    line = quote_on(date(2027, 8, 25), sale).lines[0]
    assert line.why == (
        "The regular amount is 240.00; the sale price is 198.00 from Wed 25 Aug 2027 through Mon 30 Aug 2027."
        " It is the lowest of the reductions that hold."
    )
    assert line.early is False
    dear = replace(STANDARD, sale=Sale(None, None, 23900))
    assert quote_on(date(2027, 8, 25), dear).total == 21000


def test_a_group_step_counts_all_heads_and_comes_off_each_price():
    held = Fees((STANDARD, MEMBER), group=GROUP)
    assert [x.kind for x in told(held, ask(("standard", 1), ("member", 1))).lines] == ["rate", "rate"]
    quote = told(held, ask(("standard", 2), ("member", 1)))
    assert [(x.kind, x.code, x.quantity, x.unit, x.amount) for x in quote.lines] == [
        ("rate", "standard", 2, 21000, 42000), ("group", "standard", 2, -1050, -2100),
        ("rate", "member", 1, 20000, 20000), ("group", "member", 1, -1000, -1000),
    ]  # fmt: skip
    assert told(held, ask(("member", 6))).total == 6 * 18000  # the largest step reached


def test_a_percent_rounds_half_up_per_head_in_groups_and_per_line_in_codes():
    cheap = Rate("standard", 1010, "Standard")
    code = Code("X", percent=Decimal(5))
    assert told(Fees((cheap,), group=(GroupStep(3, Decimal(5)),)), ask(("standard", 3))).total == 3 * (
        1010 - 51
    )
    assert told(Fees((cheap,), codes=(code,)), ask(("standard", 3), code="X")).total == 3030 - 152


def test_a_percent_code_takes_from_the_rate_less_its_group_reduction_and_from_named_extras():
    both = replace(LINTEL, on=frozenset({"standard", "book"}))
    held = Fees((STANDARD, MEMBER), (BOOK,), GROUP, (both,))
    quote = told(held, ask(("standard", 2), ("member", 1), extras=[("book", 2)], code="LINTEL"))
    codes = [(x.of, x.amount) for x in quote.lines if x.kind == "code"]
    assert codes == [("standard", -3990), ("book", -630)]


def test_an_amount_off_is_taken_once_from_rates_in_the_order_of_the_fees_then_extras():
    off = Code("OFF", off=45000, on=frozenset({"standard", "member", "book"}))
    held = Fees((STANDARD, MEMBER), (BOOK,), codes=(off,))
    quote = told(held, ask(("member", 1), ("standard", 1), extras=[("book", 2)], code="OFF"))
    assert [(x.of, x.amount) for x in quote.lines if x.kind == "code"] == [
        ("standard", -21000), ("member", -20000), ("book", -4000),
    ]  # fmt: skip
    small = told(held, ask(("member", 1), code="OFF"))
    assert small.total == 0


def test_a_code_without_names_is_on_every_rate_and_no_extra():
    held = Fees((STANDARD,), (BOOK,), codes=(replace(LINTEL, on=None),))
    quote = told(held, ask(("standard", 1), extras=[("book", 1)], code="LINTEL"))
    assert [(x.of, x.amount) for x in quote.lines if x.kind == "code"] == [("standard", -2100)]


def test_required_extras_come_by_themselves_once_a_head_and_not_for_fewer():
    held = Fees((STANDARD,), (PACK, BOOK))
    assert [(x.code, x.quantity) for x in told(held, ask(("standard", 2))).lines] == [
        ("standard", 2),
        ("pack", 2),
    ]
    assert told(held, ask(("standard", 2), extras=[("pack", 3)])).total == 42000 + 7200
    assert faults(held, ask(("standard", 2), extras=[("pack", 1)])) == {
        "/ask/extras/pack": "Glass pack is required once per head, 2 in all."
    }


def test_every_thing_that_cannot_be_had_is_named_with_its_reason():
    late = Code("LATE", percent=Decimal(5), first=date(2027, 9, 1))
    over = Code("OVER", percent=Decimal(5), last=date(2027, 8, 1))
    member_only = Code("MEMBERS", percent=Decimal(5), on=frozenset({"member"}))
    held = Fees((STANDARD, MEMBER), (BOOK, replace(PACK, stock=1)), codes=(late, over, member_only))
    said = faults(held, ask(("standard", 2), extras=[("book", 9), ("chisel", 1)]))
    assert set(said) == {"/ask/extras/chisel", "/ask/extras/book", "/ask/extras/pack"}
    assert said["/ask/extras/pack"] == "1 of Glass pack are in stock, not 2."
    one = ask(("standard", 1))
    for code, words in (
        ("NONE", 'no code "NONE"'), ("LATE", "holds from Wed 1 Sep 2027"), ("OVER", "held through Sun 1 Aug 2027"),
        ("MEMBERS", "applies to nothing"),
    ):  # fmt: skip
        assert words in faults(held, replace(one, code=code))["/ask/code"]
    assert faults(held, replace(one, extras=(("book", 0),)))["/ask/extras/book"].startswith(
        "Ask for at least one"
    )


def test_an_agreed_amount_stands_as_agreed_and_only_a_code_comes_off_it():
    free = replace(STANDARD, by_agreement=True)
    held = Fees((free,), group=GROUP, codes=(LINTEL,))
    agreed = Agreed(15000, "Helps in the workshop.")
    quote = told(held, Ask((Heads("standard", 3, agreed),), code="LINTEL"))
    assert (quote.total, quote.lines[0].why) == (
        40500,
        "Agreed: 150.00 a head. Helps in the workshop. 3 people.",
    )
    assert (
        "not one that staff may agree"
        in faults(Fees((STANDARD,)), Ask((Heads("standard", 1, agreed),)))["/ask/people/0/agreed"]
    )


def test_the_next_change_knows_sales_and_the_last_day_of_a_code():
    code = replace(LINTEL, last=date(2027, 8, 22))
    sale = replace(STANDARD, sale=Sale(date(2027, 8, 21), date(2027, 8, 21), 100_00))
    change = told(Fees((sale,), codes=(code,)), ask(("standard", 1), code="LINTEL")).next_change
    assert (change.at.isoformat(), change.total) == ("2027-08-21T00:00:00-04:00", 9000)
    line = price_line_of(
        Fees((sale,), codes=(code,)),
        ask(("standard", 1), code="LINTEL"),
        date(2027, 8, 20),
        date(2027, 8, 24),
        START,
    )
    assert [(s.first.day, s.last.day, s.total) for s in line] == [
        (20, 20, 18900), (21, 21, 9000), (22, 22, 18900), (23, 24, 21000),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("terms", "person", "said"),
    [
        (Terms(), Person(), None),
        (Terms(tags=frozenset({"member"})), Person(tags=frozenset({"Member"})), None),
        (Terms(tags=frozenset({"member", "staff"})), Person(), "people tagged member or staff"),
        (Terms(organization=(2, "Northgate")), Person(organizations=frozenset({1})), "people of Northgate"),
        (Terms(course=(7, "Lime")), Person(courses=frozenset({7})), None),
        (Terms(course=(7, "Lime")), Person(), "took Lime"),
        (Terms(tags=frozenset({"member"})), None, None),
        (Terms(first=date(2027, 8, 21)), None, "from Sat 21 Aug 2027 on"),
        (Terms(last=date(2027, 8, 19)), None, "was offered through Thu 19 Aug 2027"),
        (Terms(most=5), None, "1 of 5 seats at this rate are left."),
    ],
)
def test_who_may_have_a_rate_is_answered_with_the_reason(terms, person, said):
    answer = why_not(terms, person, date(2027, 8, 20), 4, 2)
    assert answer is None if said is None else said in answer


# --- properties -------------------------------------------------------------------------------------------

percents = st.integers(0, 10000).map(lambda n: Decimal(n) / 100)
units = st.integers(0, 100_000)
days = st.dates(date(2027, 6, 1), date(2027, 9, 20))
steps = st.builds(
    lambda end, how, n: EarlyStep(days_before=end, **{how: Decimal(n % 101) if how == "percent" else n}),
    st.integers(0, 90), st.sampled_from(["amount", "off", "percent"]), units,
)  # fmt: skip


@st.composite
def everything(draw):
    """Fees of every kind with an ask that has no fault on some day of the code."""
    sales = st.one_of(st.none(), st.builds(lambda a, b, n: Sale(min(a, b), max(a, b), n), days, days, units))
    rates = tuple(
        Rate(code, draw(units), code, tuple(draw(st.lists(steps, max_size=3))), draw(sales))
        for code in ("a", "b")
    )
    extras = tuple(Extra(code, draw(units), code, draw(st.booleans())) for code in ("x", "y"))
    group = tuple(GroupStep(n, draw(percents)) for n in draw(st.sets(st.integers(2, 8), max_size=3)))
    on = draw(st.one_of(st.none(), st.just(frozenset({"a", "x"})), st.just(frozenset({"a", "b", "x", "y"}))))
    whole = {"percent": draw(percents)} if draw(st.booleans()) else {"off": draw(units)}
    first, last = sorted((draw(days), draw(days)))
    code = Code("C", first=first, last=last, on=on, **whole)
    included = draw(st.booleans())
    taxes = tuple(
        Tax(f"t{n}", draw(percents), included, draw(st.one_of(st.none(), st.just(frozenset({"a", "x"})))))
        for n in range(draw(st.integers(0, 2)))
    )
    if draw(st.booleans()):  # both kinds, each on what is its own
        taxes = (
            Tax("in", draw(percents), True, frozenset({"a", "x"})),
            Tax("top", draw(percents), False, frozenset({"b", "y"})),
        )
    people = (
        Heads("a", draw(st.integers(1, 5))),
        *((Heads("b", draw(st.integers(1, 5))),) if draw(st.booleans()) else ()),
    )
    heads = sum(p.count for p in people)
    wanted = [(x.code, draw(st.integers(heads, heads + 3))) for x in extras if draw(st.booleans())]
    return (
        Fees(rates, extras, group, (code,), taxes),
        Ask(people, tuple(wanted), draw(st.sampled_from([None, "C"]))),
        first,
    )


@given(everything(), days)
def test_no_total_is_negative_and_lines_and_taxes_make_it(held, day):
    fees, asked, _ = held
    parts = parts_on(fees, asked, day, START)
    sums = sums_of(parts)
    assert all(s >= 0 for s in sums.values())
    total = total_on(fees, asked, day, START)
    taxes = taxes_on(fees.taxes, sums)
    on_top = sum(a for a, t in zip(taxes, fees.taxes, strict=True) if not t.included)
    assert total == sum(sums.values()) + on_top >= 0
    assert all(a >= 0 for a in taxes) and sum(taxes) - on_top <= sum(sums.values())


@given(everything(), st.permutations(["x", "y"]))
def test_the_quote_does_not_depend_on_the_order_in_which_extras_are_named(held, order):
    fees, asked, day = held
    mixed = replace(asked, extras=tuple(sorted(asked.extras, key=lambda e: order.index(e[0]))))
    moment = datetime(day.year, day.month, day.day, 12, tzinfo=ZONE)
    assert told(fees, mixed, moment) == told(fees, asked, moment)


@given(everything())
def test_the_price_line_agrees_with_the_quote_at_the_first_and_last_second_of_every_step(held):
    fees, asked, _ = held
    line = price_line_of(fees, asked, date(2027, 6, 1), START, START)
    assert line[0].first == date(2027, 6, 1) and line[-1].last == START
    for a, b in pairwise(line):
        assert b.first == a.last + timedelta(days=1) and a.total != b.total
    for stretch in line:
        for day, clock in ((stretch.first, time(0)), (stretch.last, time(23, 59, 59, 999_999))):
            moment = datetime.combine(day, clock, ZONE)
            code = fees.codes[0]
            given_now = asked if asked.code is None or code.runs(day) else replace(asked, code=None)
            assert told(fees, given_now, moment).total == stretch.total


@given(everything(), days)
def test_the_next_change_is_where_the_price_line_turns(held, day):
    fees, asked, _ = held
    total = total_on(fees, asked, day, START)
    change = next_change_of(fees, asked, day, START, ZONE, total)
    line = price_line_of(fees, asked, day, date(2027, 12, 31), START)
    if len(line) == 1:
        assert change is None
    else:
        assert change.at == datetime.combine(line[1].first, time(0), ZONE) and change.total == line[1].total


def test_the_price_of_a_day_says_its_amount_its_rule_and_whether_it_is_early():
    assert unit_price(STANDARD, date(2027, 8, 20), START, "USD").amount == 21000
    until = unit_price(STANDARD, date(2027, 9, 1), START, "USD")
    assert (until.amount, until.early) == (22800, True)
    assert (
        until.why
        == "The regular amount is 240.00 less 5 percent. The early step holds through Fri 3 Sep 2027."
    )
    regular = unit_price(STANDARD, date(2027, 9, 10), START, "USD")
    assert (regular.amount, regular.early) == (24000, False)
    assert regular.why == "The regular amount is 240.00. No early step holds any more."
    assert unit_price(replace(STANDARD, early=()), START, START, "USD").why == "The regular amount is 240.00."


def test_only_the_line_of_a_rate_is_early_and_an_extra_says_its_price():
    quote = told(
        Fees((STANDARD,), (BOOK, PACK), codes=(LINTEL,)),
        ask(("standard", 1), extras=[("book", 1)], code="LINTEL"),
    )
    assert {line.kind: line.early for line in quote.lines} == {"rate": True, "extra": False, "code": False}
    said = {line.code: line.why for line in quote.lines if line.kind == "extra"}
    assert said["book"].endswith(" each.") and said["pack"].endswith(" each, required once per head.")


def test_an_amount_off_that_is_used_up_takes_nothing_more():
    off = Code("OFF", off=21000, on=frozenset({"standard", "book"}))
    quote = told(
        Fees((STANDARD,), (BOOK,), codes=(off,)), ask(("standard", 1), extras=[("book", 1)], code="OFF")
    )
    assert [(x.of, x.amount) for x in quote.lines if x.kind == "code"] == [("standard", -21000)]
