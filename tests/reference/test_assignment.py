"""The cover finder against outside solvers: costs of assignments, and free time.

Sources: the test cases of scipy 1.17.1 (scipy/sparse/csgraph/tests/test_matching.py and
scipy/optimize/tests/test_linear_assignment.py, BSD-3), the example of scipy's manual for `linear_sum_assignment`, the
assignment example of the OR-Tools guide (5 by 4 and 4 by 4; its costs are from memory), and `portion` 2.6.3 for intervals.
Costs are compared, not who was chosen, where optima tie.
"""

import random
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import portion
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import linear_sum_assignment
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import maximum_bipartite_matching

from archgate.core.clashes import Hours, within_hours
from archgate.core.cover import Question, Slot, Teacher, propose
from conftest import LONG

INF = float("inf")
START = datetime(2027, 9, 13, 14, tzinfo=UTC)


def asked(costs):
    """Meetings that all are at one time, so that each person takes at most one: the assignment problem."""
    rows, columns = len(costs), len(costs[0])
    slots = tuple(Slot(n, START, START + timedelta(hours=2), 120, START.date(), 1, "") for n in range(rows))
    teachers = tuple(Teacher(n, f"T{n}") for n in range(columns))
    pairs = {(s, t): int(costs[s][t]) for s in range(rows) for t in range(columns) if costs[s][t] != INF}
    return Question(slots, teachers, pairs)


CASES = [
    ([[400, 150, 400], [400, 450, 600], [300, 225, 300]], 850),
    ([[400, 150, 400, 1], [400, 450, 600, 2], [300, 225, 300, 3]], 452),
    ([[10, 10, 8], [9, 8, 1], [9, 7, 4]], 18),
    ([[10, 10, 8, 11], [9, 8, 1, 1], [9, 7, 4, 10]], 15),
    ([[10, INF, INF], [INF, INF, 1], [INF, 7, INF]], 18),
    ([[4, 1, 3], [2, 0, 5], [3, 2, 2]], 5),
    ([[90, 76, 75, 70], [35, 85, 55, 65], [125, 95, 90, 105], [45, 110, 95, 115]], 265),
]


@pytest.mark.parametrize(("costs", "least"), CASES)
def test_the_published_cases_cost_what_they_cost(costs, least):
    found = propose(asked(costs))
    assert (found.worth.uncovered, found.value, found.proved) == (0, least, True)


def test_with_more_meetings_than_people_as_many_are_covered_at_the_least_cost():
    """OR-Tools guide, five workers and four tasks turned about: here five meetings and four people, one stays uncovered."""
    costs = [[90, 80, 75, 70], [35, 85, 55, 65], [125, 95, 90, 95], [45, 110, 95, 115], [50, 100, 90, 100]]
    found = propose(asked(costs))
    assert (found.worth.uncovered, found.value) == (1, 265)


def test_eight_meetings_and_twelve_people_of_a_seeded_table():
    """numpy's default_rng(7).integers(20, 200, (8, 12)): 278 by scipy, CP-SAT and networkx."""
    costs = np.random.default_rng(7).integers(20, 200, (8, 12))
    assert propose(asked(costs.tolist())).value == 278


def test_what_cannot_be_is_left_uncovered_and_nothing_is_raised():
    """scipy raises for two rows with one allowed column ("cost matrix is infeasible"); here one of both is covered, and of
    three meetings of which two share one person, two (hopcroft_karp_matching)."""
    with pytest.raises(ValueError, match="infeasible"):
        linear_sum_assignment([[INF, 3], [INF, 4]])
    assert propose(asked([[INF, 3], [INF, 4]])).worth.uncovered == 1
    shared = propose(asked([[1, INF], [1, INF], [INF, 1]]))
    assert shared.worth.uncovered == 1


@given(st.integers(0, 10**9))
@settings(max_examples=200 if LONG else 10, deadline=None)
def test_random_tables_cost_what_scipy_says(seed):
    """Differential: with every pair allowed the least cost is scipy's; with gaps as many are covered as its matching has."""
    chance = random.Random(seed)
    rows, columns = chance.randint(1, 7), chance.randint(1, 7)
    costs = [[chance.randrange(1, 500) for _ in range(columns)] for _ in range(rows)]
    picked = linear_sum_assignment(costs)
    found = propose(asked(costs))
    assert found.worth.uncovered == max(0, rows - columns)
    assert found.value == int(np.array(costs)[picked].sum())
    gaps = [[INF if chance.random() < 0.6 else c for c in row] for row in costs]
    allowed = csr_matrix([[int(c != INF) for c in row] for row in gaps])
    matched = int((maximum_bipartite_matching(allowed, perm_type="column") >= 0).sum())
    assert rows - propose(asked(gaps)).worth.uncovered == matched


ZONE = ZoneInfo("America/New_York")
spans = st.lists(st.tuples(st.integers(0, 6), st.integers(0, 46), st.integers(1, 12)), min_size=1, max_size=8)


@given(spans, st.integers(0, 6 * 48), st.integers(1, 14))
@settings(max_examples=800 if LONG else 60)
def test_weekly_hours_hold_a_meeting_where_the_union_of_their_intervals_does(rows, begins, halves):
    """Differential against `portion`: half hours of a week without a change of clocks."""
    monday = date(2027, 9, 13)
    hours = []
    union = portion.empty()
    for weekday, start, length in rows:
        end = min(start + length, 48)
        clock = [time(h // 2, h % 2 * 30) for h in (start, end % 48)]
        hours.append(Hours(weekday, clock[0], clock[1]))
        union |= portion.closedopen(weekday * 48 + start, weekday * 48 + end)
    at = datetime.combine(monday, time(0), ZONE) + timedelta(minutes=30 * begins)
    until = at + timedelta(minutes=30 * halves)
    wanted = portion.closedopen(begins, begins + halves)
    if begins + halves <= 7 * 48:
        assert within_hours(at, until, ZONE, tuple(hours)) == (wanted in union)


@given(st.lists(st.tuples(st.integers(0, 90), st.integers(1, 20)), max_size=10), st.integers(0, 90))
@settings(max_examples=400 if LONG else 40)
def test_somebody_is_free_where_no_interval_of_theirs_overlaps(taken, begins):
    """Differential against `portion`, half-open as its `closedopen`."""
    from archgate.core.cover import touches

    at = lambda minutes: START + timedelta(minutes=10 * minutes)  # noqa: E731
    busy = portion.empty()
    for start, length in taken:
        busy |= portion.closedopen(start, start + length)
    slot = Slot(1, at(begins), at(begins + 9), 90, START.date(), 1, "")
    own = tuple((at(start), at(start + length)) for start, length in taken)
    assert touches(own, slot) == portion.closedopen(begins, begins + 9).overlaps(busy)
