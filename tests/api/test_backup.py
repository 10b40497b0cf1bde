"""What must come back: a backup equals its moment, and what was acknowledged is there after a crash."""

import itertools
import os
import re
import signal
import subprocess
import tarfile
import threading
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx
import orjson
import pytest
from sqlalchemy import func, inspect, select, text

from archgate import backup
from archgate.actions.access.staff import create_user
from archgate.actions.across import checks
from archgate.actions.center import backups
from archgate.actions.center.center import make_center
from archgate.actions.kernel import queue, signing
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.unit_of_work import act, read_only
from archgate.actions.money import accounts
from archgate.actions.money.commands import PaymentCommand
from archgate.backup import BackupTrouble
from archgate.own_server import OwnServer, free_port
from archgate.settings import ROOT
from archgate.tables.engine import engine_for, sessions_of
from archgate.tables.jobs import TimedWork
from archgate.tables.migrate import UNFINISHED, is_current, migrate
from archgate.tables.people import Person
from conftest import LONG, new_database
from made import PASSWORD, Office, a_person, a_run, at_once, enrolled, number

PHRASE = "a phrase for the backup"


@pytest.fixture(scope="module")
def center(worker_id):
    """A center of its own, with people, money and a file; its address, its sessions and its office."""
    address = new_database(f"backup_{worker_id}")
    engine = engine_for(address)
    migrate(engine)
    sessions = sessions_of(engine)
    make_center(sessions, "Kept", "America/New_York", "USD")
    user = act(
        sessions, lambda d: create_user(d, "kept@example.org", "Kept", "administrator", PASSWORD, True)
    )
    office = Office(sessions, user, datetime(2027, 8, 20, 14, tzinfo=UTC))
    run = a_run(office, capacity=40)
    for n in range(6):
        held = enrolled(office, run, a_person(office, given="Ł\"'\\", family=f"Backup{n}"))
        if n % 2:
            account = office.read(
                lambda d, e=held: d.session.get(accounts.Enrollment, e["enrollment_id"]).payer_id
            )
            body = {"amount": "105.00", "method": "cash"}
            office.act(
                lambda d, a=account, b=body: accounts.take_payment(d, a, command_of(PaymentCommand, b))
            )
    yield address, sessions, office
    engine.dispose()


def rows_of(address):
    """Every row of every table, to compare two databases by."""
    engine = engine_for(address, pool=2)
    with engine.connect() as connection:
        names = sorted(set(inspect(connection).get_table_names()) - {"timed_work"})
        found = {n: sorted(map(repr, connection.execute(text(f"SELECT * FROM `{n}`")).all())) for n in names}
    engine.dispose()
    return found


@pytest.fixture
def empty(worker_id):
    return new_database(f"restored_{worker_id}")


def test_a_restored_backup_equals_its_moment(center, empty, tmp_path):
    address, _, _ = center
    before = rows_of(address)
    made = backup.make(address, tmp_path)
    assert re.fullmatch(r"archgate-\d{8}T\d{6}\.tar", made.name) and list(tmp_path.iterdir()) == [made]
    assert made.stat().st_mode & 0o777 == 0o600
    about = backup.restore(empty, made)
    assert rows_of(empty) == before and about.secret == signing.secret().decode()
    engine = engine_for(empty, pool=2)
    assert is_current(engine) and read_only(sessions_of(engine), checks.everything) == "Everything agrees."
    with pytest.raises(Exception, match="never changed or deleted"), engine.begin() as connection:
        connection.execute(text("UPDATE entries SET amount = 1"))  # triggers came along
    engine.dispose()


def test_it_is_one_moment_while_people_work(center, empty, tmp_path):
    """Sign-ups with their money go on during the dump: the restored books and seats agree, none is half there."""
    address, sessions, office = center
    run, stop, done = a_run(office, capacity=400, smallest=0), threading.Event(), []

    def work():
        while not stop.is_set():
            done.append(enrolled(office, run)["enrollment_id"])

    workers = [threading.Thread(target=work) for _ in range(3)]
    for w in workers:
        w.start()
    deadline = time.monotonic() + 60
    while len(done) < 3 and time.monotonic() < deadline:
        time.sleep(0.05)
    made = backup.make(address, tmp_path)
    stop.set()
    for w in workers:
        w.join(20)
    backup.restore(empty, made)
    engine = engine_for(empty, pool=2)
    assert read_only(sessions_of(engine), checks.everything) == "Everything agrees."
    with engine.connect() as connection:
        held = set(connection.execute(text("SELECT id FROM enrollments")).scalars())
    assert done and held & set(done) and read_only(sessions, checks.everything) == "Everything agrees."
    engine.dispose()


def test_under_a_passphrase_it_opens_with_it_only(center, empty, tmp_path):
    made = backup.make(center[0], tmp_path, PHRASE)
    assert made.name.endswith(".tar.gpg") and b"CREATE TABLE" not in made.read_bytes()
    assert signing.secret() not in made.read_bytes()
    for phrase, said in (("", "give its passphrase"), ("wrong", "gpg did not do it")):
        with pytest.raises(BackupTrouble, match=said):
            backup.restore(empty, made, phrase)
    assert rows_of(empty) == {}
    backup.restore(empty, made, PHRASE)
    assert rows_of(empty)["people"] == rows_of(center[0])["people"]


def test_what_is_damaged_or_of_another_kind_is_refused_before_anything_is_written(center, empty, tmp_path):
    made = backup.make(center[0], tmp_path)
    whole = made.read_bytes()
    (tmp_path / "cut.tar").write_bytes(whole[: len(whole) // 2])
    (tmp_path / "odd.tar").write_bytes(b"not a backup at all" * 100)
    (tmp_path / "flipped.tar").write_bytes(whole[:5000] + bytes([whole[5000] ^ 1]) + whole[5001:])
    for name, said in (
        ("cut", "damaged"),
        ("odd", "no backup"),
        ("flipped", "damaged"),
        ("none", "There is no file"),
    ):
        with pytest.raises(BackupTrouble, match=said):
            backup.restore(empty, tmp_path / f"{name}.tar")
    assert rows_of(empty) == {}


def test_a_backup_of_a_newer_release_is_left_alone(center, empty, tmp_path):
    made = backup.make(center[0], tmp_path)
    about, dump = backup.unpacked(made, tmp_path)
    newer = backup.About(**{**orjson.loads((tmp_path / "about.json").read_bytes()), "revision": "9999"})
    backup.packed(tmp_path / "newer.tar", dump, newer)
    assert about.revision != "9999"
    with pytest.raises(BackupTrouble, match="newer release"):
        backup.restore(empty, tmp_path / "newer.tar")


def test_a_database_in_use_is_never_overwritten_and_a_half_restored_one_is_begun_anew(
    center, empty, tmp_path
):
    made = backup.make(center[0], tmp_path)
    with pytest.raises(BackupTrouble, match="not empty"):
        backup.restore(center[0], made)
    engine = engine_for(empty, pool=2)
    migrate(engine)
    with engine.begin() as connection:
        connection.execute(text(f"CREATE TABLE {UNFINISHED} (id INT PRIMARY KEY)"))
    assert not is_current(engine), "nobody is served from it"
    backup.restore(empty, made)
    assert is_current(engine)
    engine.dispose()


def test_a_full_disk_leaves_no_half_backup_and_says_so(center, tmp_path, monkeypatch):
    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(backup, "packed", full)
    with pytest.raises(BackupTrouble, match="could not be written: No space left"):
        backup.make(center[0], tmp_path)
    assert list(tmp_path.iterdir()) == []


def test_the_secret_of_the_backup_keeps_its_links_alive(tmp_path, monkeypatch):
    about = backup.About(1, "0007", "2027-01-01", "", 0, "the old secret")
    monkeypatch.setattr(signing, "FILE", tmp_path / "secret")
    monkeypatch.delenv("ARCHGATE_SECRET", raising=False)
    (tmp_path / "secret").write_text("another")
    assert "the backup's now" in backup.keep_secret(about)
    assert (tmp_path / "secret").read_text() == "the old secret"
    assert (tmp_path / "secret.before").read_text() == "another"
    assert backup.keep_secret(about) == ""
    monkeypatch.setenv("ARCHGATE_SECRET", "a third")
    assert "every link that was sent is void" in backup.keep_secret(about)


def test_the_newest_are_kept(tmp_path):
    for day in range(1, 8):
        (tmp_path / f"archgate-2027010{day}T030000.tar{'.gpg' if day % 2 else ''}").touch()
    (tmp_path / "mine.tar").touch()
    assert len(backup.sweep(tmp_path, 3)) == 4
    assert sorted(f.name for f in tmp_path.iterdir()) == [
        "archgate-20270105T030000.tar.gpg", "archgate-20270106T030000.tar", "archgate-20270107T030000.tar.gpg", "mine.tar",
    ]  # fmt: skip


def test_today_says_when_there_is_none_or_an_old_one(center):
    _, sessions, _ = center
    with sessions.begin() as session:
        session.query(TimedWork).filter(TimedWork.name == backups.ROW).delete()
        assert "no backup of this center yet" in backups.said_of_last(queue.timed_work(session))
        backups.note(session, None, "The program mariadb-dump is missing.")
        assert "mariadb-dump is missing" in backups.said_of_last(queue.timed_work(session))
        backups.note(session, backups.system_now(), "x.tar, 1 KB.")
        assert backups.said_of_last(queue.timed_work(session)) == ""
        backups.note(session, backups.system_now() - timedelta(hours=40), "x.tar, 1 KB.")
        assert "more than 36 hours old" in backups.said_of_last(queue.timed_work(session))


def test_the_two_commands_bring_a_center_back(center, empty, tmp_path):
    env = {
        **os.environ,
        "ARCHGATE_DATABASE_URL": center[0],
        "ARCHGATE_BACKUPS": str(tmp_path / "kept"),
        "ARCHGATE_QUICK_HASH": "1",
    }
    launcher = str(ROOT / "archgate")
    made = subprocess.run([launcher, "backup"], env=env, capture_output=True, text=True, check=False)
    assert made.returncode == 0 and "not encrypted" in made.stderr
    file = next((tmp_path / "kept").iterdir())
    with tarfile.open(file) as held:
        assert held.getnames() == ["about.json", "database.sql.gz"]
    env |= {"ARCHGATE_DATABASE_URL": empty, "ARCHGATE_SECRET": backup.unpacked(file, tmp_path)[0].secret}
    done = subprocess.run(
        [launcher, "restore", str(file)], env=env, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0 and "Everything agrees." in done.stderr, done.stderr
    again = subprocess.run(
        [launcher, "restore", str(file)], env=env, capture_output=True, text=True, check=False
    )
    assert again.returncode == 1 and "not empty" in again.stderr


# --- crashes ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize("turn", range(4 if LONG else 1))
def test_after_all_is_killed_whatever_was_acknowledged_is_there(tmp_path, turn):
    """kill -9 of the database and the web servers in the middle of work: what was answered 201 is there, the books agree."""
    own = OwnServer(tmp_path / "own")  # as in use: every commit is on disk before it is answered
    own.start()
    own.create_database("crash")
    engine = engine_for(own.url("crash"), pool=8)
    migrate(engine)
    sessions = sessions_of(engine)
    make_center(sessions, "Crash", "America/New_York", "USD")
    act(sessions, lambda d: create_user(d, "crash@example.org", "C", "administrator", PASSWORD, True))
    port = free_port()
    env = {
        **os.environ,
        "ARCHGATE_DATABASE_URL": own.url("crash"),
        "ARCHGATE_QUICK_HASH": "1",
        "PYTHONPATH": str(ROOT / "server"),
    }
    server = subprocess.Popen(
        [str(ROOT / ".venv" / "bin" / "python"), "-m", "archgate.cli", "serve", "--port", str(port)],
        env=env, stdout=subprocess.PIPE, text=True, start_new_session=True,
    )  # fmt: skip
    try:
        assert str(port) in server.stdout.readline()
        acknowledged, begun = [], threading.Event()

        def work(turn):
            with httpx.Client(base_url=f"http://127.0.0.1:{port}", timeout=10) as client:
                client.post("/api/v1/session", json={"email": "crash@example.org", "password": PASSWORD})
                try:
                    for n in itertools.count():
                        made = client.post("/api/v1/people", json={"given": f"C{turn}", "family": f"N{n}"})
                        if made.status_code == 201:
                            acknowledged.append(made.json()["id"])
                            begun.set()
                except (httpx.HTTPError, KeyError):
                    return

        threads = [threading.Thread(target=work, args=(n,), daemon=True) for n in range(4)]
        for t in threads:
            t.start()
        assert begun.wait(20)
        time.sleep(0.8)
        own.process.send_signal(signal.SIGKILL)
        os.killpg(server.pid, signal.SIGKILL)
        for t in threads:
            t.join(20)
        own.process.wait(10)
        engine.dispose()
        own.start()
        with sessions() as session:
            there = set(session.scalars(select(Person.id)))
        assert len(acknowledged) > 10 and set(acknowledged) <= there
        assert read_only(sessions, checks.everything) == "Everything agrees."
    finally:
        if server.poll() is None:
            os.killpg(server.pid, signal.SIGKILL)
        server.wait(10)
        engine.dispose()
        own.stop()


def test_a_migration_while_people_work_loses_nothing(worker_id):
    """People are added by the driver alone while the schema is brought up from the release before."""
    address = new_database(f"load_{worker_id}")
    engine = engine_for(address, pool=8)
    migrate(engine, "0006")
    stop, made = threading.Event(), []
    insert = text(
        "INSERT INTO people (given, family, name, folded, note, created_at) VALUES ('L', :f, :f, 'l', '', '2027-01-01')"
    )

    def work():
        while not stop.is_set():
            with engine.begin() as connection:
                made.append(connection.execute(insert, {"f": f"N{next(number)}"}).lastrowid)

    workers = [threading.Thread(target=work) for _ in range(3)]
    for w in workers:
        w.start()
    time.sleep(0.2)
    migrate(engine)
    stop.set()
    for w in workers:
        w.join(10)
    with engine.connect() as connection:
        assert connection.scalar(select(func.count()).select_from(Person)) == len(set(made)) > 10
    assert is_current(engine)
    engine.dispose()


def test_two_backups_at_once_are_two_whole_ones(center, empty, tmp_path):
    (tmp_path / "a").mkdir(), (tmp_path / "b").mkdir()
    made = at_once(
        [lambda: backup.make(center[0], tmp_path / "a"), lambda: backup.make(center[0], tmp_path / "b")]
    )
    assert all(isinstance(m, Path) for m in made)
    backup.restore(empty, made[0])
    assert rows_of(empty)["postings"] == rows_of(center[0])["postings"]
