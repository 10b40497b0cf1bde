"""Discount codes: one, or a numbered set of single-use ones; taken with a sign-up, given back when it ends.

A use is counted by a conditional update of the code's row, which also locks it: so nobody gets in between when the
uses of one person are counted next. A use is given back when the sign-up is taken back or withdrawn.
"""

from __future__ import annotations

import re
import secrets
from typing import TypedDict

from sqlalchemy import func, or_, select, update

from archgate.actions.fees.term_commands import CodeCommand
from archgate.actions.fees.views import CodeDone, CodeOut, CodeUser, CodeUses
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import command_of, document
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.core import fees
from archgate.core.faults import Fault, Refused
from archgate.core.money import decimal_text, format_amount
from archgate.documents.fees import read_code
from archgate.documents.reader import Document, Reader
from archgate.tables.courses import Course, Run
from archgate.tables.fees import CodeUse, DiscountCode
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment

LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"  # none that is taken for another when read out
MOST_IN_A_SET = 2000
KEYS = "code note percent off from to most most_each course_ids run_ids on active"


def core_code(row: DiscountCode) -> fees.Code:
    on = None if row.on_codes is None else frozenset(row.on_codes)
    return fees.Code(row.code, row.percent, row.off, row.first, row.last, on)


def code_typed(uow: UnitOfWork, run: Run, text: str | None) -> DiscountCode | None:
    """The code somebody typed, in any case, if it can be used on this run now; refused with the reason if not.

    Its dates and what it applies to are judged with the quote.
    """
    if not text or not text.strip():
        return None
    code = uow.session.scalar(select(DiscountCode).where(DiscountCode.code == folded(text)))
    wrong = None
    if code is None:
        wrong = f'There is no code "{text.strip()}".'
    elif not code.active:
        wrong = f"The code {code.code} is no longer in use."
    elif not holds_on(code, run):
        wrong = f"The code {code.code} does not hold on {run.code}."
    elif code.off is not None and code.currency != run.currency:
        wrong = f"The code {code.code} is in {code.currency}, the run in {run.currency}."
    elif code.most is not None and code.uses >= code.most:
        wrong = f"The code {code.code} has been used {code.uses} of {code.most} times."
    if wrong:
        raise Refused([Fault("/code", wrong)])
    return code


def code_held(uow: UnitOfWork, text: str | None) -> DiscountCode | None:
    """The code of an ask that was agreed to before; what became of it since does not matter, but its uses are counted."""
    return uow.session.scalar(select(DiscountCode).where(DiscountCode.code == folded(text))) if text else None


def folded(text: str) -> str:
    return text.strip().upper().encode("ascii", "replace").decode()[:40]


def holds_on(code: DiscountCode, run: Run) -> bool:
    if not code.course_ids and not code.run_ids:
        return True
    return run.course_id in code.course_ids or run.id in code.run_ids


def uses_by(uow: UnitOfWork, code: DiscountCode, person_id: int) -> int:
    query = select(func.count()).where(
        CodeUse.code_id == code.id, CodeUse.person_id == person_id, CodeUse.live
    )
    return int(uow.session.scalar(query) or 0)


def refuse_person(uow: UnitOfWork, code: DiscountCode | None, person_id: int | None) -> None:
    """Refuse a code that this person has used as often as one may."""
    if code is None or person_id is None or code.most_each is None:
        return
    used = uses_by(uow, code, person_id)
    if used >= code.most_each:
        times = "once" if used == 1 else f"{used} times"
        raise Refused([Fault("/code", f"This person has used the code {code.code} {times} already.")])


def take(uow: UnitOfWork, code: DiscountCode, enrollment: Enrollment, amount: int) -> None:
    """Count one use, if there is one left in total and for the person."""
    count_up(uow, code)
    refuse_person(uow, code, enrollment.person_id)
    uow.session.add(
        CodeUse(
            code_id=code.id,
            enrollment_id=enrollment.id,
            person_id=enrollment.person_id,
            amount=amount,
            live=True,
            at=uow.now,
        )
    )


def count_up(uow: UnitOfWork, code: DiscountCode) -> None:
    query = update(DiscountCode).where(
        DiscountCode.id == code.id, or_(DiscountCode.most.is_(None), DiscountCode.uses < DiscountCode.most)
    )
    done = uow.session.execute(query.values(uses=DiscountCode.uses + 1))
    uow.session.refresh(code)
    if done.rowcount != 1:  # type: ignore[attr-defined]
        raise conflict(
            "code-used-up", f"The code {code.code} has been used {code.uses} of {code.most} times."
        )


def give_back(uow: UnitOfWork, enrollment: Enrollment) -> None:
    use = uow.session.scalar(select(CodeUse).where(CodeUse.enrollment_id == enrollment.id, CodeUse.live))
    if use:
        use.live = False
        query = update(DiscountCode).where(DiscountCode.id == use.code_id)
        uow.session.execute(query.values(uses=DiscountCode.uses - 1))


def take_again(uow: UnitOfWork, enrollment: Enrollment) -> None:
    """The use of an enrollment that comes back, if there is still one left."""
    use = uow.session.scalar(select(CodeUse).where(CodeUse.enrollment_id == enrollment.id))
    if use and not use.live:
        code = uow.session.get_one(DiscountCode, use.code_id)
        count_up(uow, code)
        refuse_person(uow, code, enrollment.person_id)
        use.live = True


def change_use(uow: UnitOfWork, code: DiscountCode | None, enrollment: Enrollment, amount: int) -> None:
    """The use of a sign-up that is changed: another code, none any more, or the same that takes off another sum."""
    use = uow.session.scalar(select(CodeUse).where(CodeUse.enrollment_id == enrollment.id))
    if use and use.live and (code is None or use.code_id != code.id):
        give_back(uow, enrollment)
    if code is None:
        return
    if use is None:
        take(uow, code, enrollment, amount)
    elif not use.live or use.code_id != code.id:
        count_up(uow, code)
        refuse_person(uow, code, enrollment.person_id)
        use.code_id, use.live = code.id, True
    if use is not None:
        use.amount = amount


class Facts(TypedDict):
    """What a code says beside what it takes off."""

    note: str
    most: int | None
    most_each: int | None
    active: bool
    course_ids: list[int]
    run_ids: list[int]


# --- keeping codes ----------------------------------------------------------------------------------------


def read_form(
    uow: UnitOfWork, top: Reader, form: CodeCommand, present: DiscountCode | None
) -> tuple[fees.Code | None, Facts]:
    """A code from a form with its limits and scope; its faults are with the reader's."""
    currency = present.currency if present else uow.center.currency
    core = read_code(
        Reader(
            {k: v for k, v in top.value.items() if k in ("code", "percent", "off", "from", "to", "on")},
            top.at,
            top.faults,
            "code percent off from to on",
        ),
        currency,
        None,
    )
    if core and core.percent == 0:
        top.fault("percent", "A code that takes nothing off is none.")
    courses, runs = sorted(set(form.course_ids or [])), sorted(set(form.run_ids or []))
    for key, ids, table, what in (("course_ids", courses, Course, "course"), ("run_ids", runs, Run, "run")):
        known = set(uow.session.scalars(select(table.id).where(table.id.in_(ids)))) if ids else set()
        if set(ids) - known:
            top.fault(key, f"There is no such {what}.")
    return core, {
        "note": form.note or "",
        "most": form.most,
        "most_each": form.most_each,
        "active": form.active is not False,
        "course_ids": courses,
        "run_ids": runs,
    }


def code_row(uow: UnitOfWork, core: fees.Code, facts: Facts, text: str, series: str = "") -> DiscountCode:
    on = None if core.on is None else sorted(core.on)
    return DiscountCode(
        code=text,
        percent=core.percent,
        off=core.off,
        currency=uow.center.currency,
        first=core.first,
        last=core.last,
        uses=0,
        on_codes=on,
        series=series,
        made_at=uow.now,
        **facts,
    )


def make_code(uow: UnitOfWork, command: CodeCommand) -> CodeDone:
    """One code, or with `number` a set of single-use ones, named by the code and a random end."""
    faults: list[Fault] = []
    top, number = Reader(document(command), "", faults, KEYS + " number"), command.number
    core, facts = read_form(uow, top, command, None)
    stem = folded(core.code) if core else ""
    if core and not re.fullmatch(r"[A-Z0-9][A-Z0-9-]{2,31}", stem):
        top.fault("code", "A code has 3 to 32 letters, digits and hyphens, without accents.")
    elif number is None and uow.session.scalar(select(DiscountCode.id).where(DiscountCode.code == stem)):
        top.fault("code", f"The code {stem} is taken.")
    elif number and uow.session.scalar(select(DiscountCode.id).where(DiscountCode.series == stem)):
        top.fault("code", f"There is a set {stem} already.")
    if number and facts["most"] not in (None, 1):
        top.fault("most", "The codes of a set are used once each.")
    if faults or core is None:
        raise Refused(faults)
    if number is None:
        made = [code_row(uow, core, facts, stem)]
    else:
        ends: set[str] = set()
        while len(ends) < number:
            ends.add("".join(secrets.choice(LETTERS) for _ in range(6)))
        texts = [f"{stem}-{n:0{len(str(number))}d}-{end}" for n, end in enumerate(sorted(ends), 1)]
        made = [code_row(uow, core, {**facts, "most": 1}, text, stem) for text in texts]
    uow.session.add_all(made)
    uow.session.flush()
    what = f"the code {stem}" if number is None else f"{number} codes {stem}"
    change = uow.log(Act.MAKE_CODES, made[0].id, f"Made {what}")
    return group_view(uow, made, {}).widened(CodeDone, change=change.key)


def change_code(uow: UnitOfWork, code_id: int, command: CodeCommand) -> CodeDone:
    """Change a code, or with it its whole set, for sign-ups from now on; who is in already keeps their price."""
    code = get_code(uow, code_id)
    faults: list[Fault] = []
    typed = document(command)
    given = {**form_of(code), **typed}
    if "percent" in typed or "off" in typed:
        given = {**given, "percent": typed.get("percent"), "off": typed.get("off")}
    whole = command_of(CodeCommand, given)
    core, facts = read_form(uow, Reader(given, "", faults, KEYS), whole, code)
    if command.code and folded(command.code) != (code.series or code.code):
        faults.append(Fault("/code", "A code that is out keeps its name; make a new one."))
    if command.number is not None:
        faults.append(Fault("/number", "A code that is out does not become a set."))
    rows = series_of(uow, code)
    if code.series:
        facts["most"] = 1
    elif facts["most"] is not None and facts["most"] < code.uses:
        faults.append(Fault("/most", f"The code has been used {code.uses} times already."))
    if faults or core is None:
        raise Refused(faults)
    for row in rows:
        row.percent, row.off, row.first, row.last = core.percent, core.off, core.first, core.last
        row.on_codes = None if core.on is None else sorted(core.on)
        for name, value in facts.items():
            setattr(row, name, value)
    change = uow.log(Act.CHANGE_CODES, code.id, f"Changed the code {code.series or code.code}")
    uow.session.flush()
    return group_view(uow, rows, costs(uow, [r.id for r in rows])).widened(CodeDone, change=change.key)


def get_code(uow: UnitOfWork, code_id: int) -> DiscountCode:
    code = uow.session.get(DiscountCode, code_id)
    if code is None:
        raise not_found("This code")
    return code


def series_of(uow: UnitOfWork, code: DiscountCode) -> list[DiscountCode]:
    if not code.series:
        return [code]
    query = select(DiscountCode).where(DiscountCode.series == code.series).order_by(DiscountCode.code)
    return list(uow.session.scalars(query))


def costs(uow: UnitOfWork, ids: list[int]) -> dict[int, int]:
    """What each code took off for those who hold their seat."""
    query = (
        select(CodeUse.code_id, func.sum(CodeUse.amount))
        .where(CodeUse.live, CodeUse.code_id.in_(ids))
        .group_by(CodeUse.code_id)
    )
    return {code: int(amount) for code, amount in uow.session.execute(query)}


def form_of(code: DiscountCode) -> Document:
    """A code as a form sends it."""
    return {
        "code": code.series or code.code,
        "note": code.note,
        "percent": None if code.percent is None else decimal_text(code.percent),
        "off": None if code.off is None else format_amount(code.off, code.currency),
        "from": code.first and code.first.isoformat(),
        "to": code.last and code.last.isoformat(),
        "most": code.most,
        "most_each": code.most_each,
        "course_ids": code.course_ids,
        "run_ids": code.run_ids,
        "on": code.on_codes,
        "active": code.active,
    }


def group_view(uow: UnitOfWork, rows: list[DiscountCode], cost: dict[int, int]) -> CodeOut:
    """A code, or a set as one."""
    first = rows[0]
    day = uow.today
    uses, most = sum(r.uses for r in rows), None if first.most is None else sum(r.most or 0 for r in rows)
    if not first.active:
        state = "not in use"
    elif first.last and first.last < day:
        state = "over"
    elif most is not None and uses >= most:
        state = "used up"
    else:
        state = "to come" if first.first and first.first > day else "in use"
    return CodeOut.model_validate(
        {
            **form_of(first),
            "id": first.id,
            "number": len(rows) if first.series else None,
            "uses": uses,
            "limit": most,
            "cost": format_amount(sum(cost.get(r.id, 0) for r in rows), first.currency),
            "currency": first.currency,
            "state": state,
        }
    )


def list_codes(uow: UnitOfWork) -> list[CodeOut]:
    """Every code and every set, newest first, with uses and what they cost."""
    rows = uow.session.scalars(select(DiscountCode).order_by(DiscountCode.id.desc())).all()
    groups: dict[str, list[DiscountCode]] = {}
    for row in rows:
        groups.setdefault(row.series or f"{row.id} ", []).append(row)
    cost = costs(uow, [r.id for r in rows])
    return [group_view(uow, sorted(g, key=lambda r: r.code), cost) for g in groups.values()]


def code_uses(uow: UnitOfWork, code_id: int) -> CodeUses:
    """A code or a set with everybody who signed up under it."""
    rows = series_of(uow, get_code(uow, code_id))
    names = {r.id: r.code for r in rows}
    query = (
        select(CodeUse, Person.name, Run.id, Run.code)
        .join(Person, Person.id == CodeUse.person_id)
        .join(Enrollment, Enrollment.id == CodeUse.enrollment_id)
        .join(Run, Run.id == Enrollment.run_id)
        .where(CodeUse.code_id.in_(names))
        .order_by(CodeUse.id.desc())
    )
    uses = [
        CodeUser(
            code=names[use.code_id],
            person_id=use.person_id,
            name=name,
            run_id=run_id,
            run=run,
            amount=format_amount(use.amount, rows[0].currency),
            live=use.live,
            at=uow.local(use.at),
        )
        for use, name, run_id, run in uow.session.execute(query)
    ]
    return group_view(uow, rows, costs(uow, list(names))).widened(CodeUses, people=uses)


def code_lines(uow: UnitOfWork, code_id: int) -> tuple[str, list[list[str]]]:
    """A set as the lines of a CSV file: its name and, by code, whether and by whom it was used."""
    rows = series_of(uow, get_code(uow, code_id))
    used: dict[int, str] = {}
    query = (
        select(CodeUse.code_id, Person.name)
        .join(Person, Person.id == CodeUse.person_id)
        .where(CodeUse.live, CodeUse.code_id.in_([r.id for r in rows]))
    )
    for code, name in uow.session.execute(query):
        used[code] = f"{used[code]}; {name}" if code in used else name
    lines = [["Code", "Uses", "Limit", "Used by"]]
    lines += [[r.code, str(r.uses), "" if r.most is None else str(r.most), used.get(r.id, "")] for r in rows]
    return rows[0].series or rows[0].code, lines


def uses_faults(uow: UnitOfWork) -> list[str]:
    """Codes whose count is not the number of their live uses; part of the nightly check."""
    live = (
        select(CodeUse.code_id, func.count().label("n"))
        .where(CodeUse.live)
        .group_by(CodeUse.code_id)
        .subquery()
    )
    query = select(DiscountCode.code, DiscountCode.uses, func.coalesce(live.c.n, 0)).outerjoin(
        live, live.c.code_id == DiscountCode.id
    )
    return [
        f"The code {code}: {uses} uses counted, {int(n)} held."
        for code, uses, n in uow.session.execute(query)
        if uses != int(n)
    ]
