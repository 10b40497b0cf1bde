"""Cover: what stands in the way, the greedy proposal, and the best one."""

import random
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from itertools import combinations, product
from zoneinfo import ZoneInfo

from hypothesis import given, settings
from hypothesis import strategies as st

from archgate.core.clashes import Hours
from archgate.core.cover import (
    Obstacle,
    Question,
    Slot,
    Teacher,
    faults_of,
    greedy,
    obstacles,
    propose,
    question_of,
    why_chosen,
    why_uncovered,
    worth_of,
)
from archgate.core.states import CoverAim, Fit, Level, Part
from archgate.core.teaching import (
    Can,
    Tally,
    Taught,
    fit_for,
    mean_and_spread,
    read_taught,
    season_of,
    taught_text,
    trend_of,
)
from conftest import LONG

ZONE = ZoneInfo("America/New_York")
MONDAY = date(2027, 9, 13)


def slot(n, day=0, hour=10, minutes=120, part=Part.LEAD, course=1):
    on = MONDAY + timedelta(days=day)
    start = datetime.combine(on, time(hour), ZONE).astimezone(UTC)
    return Slot(n, start, start + timedelta(minutes=minutes), minutes, on, course, "Stone", part)


LEADS = (Can(1, "", Level.LEADS),)


def test_each_rule_that_stands_in_the_way_is_named():
    busy = slot(0)
    evenings = (Hours(0, time(17), time(21)),)
    away = Teacher(
        1, "A", evenings, (), ((busy.start, busy.end),), ((busy.start, busy.end),), {MONDAY: 60}, 90
    )
    assert obstacles(away, busy, ZONE) == (
        Obstacle.TEACHES, Obstacle.AWAY, Obstacle.HOURS, Obstacle.UNKNOWN, Obstacle.WEEK,
    )  # fmt: skip
    assert obstacles(Teacher(1, "A"), busy, ZONE, unknown=True) == ()
    assert obstacles(Teacher(1, "A", cans=(Can(2, "", Level.LEADS),)), busy, ZONE) == (Obstacle.UNFIT,)
    after = Teacher(1, "A", cans=LEADS, teaches=((busy.end, busy.end + timedelta(hours=1)),))
    assert obstacles(after, busy, ZONE) == (), "times that only touch do not clash"


def test_who_assists_may_not_lead_and_a_course_goes_before_its_category():
    assists = [Can(None, "Stone", Level.ASSISTS)]
    assert [fit_for(assists, 1, "stone", part) for part in Part] == [Fit.NO, Fit.YES, Fit.NO]
    both = [*assists, Can(1, "", Level.LEADS)]
    assert fit_for(both, 1, "Stone", Part.LEAD) is Fit.YES and fit_for(both, 2, "Stone", Part.LEAD) is Fit.NO
    assert fit_for([], 1, "Stone", Part.LEAD) is Fit.UNKNOWN


def test_the_greedy_proposal_is_beaten_where_the_cheapest_is_needed_elsewhere():
    # A can take both at once only by halves: the dear one of the first is the only way to cover the second.
    slots, teachers = [slot(1), slot(2)], [Teacher(1, "A", cans=LEADS), Teacher(2, "B", cans=LEADS)]
    question = Question(tuple(slots), tuple(teachers), {(0, 0): 10, (0, 1): 20, (1, 0): 10})
    assert worth_of(question, greedy(question)).uncovered == 1
    found = propose(question)
    assert (found.chosen, found.value, found.proved) == ((1, 0), 30, True)
    assert found.greedy.uncovered == 1 and found.worth.uncovered == 0


def test_an_even_load_is_the_shortest_longest_week_and_then_the_cheapest():
    slots = [slot(n, day=n) for n in range(4)]
    teachers = [Teacher(1, "A", cans=LEADS), Teacher(2, "B", cans=LEADS, weeks={MONDAY: 120})]
    cost = {(s, t): (1, 50)[t] for s in range(4) for t in range(2)}
    even = propose(question_of(slots, teachers, ZONE, cost, CoverAim.EVEN))
    assert (even.worth.week, even.worth.cost) == (360, 53) and even.proved
    cheap = propose(question_of(slots, teachers, ZONE, cost, CoverAim.COST))
    assert (cheap.worth.week, cheap.worth.cost) == (480, 4)


def test_a_week_is_bounded_and_what_is_uncovered_says_which_rule_stands_in_the_way():
    slots = [slot(n, day=n) for n in range(3)]
    full = Teacher(1, "Ada", cans=LEADS, weeks={MONDAY: 60}, most=300)
    other = Teacher(2, "Bo", cans=(Can(9, "", Level.LEADS),))
    question = question_of(slots, [full, other], ZONE, {}, CoverAim.COST)
    found = propose(question)
    assert found.worth.uncovered == 1 and found.worth.week == 300
    at = found.chosen.index(None)
    assert why_uncovered(question, at, ZONE, False) == (
        "Ada could, but would then be in two places or over the most hours of that week."
    )
    taken = next(s for s, t in enumerate(found.chosen) if t == 0)
    assert why_chosen(question, taken, 0, "USD") == (
        "Free, qualified; teaches 1 of 5 h that week already; the pay is to be agreed; the only one who can."
    )
    nobody = question_of(slots[:1], [other], ZONE, {}, CoverAim.COST)
    assert propose(nobody).chosen == (None,)
    assert why_uncovered(nobody, 0, ZONE, False) == "Nobody can: 1 is not qualified."


def questions(chance, many):
    """Meetings of a few weeks and people with gaps of every kind."""
    slots = [
        slot(n, chance.randrange(14), chance.randrange(8, 20), chance.choice([60, 90, 120, 180]))
        for n in range(chance.randint(1, many))
    ]
    teachers = []
    for n in range(chance.randint(1, 6)):
        taken = [slot(0, chance.randrange(14), chance.randrange(8, 20)) for _ in range(chance.randrange(3))]
        hours = (Hours(chance.randrange(7), time(8), time(20)),) if chance.random() < 0.2 else ()
        weeks = {MONDAY: chance.randrange(0, 400)} if chance.random() < 0.5 else {}
        most = chance.choice([None, 240, 480])
        cans = LEADS if chance.random() < 0.8 else ()
        spans = tuple((s.start, s.end) for s in taken)
        teachers.append(Teacher(n, f"T{n}", hours, cans, spans, (), weeks, most))
    cost = {
        (s, t): chance.randrange(0, 30000) if chance.random() < 0.8 else None
        for s in range(len(slots))
        for t in range(len(teachers))
    }
    return question_of(slots, teachers, ZONE, cost, chance.choice(list(CoverAim)))


@given(st.integers(0, 10**9))
@settings(max_examples=300 if LONG else 12, deadline=None)
def test_no_proposal_clashes_or_breaks_a_bound_and_none_is_worse_than_the_greedy_one(seed):
    question = questions(random.Random(seed), 12)
    found = propose(question, seconds=2)
    assert faults_of(question, found.chosen) == []
    assert found.worth == worth_of(question, found.chosen)
    assert found.worth.by(question.aim) <= found.greedy.by(question.aim)
    assert found.bound <= found.value


def stands(question, way):
    """Whether a way keeps the rules, asked of every pair of meetings and every day of the week anew."""
    given_to = [(question.slots[s], t) for s, t in enumerate(way) if t is not None]
    pairs = all((s, t) in question.costs for s, t in enumerate(way) if t is not None)
    apart = all(
        a.end <= b.start or b.end <= a.start for (a, t), (b, u) in combinations(given_to, 2) if t == u
    )
    bounded = all(
        teacher.most is None
        or sum(s.minutes for s, u in given_to if u == t and s.week == slot.week)
        + teacher.weeks.get(slot.week, 0)
        <= teacher.most
        for slot, t in given_to
        for teacher in (question.teachers[t],)
    )
    return pairs and apart and bounded


@given(st.integers(0, 10**9))
@settings(max_examples=300 if LONG else 25, deadline=None)
def test_a_small_question_is_answered_as_well_as_by_trying_every_way(seed):
    question = questions(random.Random(seed), 4)
    ways = list(product([None, *range(len(question.teachers))], repeat=len(question.slots)))
    assert all(stands(question, w) == (faults_of(question, w) == []) for w in ways[:2000])
    best = min((worth_of(question, w) for w in ways if stands(question, w)), key=lambda w: w.by(question.aim))
    found = propose(question, seconds=5)
    assert found.worth.by(question.aim) == best.by(question.aim)
    value = best.week if question.aim is CoverAim.EVEN else best.cost
    assert found.bound == found.value == value, "proved, since it is small"


def test_a_pay_that_is_not_known_is_never_preferred_and_is_no_part_of_the_sum():
    slots, teachers = [slot(1), slot(2, day=1)], [Teacher(1, "A", cans=LEADS), Teacher(2, "B", cans=LEADS)]
    free = {(0, 0): None, (0, 1): 50000, (1, 0): None, (1, 1): 0}
    found = propose(question_of(slots, teachers, ZONE, free, CoverAim.COST))
    assert (found.chosen, found.value, found.worth.to_agree, found.proved) == ((1, 1), 50000, 0, True)
    only = question_of(slots, teachers, ZONE, {(0, 0): None, (0, 1): None, (1, 1): 700}, CoverAim.COST)
    best = propose(only)
    assert (best.worth.uncovered, best.worth.to_agree, best.value, best.proved) == (0, 1, 700, True)
    assert "the pay is to be agreed" in why_chosen(only, 0, best.chosen[0], "USD")


def test_two_meetings_at_once_a_full_week_and_a_pair_that_cannot_be_are_faults():
    both = Question(
        (slot(1), slot(2)), (Teacher(1, "A", most=200), Teacher(2, "B")), {(0, 0): 1, (1, 0): 1, (1, 1): 1}
    )
    assert faults_of(both, (0, 1)) == []
    assert faults_of(both, (0, 0)) == [
        "A would be in two places.",
        f"A would teach too much in the week of {MONDAY}.",
    ]
    assert faults_of(both, (1, None)) == ["B cannot take meeting 1."]


# --- names, seasons, marks --------------------------------------------------------------------------------


def test_several_names_are_read_with_their_parts_and_nobody_twice():
    assert read_taught("I. Marchetti; P. Hallam (Assistant);; i. marchetti (substitute)") == (
        Taught("I. Marchetti"),
        Taught("P. Hallam", Part.ASSISTANT),
    )
    assert read_taught("Ann (née Berg); Bo, Jr.") == (Taught("Ann (née Berg)"), Taught("Bo, Jr."))
    assert read_taught(" ; ") == ()


@given(st.lists(st.tuples(st.text("abc .", min_size=1).map(str.strip).filter(bool), st.sampled_from(Part))))
def test_what_is_written_of_names_is_read_back(pairs):
    once = {
        " ".join(name.split()).casefold(): Taught(" ".join(name.split()), part)
        for name, part in reversed(pairs)
    }
    taught = tuple(once.values())
    assert read_taught(taught_text(taught)) == taught


def test_a_season_is_the_quarter_of_a_day():
    for day, first, last in (
        (date(2027, 1, 1), date(2027, 1, 1), date(2027, 3, 31)),
        (date(2027, 6, 30), date(2027, 4, 1), date(2027, 6, 30)),
        (date(2028, 12, 31), date(2028, 10, 1), date(2028, 12, 31)),
    ):
        season = season_of(day)
        assert (season.first, season.last) == (first, last)


@given(st.lists(st.integers(1, 5), min_size=1, max_size=60))
def test_an_average_and_its_spread_agree_with_the_standard_library(marks):
    """Differential against Python's statistics module."""
    import statistics

    mean, spread = mean_and_spread(Tally(len(marks), len(marks), sum(marks), sum(m * m for m in marks)))
    assert abs(float(mean) - statistics.fmean(marks)) <= 0.05 + 1e-9
    expected = statistics.stdev(marks) if len(marks) > 1 else 0
    assert abs(float(spread) - expected) <= 0.05 + 1e-9


def test_a_trend_is_said_with_the_year_it_is_compared_with():
    assert trend_of([(2025, Decimal("4.2"))]) == ""
    assert (
        trend_of([(2024, Decimal("1.0")), (2025, Decimal("4.6")), (2026, Decimal("4.2"))])
        == "down from 4.6 in 2025"
    )
    assert trend_of([(2025, Decimal("4.2")), (2026, Decimal("4.3"))]) == "about as in 2025"
