"""Payments by card over HTTP: from a sign-up, by a link, on one's own page, from the office; and the service's notices."""

import json
import time

import pytest
from sqlalchemy import func, select

from actions.test_cards import gives
from api.test_own_teaching import own_browser
from api.test_public_pages import a_form, path
from archgate.actions.enrolling import freed, held_places, offers
from archgate.actions.kernel import signing
from archgate.actions.money import accounts, asking, card_charges, card_views, cards
from archgate.actions.money.commands import PayerCommand
from archgate.core.states import CardStatus
from archgate.jobs.worker import Worker
from archgate.outside.card_service.rules import Treatment
from archgate.outside.card_service.store import ServiceNotice, ServicePayment
from archgate.outside.mail import StandInMail
from archgate.outside.meetings import StandInMeetings
from archgate.outside.payments import is_genuine
from archgate.outside.webhooks import signature_of
from archgate.tables.access import SignInLimit
from archgate.tables.jobs import Job
from archgate.tables.messages import Message
from archgate.tables.money import CardPayment, Invoice, PaymentDetails
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment
from archgate.tables.waitlist import Waiting
from conftest import SERVICE_SECRET
from made import a_person, a_run, at_once, enrolled, public_run


@pytest.fixture(autouse=True)
def no_attempts_before(sessions):
    with sessions.begin() as session:
        session.query(SignInLimit).delete()


def gives_card(card_service, page, treatment=Treatment.ACCEPTED):
    """The payer's browser at the service: the card is given, and where it leads."""
    return gives(card_service, page.removeprefix("http://service"), treatment).headers["location"]


def paid_through(stranger, card_service, key, treatment=Treatment.ACCEPTED):
    opened = stranger.post(f"/api/v1/card-payments/{key}/page")
    assert opened.status_code == 200, opened.text
    where = gives_card(card_service, opened.json()["page"], treatment)
    assert where == f"http://testserver/paid/{key}"
    return stranger.get(f"/api/v1/card-payments/{key}").json()


def account_of(office, person_id):
    command = PayerCommand(person_id=person_id)
    return office.act(lambda d: accounts.account_for(d, command))["id"]


# --- with a sign-up -------------------------------------------------------------------------------------------


def test_who_signs_up_pays_at_once_and_the_letter_has_the_link_for_later(
    office, stranger, bank, card_service
):
    run, who = public_run(office), a_form()
    done = stranger.post(path(run, "/sign-ups"), json=who).json()
    assert done["pay_now"] == "105.00" and done["pay"].startswith("pay-")
    assert stranger.get(f"/api/v1/card-payments/{done['pay']}").json()["state"] == "open"
    seen = paid_through(stranger, card_service, done["pay"])
    assert (
        seen["state"] == "given" and "written to you" in seen["said"] and who["email"] not in json.dumps(seen)
    )
    with office.sessions() as session:
        letters = session.scalars(select(Message.body).where(Message.to_email == who["email"])).all()
        assert any("/pay/m" in body for body in letters)
        row = session.scalar(select(Enrollment).where(Enrollment.run_id == run["id"]))
        assert (
            session.scalar(select(func.sum(CardPayment.amount)).where(CardPayment.enrollment_id == row.id))
            == 10500
        )
        assert sum(i.open for i in row.installments) == 10500


def test_who_is_on_the_run_already_gets_the_same_answer_and_is_not_charged(
    office, stranger, bank, card_service
):
    run, who = public_run(office), a_form()
    answers = [stranger.post(path(run, "/sign-ups"), json=who) for _ in range(2)]
    first, again = (a.json() for a in answers)
    assert [a.status_code for a in answers] == [201, 201]
    assert {**first, "pay": ""} == {**again, "pay": ""} and first["pay"] != again["pay"]
    seen = [paid_through(stranger, card_service, a["pay"]) for a in (first, again)]
    assert seen[0] == seen[1], "nothing tells that somebody was on it already"
    with office.sessions() as session:
        rows = {r.key: r.status for r in session.scalars(select(CardPayment))}
    assert (rows[first["pay"]], rows[again["pay"]]) == (CardStatus.DONE, CardStatus.RELEASED)
    with card_service.state.service.sessions() as session:
        found = select(ServicePayment.status).where(ServicePayment.key == again["pay"])
        assert session.scalar(found) == "released"


def test_a_total_of_zero_has_nothing_to_pay_and_no_invoice(office, stranger, bank):
    run = public_run(office, rates=[{"amount": "0.00"}])
    who = {**a_form(), "total": "0.00"}
    done = stranger.post(path(run, "/sign-ups"), json=who).json()
    assert done["pay"] is None and done["pay_now"] is None
    with office.sessions() as session:
        row = session.scalar(select(Enrollment).where(Enrollment.run_id == run["id"]))
        assert row.status == "seated" and not session.scalar(
            select(Job.id).where(Job.key == f"invoice-{row.id}")
        )


def test_what_is_paid_later_is_invoiced_with_the_confirmation(office, stranger):
    run, who = public_run(office), a_form()
    assert stranger.post(path(run, "/sign-ups"), json=who).json()["pay"] is None  # no cards here
    Worker(office.sessions, StandInMail(office.sessions), StandInMeetings(office.sessions)).drain()
    with office.sessions() as session:
        row = session.scalar(select(Enrollment).where(Enrollment.run_id == run["id"]))
        papers = session.scalars(select(Invoice).where(Invoice.account_id == row.payer_id)).all()
        assert [(p.kind, p.total) for p in papers] == [("invoice", 21000)]
        sent = select(Message.subject).where(
            Message.invoice_id == papers[0].id, Message.to_email == who["email"]
        )
        assert session.scalar(sent) == f"Invoice {papers[0].number}"


def test_what_is_paid_whole_at_once_is_not_invoiced_too(office, stranger, bank, card_service, monkeypatch):
    whole = [{"name": "At once", "lines": [{"percent": "100", "due": {"after_sign_up": 0}}]}]
    run, who = public_run(office, plans=whole), a_form()
    done = stranger.post(path(run, "/sign-ups"), json=who).json()
    paid_through(stranger, card_service, done["pay"])
    with office.sessions.begin() as session:
        row = session.scalar(select(Enrollment).where(Enrollment.run_id == run["id"]))
        session.scalar(select(Job).where(Job.key == f"invoice-{row.id}")).due_at = office.at.replace(
            year=2000
        )
    Worker(
        office.sessions, StandInMail(office.sessions), StandInMeetings(office.sessions), cards=bank
    ).drain()
    with office.sessions() as session:
        kinds = session.scalars(select(Invoice.kind).where(Invoice.account_id == row.payer_id)).all()
        assert kinds == ["receipt"]


# --- a plan that takes a card -----------------------------------------------------------------------------------

ON_THE_DAY = {
    "name": "A card now, all on the day",
    "details": True,
    "lines": [{"percent": "100", "due": {"before_start": 0}}],
}


@pytest.fixture
def by_card(office, bank):
    """A run that is paid by the card given at sign-up, on the first day."""
    return public_run(office, plans=[ON_THE_DAY])


def enrollment_on(office, run):
    with office.sessions() as session:
        return session.scalar(select(Enrollment).where(Enrollment.run_id == run["id"]))


def bodies_to(office, who):
    with office.sessions() as session:
        return list(
            session.scalars(select(Message.body).where(Message.to_email == who["email"]).order_by(Message.id))
        )


def link_to_pay(office, account):
    return (
        "/api/v1/pay-links/"
        + cards.link_of(office.read(lambda d: d.session.get_one(accounts.Account, account))).rpartition(
            "/pay/"
        )[2]
    )


def details_of(office, account):
    with office.sessions() as session:
        query = select(func.count()).select_from(PaymentDetails)
        return session.scalar(query.where(PaymentDetails.account_id == account))


def test_a_seat_waits_for_the_card_that_its_plan_takes_and_is_firm_once_it_is_given(
    office, stranger, card_service, by_card
):
    who = a_form()
    quote = stranger.post(path(by_card, "/quote"), json={}).json()
    assert quote["card"] and quote["due_now"] == "0.00"
    done = stranger.post(path(by_card, "/sign-ups"), json=who).json()
    assert done["pay_now"] == "0.00" and done["held_until"]
    row = enrollment_on(office, by_card)
    assert (row.status, row.card_first) == ("held", True)
    assert "yours once the card is given" in bodies_to(office, who)[0]
    assert stranger.get(f"/api/v1/card-payments/{done['pay']}").json()["said"] == "No card is given yet."
    seen = paid_through(stranger, card_service, done["pay"])
    assert seen["state"] == "given" and "paid" not in seen["said"]
    row = enrollment_on(office, by_card)
    assert (row.status, row.hold_until, row.card_first) == ("seated", None, False)
    last = bodies_to(office, who)[-1]
    assert "is yours" in last and "ending in 12" in last and "210.00" in last
    with office.sessions() as session:
        due = session.scalar(select(Installment.id).where(Installment.enrollment_id == row.id))
    assert due in office.later(days=60).read(card_charges.due_by_itself)


def test_whoever_is_on_it_already_gives_a_card_that_is_kept_for_nobody(
    office, stranger, card_service, by_card
):
    who = a_form()
    answers = [stranger.post(path(by_card, "/sign-ups"), json=who).json() for _ in range(2)]
    first, again = answers
    alike = [{**a, "pay": "", "held_until": bool(a["held_until"])} for a in answers]
    assert alike[0] == alike[1]
    seen = [paid_through(stranger, card_service, a["pay"]) for a in (again, first)]
    assert seen[0] == seen[1]
    assert details_of(office, enrollment_on(office, by_card).payer_id) == 1


def test_whoever_types_a_name_charges_nobodys_card_but_the_one_they_give(
    office, stranger, card_service, by_card
):
    known = a_person(office)
    account = account_of(office, known["id"])
    with office.sessions.begin() as session:
        session.add(PaymentDetails(account_id=account, token=f"kept-{account}", words="a card", at=office.at))
    who = {**a_form(), **{k: known[k] for k in ("given", "family", "email")}}
    done = stranger.post(path(by_card, "/sign-ups"), json=who).json()
    row = enrollment_on(office, by_card)
    assert row.person_id == known["id"] and row.status == "held" and done["pay_now"] == "0.00"


def test_a_seat_without_its_card_lapses_and_a_card_given_too_late_is_not_kept(
    office, stranger, card_service, by_card
):
    who = a_form()
    done = stranger.post(path(by_card, "/sign-ups"), json=who).json()
    page = stranger.post(f"/api/v1/card-payments/{done['pay']}/page").json()["page"]
    late = office.later(hours=49)  # the center's clock has gone on since the tests began
    assert office.later(hours=47).read(lambda d: by_card["id"] in held_places.due_runs(d)) is False
    assert late.act(lambda d: held_places.let_go(d, by_card["id"])) == 1
    row = enrollment_on(office, by_card)
    assert row.status == "lapsed" and "until a card is given, and none was" in bodies_to(office, who)[-1]
    gives_card(card_service, page)
    stranger.get(f"/api/v1/card-payments/{done['pay']}")
    assert details_of(office, row.payer_id) == 0
    assert enrollment_on(office, by_card).status == "lapsed"


@pytest.mark.parametrize("what", ["details", "whole"])
def test_by_the_link_in_the_letter_a_card_is_given_alone_or_with_a_payment(
    office, stranger, card_service, by_card, what
):
    stranger.post(path(by_card, "/sign-ups"), json=a_form())
    account = enrollment_on(office, by_card).payer_id
    link = link_to_pay(office, account)
    assert stranger.get(link).json()["card_by"]
    begun = stranger.post(link, json={"what": what}).json()
    gives_card(card_service, begun["page"])
    assert stranger.get(f"/api/v1/card-payments/{begun['key']}").json()["state"] == "given"
    assert enrollment_on(office, by_card).status == "seated" and details_of(office, account) == 1
    after = stranger.get(link).json()
    assert after["card_by"] is None and after["by_itself"] is (what == "details"), (
        "what is paid needs no card"
    )
    refused = stranger.post(link, json={"what": "details"})
    assert refused.status_code == 422 and "No seat waits for a card" in refused.text


def test_on_ones_own_page_the_card_on_file_serves_a_seat_that_waits_for_one(
    office, app, stranger, card_service, by_card
):
    """Whoever signed up without signing in gives a card anew; signed in they say that theirs serves."""
    known = a_person(office)
    account = account_of(office, known["id"])
    own = own_browser(app, office, known["id"])
    none = own.post("/api/v1/own/payments", json={"what": "details", "on_file": True})
    assert none.status_code == 422 and "while a seat waits" in none.text
    who = {**a_form(), **{k: known[k] for k in ("given", "family", "email")}}
    stranger.post(path(by_card, "/sign-ups"), json=who)
    assert own.get("/api/v1/own").json()["pay"]["card_by"]
    lacking = own.post("/api/v1/own/payments", json={"what": "details", "on_file": True})
    assert lacking.status_code == 409 and "No payment details" in lacking.text
    with office.sessions.begin() as session:
        session.add(PaymentDetails(account_id=account, token=f"mine-{account}", words="a card", at=office.at))
    by_link = stranger.post(link_to_pay(office, account), json={"what": "details", "on_file": True})
    assert by_link.status_code == 422, "a link uses no card on file"
    done = own.post("/api/v1/own/payments", json={"what": "details", "on_file": True}).json()
    assert (done["status"], done["page"], done["said"]) == ("done", "", "The card is on file.")
    assert enrollment_on(office, by_card).status == "seated" and details_of(office, account) == 1
    assert "is yours" in bodies_to(office, who)[-1]
    again = own.post("/api/v1/own/payments", json={"what": "details", "on_file": True})
    assert again.status_code == 422, "no seat waits any more"


def test_a_payment_that_leaves_some_open_does_not_stand_for_the_card(office, stranger, clerk, by_card):
    stranger.post(path(by_card, "/sign-ups"), json=a_form())
    account = enrollment_on(office, by_card).payer_id
    paid = {"method": "cash", "amount": "10.00"}
    assert clerk.post(f"/api/v1/accounts/{account}/payments", json=paid).status_code == 201
    assert enrollment_on(office, by_card).status == "held"
    assert (
        clerk.post(f"/api/v1/accounts/{account}/payments", json={**paid, "amount": "200.00"}).status_code
        == 201
    )
    assert enrollment_on(office, by_card).status == "seated"


def test_a_link_never_says_that_a_card_pays_by_itself_what_is_due_already(
    office, stranger, card_service, by_card
):
    done = stranger.post(path(by_card, "/sign-ups"), json=a_form()).json()
    paid_through(stranger, card_service, done["pay"])
    account = enrollment_on(office, by_card).payer_id

    def said(at):
        return at.read(lambda d: card_views.to_pay(d, accounts.get_account(d, account)))["by_itself"]

    assert said(office) and not said(office.later(days=60))


def test_a_card_given_as_its_seat_lapses_is_kept_with_the_seat_or_neither(
    office, stranger, card_service, bank, by_card
):
    ends, late = [], office.later(hours=49)
    for _ in range(4):
        run = public_run(office, plans=[ON_THE_DAY])
        done = stranger.post(path(run, "/sign-ups"), json=a_form()).json()
        gives_card(card_service, stranger.post(f"/api/v1/card-payments/{done['pay']}/page").json()["page"])
        with office.sessions() as session:
            number = session.scalar(select(CardPayment.id).where(CardPayment.key == done["pay"]))
        at_once(
            [
                lambda run=run: late.act(lambda d: held_places.let_go(d, run["id"])),
                lambda number=number: asking.go_on(office.sessions, bank, number),
                lambda number=number: asking.go_on(office.sessions, bank, number),
            ]
        )
        row = enrollment_on(office, run)
        ends.append((row.status, details_of(office, row.payer_id)))
    assert set(ends) <= {("seated", 1), ("lapsed", 0)}


def test_an_offer_taken_by_the_link_waits_for_the_card_too(office, stranger, card_service, bank):
    run = public_run(office, plans=[ON_THE_DAY], capacity=1, smallest=1)
    first = enrolled_with_card(office, stranger, card_service, run)
    waits = stranger.post(path(run, "/waiting"), json={k: v for k, v in a_form().items() if k != "total"})
    assert waits.status_code == 201, waits.text
    office.act(lambda d: freed.withdraw(d, first))
    office.act(lambda d: offers.go_down(d, run["id"]))
    with office.sessions() as session:
        row = session.scalar(select(Waiting).where(Waiting.run_id == run["id"]))
    token = signing.token_for("o", row.id, row.offers)
    taken = stranger.post(f"/api/v1/replies/{token}", json={"answer": "take", "total": "210.00"})
    assert taken.status_code == 200, taken.text
    with office.sessions() as session:
        seated = session.scalar(
            select(Enrollment).where(Enrollment.run_id == run["id"], Enrollment.live == 1)
        )
    assert (seated.status, seated.card_first) == ("held", True)
    assert stranger.get(link_to_pay(office, seated.payer_id)).json()["card_by"]


def enrolled_with_card(office, stranger, card_service, run):
    done = stranger.post(path(run, "/sign-ups"), json=a_form()).json()
    paid_through(stranger, card_service, done["pay"])
    row = enrollment_on(office, run)
    assert row.status == "seated"
    return row.id


# --- by a link, on one's own page ------------------------------------------------------------------------------


@pytest.fixture
def payer(office):
    person = a_person(office)
    enrolled(office, a_run(office), person)
    return {**person, "account": account_of(office, person["id"])}


def test_a_link_from_the_desk_shows_what_is_open_and_pays_it(
    office, clerk, stranger, bank, card_service, payer
):
    sent = clerk.post(f"/api/v1/accounts/{payer['account']}/pay-link")
    assert sent.status_code == 202 and sent.json()["email"] == payer["email"]
    token = cards.link_of(office.read(lambda d: d.session.get_one(accounts.Account, payer["account"]))).split(
        "/pay/"
    )[1]
    link = f"/api/v1/pay-links/{token}"
    shown = stranger.get(link).json()
    assert (shown["next"], shown["whole"], shown["on_file"], len(shown["open"])) == (
        "105.00",
        "210.00",
        None,
        2,
    )
    key = {"Idempotency-Key": f"pay-by-link-{payer['account']}"}
    begun = [stranger.post(link, json={"what": "whole"}, headers=key).json() for _ in range(2)]
    assert begun[0] == begun[1]
    gives_card(card_service, begun[0]["page"])
    assert stranger.get(f"/api/v1/card-payments/{begun[0]['key']}").json()["said"].startswith("It is paid")
    assert stranger.get(link).json()["open"] == []
    refused = stranger.post(link, json={"what": "next"})
    assert refused.status_code == 422 and "Nothing is open" in refused.text
    assert stranger.post(link, json={"what": "next", "on_file": True}).status_code == 422
    assert stranger.get(f"/api/v1/pay-links/{token[:-2]}xx").status_code == 404
    nothing = clerk.post(f"/api/v1/accounts/{payer['account']}/pay-link")
    assert nothing.status_code == 409 and "Nothing is open" in nothing.text


def test_on_ones_own_page_a_card_is_kept_and_charged_later_with_one_press(
    office, app, bank, card_service, payer
):
    own = own_browser(app, office, payer["id"])
    assert own.get("/api/v1/own").json()["pay"]["next"] == "105.00"
    begun = own.post("/api/v1/own/payments", json={"what": "next", "keep": True}).json()
    gives_card(card_service, begun["page"])
    assert own.get(f"/api/v1/card-payments/{begun['key']}").json()["state"] == "given"
    shown = own.get("/api/v1/own").json()["pay"]
    assert shown["on_file"].endswith("ending in 12") and shown["whole"] == "105.00"
    charged = own.post("/api/v1/own/payments", json={"what": "whole", "on_file": True}).json()
    assert charged["status"] == "done" and charged["page"] == "" and "paid" in charged["said"]
    assert own.get("/api/v1/own").json()["pay"] is None


def test_nobody_pays_from_anothers_card(office, app, bank, card_service, payer):
    own = own_browser(app, office, payer["id"])
    gives_card(
        card_service, own.post("/api/v1/own/payments", json={"what": "next", "keep": True}).json()["page"]
    )
    other = own_browser(app, office, a_person(office)["id"])
    answer = other.post("/api/v1/own/payments", json={"what": "whole", "on_file": True})
    assert answer.status_code == 422 and "Nothing is open on your account" in answer.text


# --- from the office --------------------------------------------------------------------------------------------


def test_details_are_taken_on_the_services_page_and_charged_from_the_office(clerk, bank, card_service, payer):
    at = f"/api/v1/accounts/{payer['account']}"
    begun = clerk.post(f"{at}/card-details").json()
    assert clerk.get(f"/api/v1/card-payments/{begun['key']}").json()["state"] == "open"
    gives_card(card_service, begun["page"], Treatment.REFUSED_LATER)
    assert clerk.get(f"/api/v1/card-payments/{begun['key']}").json()["said"] == "The card is on file."
    refused = clerk.post(f"{at}/card-charges", json={"amount": "20.00"}).json()
    assert refused["status"] == "refused" and "without its holder" in refused["said"]
    assert payer["account"] in {p["account_id"] for p in clerk.get("/api/v1/card-payments").json()["items"]}
    newer = clerk.post(f"{at}/card-details").json()
    assert clerk.get(at).json()["cards"]["payments"][0]["status"] == "open"
    gives_card(card_service, newer["page"])
    assert clerk.get(f"/api/v1/card-payments/{newer['key']}").json()["state"] == "given"
    assert clerk.post(f"{at}/card-charges", json={"amount": "20.00"}).json()["status"] == "done"
    assert clerk.get(at).json()["balance"] == "190.00"
    assert clerk.delete(f"{at}/card-details").status_code == 200
    assert clerk.post(f"{at}/card-charges", json={"amount": "20.00"}).status_code == 409


def test_a_service_that_does_not_answer_loses_nothing(
    office, clerk, stranger, bank, card_service, payer, monkeypatch
):
    monkeypatch.setattr(card_service.state.service.weather, "share", 2.5)  # nothing goes through
    run = public_run(office)
    done = stranger.post(path(run, "/sign-ups"), json=a_form())
    assert done.status_code == 201, "a sign-up does not wait for the service"
    answer = stranger.post(f"/api/v1/card-payments/{done.json()['pay']}/page")
    assert answer.status_code == 503 and "nothing was charged" in answer.json()["detail"]
    monkeypatch.setattr(card_service.state.service.weather, "share", 0.0)
    assert paid_through(stranger, card_service, done.json()["pay"])["state"] == "given"


def test_where_cards_are_not_taken_every_way_says_so(clerk, stranger, payer):
    at = f"/api/v1/accounts/{payer['account']}"
    for answer in (
        clerk.post(f"{at}/card-details"),
        clerk.post(f"{at}/card-charges", json={"amount": "1.00"}),
        clerk.post(f"{at}/pay-link"),
        clerk.post(f"{at}/refunds", json={"amount": "1.00", "method": "card", "why": "x"}),
    ):
        assert answer.status_code == 409 and "No payment service" in answer.json()["detail"]
    assert stranger.get("/api/v1/card-payments/pay-unknown").status_code == 404


# --- notices ----------------------------------------------------------------------------------------------------


def notice(key, number="n1", secret=SERVICE_SECRET, at=None, body=None):
    body = json.dumps({"type": "payment.captured", "data": {"key": key}}) if body is None else body
    at = int(time.time()) if at is None else at
    headers = {
        "webhook-id": number, "webhook-timestamp": str(at), "webhook-signature": signature_of(secret, number, at, body),
        "Content-Type": "application/json",
    }  # fmt: skip
    return {"content": body, "headers": headers}


def test_a_signed_notice_has_the_worker_ask_and_the_same_twice_is_one(
    office, stranger, bank, card_service, payer
):
    number = office.act(lambda d: cards.begin(d, cards.Begin(10500, "USD", "x", payer["account"])).id)
    with office.sessions() as session:
        key = session.get_one(CardPayment, number).key
    asking.soon(office.sessions, bank, number)
    with office.sessions() as session:
        page = session.get_one(CardPayment, number).page
    gives_card(card_service, page)
    sent = []

    def post(body, headers):
        answer = stranger.post("/api/v1/payment-notices", content=body, headers=headers)
        sent.append(answer.status_code)
        return answer.is_success and len(sent) != 1  # the first answer is lost on its way back

    card_service.state.service.send_due(post)
    with card_service.state.service.sessions.begin() as session:
        session.execute(ServiceNotice.__table__.update().values(due_at=office.at.replace(year=2000)))
    card_service.state.service.send_due(post)
    assert len(sent) >= 2 and set(sent) == {204}
    Worker(
        office.sessions, StandInMail(office.sessions), StandInMeetings(office.sessions), cards=bank
    ).drain()
    with office.sessions() as session:
        row = session.get_one(CardPayment, number)
        assert row.status is CardStatus.DONE and row.key == key
        jobs = session.scalars(
            select(Job.key).where(Job.kind == cards.LOOK, Job.key.startswith("notice-"))
        ).all()
        assert len(jobs) == len(set(jobs))


@pytest.mark.parametrize(
    "how",
    [
        {"secret": "whsec_c29tZWJvZHkgZWxzZSdzIHNlY3JldA=="},
        {"at": 1_700_000_000},
        {"at": int(time.time()) + 3600},
        {"number": "n" * 61},
    ],
)
def test_a_notice_that_is_not_the_services_is_refused(stranger, bank, how):
    assert stranger.post("/api/v1/payment-notices", **notice("pay-x", **how)).status_code == 401


def test_a_notice_is_bound_to_its_body_its_number_and_a_size(stranger, bank):
    good = notice("pay-x")
    assert stranger.post("/api/v1/payment-notices", **good).status_code == 204
    assert (
        stranger.post("/api/v1/payment-notices", **{**good, "content": good["content"] + " "}).status_code
        == 401
    )
    moved = {**good["headers"], "webhook-id": "n2"}
    assert stranger.post("/api/v1/payment-notices", content=good["content"], headers=moved).status_code == 401
    large = notice("x", body="{" + " " * 17_000 + "}")
    assert stranger.post("/api/v1/payment-notices", **large).status_code == 401
    for body in ("[]", "nonsense", '{"data": {"key": 5}}', '{"data": {"key": "' + "x" * 90 + '"}}'):
        assert stranger.post("/api/v1/payment-notices", **notice("x", body=body)).status_code == 422


def test_of_several_signatures_one_of_version_one_is_enough():
    """The header may list several (Standard Webhooks, "Signature scheme": space delimited list; from memory)."""
    right = signature_of(SERVICE_SECRET, "n1", 1_731_705_121, "{}")
    for given, good in (
        (f"v1,AAAA {right}", True),
        (right, True),
        ("v1,AAAA", False),
        ("", False),
        (right[3:], False),
    ):
        assert is_genuine(SERVICE_SECRET, "n1", "1731705121", given, "{}", 1_731_705_121) is good
