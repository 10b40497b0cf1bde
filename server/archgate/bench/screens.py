"""Every request that every screen sends, on a center of eight years."""

from __future__ import annotations

import random
import re
import statistics
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from threading import Lock
from urllib.parse import urlencode

from sqlalchemy import Engine, text

from archgate.bench.base import Caller, Line, line, served, timed_by
from archgate.bench.center import FIRST, TODAY, WHOLE, big_center
from archgate.documents.reader import Document
from archgate.settings import ROOT

ROUNDS, CLIENTS, TURNS = 15, 8, 60
READ = re.compile(
    r'(?:useQuery|useInfiniteQuery|queryOptions|prefetchQuery|useSuspenseQuery)\(\s*"get",\s*"([^"]+)"'
    r'|api\.GET\(\s*"([^"]+)"'
)
# What somebody who is not staff asks, by a link that was sent to them or on a public page.
BY_LINK = {
    "/api/v1/own", "/api/v1/own/links/{token}", "/api/v1/replies/{token}", "/api/v1/evaluate/{token}",
    "/api/v1/own/teaching", "/api/v1/own/teaching/runs/{run_id}", "/api/v1/password-links/{token}",
    "/api/v1/catalog/runs/{run_id}", "/api/v1/catalog/courses/{course_id}/interest",
    "/api/v1/card-payments/{token}", "/api/v1/pay-links/{token}",
    "/api/v1/own/teaching/courses", "/api/v1/own/teaching/preparations/{preparation_id}",
}  # fmt: skip
# What there is one of only where it was made by hand: it grows with nothing.
BY_HAND = {
    "/api/v1/codes/{code_id}", "/api/v1/quotes/{quote_id}",
    "/api/v1/access-codes/{access_code_id}", "/api/v1/courses/{course_id}/versions/{n}/compared",
    "/api/v1/stock/{item_id}", "/api/v1/plans/{plan_id}/log", "/api/v1/cover-plans/{cover_id}",
}  # fmt: skip


@dataclass(frozen=True)
class Request:
    """One request of a screen: how it is called here, and what is sent."""

    name: str
    address: str
    body: Document | None = None


@dataclass
class Measured:
    """What a request took each time, in ms, and what it asked of the database."""

    request: Request
    alone: list[float] = field(default_factory=list)
    together: list[float] = field(default_factory=list)
    size: int = 0
    statements: int = 0
    rows: int = 0


def addresses_of_screens() -> set[str]:
    """The addresses that the web reads, taken from its sources, so that a new one joins by itself."""
    sources = (ROOT / "web" / "src").rglob("*.ts*")
    read = (READ.findall(p.read_text()) for p in sources if ".test." not in p.name and "schema" not in p.name)
    return {one or other for found in read for one, other in found} - BY_LINK - BY_HAND


def one(engine: Engine, query: str) -> int:
    with engine.connect() as c:
        return int(c.execute(text(query), {"today": TODAY}).scalar_one())


def key_of_newest(engine: Engine) -> str:
    with engine.connect() as c:
        return str(c.execute(text("SELECT `key` FROM changes ORDER BY id DESC LIMIT 1")).scalar_one())


def facts(engine: Engine) -> dict[str, int | str]:
    """Whom and what the screens show: a run about to begin, its people, a payer of many sign-ups."""
    run = one(
        engine,
        "SELECT r.id FROM runs r JOIN gates g ON g.run_id = r.id AND g.kind = 'starts' WHERE g.day > :today AND r.id IN (SELECT run_id FROM waiting WHERE run_id > 1000)"
        " ORDER BY g.day LIMIT 1",
    )  # fmt: skip
    return {
        "run_id": run,
        "meeting_id": one(engine, f"SELECT MIN(id) FROM meetings WHERE run_id = {run}"),
        "enrollment_id": one(engine, f"SELECT MIN(id) FROM enrollments WHERE run_id = {run} AND live = 1"),
        "waiting_id": one(engine, f"SELECT MIN(id) FROM waiting WHERE run_id = {run}"),
        "account_id": one(engine, "SELECT MIN(id) FROM accounts WHERE owner LIKE 'organization:%'"),
        "batch_id": one(engine, "SELECT MIN(id) FROM batches"),
        "person_id": FIRST + 20,
        "plan_id": one(engine, f"SELECT id FROM plans WHERE run_id = {run}"),
        "course_id": FIRST + 1,
        "organization_id": one(engine, "SELECT MIN(organization_id) FROM accounts"),
        "change": key_of_newest(engine),
        "about": "run",
        "number": run,
        "name": "desk",
        "kind": "instructor",
        "instructor_id": FIRST + 1,
        "owner_id": FIRST + 1,
        "day": TODAY.isoformat(),
        "month": TODAY.strftime("%Y-%m"),
    }


Asked = dict[str, str | int]
# What screens ask with; an address that is not here is asked as it stands.
WITH: dict[str, list[Asked]] = {
    "/api/v1/runs": [{}, {"q": "run 19", "teaching": "before", "status": "published", "limit": 7}],
    "/api/v1/planner": [{"since": "2027-08-30", "until": "2027-09-05"}, {"since": "2027-08-16", "until": "2027-11-14"}],
    "/api/v1/cover": [
        {"first": "2027-08-30", "last": "2027-09-05"},
        {"first": "2027-08-30", "last": "2027-11-30", "instructor_id": FIRST + 1},
    ],
    "/api/v1/closures": [{"year": 2027}],
    "/api/v1/batches/{batch_id}/rows": [{}, {"only": "needs fixing", "after": 400}, {"q": "mo17"}],
    "/api/v1/people": [{}, {"q": "moreau"}, {"q": "str"}, {"q": "p1234"}, {"q": "5550001"}],
    "/api/v1/people/near": [{"given": "Rosa", "family": "Stroud"}],
    "/api/v1/find": [{"q": "run 19"}, {"q": "moreau"}, {"q": "guild"}],
    "/api/v1/organizations": [{"q": "gui"}],
    "/api/v1/interest": [{"course_id": FIRST + 1}],
    "/api/v1/prices": [{"runs": "{run_id}"}],
}  # fmt: skip


def requests_of(engine: Engine) -> list[Request]:
    """All of them, with what they are asked with; raises for an address that names something unknown."""
    there = facts(engine)
    asked = []
    for address in sorted(addresses_of_screens()):
        path = re.sub(r"{(\w+)}", lambda m: str(there[m[1]]), address)
        for given in WITH.get(address, [{}]):
            query = f"?{urlencode(given)}".replace("%7Brun_id%7D", str(there["run_id"])) if given else ""
            asked.append(Request(f"{address.removeprefix('/api/v1')}{query}", path + query))
    run = there["run_id"]
    person = f"/api/v1/accounts/{FIRST + 20}"
    return [
        *asked,
        Request("/accounts/{account_id} of a person", person),
        Request("/logs of the center", "/api/v1/logs/center/1"),
        Request("/logs of the center?q", "/api/v1/logs/center/1?q=enrolled+moreau"),
        Request("/logs of a person", f"/api/v1/logs/person/{FIRST + 20}"),
        Request("/logs of an account", f"/api/v1/logs/account/{there['account_id']}"),
        Request("/outstanding?run_id", f"/api/v1/outstanding?run_id={run}"),
        Request("/runs/{run_id}/quote", f"/api/v1/runs/{run}/quote", {"person_id": FIRST + 20}),
        Request("/pulse", "/api/v1/pulse", {"run_id": run, "seen": 0}),
        Request("payment", f"{person}/payments", {"amount": "1.00", "method": "cash"}),
    ]


STATUS = "SHOW GLOBAL STATUS WHERE Variable_name IN ('Com_select', 'Com_insert', 'Com_update', 'Com_delete', 'Rows_read')"


def counters(engine: Engine) -> tuple[int, int]:
    """How many statements the database has done, and how many rows it has read."""
    with engine.connect() as c:
        found = {str(name): int(value) for name, value in c.exec_driver_sql(STATUS)}
    rows = found.pop("Rows_read")
    return sum(found.values()), rows


def ask(caller: Caller, request: Request) -> tuple[float, bytes]:
    """Milliseconds, and the answer."""
    how, key = ("GET", "") if request.body is None else ("POST", f"bench-{time.time_ns()}")
    while True:
        begun = time.perf_counter()
        status, content = caller.ask(how, request.address, request.body, key)
        took = (time.perf_counter() - begun) * 1000
        if (
            status == 503 and took < 1000
        ):  # an earlier request took longer than the server waits for its database
            time.sleep(1)
        elif status in (200, 201, 503):
            return took, content
        else:
            raise RuntimeError(f"{request.name} answered {status}: {content[:300]!r}")


def alone(caller: Caller, engine: Engine, request: Request) -> Measured:
    """One client after the other; a request that takes long is asked less often."""
    measured = Measured(request)
    ask(caller, request)
    before = counters(engine)
    took, content = ask(caller, request)
    after = counters(engine)
    measured.size = len(content)
    measured.statements, measured.rows = after[0] - before[0], after[1] - before[1]
    measured.alone.append(took)
    begun = time.monotonic()
    while len(measured.alone) < ROUNDS and time.monotonic() - begun < 5:
        measured.alone.append(ask(caller, request)[0])
    return measured


def high(times: list[float]) -> float:
    """The 95th percentile."""
    ordered = sorted(times)
    return ordered[min(len(ordered) - 1, int(len(ordered) * 0.95))]


def screens(size: int = WHOLE) -> Iterator[Line]:
    """A line for each request: the 95th percentile of one client, in ms. The floor is the shortest request there is, who is
    signed in. `detail`: the median, the 95th percentile among eight clients who ask this and that, bytes, statements, and rows
    read."""
    with big_center(size) as bench, served(bench) as client:
        caller = client()
        floor = alone(caller, bench.engine, Request("session", "/api/v1/session"))
        found = [alone(caller, bench.engine, request) for request in requests_of(bench.engine)]
        together(client, [m for m in found if statistics.median(m.alone) < 2000])
        for m in sorted(found, key=lambda m: -high(m.alone)):
            yield line(f"screens {size}: {m.request.name}", high(m.alone), "ms", statistics.median(floor.alone), {
                "median": round(statistics.median(m.alone), 1), "of eight": round(high(m.together), 1) if m.together else "",
                "bytes": m.size, "statements": m.statements, "rows read": m.rows,
            })  # fmt: skip
        slow = [m for m in found if high(m.alone) > 100]
        many = [m for m in found if m.statements > 15]
        yield line(f"screens {size}", max(high(m.alone) for m in found), "ms", 100.0, {
            "requests": len(found), "over 100 ms": len(slow), "over 15 statements": len(many),
            "median": round(statistics.median(statistics.median(m.alone) for m in found), 1),
        })  # fmt: skip


def together(client: Callable[[], Caller], found: list[Measured]) -> None:
    """Eight clients, each asking this and that."""
    guard, mixed = Lock(), random.Random(8)
    callers: list[Caller] = [client() for _ in range(CLIENTS)]
    reads = [m for m in found if m.request.body is None]
    orders = [[mixed.choice(reads) for _ in range(TURNS)] for _ in callers]

    def one_client() -> None:
        with guard:
            caller, order = callers.pop(), orders.pop()
        for m in order:
            took, _ = ask(caller, m.request)
            with guard:
                m.together.append(took)

    timed_by(CLIENTS, one_client)
