"""A center of eight years, made by set-based statements from one run, one sign-up and one payment that were made by hand.

It is kept between benches, under a hash of what it was made from, and stands at a day of its own.
"""

from __future__ import annotations

import hashlib
import re
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date
from functools import partial
from pathlib import Path

from sqlalchemy import Connection, Engine, text

from archgate.actions.access import staff
from archgate.actions.bulk import reading
from archgate.actions.center.center import make_center, set_clock
from archgate.actions.enrolling import enrollments, waitlist
from archgate.actions.enrolling.commands import EnrollCommand, JoinCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.unit_of_work import Sessions, UnitOfWork, act
from archgate.actions.money import accounts, owing
from archgate.actions.money.commands import PaymentCommand
from archgate.actions.people import people as persons
from archgate.actions.people import words
from archgate.actions.people.commands import PersonCommand
from archgate.actions.people.views import PersonOut
from archgate.actions.runs import making
from archgate.actions.runs.commands import RunCommand
from archgate.actions.schedule import kept_clashes
from archgate.bench.base import EMAIL, WORD, Bench
from archgate.papers.lists import read_table
from archgate.settings import ROOT
from archgate.tables import Base

TODAY = date(2027, 9, 1)
WHOLE = 1_000_000  # enrollments
A_RUN = 500  # of them on each
PLACES, INSTRUCTORS, COURSES, ORGANIZATIONS, WAITING = 40, 120, 200, 200, 10
FIRST = 1_000  # ids of what is made begin after those of the run it is made from
GIVEN = "Ada Bruno Cora Dmitri Elif Fadi Greta Hugo Ines Jonas Kaja Lucien Mina Niko Olga Pavel Rosa Stellan Tala Viktor".split()
FAMILY = "Achebe Birch Castell Duarte Ekman Farkas Gallo Holm Ivers Jansen Kovac Lindt Moreau Ndiaye Obi Petrov Quist Rossi Stroud Tanaka Umber Vance Whitlock Yilmaz Zeller".split()


@dataclass(frozen=True)
class Size:
    """How many of each there are."""

    enrollments: int

    @property
    def runs(self) -> int:
        return self.enrollments // A_RUN

    @property
    def people(self) -> int:
        return self.enrollments * 3 // 10

    @property
    def said(self) -> str:
        return f"{self.enrollments} enrollments, {self.runs} runs, {self.people} people"


@dataclass(frozen=True)
class Model:
    """The keys of what everything is made from."""

    run: int
    enrollment: int
    posting: int
    payment: int
    payment_posting: int
    waiting: int
    account: int
    batch: int


def a_person(given: str, uow: UnitOfWork) -> PersonOut:
    return persons.create_person(uow, command_of(PersonCommand, {"given": given, "family": "Model"}))


def a_model(sessions: Sessions) -> Model:
    """One run, one sign-up paid in part, and one who waits, made as people make them."""
    user = act(sessions, lambda d: staff.create_user(d, EMAIL, "Bench", "administrator", WORD, True))
    form = {
        "course": {"code": "MODEL", "title": "Model"}, "capacity": 1, "smallest": 0,
        "place": "Model room", "instructor": "M. Model",
        "pattern": {"first": "2027-10-04", "start": "17:30", "minutes": 105, "count": 8},
        "rates": [{"amount": "240.00"}],
        "plans": [{"name": "Halves", "lines": [{"percent": "50", "due": {"after_sign_up": 0}}, {"percent": "50", "due": {"after_sign_up": 30}}]}],
    }  # fmt: skip
    run = act(sessions, lambda d: making.create_run(d, command_of(RunCommand, form)), user)
    act(sessions, lambda d: making.publish_run(d, run.id), user)
    one, other = (act(sessions, partial(a_person, n), user) for n in ("One", "Other"))
    come = {"run_id": run.id, "person_id": one.id, "total": "240.00", "told": []}
    seated = act(sessions, lambda d: enrollments.enroll(d, command_of(EnrollCommand, come)), user)
    wait = {"run_id": run.id, "person_id": other.id}
    lined = act(sessions, lambda d: waitlist.join(d, command_of(JoinCommand, wait)), user)
    with sessions() as s:
        account, posting = s.execute(
            text("SELECT e.payer_id, p.id FROM enrollments e JOIN postings p ON p.enrollment_id = e.id")
        ).one()
    pay = command_of(PaymentCommand, {"amount": "240.00", "method": "cash"})
    paid = act(sessions, lambda d: accounts.take_payment(d, account, pay), user)
    with sessions() as s:
        of_payment = s.execute(text("SELECT posting_id FROM payments")).scalar_one()
    people = b"Name,Email\nMo Del,mo.del@example.org\n"
    batch = act(
        sessions, lambda d: reading.create_batch(d, run.id, "l.csv", people, read_table(people)).id, user
    )
    return Model(
        run.id, seated.enrollment_id, posting, paid.payment_id, of_payment, lined.waiting_id, account, batch
    )


def of_seq(expression: str) -> str:
    """An expression of `n`, though the row it is joined to may have an `n` of its own."""
    return re.sub(r"(?<![.\w])n(?!\w)", "s.n", expression)


def copied(
    connection: Connection, table: str, of: int, number: int, by: str = "id", where: str = "1", **named: str
) -> None:
    """Copies of one row, one for each `n` of 1 to `number` that fits `where`: every column as it is, but for those that are
    named, each an SQL expression of `n` and of the row `o`."""
    columns = [
        c.name
        for c in Base.metadata.tables[table].columns
        if c.computed is None and not (c.name == "id" and "id" not in named)
    ]
    values = [of_seq(named[name]) if name in named else f"o.`{name}`" for name in columns]
    names = ", ".join(f"`{name}`" for name in columns)
    connection.exec_driver_sql(
        f"INSERT INTO `{table}` ({names}) SELECT {', '.join(values)} FROM (SELECT CAST(seq AS SIGNED) AS n FROM seq_1_to_{number}) s"
        f" JOIN `{table}` o ON o.`{by}` = {of} WHERE {of_seq(where)}".replace("%", "%%")
    )


def fill(engine: Engine, size: Size, model: Model) -> None:
    """Everything else, by one statement a table."""
    with engine.begin() as c:
        for setting in ("foreign_key_checks=0", "unique_checks=0"):
            c.exec_driver_sql(f"SET SESSION {setting}")
        fill_catalog(c)
        fill_people(c, size)
        fill_runs(c, size, model)
        fill_enrollments(c, size, model)
        fill_money(c, size, model)
        fill_rest(c, size, model)
        fill_lists(c, size, model)
        owing.keep_all(c)
        words.keep_all(c)
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as c:
        for table in Base.metadata.tables:
            c.exec_driver_sql(f"ANALYZE TABLE `{table}`")


def values(connection: Connection, table: str, columns: str, number: int, expressions: str) -> None:
    connection.exec_driver_sql(
        f"INSERT INTO {table} ({columns}) SELECT {expressions} FROM (SELECT CAST(seq AS SIGNED) AS n FROM seq_1_to_{number}) s".replace(
            "%", "%%"
        )
    )


def fill_catalog(c: Connection) -> None:
    copied(c, "courses", 1, COURSES, id=f"{FIRST} + n", code="CONCAT('C', n)", title="CONCAT('Course ', n)",
           category="CONCAT('Subject ', n % 12)")  # fmt: skip
    copied(c, "places", 1, PLACES, id=f"{FIRST} + n", name="CONCAT('Room ', n)", seats=str(A_RUN + 20))
    values(c, "organizations", "id, name, email, address, created_at", ORGANIZATIONS,
           f"{FIRST} + n, CONCAT('Guild ', n), CONCAT('g', n, '@example.org'), '', NOW(6)")  # fmt: skip


def word(words: list[str], by: str) -> str:
    return f"ELT(1 + {by} % {len(words)}, {', '.join(repr(w) for w in words)})"


def fill_people(c: Connection, size: Size) -> None:
    given, family = (
        word(GIVEN, "n"),
        f"CONCAT({word(FAMILY, 'n DIV 20')}, IF(n > 500, CONCAT(' ', n DIV 500), ''))",
    )
    copied(
        c, "people", 1, size.people, id=f"{FIRST} + n", given=given, family=family,
        name=f"CONCAT({given}, ' ', {family})", folded=f"LOWER(CONCAT({given}, ' ', {family}))",
        email="CONCAT('p', n, '@example.org')", phone="CONCAT('+1 212 555 ', LPAD(n, 7, '0'))",
        digits="CONCAT('1212555', LPAD(n, 7, '0'))",
    )  # fmt: skip
    copied(
        c,
        "instructors",
        1,
        INSTRUCTORS,
        id=f"{FIRST} + n",
        person_id=f"{FIRST} + n",
        name="CONCAT('Instructor ', n)",
    )
    values(c, "accounts", "id, owner, person_id, currency", size.people,
           f"{FIRST} + n, CONCAT('person:', {FIRST} + n), {FIRST} + n, 'USD'")  # fmt: skip
    values(c, "accounts", "id, owner, organization_id, currency", ORGANIZATIONS,
           f"{FIRST + size.people} + n, CONCAT('organization:', {FIRST} + n), {FIRST} + n, 'USD'")  # fmt: skip
    values(
        c,
        "person_tags",
        "person_id, tag",
        size.people // 20,
        f"{FIRST} + n * 20, IF(n % 3, 'member', 'staff')",
    )
    values(
        c,
        "notes",
        "person_id, user_id, at, text",
        size.people // 10,
        f"{FIRST} + n * 10, 1, NOW(6), 'Called.'",
    )


def shift_of(size: Size, n: str) -> str:
    """By how many days a run stands off the model's: from seven years before today to one year after it."""
    return f"((({n}) * 2920 DIV {size.runs}) - 2555 - DATEDIFF('2027-10-04', '{TODAY}'))"


def fill_runs(c: Connection, size: Size, model: Model) -> None:
    run, shift = f"{FIRST} + n", shift_of(size, "n")
    place, instructor = f"{FIRST} + 1 + n % {PLACES}", f"{FIRST} + 1 + n % {INSTRUCTORS}"
    begun = f"{shift} < DATEDIFF('{TODAY}', '2027-10-04')"
    copied(c, "runs", model.run, size.runs, id=run, course_id=f"{FIRST} + 1 + n % {COURSES}",
           code="CONCAT('RUN-', n)", title="CONCAT('Run ', n)", place_id=place, capacity="IF(n % 2, 480, 500 + n % 20)",
           status=f"IF({shift} < -480, 'archived', 'published')", decision=f"IF({begun}, 'going ahead', 'undecided')")  # fmt: skip
    copied(
        c,
        "run_seats",
        model.run,
        size.runs,
        by="run_id",
        run_id=run,
        taken="0",
        version="1",
        revision="1",
    )
    values(c, "run_teachers", "run_id, instructor_id, part, n", size.runs, f"{run}, {instructor}, 'lead', 1")
    for table in ("rates", "plans"):
        copied(c, table, 1, size.runs, id=run, run_id=run)
    for line in (1, 2):
        copied(c, "plan_lines", line, size.runs, plan_id=run)
    for kind in rows_of(c, "gates", model.run):
        copied(
            c,
            "gates",
            kind,
            size.runs,
            run_id=run,
            day=f"o.day + INTERVAL {shift} DAY",
            at=f"o.at + INTERVAL {shift} DAY",
        )
    copied(c, "meeting_patterns", rows_of(c, "meeting_patterns", model.run)[0], size.runs, run_id=run,
           first=f"o.first + INTERVAL {shift} DAY", place_id="NULL")  # fmt: skip
    for meeting in rows_of(c, "meetings", model.run):
        copied(c, "meetings", meeting, size.runs, run_id=run, date=f"o.date + INTERVAL {shift} DAY",
               starts_at=f"o.starts_at + INTERVAL {shift} DAY", ends_at=f"o.ends_at + INTERVAL {shift} DAY",
               place_id="NULL")  # fmt: skip


def rows_of(c: Connection, table: str, run: int) -> list[int]:
    return list(
        c.execute(text(f"SELECT id FROM {table} WHERE run_id = :r ORDER BY id"), {"r": run}).scalars()
    )


def fill_enrollments(c: Connection, size: Size, model: Model) -> None:
    run = f"(1 + (n - 1) DIV {A_RUN})"
    person = f"{FIRST} + 1 + (n * 7919) % {size.people}"
    payer = f"IF(n % 10, {person}, {FIRST + size.people} + 1 + n % {ORGANIZATIONS})"
    day = f"LEAST('2027-10-04' + INTERVAL {shift_of(size, run)} - 40 + n % 30 DAY, '{TODAY}' - INTERVAL 1 + n % 20 DAY)"
    copied(
        c, "enrollments", model.enrollment, size.enrollments, id=f"{FIRST} + n", run_id=f"{FIRST} + {run}", person_id=person,
        payer_id=payer, rate_id=f"{FIRST} + {run}", plan_id=f"{FIRST} + {run}", signed_up=day, enrolled_at=f"{day} + INTERVAL 15 HOUR",
        way_in=word(["desk", "list", "desk", "offer"], "n"), status="IF(n % 25, o.status, 'withdrawn')",
        ended_at=f"IF(n % 25, NULL, {day} + INTERVAL 39 HOUR)",
    )  # fmt: skip
    for k in (1, 2):
        copied(c, "installments", k, size.enrollments, id=f"{FIRST} + 2 * n + {k - 1}", enrollment_id=f"{FIRST} + n",
               where="n % 25 > 0", due=f"{day} + INTERVAL {30 * (k - 1)} DAY")  # fmt: skip
    c.exec_driver_sql(
        "UPDATE run_seats s JOIN (SELECT run_id, SUM(live) AS taken FROM enrollments GROUP BY run_id) e USING (run_id)"
        " SET s.taken = e.taken"
    )


def fill_money(c: Connection, size: Size, model: Model) -> None:
    """Who sits on a run that began a month ago has paid all but for one in 97; before that a half, but for one in 23."""
    run = f"(1 + (n - 1) DIV {A_RUN})"
    old = f"({shift_of(size, run)} < DATEDIFF('{TODAY}', '2027-10-04') - 30)"
    all_paid, any_paid = f"({old} AND n % 97 > 0)", f"({old} OR n % 23 > 0) AND n % 25 > 0"
    last = FIRST + size.enrollments
    copied(c, "postings", model.posting, size.enrollments, id=f"{FIRST} + n", enrollment_id=f"{FIRST} + n",
           where="n % 25 > 0", cause="CONCAT('Sign-up ', n)")  # fmt: skip
    copied(c, "postings", model.payment_posting, size.enrollments, id=f"{last} + n", where=any_paid,
           effective=f"'{TODAY}' - INTERVAL n % 2000 DAY")  # fmt: skip
    sums = {"of": f"IF({all_paid}, 24000, 12000)"}
    for posting, base, amount in ((model.posting, FIRST, "24000"), (model.payment_posting, last, sums["of"])):
        c.exec_driver_sql(
            "INSERT INTO entries (posting_id, account_id, amount)"
            f" SELECT p.id, IF(o.account_id = {model.account}, e.payer_id, o.account_id), SIGN(o.amount) * {amount}"
            f" FROM (SELECT CAST(seq AS SIGNED) AS n FROM seq_1_to_{size.enrollments}) s JOIN postings p ON p.id = {base} + n"
            f" JOIN enrollments e ON e.id = {FIRST} + n JOIN entries o ON o.posting_id = {posting}".replace(
                "%", "%%"
            )
        )
    copied(c, "payments", model.payment, size.enrollments, id=f"{FIRST} + n", posting_id=f"{last} + n", where=any_paid,
           account_id=f"(SELECT payer_id FROM enrollments WHERE id = {FIRST} + n)", amount=sums["of"],
           received_on=f"'{TODAY}' - INTERVAL n % 2000 DAY", method=word(["cash", "check", "transfer"], "n"))  # fmt: skip
    for k, where in ((0, any_paid), (1, f"{all_paid} AND n % 25 > 0")):
        values_where(c, "allocations", "posting_id, installment_id, amount", size.enrollments,
                     f"{last} + n, {FIRST} + 2 * n + {k}, 12000", where)  # fmt: skip


def values_where(c: Connection, table: str, columns: str, number: int, expressions: str, where: str) -> None:
    c.exec_driver_sql(
        f"INSERT INTO {table} ({columns}) SELECT {expressions} FROM (SELECT CAST(seq AS SIGNED) AS n FROM seq_1_to_{number}) s WHERE {where}".replace(
            "%", "%%"
        )
    )


def fill_rest(c: Connection, size: Size, model: Model) -> None:
    """Who waits, what was logged and written, who was there."""
    coming = c.execute(text("SELECT COUNT(*) FROM runs r JOIN gates g ON g.run_id = r.id AND g.kind = 'starts' WHERE g.at > :t"), {"t": TODAY}).scalar_one()  # fmt: skip
    run = f"{FIRST} + {size.runs - 1} - 2 * ((n - 1) DIV {WAITING})"  # the runs that are full
    copied(c, "waiting", model.waiting, coming // 2 * WAITING, run_id=run, rate_id=run, plan_id=run,
           person_id=f"{FIRST} + 1 + (n * 104729) % {size.people}", payer_id=f"{FIRST} + 1 + (n * 104729) % {size.people}",
           ask=f"JSON_SET(o.ask, '$.people[0].rate_id', {run}, '$.plan_id', {run})")  # fmt: skip
    values(c, "interest", "list_key, course_id, person_id, status, joined_at, note, answers, user_id", COURSES * 20,
           f"CONCAT('course:', {FIRST} + 1 + n % {COURSES}), {FIRST} + 1 + n % {COURSES}, {FIRST} + n, 'waiting', NOW(6), '', '{{}}', 1")  # fmt: skip
    made = c.execute(text("SELECT id FROM changes WHERE action = 'enroll'")).scalar_one()
    copied(c, "changes", made, size.enrollments, key="LPAD(HEX(n), 24, 'e')", subject_id=f"{FIRST} + n", rows="'[]'",
           run_id=f"{FIRST} + 1 + (n - 1) DIV {A_RUN}", at=f"'{TODAY}' - INTERVAL {size.enrollments} - n MINUTE",
           summary="CONCAT('Enrolled somebody ', n)")  # fmt: skip
    made = c.execute(text("SELECT id FROM changes WHERE action = 'take a payment'")).scalar_one()
    copied(c, "changes", made, size.enrollments, key="LPAD(HEX(n), 24, 'f')", subject_id=f"{FIRST} + n", rows="'[]'",
           at=f"'{TODAY}' - INTERVAL {size.enrollments} - n MINUTE")  # fmt: skip
    letters = size.enrollments // 5
    values(c, "jobs", "id, kind, `key`, what, status, due_at, worker, tries, trouble, change_key, run_id, made_at, done_at", letters,
           f"{FIRST} + n, 'message', CONCAT('m', n), '{{}}', 'done', NOW(6), '', 1, '', '', {FIRST} + 1 + n % {size.runs}, NOW(6), NOW(6)")  # fmt: skip
    values(c, "messages", "job_id, person_id, run_id, occasion, to_name, to_email, subject, body, made_at", letters,
           f"{FIRST} + n, {FIRST} + 1 + n % {size.people}, {FIRST} + 1 + n % {size.runs}, '', 'Somebody', 'p@example.org', 'You are enrolled', 'Welcome.', NOW(6)")  # fmt: skip
    c.exec_driver_sql(
        "INSERT INTO attendance (meeting_id, person_id, status, user_id, at) SELECT m.id, e.person_id, 'present', 1, m.starts_at"
        f" FROM meetings m JOIN enrollments e ON e.run_id = m.run_id AND e.live = 1 WHERE m.date BETWEEN '{TODAY}' - INTERVAL 60 DAY AND '{TODAY}'"
    )


def fill_lists(c: Connection, size: Size, model: Model) -> None:
    """As many lists as there are runs, and one of them with 15,000 lines."""
    lines = min(15_000, size.enrollments // 10)
    copied(
        c, "batches", model.batch, size.runs, id=f"{FIRST} + n", run_id=f"{FIRST} + n", status="'enrolled'"
    )
    copied(c, "batch_rows", model.batch, lines, by="batch_id", line="n + 2", where="1",
           name="CONCAT('Mo', n, ' Del')", verdict=word(["will enroll", "already in", "needs fixing"], "n"))  # fmt: skip
    copied(
        c,
        "batch_rows",
        model.batch,
        lines * 5,
        by="batch_id",
        batch_id=f"{FIRST} + 1 + n % {size.runs}",
        line="n",
        where="o.line = 2",
    )
    c.exec_driver_sql(f"UPDATE batches SET `lines` = {lines} WHERE id = {model.batch}")


@contextmanager
def big_center(enrollments_there: int, quiet: bool = False) -> Iterator[Bench]:
    """The center on a server of its own, made now or before."""
    from archgate.own_server import OwnServer, memory_of_ours
    from archgate.tables.engine import engine_for, sessions_of
    from archgate.tables.migrate import migrate

    size = Size(enrollments_there)
    key = hashlib.sha256(Path(__file__).read_bytes()).hexdigest()[:12]
    home = ROOT / "var" / "bench" / f"center-{enrollments_there}-{key}"
    made = home / "made"
    if not made.exists():
        for old in home.parent.glob(f"center-{enrollments_there}-*"):
            shutil.rmtree(old)
    server = OwnServer(home, quick=True, memory=memory_of_ours())
    server.start()
    try:
        server.create_database("bench", afresh=not made.exists())
        engine = engine_for(server.url("bench"), wait=3600)
        sessions = sessions_of(engine)
        migrate(engine)
        if not made.exists():
            make_center(sessions, "Bench", "America/New_York", "USD")
            set_clock(sessions, TODAY, may_go_back=True)
            fill(engine, size, a_model(sessions))
            act(sessions, kept_clashes.keep_all)
            made.touch()
        set_clock(sessions, TODAY, may_go_back=True)
        yield Bench(sessions, engine, server.url("bench"), server)
        engine.dispose()
    finally:
        server.stop()
