"""The launcher: every trouble ends in one clear sentence, and nothing is left behind."""

import contextlib
import json
import os
import shutil
import signal
import socket
import subprocess
import time
from pathlib import Path
from urllib.error import HTTPError
from urllib.request import Request, urlopen

import pytest
from sqlalchemy import text

from archgate.actions.center.center import make_center
from archgate.own_server import OwnServer, ServerTrouble
from archgate.settings import ROOT
from archgate.tables.engine import engine_for, sessions_of
from archgate.tables.migrate import migrate
from conftest import new_database

LAUNCHER = ROOT / "archgate"


def launch(*words, home=None, given=None, path=None, **more):
    env = {
        **os.environ,
        **({"ARCHGATE_DEMO_HOME": str(home)} if home else {}),
        **({"PATH": path} if path else {}),
        **more,
    }
    return subprocess.run(
        [LAUNCHER, *words], capture_output=True, text=True, input=given, timeout=120, env=env
    )


def only_these(tmp_path, *names, **fakes):
    """A PATH on which only the named programs are found, and some made up."""
    place = tmp_path / "bin"
    place.mkdir()
    for name in (
        "bash",
        "env",
        "cat",
        "cut",
        "sha256sum",
        "readlink",
        "dirname",
        "find",
        "sort",
        "xargs",
        "mkdir",
        "rm",
        "id",
        *names,
    ):
        (place / name).symlink_to(shutil.which(name))
    for name, script in fakes.items():
        (place / name).write_text(f"#!/bin/bash\n{script}\n")
        (place / name).chmod(0o755)
    return str(place)


def test_a_calculator_on_the_command_line():
    plan = {"currency": "USD", "total": "100.00", "signed_up": "2027-01-01",
            "lines": [{"parts": 1, "due": {"months_after_sign_up": k}} for k in range(3)]}  # fmt: skip
    done = launch("calc", "plan", given=json.dumps(plan))
    assert done.returncode == 0
    assert [i["amount"] for i in json.loads(done.stdout)["installments"]] == ["33.34", "33.33", "33.33"]


@pytest.mark.parametrize(
    ("name", "given", "at"),
    [("plan", "{", ""), ("plan", "{}", "/currency"), ("quote", '{"taxes": [1]}', "/taxes/0")],
)
def test_a_bad_document_ends_with_status_2_and_a_problem(name, given, at):
    done = launch("calc", name, given=given)
    problem = json.loads(done.stdout)
    assert done.returncode == 2 and problem["status"] == 422
    assert at in {e["at"] for e in problem["errors"]}


def test_unknown_commands_and_calculators_are_named():
    assert 'there is no command "dance"' in launch("dance").stderr
    unknown = launch("calc", "weather", given="{}")
    assert unknown.returncode == 1 and 'no calculator "weather"' in unknown.stderr


def test_a_missing_node_or_a_wrong_one_is_said(tmp_path):
    fresh = tmp_path / "copy"
    shutil.copytree(
        ROOT, fresh, ignore=shutil.ignore_patterns("node_modules", "var", ".venv", ".git", "dist", "tests")
    )
    (fresh / ".venv").symlink_to(ROOT / ".venv")
    shutil.copytree(
        ROOT / "var" / "stamps", fresh / "var" / "stamps", ignore=shutil.ignore_patterns("web", "modules")
    )
    script = fresh / "archgate"
    for fakes, words in (
        ({}, "Node 20 with npm is needed and was not found"),
        ({"node": "echo v18.1.0", "npm": ""}, "this is v18.1.0"),
    ):
        place = tmp_path / f"case{len(fakes)}"
        place.mkdir()
        path = only_these(place, "dpkg-query", **fakes)
        done = subprocess.run(
            [script, "openapi"], capture_output=True, text=True, env={**os.environ, "PATH": path}, timeout=60
        )
        assert done.returncode == 1 and words in done.stderr, done.stderr


@pytest.mark.parametrize(
    ("script", "said"), [("echo 3.9", "only 3.9 was found"), ("exit 1", "none was found")]
)
def test_a_wrong_python_is_said(tmp_path, script, said):
    fresh = tmp_path / "copy"
    (fresh / "requirements").mkdir(parents=True)
    shutil.copy(LAUNCHER, fresh / "archgate")
    for lock in ("run.lock", "test.lock"):
        shutil.copy(ROOT / "requirements" / lock, fresh / "requirements" / lock)
    env = {**os.environ, "PATH": only_these(tmp_path, python9=script), "ARCHGATE_PYTHON": "python9"}
    done = subprocess.run(
        [fresh / "archgate", "calc", "plan"], capture_output=True, text=True, env=env, timeout=60
    )
    assert done.returncode == 1 and "Python 3.11 is needed" in done.stderr and said in done.stderr
    assert not (fresh / ".venv").exists()


def test_a_bad_date_or_port_is_said(tmp_path):
    assert "--today takes a date" in launch("demo", "--today", "soon", home=tmp_path).stderr
    assert "is not a port" in launch("demo", "--port", "99999", home=tmp_path).stderr


def test_a_busy_port_is_said_with_another_to_try(tmp_path):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        done = launch("demo", "--port", str(port), home=tmp_path)
    assert (
        done.returncode == 1
        and f"port {port} is not free" in done.stderr
        and f"--port {port + 1}" in done.stderr
    )


def test_missing_settings_are_said():
    done = launch("serve", ARCHGATE_DATABASE_URL="")
    assert done.returncode == 1 and "set ARCHGATE_DATABASE_URL" in done.stderr
    done = launch("serve", ARCHGATE_DATABASE_URL="mariadb+pymysql://x:y@127.0.0.1:1/z")
    assert done.returncode == 1 and "cannot be reached" in done.stderr


def test_a_missing_database_program_is_said(tmp_path, monkeypatch):
    monkeypatch.setattr("archgate.own_server.shutil.which", lambda name: None)
    with pytest.raises(ServerTrouble, match="mariadb-install-db is missing"):
        OwnServer(tmp_path / "x").make()


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def start(home, *words):
    """Start the demo and wait until it says where it is."""
    port = free_port()
    output = home.parent / "output.txt"  # a file: a pipe that nobody reads would hold up whoever writes
    with output.open("w") as file:
        process = subprocess.Popen(
            [LAUNCHER, "demo", "--port", str(port), *words], stdout=file, stderr=file,
            env={**os.environ, "ARCHGATE_DEMO_HOME": str(home), "ARCHGATE_QUICK_HASH": "1"}, start_new_session=True,
        )  # fmt: skip
    while "Ctrl-C stops it" not in output.read_text():
        assert process.poll() is None, output.read_text()
        time.sleep(0.1)
    assert f"http://127.0.0.1:{port}/" in output.read_text()
    return process, port


def end(process):
    os.killpg(process.pid, signal.SIGINT)
    assert process.wait(60) == 0


def children(pid):
    """The processes that a process started, by their command."""
    found = {}
    for place in Path("/proc").iterdir():
        if place.name.isdigit():
            with contextlib.suppress(OSError):
                if int((place / "stat").read_text().rpartition(")")[2].split()[1]) == pid:
                    found[int(place.name)] = (place / "cmdline").read_bytes().replace(b"\0", b" ").decode()
    return found


def is_connected(pid):
    """Whether a process holds a connection."""
    with contextlib.suppress(OSError):
        return any(str(fd.readlink()).startswith("socket:") for fd in Path(f"/proc/{pid}/fd").iterdir())
    return False


def tails(home):
    """The last that a demo and its database wrote."""
    files = (home.parent / "output.txt", home / "mariadb.log")
    return "\n".join(file.read_text(errors="replace")[-3000:] for file in files)


def brings_back_what_ended(home, process, port):
    """A demo whose worker and whose database are killed starts both again, and works on."""

    def pid_of(word):
        return next((p for p, command in children(process.pid).items() if word in command), None)

    def answers():
        with contextlib.suppress(OSError):
            body = json.dumps({"email": "x@example.org", "password": "x"}).encode()
            asked = Request(
                f"http://127.0.0.1:{port}/api/v1/session", body, {"Content-Type": "application/json"}
            )
            try:
                urlopen(asked, timeout=10)
            except HTTPError as error:
                return error.code
        return None

    def until(what, seconds=40):
        end_at = time.monotonic() + seconds
        while not what() and time.monotonic() < end_at:
            time.sleep(0.3)
        return what()

    assert until(lambda: pid_of("cli worker"))
    database, worker = pid_of("mariadbd"), pid_of("cli worker")
    os.kill(worker, signal.SIGKILL)
    assert until(lambda: pid_of("cli worker") not in (None, worker))
    survivor = pid_of("cli worker")
    assert until(
        lambda: is_connected(survivor)
    )  # at work: one that only begins says that there is no database
    os.kill(database, signal.SIGKILL)
    assert until(lambda: pid_of("mariadbd") not in (None, database))
    last = []
    if not until(lambda: last.append(answers()) or last[-1] == 401):
        pytest.fail(f"signing in is not judged again: {last[-5:]}\n{tails(home)}")
    time.sleep(2)
    assert pid_of("cli worker") == survivor, "the worker outlives its database"


def stored(home):
    """How many runs and people the stored center has, and whether it is finished, read with a server of our own."""
    server = OwnServer(home)
    server.start()
    try:
        import pymysql

        with (
            pymysql.connect(unix_socket=str(server.run_dir / "s"), user="root", database="archgate") as c,
            c.cursor() as cursor,
        ):
            cursor.execute(
                "SELECT COUNT(*), (SELECT COUNT(*) FROM people), (SELECT demo_ready FROM center) FROM runs"
            )
            return cursor.fetchone()
    finally:
        server.stop()


def killed_in_the_middle(home):
    """A start that is killed while it makes the center."""
    process = subprocess.Popen(
        [LAUNCHER, "demo", "--port", str(free_port())], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True,
        env={**os.environ, "ARCHGATE_DEMO_HOME": str(home), "ARCHGATE_QUICK_HASH": "1"}, start_new_session=True,
    )  # fmt: skip
    assert any("making the demo center" in line for line in process.stderr), "it ended before it began"
    time.sleep(1.5)
    os.killpg(process.pid, signal.SIGKILL)  # its database server ends by itself
    process.wait(10)
    number, people, ready = stored(home)
    assert number < 45 and people < 907 and not ready, "it was killed in the middle"


def test_the_demo_is_made_anew_after_a_kill_keeps_its_data_survives_its_parts_and_ends_clean(tmp_path):
    home = tmp_path / "demo"
    (home / "db.new").mkdir(parents=True)  # left by a start that was cut off
    killed_in_the_middle(home)
    process, port = start(home)
    with urlopen(f"http://127.0.0.1:{port}/") as page:
        assert b"Arch Gate" in page.read()
    second = launch("demo", "--port", str(free_port()), home=home)
    assert (
        second.returncode == 1
        and f"already running on this data, at http://127.0.0.1:{port}/" in second.stderr
    )
    end(process)
    with socket.socket() as probe:
        assert probe.connect_ex(("127.0.0.1", port)) != 0
    began = time.monotonic()
    process, _ = start(home)
    assert time.monotonic() - began < 60  # a second start installs and makes nothing
    end(process)
    assert (
        "going back to 2020-01-01 needs --fresh"
        in launch("demo", "--today", "2020-01-01", "--port", str(free_port()), home=home).stderr
    )
    assert stored(home) == (45, 907, 1)
    kept = list((home / "kept").iterdir())
    assert len(kept) == 1 and not (home / "db.new").exists()
    process, port = start(home, "--fresh")  # begins anew from the kept copy
    try:
        brings_back_what_ended(home, process, port)
    finally:
        end(process)
    assert stored(home) == (45, 907, 1) and list((home / "kept").iterdir()) == kept


def test_real_use_from_an_empty_database_to_a_signed_in_administrator(worker_id):
    import httpx

    from conftest import new_database

    url = new_database(f"real_{worker_id}")
    env = {"ARCHGATE_DATABASE_URL": url, "ARCHGATE_QUICK_HASH": "1"}
    assert "run ./archgate migrate first" in launch("serve", **env).stderr
    assert launch("migrate", **env).returncode == 0
    assert "holds no center yet" in launch("serve", **env).stderr
    assert "is not a time zone" in launch("migrate", "--center", "Real", "--time-zone", "Mars", **env).stderr
    assert launch("migrate", "--center", "Real", **env).returncode == 0
    weak = launch("admin", "create", "chief@example.org", "Chief", ARCHGATE_ADMIN_PASSWORD="short", **env)
    assert weak.returncode == 1 and "at least 10 characters" in weak.stderr
    strong = {**env, "ARCHGATE_ADMIN_PASSWORD": "long enough it is"}
    assert "can sign in" in launch("admin", "create", "chief@example.org", "Chief", **strong).stderr
    assert (
        "has an account already" in launch("admin", "create", "chief@example.org", "Chief", **strong).stderr
    )
    port = free_port()
    process = subprocess.Popen(
        [LAUNCHER, "serve", "--port", str(port)], stdout=subprocess.PIPE, text=True, env={**os.environ, **env}
    )
    try:
        assert f"http://127.0.0.1:{port}/" in process.stdout.readline()
        body = {"email": "Chief@Example.org", "password": "long enough it is"}
        with httpx.Client(base_url=f"http://127.0.0.1:{port}") as client:
            assert client.post("/api/v1/session", json=body).json()["center"] == "Real"
            assert client.get("/api/v1/runs").json()["total"] == 0
    finally:
        process.send_signal(signal.SIGINT)
        process.wait(20)


def test_the_check_by_hand_says_what_does_not_agree(worker_id):
    address = new_database(f"check_{worker_id}")
    engine = engine_for(address)
    migrate(engine)
    make_center(sessions_of(engine), "Checked", "America/New_York", "USD")
    done = launch("check", ARCHGATE_DATABASE_URL=address)
    assert done.returncode == 0 and "Everything agrees." in done.stdout + done.stderr
    with engine.begin() as connection:
        connection.execute(text("INSERT INTO stock_items (id, name, on_hand) VALUES (1, 'Chisel', 3)"))
    done = launch("check", ARCHGATE_DATABASE_URL=address)
    assert done.returncode == 1 and "Chisel: 3 on hand, its moves make 0." in done.stdout + done.stderr
    engine.dispose()
