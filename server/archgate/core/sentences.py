"""Standing and follow-on enrollment: sentences that enroll people by themselves, as one reads them; and loops among them."""

from __future__ import annotations

from collections import deque
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import date

from archgate.core.schedule import day_text
from archgate.core.states import SentenceKind


@dataclass(frozen=True)
class Sentence:
    """Who goes where, by which terms. `who` is what a standing one goes by: a tag, or an organization's name; empty is everybody
    who is added. `source` and `target` are runs by their titles. `rate` is the label of a rate; None is free of charge."""

    kind: SentenceKind
    target: str
    source: str = ""
    tag: str = ""
    organization: str = ""
    group: str = ""
    rate: str | None = None
    assistants: bool = False
    leaves: bool = False
    since: date | None = None


def text_of(sentence: Sentence) -> str:
    """A sentence as one reads it.

    >>> text_of(Sentence(SentenceKind.FOLLOW_ON, "Yard safety", "Timber framing", group="Framers"))
    'Everyone on Timber framing also goes on Yard safety, in group Framers, free of charge; assistants do not. Who leaves the one stays on the other.'
    """
    s = sentence
    terms = [f"in group {s.group}"] if s.group else []
    terms.append("free of charge" if s.rate is None else f"at the rate {s.rate}")
    if s.kind is SentenceKind.FOLLOW_ON:
        who = f"Everyone on {s.source} also goes on {s.target}"
        others = "assistants do too" if s.assistants else "assistants do not"
        leaves = (
            "Who leaves the one leaves the other." if s.leaves else "Who leaves the one stays on the other."
        )
        return f"{who}, {', '.join(terms)}; {others}. {leaves}"
    if s.tag:
        who = f"Everyone who gets the tag {s.tag}"
        loses = "loses the tag"
    elif s.organization:
        who = f"Everyone who becomes known as one of {s.organization}"
        loses = f"is no longer one of {s.organization}"
    else:
        who, loses = "Everyone who is added", ""
    since = [f"from {day_text(s.since)} on"] if s.since else []
    leaves = f" Who {loses} leaves it again." if s.leaves and loses else ""
    return f"{who} goes on {s.target}, {', '.join([*since, *terms])}.{leaves}"


def loop_of(follows: Mapping[int, Collection[int]], source: int, target: int) -> list[int] | None:
    """The loop that a new follow-on enrollment from `source` to `target` would close, by runs from the source back to it; None
    if it closes none. `follows` are the runs that follow on each run.

    >>> loop_of({2: [3], 3: [1]}, 1, 2)
    [1, 2, 3, 1]
    """
    came_from: dict[int, int] = {target: source}
    line = deque([target])
    while line:
        run = line.popleft()
        if run == source:
            path = [run]
            while len(path) == 1 or path[-1] != source:
                path.append(came_from[path[-1]])
            return path[::-1]
        for after in sorted(follows.get(run, ())):
            if after not in came_from:
                came_from[after] = run
                line.append(after)
    return None
