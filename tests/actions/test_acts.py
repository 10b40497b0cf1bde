"""The enumeration of acts: each has a subject, and an undo or the reason why it has none, and nothing else is logged."""

from __future__ import annotations

import pytest
from sqlalchemy import select

from archgate.actions.across import undo
from archgate.actions.kernel.acts import BY_WORD, Act, Undo, act_named
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.reversals import REVERSALS, reverses
from archgate.actions.people import people
from archgate.actions.people.commands import NoteCommand
from archgate.tables.log import Change
from made import a_person


@pytest.mark.parametrize("act", Act)
def test_every_act_has_an_undo_or_says_why_it_has_none(act):
    assert act_named(act.value) is act and len(act.value) <= 40
    if act.undo in (Undo.OWN, Undo.SOON):
        assert act in REVERSALS
    elif isinstance(act.undo, str):
        assert act not in REVERSALS and act.undo.endswith(".") and len(act.undo) > 10
    else:
        assert act in set(Act) and act not in REVERSALS


def test_no_act_has_two_reversals_and_no_two_acts_one_word():
    assert len(BY_WORD) == len(list(Act))
    with pytest.raises(ValueError, match="a reversal already"):
        reverses(Act.ENROLL)(lambda uow, change: None)


def test_why_something_cannot_be_undone_is_said_with_what_to_do_instead(office):
    somebody = a_person(office)
    office.act(
        lambda d: people.add_note(d, somebody["id"], command_of(NoteCommand, {"text": "Calls at noon."}))
    )
    query = select(Change.key).where(Change.action == Act.NOTE, Change.subject_id == somebody["id"])
    key = office.read(lambda d: d.session.scalar(query))
    with pytest.raises(Problem, match=r"This cannot be undone\. A note is signed and never edited\."):
        office.act(lambda d: undo.undo(d, key))


def test_what_the_made_up_acts_logged_is_in_the_enumeration(office, sessions):
    """Whatever other tests of this process did before, all of it is by a known word and about a known subject."""
    a_person(office)
    with sessions() as session:
        rows = session.execute(select(Change.action, Change.subject).distinct()).all()
    assert rows and all(word in BY_WORD for word, _ in rows)
    assert {str(act_named(w).subject) for w, _ in rows} <= {str(a.subject) for a in Act}
