"""All that the center says of teaching, on one page: rights, questions, applications, the text of agreements."""

from __future__ import annotations

from sqlalchemy import func, select

from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.teaching import evaluations, papers, rules
from archgate.actions.teaching.commands import RulesCommand
from archgate.actions.teaching.views import RulesOut
from archgate.papers.teaching import FIELDS
from archgate.tables.teaching import AgreementText


def shown(uow: UnitOfWork) -> RulesOut:
    row, text = rules.rules_of(uow), papers.newest_text(uow)
    return RulesOut(
        applications_open=row.applications_open,
        application_questions=list(row.application_questions),
        own_biography=row.own_biography,
        own_availability=row.own_availability,
        attendance=row.attendance,
        rosters=row.rosters,
        prepare_text=row.prepare_text,
        prepare_pictures=row.prepare_pictures,
        prepare_outline=row.prepare_outline,
        prepare_prices=row.prepare_prices,
        evaluate=row.evaluate,
        fewest_answers=row.fewest_answers,
        questions=evaluations.question_views(evaluations.questions_now(uow)),
        agreement_text=text.text if text else papers.FIRST_TEXT,
        agreement_version=uow.session.scalar(select(func.count()).select_from(AgreementText)) or 0,
        agreement_fields=[f"{{{name}}}: {said}" for name, said in FIELDS.items()],
    )


def change(uow: UnitOfWork, command: RulesCommand) -> RulesOut:
    rules.change_rules(uow, command)
    return shown(uow)
