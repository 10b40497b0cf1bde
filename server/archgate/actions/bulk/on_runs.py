"""What lines of a list are judged against: a run with its terms, and how much of what is counted the lines before took."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property
from typing import TypeAlias

from archgate.actions.fees import fees, plans, quotes
from archgate.actions.fees.commands import Ask, ExtraAsked, HeadsAsked
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.seats import seats
from archgate.core import eligibility, verdicts
from archgate.core.faults import Refused
from archgate.core.names import folded
from archgate.core.quotes import AgreedQuote, agreed_of
from archgate.core.states import RowKind, SignUp
from archgate.tables.bulk import Batch
from archgate.tables.courses import Run

Priced: TypeAlias = tuple[quotes.ResolvedAsk, AgreedQuote]
Wanted: TypeAlias = tuple[int, str, int, tuple[tuple[str, int], ...], str, str]


@dataclass
class OnRun:
    """A run that lines of a list go onto: its terms as they stand, and how much of what is counted the lines before took."""

    uow: UnitOfWork
    batch: Batch
    run: Run
    moment: datetime
    at_rate: dict[str, int] = field(default_factory=dict)
    code_uses: dict[str, int] = field(default_factory=dict)
    in_stock: dict[int, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._prices: dict[Wanted, Priced | list[verdicts.Fault]] = {}
        self._who: dict[str, eligibility.Terms] = {}
        self.facts: dict[int, eligibility.Person] = {}
        self.groups = seats.Groups(self.uow, self.run)
        by_id = {r.id: r.code for r in self.run.rates}
        self.at_rate = {by_id[n]: heads for n, heads in fees.heads_at(self.uow, self.run).items()}

    @cached_property
    def rates(self) -> dict[str, str]:
        rates = fees.rates_of(self.run)
        return {folded(r.code): r.code for r in rates} | {folded(r.label): r.code for r in rates}

    @property
    def is_counted(self) -> bool:
        """Whether something of it is short beside the seats: heads at a rate, uses of a code, what is in stock."""
        items = any(extra.item is not None for extra in self.run.extras)
        return items or bool(self.batch.code) or any(rate.most is not None for rate in self.run.rates)

    @cached_property
    def labels(self) -> dict[str, str]:
        return {r.code: r.label for r in self.run.rates}

    @cached_property
    def terms(self) -> verdicts.Terms:
        usual = self.rates.get(folded(self.batch.rate)) if self.batch.rate else None
        sign_up, why = fees.sign_up_of(self.uow, self.run, False)
        shut = "" if sign_up is SignUp.OPEN else f"{self.run.code}: {why}"
        if self.batch.rate and usual is None:
            shut = f'{self.run.code} has no rate "{self.batch.rate}", which is picked for all.'
        return verdicts.Terms(
            self.run.id,
            self.run.code,
            self.rates,
            usual or fees.rate_of(self.run, None).code,
            shut,
            self.groups.of,
            self.faults,
            self.took,
        )

    def wanted(self, row: verdicts.Row, rate: str) -> Wanted:
        """What a line asks for; what it does not say, the list says for all."""
        extras = row.extras or verdicts.extras_of(self.batch.extras)
        return (
            self.run.id,
            rate,
            row.party or 1,
            extras,
            row.code or self.batch.code,
            row.plan or self.batch.plan,
        )

    def price(self, row: verdicts.Row, rate: str) -> Priced | list[verdicts.Fault]:
        """What a line asks for and comes to, or what is wrong with that; the same for all lines that ask for the same."""
        key = self.wanted(row, rate)
        if key not in self._prices:
            self._prices[key] = self.price_of(key)
        return self._prices[key]

    def price_of(self, wanted: Wanted) -> Priced | list[verdicts.Fault]:
        _, rate, heads, extras, code, plan = wanted
        rate_id = next(r.id for r in fees.rates_of(self.run) if r.code == rate)
        asked, wrong = self.extras_asked(extras)
        plan_id, no_plan = self.plan_asked(plan)
        wrong += no_plan
        if wrong:
            return wrong
        ask = Ask(
            people=[HeadsAsked(rate_id=rate_id, count=heads)],
            extras=asked,
            code=code or None,
            plan_id=plan_id,
        )
        try:
            resolved = quotes.resolve_ask(self.uow, self.run, ask)
            return resolved, agreed_of(*quotes.terms_for(self.uow, resolved, self.moment))
        except Refused as refused:
            return [verdicts.Fault(RowKind.REFUSED, f.message) for f in refused.faults]
        except Problem as problem:
            return [verdicts.Fault(RowKind.REFUSED, problem.detail)]

    def extras_asked(
        self, extras: Sequence[tuple[str, int]]
    ) -> tuple[list[ExtraAsked], list[verdicts.Fault]]:
        known = {folded(x.label): x for x in self.run.extras if x.active}
        known |= {folded(x.code): x for x in self.run.extras if x.active}
        asked, wrong = [], []
        for word, count in extras:
            extra = known.get(folded(word))
            if extra is None:
                labels = {k: x.label for k, x in known.items()}
                has = ", ".join(dict.fromkeys(labels.values())) or "none"
                why = f'There is no extra "{word}"; {self.run.code} has {has}.'
                close = verdicts.nearest(word, labels) if len(extras) == 1 else ""
                wrong.append(verdicts.Fault(RowKind.NO_EXTRA, why, "extras", close))
            else:
                asked.append(ExtraAsked(extra_id=extra.id, count=count))
        return asked, wrong

    def plan_asked(self, plan: str) -> tuple[int | None, list[verdicts.Fault]]:
        if not plan:
            return None, []
        known = {folded(p.name): p for p in reversed(plans.offered(self.uow, self.run))}
        if folded(plan) in known:
            return known[folded(plan)].id, []
        names = {k: p.name for k, p in known.items()}
        has = ", ".join(dict.fromkeys(names.values()))
        why = f'There is no payment plan "{plan}"; {self.run.code} has {has}.'
        return None, [verdicts.Fault(RowKind.NO_PLAN, why, "plan", verdicts.nearest(plan, names))]

    def faults(
        self, row: verdicts.Row, rate: str, person: int | None, payer: int | None
    ) -> list[verdicts.Fault]:
        """Why a line cannot have what it asks for: its rate, its extras, its code, its plan."""
        heads, wrong = row.party or 1, []
        terms = self._who.get(rate)
        if terms is None:
            terms = fees.who_terms(self.uow, next(r for r in fees.rates_of(self.run) if r.code == rate))
            self._who[rate] = terms
        if terms != eligibility.Terms():
            facts = self.facts.get(person, eligibility.Person()) if person else eligibility.Person()
            facts = facts.paid_by(payer) if payer else facts
            day = self.moment.astimezone(self.uow.zone).date()
            why = eligibility.why_not(terms, facts, day, self.at_rate.get(rate, 0), heads)
            wrong += [verdicts.Fault(RowKind.REFUSED, why)] if why else []
        priced = self.price(row, rate)
        if isinstance(priced, list):
            return [*wrong, *priced]
        return wrong + self.used_up(priced[0])

    def used_up(self, resolved: quotes.ResolvedAsk) -> list[verdicts.Fault]:
        """What the lines before have left of a code's uses and of the stock is too little."""
        wrong, code = [], resolved.code
        if (
            code is not None
            and code.most is not None
            and code.uses + self.code_uses.get(code.code, 0) >= code.most
        ):
            why = f"The code {code.code} is used up by the lines before: {code.most} uses."
            wrong.append(verdicts.Fault(RowKind.REFUSED, why))
        for extra, count in resolved.extras:
            if extra.item is not None and extra.item.on_hand - self.in_stock.get(extra.item.id, 0) < count:
                left = max(0, extra.item.on_hand - self.in_stock.get(extra.item.id, 0))
                wrong.append(
                    verdicts.Fault(RowKind.REFUSED, f"{left} of {extra.item.name} are in stock, not {count}.")
                )
        return wrong

    def took(self, row: verdicts.Row, rate: str) -> None:
        """A line has its seat: what it takes beside is counted."""
        self.at_rate[rate] = self.at_rate.get(rate, 0) + (row.party or 1)
        priced = self.price(row, rate)
        if isinstance(priced, list):
            return
        code = priced[0].code
        if code is not None:
            self.code_uses[code.code] = self.code_uses.get(code.code, 0) + 1
        for extra, count in priced[0].extras:
            if extra.item is not None:
                self.in_stock[extra.item.id] = self.in_stock.get(extra.item.id, 0) + count
