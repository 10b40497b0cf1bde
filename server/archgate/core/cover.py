"""Cover: who can take a meeting, what stands in the way of those who cannot, and the best proposal for many meetings at once.

Moments are aware datetimes, times half-open as in `core.clashes`; minutes are whole, costs whole numbers of the smallest unit.
A week is Monday to Sunday by the meeting's own date. A proposal covers as many meetings as can be, and of those proposals it
is the one of least cost, or with `CoverAim.EVEN` the one in which the longest week of anybody is shortest, then of least cost.
Solved as an integer program by OR-Tools' CP-SAT, which also proves how good any proposal could be (`bound`).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from enum import StrEnum
from itertools import pairwise
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
    their lists. A pair that is not in `costs` cannot be."""

    slots: tuple[Slot, ...]
    teachers: tuple[Teacher, ...]
    costs: Mapping[tuple[int, int], int]
    aim: CoverAim = CoverAim.COST


@dataclass(frozen=True)
class Worth:
    """How good a proposal is: the fewer uncovered the better, then by the aim. `week` are the minutes of the longest week."""

    uncovered: int
    cost: int
    week: int

    def by(self, aim: CoverAim) -> tuple[int, int, int]:
        return (
            (self.uncovered, self.week, self.cost)
            if aim is CoverAim.EVEN
            else (self.uncovered, self.cost, self.week)
        )


@dataclass(frozen=True)
class Proposal:
    """Who takes each meeting, by the number in the list of teachers, None for nobody. `value` is its cost or, for an even load,
    the minutes of the longest week; none can have less than `bound`, with as many covered."""

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
    cost: Mapping[tuple[int, int], int],
    aim: CoverAim,
    unknown: bool = False,
) -> Question:
    """The pairs in whose way nothing stands, with their costs by the numbers in both lists."""
    fitting = {
        (s, t): cost.get((s, t), 0)
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
    cost = sum(question.costs[s, t] for s, t in enumerate(chosen) if t is not None)
    return Worth(sum(t is None for t in chosen), cost, longest)


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
            cost = question.costs[s, t]
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


def solved(
    question: Question, start: Sequence[int | None], seconds: float
) -> tuple[tuple[int | None, ...], int]:
    """What CP-SAT finds, beginning with a proposal; and the bound it proves on the value of any with as many covered."""
    from ortools.sat.python import cp_model

    slots, teachers, costs = question.slots, question.teachers, question.costs
    model = cp_model.CpModel()
    takes = {pair: model.new_bool_var(f"{pair[0]} {pair[1]}") for pair in sorted(costs)}
    by_slot: dict[int, list[int]] = {}
    by_teacher: dict[int, list[int]] = {}
    for s, t in takes:
        by_slot.setdefault(s, []).append(t)
        by_teacher.setdefault(t, []).append(s)
    for s, able in by_slot.items():
        model.add_at_most_one(takes[s, t] for t in able)
    weeks: dict[tuple[int, date], list[int]] = {}
    for t, able in by_teacher.items():
        for s in able:
            weeks.setdefault((t, slots[s].week), []).append(s)
            together = [o for o in able if slots[o].start <= slots[s].start < slots[o].end]
            if len(together) > 1:
                model.add_at_most_one(takes[o, t] for o in together)
    covered = sum(takes.values())
    cost = sum(costs[pair] * taken for pair, taken in takes.items())
    most_cost = sum(max(costs[s, t] for t in able) for s, able in by_slot.items()) + 1
    longest = model.new_int_var(0, 7 * 24 * 60, "longest week")
    for (t, week), able in weeks.items():
        teacher, minutes = teachers[t], sum(slots[s].minutes * takes[s, t] for s in able)
        already = teacher.weeks.get(week, 0)
        if teacher.most is not None and already + sum(slots[s].minutes for s in able) > teacher.most:
            model.add(minutes + already <= teacher.most)
        if question.aim is CoverAim.EVEN:
            for s in able:
                model.add(minutes + already <= longest).only_enforce_if(takes[s, t])
    even = question.aim is CoverAim.EVEN
    value = longest if even else cost
    unit = (7 * 24 * 60 + 1) if even else most_cost
    model.minimize(value - unit * covered)
    for pair, taken in takes.items():
        model.add_hint(taken, start[pair[0]] == pair[1])
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = seconds
    solver.parameters.num_workers = 2
    solver.parameters.random_seed = 1
    status = solver.solve(model)
    if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return tuple(start), 0
    found = [
        next((t for t in by_slot.get(s, ()) if solver.value(takes[s, t])), None) for s in range(len(slots))
    ]
    number = sum(t is not None for t in found)
    bound = round(solver.best_objective_bound) + unit * number
    if even and status == cp_model.OPTIMAL:
        found = cheapest_of(question, found, seconds)
    return tuple(found), max(0, bound)


def cheapest_of(question: Question, found: Sequence[int | None], seconds: float) -> list[int | None]:
    """Of the proposals whose longest week is no longer, and that cover the same meetings, one of least cost."""
    longest = worth_of(question, found).week
    bounded = tuple(
        Teacher(t.id, t.name, t.hours, t.cans, t.teaches, t.away, t.weeks, min(t.most or longest, longest))
        if not any(n > longest for n in t.weeks.values())
        else t
        for t in question.teachers
    )
    kept = {pair: c for pair, c in question.costs.items() if found[pair[0]] is not None}
    again, _ = solved(Question(question.slots, bounded, kept, CoverAim.COST), found, seconds)
    before, after = worth_of(question, found), worth_of(question, again)
    return list(again if after.by(CoverAim.EVEN) < before.by(CoverAim.EVEN) else found)


# --- in words ---------------------------------------------------------------------------------------------


def why_chosen(question: Question, s: int, t: int, currency: str) -> str:
    """Why somebody takes a meeting, in a sentence."""
    slot, teacher = question.slots[s], question.teachers[t]
    others = sum(1 for pair in question.costs if pair[0] == s) - 1
    week = teacher.weeks.get(slot.week, 0)
    bound = f" of {hours_text(teacher.most)}" if teacher.most is not None else ""
    rest = f"one of {others + 1} who could" if others else "the only one who can"
    fit = "qualified" if fit_of(teacher, slot) is Fit.YES else "not known whether qualified"
    return (
        f"Free, {fit}; teaches {hours_text(week)}{bound} h that week already; costs"
        f" {format_amount(question.costs[s, t], currency)} {currency}; {rest}."
    )


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
        ways[found[0]] += 1
    if not ways:
        return "There is nobody to ask."
    words = {
        Obstacle.TEACHES: "teach at that time",
        Obstacle.AWAY: "are away",
        Obstacle.HOURS: "do not teach at that hour",
        Obstacle.UNFIT: "are not qualified",
        Obstacle.UNKNOWN: "have nothing written down that they can teach",
        Obstacle.WEEK: "would pass their most hours a week",
    }
    return f"Nobody can: {', '.join(f'{n} {words[o]}' for o, n in ways.most_common())}."
