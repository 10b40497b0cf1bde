"""What the center says of teaching: the rights of outside instructors, evaluations, applications."""

from __future__ import annotations

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import said_of
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.teaching.commands import RulesCommand
from archgate.core.states import Employment
from archgate.tables.teaching import Instructor, TeachingRules


def rules_of(uow: UnitOfWork) -> TeachingRules:
    """The rules: one row, which the schema comes with."""
    return uow.session.get_one(TeachingRules, 1)


WORDS = {
    "applications_open": "whether people may apply",
    "application_questions": "the questions of applications",
    "own_biography": "who changes their biography",
    "own_availability": "who changes their availability",
    "attendance": "who marks attendance",
    "rosters": "who sees rosters",
    "prepare_text": "who prepares texts",
    "prepare_pictures": "who prepares pictures",
    "prepare_outline": "who prepares programs and papers",
    "prepare_prices": "who prepares prices",
    "evaluate": "whether learners are asked",
    "fewest_answers": "the smallest number of answers",
}


def change_rules(uow: UnitOfWork, command: RulesCommand) -> str:
    """Change what is said; the key of the change."""
    row = lock_row(uow, TeachingRules, 1)
    assert row is not None
    said = {name: value for name, value in said_of(command).items() if value is not None}
    for name, value in said.items():
        setattr(row, name, value)
    uow.session.flush()
    told = ", ".join(WORDS[name] for name in said) or "nothing"
    return uow.log(Act.CHANGE_TEACHING_RULES, 1, f"Changed {told}").key


def may(uow: UnitOfWork, i: Instructor, what: str) -> bool:
    """Whether an instructor may do one of the things that the center allows on their own page; the employed may."""
    return i.employment is Employment.EMPLOYED or bool(getattr(rules_of(uow), what))
