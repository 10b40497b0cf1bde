"""Backup and restore: the whole database in one consistent moment, with the secret that signs the links.

A backup is one tar file, and where a passphrase is given, that file as an OpenPGP message (RFC 4880, symmetric AES-256):
`database.sql.gz` (what Debian's mariadb-dump writes in one transaction, so people go on working), and `about.json` with
the release, the moment, the sum of the dump, and the secret. It opens with tar, gzip and gpg alone. It is written under
another name and renamed when it is whole; a restore is checked, and until it is whole nobody is served from it.
"""

from __future__ import annotations

import gzip
import hashlib
import io
import os
import shutil
import subprocess
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import IO

import orjson
from alembic.migration import MigrationContext
from sqlalchemy import Engine, inspect, make_url, text

from archgate.actions.kernel import signing
from archgate.clock import system_now
from archgate.tables.engine import engine_for
from archgate.tables.migrate import UNFINISHED, knows, migrate

DUMP, ABOUT = "database.sql.gz", "about.json"
DONE = b"-- Dump completed"
PIECE = 1024 * 1024


class BackupTrouble(Exception):
    """Why there is no backup, or why it is not restored; one sentence for people."""


@dataclass(frozen=True)
class About:
    """What a backup says of itself."""

    format: int
    revision: str
    made_at: str
    sha256: str
    size: int
    secret: str


def program(name: str, package: str) -> str:
    path = shutil.which(name)
    if path is None:
        raise BackupTrouble(f"The program {name} is missing; install Debian's {package}.")
    return path


@contextmanager
def login(url: str) -> Iterator[Path]:
    """The database's address as an option file that nobody else can read, so that no password is on a command line."""
    address = make_url(url)
    with tempfile.TemporaryDirectory(prefix="ag-") as home:
        file = Path(home) / "my.cnf"
        file.touch(mode=0o600)
        password = (address.password or "").replace("\\", "\\\\").replace('"', '\\"')
        file.write_text(
            f'[client]\nhost={address.host}\nport={address.port or 3306}\nuser={address.username}\npassword="{password}"\nprotocol=tcp\n'
            "default-character-set=utf8mb4\n"
        )
        yield file


def revision_of(engine: Engine) -> str | None:
    with engine.connect() as connection:
        return MigrationContext.configure(connection).get_current_revision()


def make(url: str, where: Path, passphrase: str = "", now: datetime | None = None) -> Path:
    """Make a backup: `where` is the file, or a directory in which it is named by its moment. Returns the file."""
    now = (now or system_now()).astimezone(UTC)
    ending = "tar.gpg" if passphrase else "tar"
    file = where / f"archgate-{now:%Y%m%dT%H%M%S}.{ending}" if where.is_dir() else where
    engine = engine_for(url, pool=2)
    try:
        before = revision_of(engine)
        if before is None:
            raise BackupTrouble("There is no center in this database.")
        with tempfile.TemporaryDirectory(prefix=".backup-", dir=file.parent) as home:
            dump = Path(home) / DUMP
            dumped(url, dump)
            if revision_of(engine) != before:
                raise BackupTrouble("The database was migrated meanwhile; make the backup again.")
            about = About(
                1, before, now.isoformat(), sum_of(dump), dump.stat().st_size, signing.secret().decode()
            )
            made = Path(home) / "backup.tar"
            packed(made, dump, about)
            dump.unlink()
            if passphrase:
                made = sealed(made, passphrase, Path(home))
            made.chmod(0o600)
            with made.open("rb") as stream:
                os.fsync(stream.fileno())
            made.replace(file)
    except OSError as error:
        raise BackupTrouble(f"The backup could not be written: {error.strerror or error}.") from None
    finally:
        engine.dispose()
    return file


def dumped(url: str, file: Path) -> None:
    """The database as SQL, compressed as it comes; whole only when its last line says so."""
    command = program("mariadb-dump", "mariadb-client")
    with login(url) as options, gzip.open(file, "wb", compresslevel=6) as out:
        child = subprocess.Popen(
            [command, f"--defaults-extra-file={options}", "--single-transaction", "--quick", "--triggers", "--hex-blob",
             "--skip-lock-tables", "--no-tablespaces", str(make_url(url).database)],
            stdout=subprocess.PIPE, stderr=subprocess.PIPE,
        )  # fmt: skip
        assert child.stdout and child.stderr
        last = b""
        while piece := child.stdout.read(PIECE):
            out.write(piece)
            last = (last + piece)[-300:]
        trouble = child.stderr.read().decode(errors="replace").strip()
        if child.wait() or DONE not in last:
            raise BackupTrouble(
                f"The database could not be dumped: {trouble[-300:] or 'it ended in the middle'}."
            )


def sum_of(file: Path) -> str:
    with file.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def packed(file: Path, dump: Path, about: About) -> None:
    with tarfile.open(file, "w") as out:
        words = orjson.dumps(asdict(about), option=orjson.OPT_INDENT_2)
        entry = tarfile.TarInfo(ABOUT)
        entry.size, entry.mode = len(words), 0o600
        out.addfile(entry, io.BytesIO(words))
        out.add(dump, DUMP)


def sealed(file: Path, passphrase: str, home: Path) -> Path:
    """The file under a passphrase, as an OpenPGP message."""
    made = home / "backup.tar.gpg"
    gpg(["--symmetric", "--cipher-algo", "AES256", "--s2k-digest-algo", "SHA512", "--s2k-count", "65011712",
         "--compress-algo", "none", "--output", str(made), str(file)], passphrase)  # fmt: skip
    file.unlink()
    return made


def gpg(arguments: list[str], passphrase: str) -> None:
    """One act of gpg with a home of its own, which ends with its agent."""
    command = program("gpg", "gpg and gpg-agent")
    with tempfile.TemporaryDirectory(prefix="ag-gpg-", dir="/tmp", ignore_cleanup_errors=True) as home:
        usual = [
            "--homedir",
            home,
            "--batch",
            "--yes",
            "--no-tty",
            "--quiet",
            "--pinentry-mode",
            "loopback",
            "--passphrase-fd",
            "0",
        ]
        done = subprocess.run(
            [command, *usual, *arguments], input=passphrase.encode() + b"\n", capture_output=True, check=False
        )
        ender = shutil.which("gpgconf")
        if ender:
            subprocess.run(
                [ender, "--homedir", home, "--kill", "gpg-agent"], capture_output=True, check=False
            )
    if done.returncode:
        trouble = done.stderr.decode(errors="replace").strip().splitlines()
        raise BackupTrouble(f"gpg did not do it: {trouble[-1] if trouble else 'no reason given'}.")


# --- restore ----------------------------------------------------------------------------------------------


def is_sealed(file: Path) -> bool:
    with file.open("rb") as stream:
        first = stream.read(1)
    return (
        bool(first) and first[0] >= 0x80
    )  # an OpenPGP packet begins so (RFC 4880 section 4.2), a tar of ours with a name


def restore(url: str, file: Path, passphrase: str = "") -> About:
    """Bring a backup into an empty database and to this release. What an earlier restore left unfinished is begun anew.

    Raises BackupTrouble with the reason; until it is whole, neither server nor worker starts on it.
    """
    if not file.is_file():
        raise BackupTrouble(f"There is no file {file}.")
    engine = engine_for(url, pool=2)
    try:
        with tempfile.TemporaryDirectory(prefix="ag-restore-", dir=file.parent) as home:
            opened = file
            if is_sealed(file):
                if not passphrase:
                    raise BackupTrouble(
                        "This backup is encrypted; give its passphrase in ARCHGATE_BACKUP_PASSPHRASE."
                    )
                opened = Path(home) / "backup.tar"
                gpg(["--output", str(opened), "--decrypt", str(file)], passphrase)
            about, dump = unpacked(opened, Path(home))
            if not knows(about.revision):
                raise BackupTrouble("This backup was made by a newer release; restore it with that one.")
            make_room(engine)
            with engine.begin() as connection:
                connection.execute(text(f"CREATE TABLE `{UNFINISHED}` (id INT PRIMARY KEY)"))
            loaded(url, dump)
            migrate(engine)
            with engine.begin() as connection:
                connection.execute(text(f"DROP TABLE `{UNFINISHED}`"))
    except OSError as error:
        raise BackupTrouble(f"The backup could not be read: {error.strerror or error}.") from None
    finally:
        engine.dispose()
    return about


def unpacked(file: Path, home: Path) -> tuple[About, Path]:
    """What a backup says of itself and its dump, which has to be the one it speaks of."""
    try:
        with tarfile.open(file) as archive:
            for name in (ABOUT, DUMP):
                member = archive.getmember(name)
                source = archive.extractfile(member) if member.isfile() else None
                if source is None:
                    raise BackupTrouble("This is no backup of Arch Gate.")
                with (home / name).open("wb") as out:
                    shutil.copyfileobj(source, out, PIECE)
        about = About(**orjson.loads((home / ABOUT).read_bytes()))
    except (tarfile.TarError, KeyError, TypeError, orjson.JSONDecodeError):
        raise BackupTrouble("This is no backup of Arch Gate, or it is damaged.") from None
    dump = home / DUMP
    if sum_of(dump) != about.sha256:
        raise BackupTrouble("This backup is damaged: its database is not the one it was made with.")
    return about, dump


def make_room(engine: Engine) -> None:
    """Only an empty database takes a backup, or one in which a restore was not finished."""
    tables = inspect(engine).get_table_names()
    if not tables:
        return
    if UNFINISHED not in tables:
        raise BackupTrouble(
            "The database is not empty. A backup is restored into an empty one: make a new database for it."
        )
    with engine.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for table in tables:
            connection.execute(text(f"DROP TABLE `{table}`"))
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 1"))


def loaded(url: str, dump: Path) -> None:
    command = program("mariadb", "mariadb-client")
    with login(url) as options, gzip.open(dump, "rb") as stream:
        child = subprocess.Popen(
            [command, f"--defaults-extra-file={options}", str(make_url(url).database)],
            stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE,
        )  # fmt: skip
        assert child.stdin and child.stderr
        try:
            pour(stream, child.stdin)
            child.stdin.close()
        except (BrokenPipeError, EOFError, gzip.BadGzipFile):
            child.kill()
        trouble = child.stderr.read().decode(errors="replace").strip()
        if child.wait():
            raise BackupTrouble(
                f"The database did not take the backup: {trouble[-300:] or 'it was damaged'}."
            )


def pour(source: IO[bytes] | gzip.GzipFile, into: IO[bytes]) -> None:
    while piece := source.read(PIECE):
        into.write(piece)


def keep_secret(about: About) -> str:
    """Have the links that were sent work on: put the backup's secret where this machine keeps its own. A sentence."""
    told = os.environ.get("ARCHGATE_SECRET")
    if told:
        same = told == about.secret
        return "" if same else (
            "ARCHGATE_SECRET is another one than the backup's: every link that was sent is void. The backup's stands in its about.json."
        )  # fmt: skip
    file = signing.FILE
    if file.exists() and file.read_text() == about.secret:
        return ""
    file.parent.mkdir(parents=True, exist_ok=True)
    if file.exists():
        file.replace(file.with_suffix(".before"))
    file.touch(mode=0o600)
    file.write_text(about.secret)
    signing.secret.cache_clear()
    return f"The secret that signs links is the backup's now, in {file.name}."


def sweep(directory: Path, kept: int) -> list[str]:
    """Take away all but the newest backups of a directory; the names of those that went."""
    backups = sorted(directory.glob("archgate-*T*.tar*"), key=lambda f: f.name.split(".")[0])
    gone = backups[: max(0, len(backups) - kept)]
    for file in gone:
        file.unlink(missing_ok=True)
    return [f.name for f in gone]
