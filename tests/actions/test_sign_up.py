"""Signing up without the staff: the rules of the desk, nothing said of who is known, and no seat sold twice."""

import re
from functools import partial

import pytest
from sqlalchemy import func, select

from archgate.actions.access import access_codes, own_pages, requests, showing, sign_up, sign_up_form
from archgate.actions.access.public_commands import (
    AccessCodeCommand,
    InterestedCommand,
    KeepSeatsCommand,
    PublicAsk,
    RequestCommand,
    RequestDecision,
    SignUpCommand,
    WaitCommand,
)
from archgate.actions.enrolling import held_places, waitlist
from archgate.actions.enrolling.commands import JoinCommand
from archgate.actions.fees import codes, terms
from archgate.actions.fees.term_commands import CenterDefaultsPatch, CodeCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import Once, act, read_only
from archgate.actions.people import people
from archgate.actions.people.commands import TagsCommand
from archgate.core.faults import Refused
from archgate.core.states import HoldStatus, RequestStatus, SignsUp
from archgate.tables.catalog import AccessCode, SeatRequest
from archgate.tables.messages import Message
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment
from archgate.tables.seats import HeldPlace
from archgate.tables.waitlist import Interest, Waiting
from made import (
    a_person,
    a_run,
    at_once,
    enrolled,
    number,
    public_run,
    published,
    roster_of,
    shown_as,
    taken,
)

ANYBODY = showing.ANYBODY


def outside(office, doing, once=None):
    """Somebody outside acts, at the moment of the office."""
    return act(office.sessions, doing, None, once=once, at=office.at)


def seen(office, reading):
    return read_only(office.sessions, reading, None, office.at)


def somebody(**facts):
    n = next(number)
    return {"given": f"Given{n}", "family": f"Family{n}", "email": f"s{n}@example.org", **facts}


def signs_up(office, run, who=None, looker=ANYBODY, once=None, **more):
    body = command_of(SignUpCommand, {**(who or somebody()), "total": "210.00", **more})
    return outside(office, lambda d: sign_up.sign_up(d, run["id"], body, looker), once)


def letters_to(office, email):
    query = select(Message.subject).where(Message.to_email == email).order_by(Message.id)
    return office.read(lambda d: list(d.session.scalars(query)))


def count(office, table, *where):
    return office.read(lambda d: d.session.scalar(select(func.count()).select_from(table).where(*where)))


def live_on(office, run):
    return count(office, Enrollment, Enrollment.run_id == run["id"], Enrollment.live == 1)


# --- signing up -------------------------------------------------------------------------------------------


def test_a_stranger_signs_up_and_hears_by_letter(office):
    run, who = public_run(office), somebody()
    done = signs_up(office, run, who)
    assert (done.total, [str(x.amount) for x in done.dues]) == ("210.00", ["105.00", "105.00"])
    assert who["email"] in done.said and done.calendar == f"/catalog/runs/{run['id']}/dates.ics"
    enrollment = office.read(
        lambda d: d.session.scalars(select(Enrollment).where(Enrollment.run_id == run["id"])).one()
    )
    assert (enrollment.way_in, enrollment.user_id) == ("purchase", None)
    subjects = letters_to(office, who["email"])
    assert subjects[0].startswith("Enrolled on") and any("own page" in s.lower() for s in subjects[1:])
    assert taken(office, run) == 1


def test_the_total_must_be_the_one_that_was_shown(office):
    run = public_run(office)
    with pytest.raises(Problem) as changed:
        signs_up(office, run, total="200.00")
    assert changed.value.kind == "total-changed" and taken(office, run) == 0


def test_a_party_of_two_rates_with_one_name_known(office):
    run = public_run(office, rates=[{"amount": "240.00"}, {"label": "Youth", "amount": "100.00"}])
    people_asked = [
        {"rate_id": run["rates"][0]["id"], "count": 1},
        {"rate_id": run["rates"][1]["id"], "count": 2},
    ]
    signs_up(office, run, total="440.00", people=people_asked, names=["Ana Li"])
    places = office.read(
        lambda d: [
            p.person_id
            for p in d.session.scalars(select(Enrollment).where(Enrollment.run_id == run["id"])).one().places
        ]
    )
    assert [p is None for p in places] == [False, True] and taken(office, run) == 3


def test_nothing_to_pay_enrolls_at_once(office):
    run = public_run(office, rates=[{"amount": "0.00"}], hold_hours=24)
    done = signs_up(office, run, total="0.00")
    assert (done.total, done.held_until) == ("0.00", None) and live_on(office, run) == 1


def test_a_seat_waits_for_the_first_payment_where_the_run_asks_for_it(office):
    run = public_run(office, hold_hours=24)
    assert signs_up(office, run).held_until.startswith("2027-08-21T10:00")


@pytest.mark.parametrize(
    ("facts", "at"),
    [
        ({"email": "nobody"}, "/email"),
        ({"given": "", "family": ""}, "/given"),
        ({"phone": "call me"}, "/phone"),
        ({"people": [{"count": 13}]}, "/people"),
        ({"names": ["A B", "C D"]}, "/names"),
        ({"code": "NO-SUCH"}, "/code"),
    ],
)
def test_what_is_wrong_is_said_at_its_field_and_nothing_is_written(office, facts, at):
    run = public_run(office)
    with pytest.raises(Refused) as refused:
        signs_up(office, run, {**somebody(), **facts})
    assert any(f.at.startswith(at) for f in refused.value.faults)
    assert taken(office, run) == 0


def test_the_terms_of_the_center_are_agreed_to_as_they_are_now(office):
    run, who = public_run(office), somebody()

    def set_terms(text):
        office.act(
            lambda d: terms.change_center_defaults(
                d, command_of(CenterDefaultsPatch, {"set": {"terms": text}})
            )
        )

    set_terms("Be on *time*.")
    try:
        page = seen(office, lambda d: sign_up_form.form(d, run["id"], ANYBODY, "", ""))
        assert "<em>time</em>" in page.terms
        for mark in ("", sign_up_form.terms_mark("Be late.")):
            with pytest.raises(Refused, match="agree"):
                signs_up(office, run, who, terms=mark)
        signs_up(office, run, who, terms=page.terms_mark)
        answers = office.read(
            lambda d: (
                d.session.scalars(select(Enrollment).where(Enrollment.run_id == run["id"])).one().answers
            )
        )
        assert page.terms_mark in answers["Agreed to the terms"]
    finally:
        set_terms(None)


# --- nothing is said of who is known ----------------------------------------------------------------------


def test_whoever_is_on_it_already_gets_the_same_answer_and_a_letter(office):
    run, who = public_run(office), somebody()
    first = signs_up(office, run, who)
    again = signs_up(office, run, who)
    assert again == first
    assert live_on(office, run) == 1 and taken(office, run) == 1
    assert letters_to(office, who["email"])[-1].startswith("Your sign-up for")
    assert count(office, Person, Person.email == who["email"]) == 1


def test_whoever_waits_already_gets_the_same_answer_and_a_letter(office):
    run = public_run(office, capacity=1, smallest=0)
    enrolled(office, run)
    who = somebody()

    def waits():
        return outside(office, lambda d: sign_up.wait(d, run["id"], command_of(WaitCommand, who), ANYBODY))

    first, again = waits(), waits()
    assert first.place == 1 and again.said == first.said
    assert count(office, Waiting, Waiting.run_id == run["id"], Waiting.live == 1) == 1


def test_a_members_rate_is_refused_to_strangers_whoever_they_say_they_are(office):
    run = public_run(
        office, rates=[{"amount": "240.00"}, {"label": "Member", "amount": "190.00", "tags": ["member"]}]
    )
    member = a_person(office, email=f"m{next(number)}@example.org")
    office.act(lambda d: people.tag_person(d, member["id"], command_of(TagsCommand, {"tags": ["member"]})))
    claims = {"given": member["given"], "family": member["family"], "email": member["email"]}
    rate = run["rates"][1]["id"]
    said = []
    for who in (claims, somebody()):
        with pytest.raises(Refused) as refused:
            signs_up(office, run, who, total="190.00", people=[{"rate_id": rate, "count": 1}])
        said.append(refused.value.faults)
    assert said[0] == said[1] and "Sign in to your own page" in said[0][0].message
    looker = office.read(lambda d: showing.looker_of(d, people.get_person(d, member["id"])))
    signs_up(office, run, claims, looker, total="190.00", people=[{"rate_id": rate, "count": 1}])
    assert taken(office, run) == 1


def test_somebody_signed_in_is_told_plainly(office):
    run, person = public_run(office), a_person(office)
    enrolled(office, run, person)
    looker = office.read(lambda d: showing.looker_of(d, people.get_person(d, person["id"])))
    with pytest.raises(Problem, match="You are on this course date already"):
        signs_up(office, run, {"email": person["email"]} | {"given": person["given"]}, looker)


def test_a_code_for_once_a_person_tells_nothing_of_who_used_it(office):
    """Whoever has used a discount code gets the answer of whoever has not; the letter says why it was not done."""
    here, there, who = public_run(office), public_run(office), somebody()
    text = f"ONCE{next(number)}"
    body = {"code": text, "percent": "10", "most_each": 1}
    office.act(lambda d: codes.make_code(d, command_of(CodeCommand, body)))
    assert signs_up(office, here, who, code=text, total="189.00").total == "189.00"
    again = signs_up(office, there, who, code=text, total="189.00")
    assert (
        again.said
        == signs_up(office, there, {**somebody(), "email": who["email"]}, code=text, total="189.00").said
    )
    assert "used the code" in body_of_last(office, who["email"], "Your sign-up for")
    assert taken(office, there) == 1


def body_of_last(office, email, subject):
    query = select(Message.body).where(Message.to_email == email, Message.subject.startswith(subject))
    return office.read(lambda d: d.session.scalars(query.order_by(Message.id.desc())).first())


# --- seats kept meanwhile ---------------------------------------------------------------------------------


def keeps(office, run, email, heads=1, client="10.0.0.1"):
    body = KeepSeatsCommand(email=email, heads=heads)
    return outside(office, lambda d: sign_up_form.keep(d, run["id"], body, ANYBODY, client))


def test_a_seat_is_kept_for_some_minutes_and_used_by_its_key_alone(office):
    run, who = public_run(office, capacity=3, smallest=0), somebody()
    kept = keeps(office, run, who["email"])
    assert kept.kept and kept.seconds == 600
    enrolled(office, run)
    enrolled(office, run)
    with pytest.raises(Problem) as full:
        signs_up(office, run)
    assert full.value.kind == "full"
    signs_up(office, run, who, kept=kept.key)
    assert taken(office, run) == 3
    assert count(office, HeldPlace, HeldPlace.run_id == run["id"], HeldPlace.status == HoldStatus.HELD) == 0


def test_a_kept_seat_is_free_again_when_its_minutes_are_over(office):
    run = public_run(office, capacity=2, smallest=0)
    kept = keeps(office, run, "a@example.org")
    enrolled(office, run)
    with pytest.raises(Problem):
        signs_up(office, run)
    later = office.later(minutes=10)
    assert run["id"] in later.read(held_places.due_runs)
    signs_up(later, run)
    with pytest.raises(Problem):
        signs_up(later, run, kept=kept.key)
    later.act(lambda d: held_places.let_go(d, run["id"]))
    assert count(office, HeldPlace, HeldPlace.run_id == run["id"], HeldPlace.status == HoldStatus.LAPSED) == 1
    assert taken(office, run) == 2


def test_seats_are_kept_once_for_an_email_and_never_all_of_the_last(office):
    run = public_run(office, capacity=6, smallest=0)
    assert keeps(office, run, "a@example.org").kept
    assert not keeps(office, run, "A@example.org").kept
    assert not keeps(office.later(minutes=30), run, "a@example.org").kept, "it was renewed"
    assert not keeps(office, run, "b@example.org", heads=5, client="10.0.0.2").kept, "all that were left"
    assert keeps(office, run, "b@example.org", heads=4, client="10.0.0.2").kept


def test_one_client_keeps_a_few_forms_and_a_quarter_of_a_run_at_most(office):
    large, small = (public_run(office, capacity=n, smallest=0) for n in (40, 8))
    assert [keeps(office, large, f"c{n}@example.org").kept for n in range(6)] == [True] * 4 + [False] * 2
    assert [keeps(office, small, f"c{n}@example.org").kept for n in range(4)] == [True, True, False, False]
    assert keeps(office, small, "d@example.org", client="10.0.0.2").kept


def test_other_heads_than_were_kept_are_seated_as_far_as_there_is_room(office):
    run, who = public_run(office, capacity=4, smallest=0), somebody()
    kept = keeps(office, run, who["email"], heads=2)
    people_asked = [{"rate_id": run["rates"][0]["id"], "count": 3}]
    signs_up(office, run, who, kept=kept.key, total="630.00", people=people_asked)
    assert taken(office, run) == 3 and office.read(lambda d: held_places.kept_back(d, run["id"]))["free"] == 1


# --- at once ----------------------------------------------------------------------------------------------


def test_many_at_once_get_no_seat_too_many_and_everybody_an_answer(office):
    run = public_run(office, capacity=5, smallest=0)
    outcomes = at_once([partial(signs_up, office, run) for _ in range(20)])
    refused = [o for o in outcomes if isinstance(o, Exception)]
    assert len(outcomes) - len(refused) == 5 and taken(office, run) == 5
    assert all(isinstance(o, Problem) and o.kind == "full" for o in refused)


def test_the_same_form_sent_twice_is_done_once(office):
    run, who = public_run(office), somebody()
    once = Once(f"key-{next(number)}-aaaa", "hash")
    outcomes = at_once([partial(signs_up, office, run, who, once=once) for _ in range(3)])
    assert not [o for o in outcomes if isinstance(o, Exception)]
    assert live_on(office, run) == 1
    assert len(letters_to(office, who["email"])) == 2  # the confirmation and the account letter, no third
    with pytest.raises(Problem) as other:
        signs_up(office, run, who, once=Once(once.key, "other"))
    assert other.value.kind == "key-reused"


def test_the_last_use_of_a_code_is_given_once(office):
    run = public_run(office)
    shown_as(office, run, signs_up=SignsUp.CODE)
    made = office.act(lambda d: access_codes.make(d, run["id"], AccessCodeCommand(label="Two", most=2)))
    outcomes = at_once([partial(signs_up, office, run, access_code=made["code"]) for _ in range(6)])
    assert sum(not isinstance(o, Exception) for o in outcomes) == 2
    with pytest.raises(Problem, match="needs a code"):
        signs_up(office, run)
    users = office.read(lambda d: access_codes.shown(d, made["id"]))
    assert (users["used"], len(users["users"]), users["state"]) == (2, 2, "used up")
    ways = office.read(
        lambda d: set(d.session.scalars(select(Enrollment.way_in).where(Enrollment.run_id == run["id"])))
    )
    assert ways == {"code"} and count(office, AccessCode, AccessCode.run_id == run["id"]) == 1


# --- the line, the list, requests -------------------------------------------------------------------------


def test_a_full_run_is_waited_for_with_a_place_and_an_honest_chance(office):
    run = public_run(office, capacity=1, smallest=0)
    enrolled(office, run)
    page = seen(office, lambda d: sign_up_form.form(d, run["id"], ANYBODY, "", ""))
    assert page.act == "wait"
    who = somebody()
    done = outside(office, lambda d: sign_up.wait(d, run["id"], command_of(WaitCommand, who), ANYBODY))
    assert done.place == 1 and re.search(r"chance|likely", done.chance)
    assert letters_to(office, who["email"])[-1].startswith("You wait for")
    open_run = public_run(office)
    with pytest.raises(Problem, match="free again"):
        outside(
            office, lambda d: sign_up.wait(d, open_run["id"], command_of(WaitCommand, somebody()), ANYBODY)
        )


def test_a_run_that_is_not_open_takes_names_and_says_it_is_no_sign_up(office):
    run = public_run(office, sign_up_opens="2027-08-30")
    assert seen(office, lambda d: sign_up_form.form(d, run["id"], ANYBODY, "", "")).act == "interest"
    with pytest.raises(Problem, match="not open yet"):
        signs_up(office, run)
    who = somebody()
    command = command_of(InterestedCommand, who)
    first, again = (
        outside(office, lambda d: sign_up.interested(d, None, run["id"], command, ANYBODY)) for _ in range(2)
    )
    assert first == again and "not signed up" in first.said
    assert count(office, Interest, Interest.run_id == run["id"], Interest.live == 1) == 1
    course = outside(office, lambda d: sign_up.interested(d, run["course"]["id"], None, command, ANYBODY))
    assert course.said == first.said


def asks(office, run, who):
    return outside(office, lambda d: requests.ask(d, run["id"], command_of(RequestCommand, who), ANYBODY))


def a_request(office, run, who=None):
    asks(office, run, who or somebody())
    return office.read(lambda d: requests.listed(d, run["id"]))["requests"][-1]


def by_request(office, **changes):
    run = public_run(office, **changes)
    shown_as(office, run, signs_up=SignsUp.REQUEST)
    return run


def test_a_request_is_decided_once_and_the_others_hear_whose_it_was(office):
    run, who = by_request(office), somebody()
    asked = a_request(office, run, who)
    assert (asked["total"], asked["heads"], asked["free"]) == ("210.00", 1, 14)
    asks(office, run, who)
    assert count(office, SeatRequest, SeatRequest.run_id == run["id"]) == 1
    yes, no = RequestDecision(approve=True), RequestDecision(approve=False, word="Sorry.")
    outcomes = at_once([
        partial(office.act, lambda d, c=c: requests.decide(d, asked["id"], c)) for c in (yes, no, yes)
    ])  # fmt: skip
    late = [o for o in outcomes if isinstance(o, Exception)]
    assert len(late) == 2
    assert all(isinstance(o, Problem) and "Test coordinator has" in str(o.detail) for o in late)
    (decided,) = [o for o in outcomes if not isinstance(o, Exception)]
    assert taken(office, run) == (1 if decided["status"] == RequestStatus.APPROVED else 0)


def test_an_approved_request_has_its_seat_and_the_answers_and_says_how_it_came(office):
    run, who = by_request(office), somebody()
    asked = a_request(office, run, who)
    done = office.act(
        lambda d: requests.decide(d, asked["id"], RequestDecision(approve=True, word="Welcome."))
    )
    enrollment = office.read(lambda d: d.session.get_one(Enrollment, done["enrollment_id"]))
    assert enrollment.way_in == "request" and taken(office, run) == 1
    assert letters_to(office, who["email"])[0].startswith("Your request")
    assert any(s.startswith("Enrolled on") for s in letters_to(office, who["email"]))


def test_a_refused_request_is_written_to_with_its_word(office):
    run, who = by_request(office), somebody()
    asked = a_request(office, run, who)
    office.act(
        lambda d: requests.decide(d, asked["id"], RequestDecision(approve=False, word="It is for members."))
    )
    body = office.read(
        lambda d: d.session.scalars(
            select(Message.body).where(Message.to_email == who["email"]).order_by(Message.id.desc())
        ).first()
    )
    assert "It is for members." in body and taken(office, run) == 0


def test_a_full_run_cannot_approve_and_the_request_stays_open(office):
    run = by_request(office, capacity=1, smallest=0)
    asked = a_request(office, run)
    enrolled(office, run)
    with pytest.raises(Problem) as full:
        office.act(lambda d: requests.decide(d, asked["id"], RequestDecision(approve=True)))
    assert full.value.kind == "full"
    assert office.read(lambda d: requests.listed(d, run["id"]))["requests"][0]["status"] == "open"


def test_nobody_has_to_ask_where_one_can_sign_up(office):
    run = public_run(office)
    with pytest.raises(Problem, match="sign up instead"):
        asks(office, run, somebody())


# --- one answer ------------------------------------------------------------------------------------------


def test_the_public_price_is_the_desks(office):
    from archgate.actions.fees import quotes
    from archgate.actions.fees.commands import QuoteCommand

    run = public_run(office)
    desk = office.read(lambda d: quotes.quote_run(d, run["id"], QuoteCommand()))
    public = seen(office, lambda d: sign_up_form.quote(d, run["id"], PublicAsk(), ANYBODY))
    assert (public.total, [str(x.day) for x in public.dues], public.can) == (
        desk["total"], [i["due"] for i in desk["installments"]], True,
    )  # fmt: skip


def test_a_letter_to_an_own_page_goes_to_the_new_alone(office):
    run, person = public_run(office), a_person(office)
    office.act(lambda d: own_pages.invite(d, person["id"]))
    before = len(letters_to(office, person["email"]))
    signs_up(office, run, {"given": person["given"], "family": person["family"], "email": person["email"]})
    assert len(letters_to(office, person["email"])) == before + 1


def test_the_unpublished_is_not_there(office):
    run = a_run(office)
    for doing in (
        lambda d: sign_up_form.form(d, run["id"], ANYBODY, "", ""),
        lambda d: sign_up_form.quote(d, run["id"], PublicAsk(), ANYBODY),
    ):
        with pytest.raises(Problem) as gone:
            seen(office, doing)
        assert gone.value.status == 404
    with pytest.raises(Problem):
        signs_up(office, run)
    published(office, run["course"])
    signs_up(office, run)


def test_the_line_comes_first_online_as_at_the_desk(office):
    run = public_run(office, capacity=2, smallest=0, auto_offer=False)
    enrolled(office, run)
    enrolled(office, run)
    waiter = a_person(office)
    office.act(
        lambda d: waitlist.join(d, command_of(JoinCommand, {"run_id": run["id"], "person_id": waiter["id"]}))
    )
    from archgate.actions.runs import making
    from archgate.actions.runs.commands import RunPatch

    office.act(lambda d: making.change_run(d, run["id"], command_of(RunPatch, {"set": {"capacity": 3}})))
    with pytest.raises(Problem) as full:
        signs_up(office, run)
    assert full.value.kind == "full" and "in line comes first" in full.value.detail


def test_the_roster_says_by_which_code_somebody_came(office):
    run = public_run(office)
    shown_as(office, run, signs_up=SignsUp.CODE)
    made = office.act(lambda d: access_codes.make(d, run["id"], AccessCodeCommand(label="Guild")))
    signs_up(office, run, access_code=made["code"])
    enrolled(office, run)
    rows = roster_of(office, run)
    assert [(r["way_in"], r["entered_by"]) for r in rows] == [
        ("code Guild", "themselves"), ("desk", "Test coordinator"),
    ]  # fmt: skip
