"""Cover: who can take a meeting, what stands in the way of those who cannot, and the best proposal for many meetings at once.

Moments are aware datetimes, times half-open as in `core.clashes`; minutes are whole, costs whole numbers of the smallest unit.
A week is Monday to Sunday by the meeting's own date. A proposal covers as many meetings as can be, and of those proposals it
is the one with the fewest whose pay is still to be agreed and then of least cost, or with `CoverAim.EVEN` the one in which the longest week of anybody is shortest, then of least cost.
Solved as an integer program by OR-Tools' CP-SAT, which also proves how good any proposal could be (`bound`).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from enum import StrEnum
from functools import cached_property
from itertools import pairwise
from math import ceil
from zoneinfo import ZoneInfo

from archgate.core.clashes import Hours, within_hours
from archgate.core.money import format_amount
from archgate.core.schedule import monday_of
from archgate.core.states import CoverAim, Fit, Part
from archgate.core.teaching import Can, fit_for, hours_text

MOST_SLOTS = 400  # meetings of one proposal
SECONDS = 5.0


class Obstacle(StrEnum):
    """Why somebody cannot take a meeting."""

    TEACHES = "teaches at that time"
    AWAY = "away"
    HOURS = "outside the weekly hours"
    UNFIT = "not qualified"
    UNKNOWN = "no qualification written down"
    WEEK = "over the most hours a week"
    BESIDE = "teaches it already"


@dataclass(frozen=True)
class Slot:
    """A meeting that somebody has to take, and as what."""

    id: int
    start: datetime
    end: datetime
    minutes: int
    day: date
    course_id: int
    category: str
    part: Part = Part.LEAD

    @property
    def week(self) -> date:
        return monday_of(self.day)


@dataclass(frozen=True)
class Teacher:
    """Somebody who might teach. `teaches` and `away` are times already taken, `weeks` the minutes of each week that they teach
    already, by its Monday; `most` bounds a week."""

    id: int
    name: str
    hours: tuple[Hours, ...] = ()
    cans: tuple[Can, ...] = ()
    teaches: tuple[tuple[datetime, datetime], ...] = ()
    away: tuple[tuple[datetime, datetime], ...] = ()
    weeks: Mapping[date, int] = field(default_factory=dict)
    most: int | None = None


def touches(spans: Sequence[tuple[datetime, datetime]], slot: Slot) -> bool:
    return any(start < slot.end and end > slot.start for start, end in spans)


def fit_of(teacher: Teacher, slot: Slot) -> Fit:
    return fit_for(teacher.cans, slot.course_id, slot.category, slot.part)


def obstacles(teacher: Teacher, slot: Slot, zone: ZoneInfo, unknown: bool = False) -> tuple[Obstacle, ...]:
    """What stands in the way of somebody taking a meeting by itself; nothing: they can. With `unknown` those may, too, of whom
    nothing is written down. Weekly hours are wall-clock times in `zone`."""
    fit = fit_of(teacher, slot)
    ways = (
        (Obstacle.TEACHES, touches(teacher.teaches, slot)),
        (Obstacle.AWAY, touches(teacher.away, slot)),
        (Obstacle.HOURS, not within_hours(slot.start, slot.end, zone, teacher.hours)),
        (Obstacle.UNFIT, fit is Fit.NO),
        (Obstacle.UNKNOWN, fit is Fit.UNKNOWN and not unknown),
        (
            Obstacle.WEEK,
            teacher.most is not None and teacher.weeks.get(slot.week, 0) + slot.minutes > teacher.most,
        ),
    )
    return tuple(obstacle for obstacle, holds in ways if holds)


@dataclass(frozen=True)
class Question:
    """What a proposal is asked for: the meetings, who might take them, and what each choice costs, by the numbers of both in
    their lists; None where the pay is still to be agreed. A pair that is not in `costs` cannot be."""

    slots: tuple[Slot, ...]
    teachers: tuple[Teacher, ...]
    costs: Mapping[tuple[int, int], int | None]
    aim: CoverAim = CoverAim.COST

    @property
    def weights(self) -> dict[tuple[int, int], int]:
        """What each pair counts for least cost: a pay that is not known counts more than all known ones together could, so that
        it is never preferred because it is not known."""
        return {pair: self.unknown if cost is None else cost for pair, cost in self.costs.items()}

    @cached_property
    def unknown(self) -> int:
        """One more than the dearest known choice of every meeting together."""
        dearest = dict[int, int]()
        for (s, _), cost in self.costs.items():
            dearest[s] = max(dearest.get(s, 0), cost or 0)
        return 1 + sum(dearest.values())


@dataclass(frozen=True)
class Worth:
    """How good a proposal is: the fewer uncovered the better, then by the aim. `week` are the minutes of the longest week,
    `cost` is what is known of it, and `to_agree` counts the meetings whose pay is still to be agreed; the fewer the better."""

    uncovered: int
    cost: int
    week: int
    to_agree: int = 0

    def by(self, aim: CoverAim) -> tuple[int, int, int, int]:
        return (
            (self.uncovered, self.week, self.to_agree, self.cost)
            if aim is CoverAim.EVEN
            else (self.uncovered, self.to_agree, self.cost, self.week)
        )


@dataclass(frozen=True)
class Proposal:
    """Who takes each meeting, by the number in the list of teachers, None for nobody. `value` is its cost or, for an even load,
    the minutes of the longest week; none can have less than `bound`, with as many covered and as many whose pay is known."""

    chosen: tuple[int | None, ...]
    worth: Worth
    greedy: Worth
    value: int
    bound: int

    @property
    def proved(self) -> bool:
        return self.bound >= self.value


def question_of(
    slots: Sequence[Slot],
    teachers: Sequence[Teacher],
    zone: ZoneInfo,
    cost: Mapping[tuple[int, int], int | None],
    aim: CoverAim,
    unknown: bool = False,
) -> Question:
    """The pairs in whose way nothing stands, with their costs by the numbers in both lists."""
    fitting = {
        (s, t): cost.get((s, t))
        for s, slot in enumerate(slots)
        for t, teacher in enumerate(teachers)
        if not obstacles(teacher, slot, zone, unknown)
    }
    return Question(tuple(slots), tuple(teachers), fitting, aim)


def worth_of(question: Question, chosen: Sequence[int | None]) -> Worth:
    weeks = Counter[tuple[int, date]]()
    for slot, t in zip(question.slots, chosen, strict=True):
        if t is not None:
            weeks[t, slot.week] += slot.minutes
    longest = max((n + question.teachers[t].weeks.get(week, 0) for (t, week), n in weeks.items()), default=0)
    costs = [question.costs[s, t] for s, t in enumerate(chosen) if t is not None]
    known = [cost for cost in costs if cost is not None]
    return Worth(sum(t is None for t in chosen), sum(known), longest, len(costs) - len(known))


def faults_of(question: Question, chosen: Sequence[int | None]) -> list[str]:
    """What is wrong with a proposal: a pair that cannot be, two meetings at once, a week over its bound. None of them: it
    stands. An invariant that every proposal is checked against before it is shown."""
    faults = [
        f"{question.teachers[t].name} cannot take meeting {question.slots[s].id}."
        for s, t in enumerate(chosen)
        if t is not None and (s, t) not in question.costs
    ]
    own: dict[int, list[Slot]] = {}
    for slot, t in zip(question.slots, chosen, strict=True):
        if t is not None:
            own.setdefault(t, []).append(slot)
    for t, slots in own.items():
        teacher = question.teachers[t]
        ordered = sorted(slots, key=lambda s: s.start)
        faults += [
            f"{teacher.name} would be in two places."
            for one, other in pairwise(ordered)
            if other.start < one.end
        ]
        weeks = Counter[date]()
        for slot in slots:
            weeks[slot.week] += slot.minutes
        faults += [
            f"{teacher.name} would teach too much in the week of {week}."
            for week, n in weeks.items()
            if teacher.most is not None and n + teacher.weeks.get(week, 0) > teacher.most
        ]
    return faults


def greedy(question: Question) -> tuple[int | None, ...]:
    """Each meeting in turn, by start, to whoever is cheapest and can still take it; for an even load to whoever's week is
    shortest. What somebody would do by hand."""
    weights = question.weights
    chosen: list[int | None] = [None] * len(question.slots)
    taken: dict[int, list[Slot]] = {}
    weeks = Counter[tuple[int, date]]()
    for s in sorted(range(len(question.slots)), key=lambda s: (question.slots[s].start, s)):
        slot = question.slots[s]
        best: tuple[int, int, int] | None = None
        for t, teacher in enumerate(question.teachers):
            if (s, t) not in question.costs:
                continue
            week = teacher.weeks.get(slot.week, 0) + weeks[t, slot.week] + slot.minutes
            if teacher.most is not None and week > teacher.most:
                continue
            if any(o.start < slot.end and o.end > slot.start for o in taken.get(t, ())):
                continue
            cost = weights[s, t]
            rank = (week, cost, t) if question.aim is CoverAim.EVEN else (cost, week, t)
            if best is None or rank < best:
                best = rank
        if best is not None:
            t = best[2]
            chosen[s] = t
            taken.setdefault(t, []).append(slot)
            weeks[t, slot.week] += slot.minutes
    return tuple(chosen)


def propose(question: Question, seconds: float = SECONDS) -> Proposal:
    """The best proposal that is found within the time; never a worse one than the greedy one, which the search begins with."""
    start = greedy(question)
    by_hand = worth_of(question, start)
    if not question.costs:
        return Proposal(start, by_hand, by_hand, 0, 0)
    found, bound = solved(question, start, seconds)
    worth = worth_of(question, found)
    if faults_of(question, found) or worth.by(question.aim) > by_hand.by(question.aim):
        found, worth = start, by_hand
    value = worth.week if question.aim is CoverAim.EVEN else worth.cost
    return Proposal(found, worth, by_hand, value, min(bound, value))


class Goal(StrEnum):
    """What one step of the search makes as small as can be."""

    UNCOVERED = "uncovered"
    COST = "cost"


@dataclass(frozen=True)
class Step:
    """What a step found, a bound that no proposal goes below, and the seconds it took."""

    found: tuple[int | None, ...]
    bound: int
    spent: float


def solved(
    question: Question, start: tuple[int | None, ...], seconds: float
) -> tuple[tuple[int | None, ...], int]:
    """What CP-SAT finds within the time, beginning with a proposal: how many meetings can be covered; with as many, the least
    cost or the shortest longest week; then, of the shortest, the least cost. And the bound it proves on the second of these."""
    first = step(question, start, seconds, Goal.UNCOVERED)
    if question.aim is CoverAim.COST:
        cheapest = step(question, first.found, seconds - first.spent, Goal.COST)
        to_agree = worth_of(question, cheapest.found).to_agree
        return cheapest.found, max(0, cheapest.bound - to_agree * question.unknown)
    even = shortest_week(question, first.found, seconds - first.spent)
    bounded = within(question, worth_of(question, even.found).week)
    last = step(bounded, even.found, seconds - first.spent - even.spent, Goal.COST)
    return last.found, even.bound


def within(question: Question, longest: int) -> Question:
    """The same question with no week longer than so many minutes, for those to whom anything is given."""
    teachers = tuple(
        replace(t, most=longest if t.most is None else min(t.most, longest)) for t in question.teachers
    )
    costs = {
        (s, t): cost
        for (s, t), cost in question.costs.items()
        for slot in (question.slots[s],)
        if teachers[t].weeks.get(slot.week, 0) + slot.minutes <= longest
    }
    return replace(question, teachers=teachers, costs=costs)


def shortest_week(question: Question, start: tuple[int | None, ...], seconds: float) -> Step:
    """The shortest longest week with as many covered, by halving what is between the bound and the best found: whether a
    length can be kept at all is decided in a blink, where minimizing it directly is not."""
    found, spent = start, 0.0
    uncovered, low, high = sum(t is None for t in start), 0, worth_of(question, start).week
    while low < high and spent < seconds:
        middle = (low + high) // 2
        bounded = within(question, middle)
        kept = tuple(t if (s, t) in bounded.costs else None for s, t in enumerate(found))
        tried = step(bounded, kept, seconds - spent, Goal.UNCOVERED)
        spent += tried.spent
        if sum(t is None for t in tried.found) <= uncovered:
            found = tried.found
            high = worth_of(question, found).week
        elif tried.bound > uncovered:
            low = middle + 1
        else:
            break  # out of time: what is between stays open
    return Step(found, low, spent)


def step(question: Question, start: tuple[int | None, ...], seconds: float, goal: Goal) -> Step:
    """The best that is found beginning with a proposal; for the least cost, of those that cover no fewer meetings."""
    from ortools.sat.python import cp_model

    slots, teachers, costs = question.slots, question.teachers, question.weights
    model = cp_model.CpModel()
    takes = {pair: model.new_bool_var(f"{pair[0]} {pair[1]}") for pair in sorted(costs)}
    by_slot: dict[int, list[int]] = {}
    by_teacher: dict[int, list[int]] = {}
    for s, t in takes:
        by_slot.setdefault(s, []).append(t)
        by_teacher.setdefault(t, []).append(s)
    weeks: dict[tuple[int, date], list[int]] = {}
    for t, able in by_teacher.items():
        for s in able:
            weeks.setdefault((t, slots[s].week), []).append(s)
            together = [o for o in able if slots[o].start <= slots[s].start < slots[o].end]
            if len(together) > 1:
                model.add_at_most_one(takes[o, t] for o in together)
    for (t, week), able in weeks.items():
        most = teachers[t].most
        if most is not None:
            left = max(0, most - teachers[t].weeks.get(week, 0))
            model.add(sum(slots[s].minutes * takes[s, t] for s in able) <= left)
    for s, able in by_slot.items():
        model.add_at_most_one(takes[s, t] for t in able)
    covered = sum(takes.values())
    if goal is Goal.UNCOVERED:
        model.minimize(len(slots) - covered)
    else:
        model.add(covered >= sum(t is not None for t in start))
        model.minimize(sum(costs[pair] * taken for pair, taken in takes.items()))
    for pair, taken in takes.items():
        model.add_hint(taken, start[pair[0]] == pair[1])
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = max(0.1, seconds)
    solver.parameters.num_workers = 2
    solver.parameters.random_seed = 1
    if solver.solve(model) not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return Step(start, 0, solver.wall_time)
    found = tuple(
        next((t for t in by_slot.get(s, ()) if solver.value(takes[s, t])), None) for s in range(len(slots))
    )
    return Step(found, max(0, ceil(solver.best_objective_bound - 1e-6)), solver.wall_time)


# --- in words ---------------------------------------------------------------------------------------------


def why_chosen(question: Question, s: int, t: int, currency: str) -> str:
    """Why somebody takes a meeting, in a sentence."""
    slot, teacher = question.slots[s], question.teachers[t]
    others = sum(1 for pair in question.costs if pair[0] == s) - 1
    week = teacher.weeks.get(slot.week, 0)
    bound = f" of {hours_text(teacher.most)}" if teacher.most is not None else ""
    rest = f"one of {others + 1} who could" if others else "the only one who can"
    fit = "qualified" if fit_of(teacher, slot) is Fit.YES else "not known whether qualified"
    cost = question.costs[s, t]
    costs = "the pay is to be agreed" if cost is None else f"costs {format_amount(cost, currency)} {currency}"
    return f"Free, {fit}; teaches {hours_text(week)}{bound} h that week already; {costs}; {rest}."


def why_uncovered(question: Question, s: int, zone: ZoneInfo, unknown: bool) -> str:
    """Which rules stand in the way of a meeting that nobody takes, with how many people each."""
    slot = question.slots[s]
    able = [t for t in range(len(question.teachers)) if (s, t) in question.costs]
    if able:
        names = ", ".join(question.teachers[t].name for t in able[:3])
        tail = f" and {len(able) - 3} more" if len(able) > 3 else ""
        return f"{names}{tail} could, but would then be in two places or over the most hours of that week."
    ways = Counter[Obstacle]()
    for teacher in question.teachers:
        found = obstacles(teacher, slot, zone, unknown)
        # Whoever could, but is no pair of the question, teaches the meeting beside the one who is away.
        ways[found[0] if found else Obstacle.BESIDE] += 1
    if not ways:
        return "There is nobody to ask."
    words = {
        Obstacle.TEACHES: ("teaches at that time", "teach at that time"),
        Obstacle.AWAY: ("is away", "are away"),
        Obstacle.HOURS: ("does not teach at that hour", "do not teach at that hour"),
        Obstacle.UNFIT: ("is not qualified", "are not qualified"),
        Obstacle.UNKNOWN: (
            "has nothing written down that they can teach",
            "have nothing written down that they can teach",
        ),
        Obstacle.WEEK: ("would pass their most hours a week", "would pass their most hours a week"),
        Obstacle.BESIDE: ("teaches it already", "teach it already"),
    }
    return f"Nobody can: {', '.join(f'{n} {words[o][n > 1]}' for o, n in ways.most_common())}."
