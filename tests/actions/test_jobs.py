"""The worker: every job at least once, the outside once, nobody's job twice at a time; also when it is killed."""

import os
import signal
import subprocess
import sys
import time
from datetime import timedelta

import pytest
from sqlalchemy import func, select
from sqlalchemy.exc import OperationalError

from archgate.actions.across import checks
from archgate.actions.across.undo import undo
from archgate.actions.kernel import queue
from archgate.actions.kernel.problems import Problem
from archgate.actions.runs import making, showing
from archgate.clock import system_now
from archgate.jobs.worker import Worker
from archgate.outside.mail import Mailing, Trouble
from archgate.settings import ROOT
from archgate.tables.jobs import Job, TimedWork
from archgate.tables.log import Change
from archgate.tables.messages import MailStandIn, MeetingStandIn, Message
from archgate.tables.seats import RunSeats
from conftest import LONG, url_of
from made import a_draft, a_run, at_once, number


@pytest.fixture
def line(alone):
    """A line of its own."""
    return alone


def queued(office, count, to="somebody{}@example.org"):
    def write(uow):
        for n in range(count):
            job = queue.queue(uow, "send message", f"m{next(number)}", {"about": f"letter {n}"})
            uow.session.add(Message(
                job_id=job.id, to_name="Somebody", to_email=to.format(n), subject=f"Letter {n}", body="Hello", made_at=uow.now,
            ))  # fmt: skip

    office.act(write)


def counted(office, table, **facts):
    query = select(func.count()).select_from(table).filter_by(**facts)
    return office.read(lambda d: d.session.scalar(query))


def test_the_same_key_is_the_same_job(line):
    both = [line.act(lambda d: queue.queue(d, "make link", "one", {"meeting_id": 1}).id) for _ in range(2)]
    assert both[0] == both[1]


def test_several_workers_never_hold_the_same_job(line):
    queued(line, 60)
    taken = at_once([lambda n=n: [queue.claim(line.sessions, f"w{n}") for _ in range(10)] for n in range(6)])
    keys = [job.key for held in taken for job in held if job]
    assert len(keys) == len(set(keys)) == 60


def test_a_job_whose_worker_is_gone_is_taken_again_when_its_lease_ends(line):
    queued(line, 1)
    lost = queue.claim(line.sessions, "lost", lease=timedelta(seconds=30))
    assert queue.claim(line.sessions, "other") is None
    later = system_now() + timedelta(seconds=31)
    again = queue.claim(line.sessions, "other", later)
    assert again.key == lost.key and again.tries == 2
    with line.sessions.begin() as session:
        assert not queue.finish(session, lost, "lost")  # too late: it is the other's now
        assert queue.finish(session, again, "other")


def test_pauses_grow_and_at_last_people_are_asked(line):
    assert [queue.pause_after(n).total_seconds() for n in (1, 2, 3, 9)] == [10, 40, 160, 14400]
    queued(line, 1, "later{}@later.example.org")
    worker = Worker.with_stand_ins(line.sessions)
    now = system_now() + timedelta(seconds=1)
    assert worker.drain(now) == 1 and worker.drain(now + timedelta(seconds=9)) == 0
    assert worker.drain(now + timedelta(seconds=11)) == 1  # the second try
    assert worker.drain(now + timedelta(seconds=60)) == 1  # the third, which goes through
    assert counted(line, MailStandIn) == 1 and counted(line, Job, status="done") == 1


def test_what_is_refused_for_good_is_seen_and_retried_by_a_person(line):
    queued(line, 1, "gone{}@refused.example.org")
    worker = Worker.with_stand_ins(line.sessions)
    worker.drain(system_now() + timedelta(seconds=1))
    held = line.read(queue.list_jobs)
    assert held["jobs"][0]["trouble"] == "The address is refused." and held["counts"] == {"failed": 1}
    line.act(lambda d: queue.retry(d, held["jobs"][0]["id"]))
    with pytest.raises(Problem, match="only what failed"):
        line.act(lambda d: queue.retry(d, held["jobs"][0]["id"]))
    assert counted(line, Job, status="queued") == 1


def test_a_crash_in_one_job_does_not_stop_the_others(line):
    queued(line, 2)

    class Broken:
        def send(self, key, mailing, tries):
            if mailing.subject == "Letter 0":
                raise ZeroDivisionError("by zero")

    worker = Worker(line.sessions, Broken(), None)
    worker.drain(system_now() + timedelta(seconds=1))
    assert counted(line, Job, status="done") == 1
    assert "ZeroDivisionError" in line.read(queue.list_jobs)["jobs"][0]["trouble"]


@pytest.mark.parametrize("point", ["before", "after"])
def test_a_worker_that_dies_around_the_outside_act_leaves_one_letter(line, point):
    queued(line, 1)

    class Dies(BaseException):
        pass

    worker = Worker.with_stand_ins(line.sessions, lease=timedelta(seconds=5))
    real = worker.mail.send

    def send(*args):
        if point == "after":
            real(*args)
        raise Dies

    worker.mail.send = send
    with pytest.raises(Dies):
        worker.run_one()
    Worker.with_stand_ins(line.sessions).drain(system_now() + timedelta(seconds=6))
    assert counted(line, MailStandIn) == 1 and counted(line, Job, status="done") == 1


def test_workers_killed_at_random_moments_send_every_letter_once(line):
    """Three worker processes, killed with signal 9 again and again, against a line of letters."""
    letters = 400 if LONG else 60
    queued(line, letters)
    env = {
        **os.environ,
        "ARCHGATE_DATABASE_URL": url_of(line),
        "ARCHGATE_LEASE": "1",
        "PYTHONPATH": str(ROOT / "server"),
    }
    command = [sys.executable, "-m", "archgate.cli", "worker"]

    def begin():
        return subprocess.Popen(command, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

    running = [begin() for _ in range(3)]
    kills, give_up = 0, time.monotonic() + 240
    try:
        while counted(line, Job, status="done") < letters and time.monotonic() < give_up:
            time.sleep(0.15)
            if kills < 6 and counted(line, MailStandIn) > kills * letters // 8:
                victim = running.pop(0)
                victim.send_signal(signal.SIGKILL)
                victim.wait()
                running.append(begin())
                kills += 1
    finally:
        for process in running:
            process.kill()
            process.wait()
    assert counted(line, Job, status="done") == letters and kills >= 3
    assert counted(line, MailStandIn) == letters
    assert (
        line.read(lambda d: d.session.scalar(select(func.count(func.distinct(MailStandIn.key))))) == letters
    )


def test_a_link_is_made_once_for_each_online_meeting_and_kept(line):
    run = a_run(line, place="Online room", pattern={
        "first": (line.at + timedelta(days=30)).date().isoformat(), "start": "10:00", "minutes": 60, "count": 3},
        rates=[{"amount": "240.00"}])  # fmt: skip
    worker = Worker.with_stand_ins(line.sessions)
    for seconds in (1, 30):
        worker.drain(system_now() + timedelta(seconds=seconds))
    links = [m["link"] for m in line.read(lambda d: showing.run_view(d, run["id"]))["dates"]]
    assert len(set(links)) == 3 and all(x.startswith("https://meet.example.org/") for x in links)
    assert counted(line, MeetingStandIn) == 3


def test_links_of_a_run_that_is_no_longer_published_are_not_asked_for_until_it_is_again(line):
    run = a_run(line, place="Online room", rates=[{"amount": "240.00"}], pattern={
        "first": (line.at + timedelta(days=30)).date().isoformat(), "start": "10:00", "minutes": 60, "count": 2})  # fmt: skip
    change = line.read(
        lambda d: d.session.scalar(
            select(Change).where(Change.action == "publish", Change.run_id == run["id"])
        )
    )
    line.act(lambda d: undo(d, change.key))
    assert counted(line, Job, status="dropped") == 2
    line.act(lambda d: making.publish_run(d, run["id"]))
    assert counted(line, Job, status="queued") == 2


def test_the_stand_ins_take_each_key_once_and_say_what_is_wrong(line):
    worker = Worker.with_stand_ins(line.sessions)
    for _ in range(2):
        worker.mail.send("k1", Mailing("a@example.org", "s", "b", "<p>b</p>"), 1)
    assert counted(line, MailStandIn, key="k1") == 1
    with pytest.raises(Trouble) as trouble:
        worker.mail.send("k2", Mailing("a@refused.example.org", "s", "b", "<p>b</p>"), 1)
    assert trouble.value.for_good

    def asked(key):
        try:
            return worker.meetings.make(key)
        except Trouble:
            return worker.meetings.make(key)

    assert asked("m1") == asked("m1") != asked("m2")


def test_timed_work_comes_round_once_for_all_workers_and_says_what_it_found(line, monkeypatch):
    begun = []
    monkeypatch.setattr("archgate.jobs.worker.beside", lambda *command: begun.append(command))
    workers = [Worker.with_stand_ins(line.sessions) for _ in range(4)]
    workers[0].timed()  # the rounds are written down
    at_once([w.timed for w in workers])
    rows = line.read(lambda d: {t.name: (t.last_at, t.found) for t in d.session.scalars(select(TimedWork))})
    assert rows["check the books and the seats"][1] == "A check was begun."
    assert begun == [("check",)]  # in a process of its own, once
    due = line.read(lambda d: d.session.scalar(select(func.min(TimedWork.due_at))))
    assert due > system_now()


def test_the_nightly_check_finds_seats_that_do_not_add_up(line):
    run = a_draft(line)

    def spoil(d):
        d.session.get_one(RunSeats, run["id"]).taken = 3

    line.act(spoil)
    assert line.read(checks.everything) == f"{run['code']}: The seat row says 3 taken, the enrollments say 0."


def test_a_worker_outlives_its_database_and_says_that_it_is_at_work(line, monkeypatch):
    """Whatever goes wrong between jobs, a lost database above all: after a pause it goes on."""
    worker, pauses, tries = Worker.with_stand_ins(line.sessions), [], []
    assert "No worker is at work" in line.read(
        lambda d: queue.nobody_works(d.session, queue.timed_work(d.session))
    )
    queued(line, 1)
    assert "1 letter or job waits" in line.read(
        lambda d: queue.nobody_works(d.session, queue.timed_work(d.session))
    )
    run_one = worker.run_one

    def sometimes():
        tries.append(1)
        if len(tries) <= 3:
            raise OperationalError("SELECT 1", {}, Exception(2013, "Lost connection"))
        return run_one(system_now() + timedelta(minutes=2))

    monkeypatch.setattr(worker, "run_one", sometimes)
    monkeypatch.setattr("archgate.jobs.worker.time.sleep", pauses.append)
    worker.work(lambda: len(tries) >= 6)
    assert pauses[:3] == [1.0, 2.0, 4.0]
    assert line.read(lambda d: d.session.scalar(select(func.count()).where(Job.status == "done"))) == 1
    assert line.read(lambda d: queue.nobody_works(d.session, queue.timed_work(d.session))) == ""
