"""Who pays by card in the made-up center, at the practice service, and whose card is refused later."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

from sqlalchemy import update

from archgate.actions.enrolling import enrollments
from archgate.actions.enrolling.commands import EnrollCommand
from archgate.actions.fees import quotes
from archgate.actions.fees.commands import QuoteCommand
from archgate.actions.kernel.unit_of_work import act
from archgate.actions.money import accounts, asking, card_charges, card_views, cards
from archgate.actions.money.commands import ChargeCommand, PayByCardCommand, PayerCommand
from archgate.core.states import CardComes, WhatToPay
from archgate.demo.center import Center
from archgate.outside.card_service.rules import NUMBERS, Treatment
from archgate.outside.card_service.service import CardService
from archgate.outside.card_service.store import ServiceNotice
from archgate.outside.payments import ChargeAsk, Found, PageAsk, PaidBack, RefundAsk, Unheard

NUMBER_OF = {treatment: number for number, treatment in NUMBERS.items()}
ON_THE_DAY = "Nothing now, all on the first day"
BY_CARD = {("TOOL", -10): (146, 15, Treatment.REFUSED_LATER), ("POINT", -8): (147, 12, Treatment.ACCEPTED)}
REFUSED_AT_THE_DESK = 145  # of the crowd
WAITS = 149


@dataclass(frozen=True)
class PracticeBank:
    """The practice service, asked within the process while the center is made. No time passes and nothing is lost on the way."""

    service: CardService

    def open_page(self, key: str, ask: PageAsk) -> Found:
        return self.service.open_page(key, ask)

    def charge(self, key: str, ask: ChargeAsk) -> Found:
        return self.service.charge(key, ask)

    def found(self, key: str) -> Found:
        return heard(self.service.found(key))

    def capture(self, key: str) -> Found:
        return heard(self.service.capture(key))

    def release(self, key: str) -> Found:
        return heard(self.service.release(key))

    def refund(self, key: str, ask: RefundAsk) -> PaidBack:
        done = self.service.refund(key, ask)
        if done is None:
            raise Unheard("Nothing is known of this payment.", for_good=True)
        return done


def heard(found: Found | None) -> Found:
    if found is None:
        raise Unheard("Nothing is known of this payment.", for_good=True)
    return found


def account_of(center: Center, hour: float, person: int) -> int:
    return center.act(hour, accounts.account_for, PayerCommand(person_id=person)).id


def give_card(
    center: Center, hour: float, bank: PracticeBank, number: int, holder: str, treatment: Treatment
) -> None:
    """A payer goes to the service's page and gives a card; what came of it is booked."""
    at = center.at(hour)
    key = center.read(hour, card_views.begun, number).key
    act(center.sessions, lambda uow: cards.taken_up(uow, key, f"http://127.0.0.1/paid/{key}"), at=at)
    asking.go_on(center.sessions, bank, number, at)
    page = center.read(hour, card_views.begun, number).page.rpartition("/")[2]
    bank.service.given(page, NUMBER_OF[treatment], holder)
    asking.go_on(center.sessions, bank, number, at)


def pay_what_is_due(
    center: Center,
    hour: float,
    bank: PracticeBank,
    account_id: int,
    treatment: Treatment = Treatment.ACCEPTED,
    keep: bool = False,
) -> None:
    """Somebody pays by card what is due first, on their own page."""
    command = PayByCardCommand(what=WhatToPay.NEXT, keep=keep)
    at = center.at(hour)
    begun = act(
        center.sessions,
        lambda uow: card_views.pay(uow, accounts.get_account(uow, account_id), command, own=True).id,
        at=at,
    )
    give_card(center, hour, bank, begun, holder_of(center, hour, account_id), treatment)


def holder_of(center: Center, hour: float, account_id: int) -> str:
    return center.read(hour, lambda uow: accounts.payer_name(uow, accounts.get_account(uow, account_id)))


def card_days(
    center: Center, bank: PracticeBank, runs: dict[tuple[str, int], int], crowd: list[int], back: int
) -> None:
    """What a day brings by card: somebody signs up by phone with a card on file, and what is due is charged by itself."""
    for run, (who, on, treatment) in BY_CARD.items():
        if back == on:
            on_the_day(center, bank, runs[run], crowd[who], treatment)
    for installment in center.read(20, card_charges.due_by_itself):
        number = act(
            center.sessions, partial(card_charges.charge_due, installment_id=installment), at=center.at(20)
        )
        if number is not None:
            asking.go_on(center.sessions, bank, number, center.at(20))


def on_the_day(center: Center, bank: PracticeBank, run_id: int, person: int, treatment: Treatment) -> None:
    """A sign-up by phone that is paid on the first day from the card that is given now."""
    account = account_of(center, 11, person)
    begun = center.act(11, cards.details_asked, account, "http://127.0.0.1").id
    give_card(center, 11.1, bank, begun, holder_of(center, 11, account), treatment)
    enroll(center, run_id, person, CardComes.ON_FILE)


def enroll(center: Center, run_id: int, person: int, card: CardComes) -> None:
    plans = center.read(11, quotes.choices, run_id, person, None).plans
    plan = next(p.id for p in plans if p.name == ON_THE_DAY)
    quote = center.read(11, quotes.quote_run, run_id, QuoteCommand(plan_id=plan, person_id=person))
    command = EnrollCommand(run_id=run_id, person_id=person, total=quote.total, plan_id=plan)
    center.act(11.2, partial(enrollments.enroll, card=card), command)


def cards_today(
    center: Center, bank: PracticeBank, runs: dict[tuple[str, int], int], crowd: list[int]
) -> None:
    """This morning: a card on file was refused at the desk, and a seat waits for the card of its plan."""
    person = crowd[REFUSED_AT_THE_DESK]
    run = runs[("LETT", 30)]
    quote = center.read(9, quotes.quote_run, run, QuoteCommand(person_id=person))
    center.act(9, enrollments.enroll, EnrollCommand(run_id=run, person_id=person, total=quote.total))
    account = account_of(center, 9, person)
    pay_what_is_due(center, 9.2, bank, account, Treatment.REFUSED_LATER, keep=True)
    left = center.read(9.4, accounts.account_page, account).open[0].left
    charge = center.act(9.4, card_charges.charge_on_file, account, ChargeCommand(amount=left)).id
    asking.go_on(center.sessions, bank, charge, center.at(9.4))
    enroll(center, runs[("GLASS", 19)], crowd[WAITS], CardComes.FOLLOWS)
    with bank.service.sessions.begin() as session:  # its notices were heard
        session.execute(update(ServiceNotice).values(copies=0))
