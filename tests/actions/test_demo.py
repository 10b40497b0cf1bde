"""The made-up center is made by the same actions that people use, on any day of the week, with every state in it."""

from datetime import date, timedelta

import pytest
from beancount import loader
from sqlalchemy import select

from archgate.actions.access import own_pages
from archgate.actions.across import checks, finding, person_pages, today
from archgate.actions.across.commands import RunsWanted
from archgate.actions.bulk import batches, sentences
from archgate.actions.center.center import make_center, set_clock
from archgate.actions.enrolling import roster
from archgate.actions.kernel.unit_of_work import read_only
from archgate.actions.messages import messages
from archgate.actions.money import card_views, outstanding
from archgate.actions.money.held import waits_for_card
from archgate.actions.people import people
from archgate.actions.schedule import kept_clashes
from archgate.actions.seats import seats
from archgate.core.seats import check_seats
from archgate.demo import cards, center, script, sign_ups
from archgate.demo.rosters import LEARNER
from archgate.tables.access import User
from archgate.tables.courses import Run
from archgate.tables.engine import engine_for, sessions_of
from archgate.tables.migrate import migrate
from archgate.tables.money import Payment
from archgate.tables.roster import Enrollment
from conftest import LONG, new_database

OTHERS = [date(2026, 11, 25) + timedelta(days=n) for n in range(7)] + [date(2027, 5, 19)]
DAYS = [date(2026, 12, 27), *(OTHERS if LONG else [])]


@pytest.mark.parametrize("day", DAYS, ids=str)
def test_the_demo_center_has_every_state_and_nothing_wrong(day, worker_id, bank, card_service):
    engine = engine_for(new_database(f"demo_{worker_id}"))
    migrate(engine)
    sessions = sessions_of(engine)
    make_center(sessions, "Ashlar Quay", center.ZONE, "USD")
    set_clock(sessions, day, may_go_back=True)
    script.load(sessions, day, quick=True, bank=cards.PracticeBank(card_service.state.service))
    noon = center.Center(sessions, day, True, day=day).at(12)

    def reading(d):
        runs = finding.list_runs(d, RunsWanted(limit=200)).items
        assert len(runs) == 45 and len({r.course_code for r in runs}) == 16
        assert {r.status for r in runs} == {"draft", "published", "cancelled"}
        assert {r.sign_up for r in runs} == {"not yet", "open", "full", "closed"}
        assert {r.teaching for r in runs} == {"before", "running", "ended"}
        assert any(r.waiting for r in runs)
        assert any(r.status == "published" and r.teaching == "before" and r.taken < r.smallest for r in runs)
        assert any(row.heads > 1 for r in runs for row in roster.roster(d, r.id).rows)
        for run in runs:
            capacity = d.session.get_one(Run, run.id).capacity
            assert check_seats(capacity, run.taken, seats.live_heads(d, run.id)) == []
        assert checks.everything(d) == "Everything agrees."
        entries, errors, _ = loader.load_string(
            outstanding.ledger_file(d)
        )  # an independent ledger, beancount 3.2.0
        assert errors == [] and len(entries) > 100
        assert {c.kind for c in kept_clashes.of_center(d)} >= {
            "room",
            "too small",
            "not available",
            "closure",
        }
        assert {r.kind for r in runs} == {"dated", "cohort", "open"} and any(r.client for r in runs)
        assert {r.decision for r in runs} >= {"undecided", "going ahead", "waits"}
        waits = batches.list_batches(d).items
        assert {b.status for b in waits} == {"judged", "enrolled"}
        kinds = {k.kind for k in batches.batch_view(d, waits[0].id).kinds}
        assert kinds >= {"same email, other name", "no email", "bad email", "unknown rate", "repeated"}
        written = sentences.list_sentences(d)
        assert len(written) == 2 and any(s.enrolled for s in written)
        assert len(card_views.refused(d).items) == 2 and outstanding_cards(d) == 1
        assert d.session.scalar(select(Payment.id).where(Payment.method == "card", Payment.fee > 0).limit(1))
        due = today.today(d)
        assert due.decisions and due.drafts and due.reminders and len(due.cards) == 2
        assert {m.status for m in messages.outbox(d).items} == {"sent", "failed"}
        email = sign_ups.somebody(LEARNER)[2]
        assert own_pages.sign_in(d, email, center.PASSWORD, True)
        shown = own_pages.own_page(d, people.get_person(d, person_pages.find_people(d, email)[0].id))
        assert shown.courses[0].total and shown.owed

    def outstanding_cards(d):
        held = d.session.scalars(select(Enrollment).where(Enrollment.status == "held")).all()
        return sum(waits_for_card(d, e) for e in held)

    chief = sessions().scalar(select(User).where(User.role.has(name="administrator")))
    read_only(sessions, reading, chief, at=noon)
    engine.dispose()
