"""How the application is served: by several processes, with patience for slow clients that has an end."""

from __future__ import annotations

import asyncio
import gc
import socket
import threading
import time
from collections.abc import Callable
from http.client import HTTPConnection, HTTPException
from typing import Literal, TypedDict

import uvicorn
from fastapi import FastAPI
from sqlalchemy.orm import Session, sessionmaker
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol
from uvicorn.supervisors import Multiprocess

from archgate.app import create_app
from archgate.own_server import end_with_parent
from archgate.settings import settings_from
from archgate.tables.engine import engine_for, sessions_of

HEAD_WAIT = 10.0  # seconds for the head of a request to arrive whole
LARGEST_HEAD = 64 * 1024  # bytes of it; browsers send a few hundred


class Patient(HttpToolsProtocol):
    """HTTP as the server speaks it, but a connection whose request does not get to its body in time, or whose head is larger
    than any browser's, is ended."""

    _waiting: asyncio.TimerHandle | None = None
    _head = 0  # bytes that came while a head was waited for

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        # Head and body of an answer are two writes; on a socket that was bound for several processes the second would wait
        # up to 40 ms for the client to acknowledge the first (asyncio sees by such a socket's number that it is no TCP).
        ours = transport.get_extra_info("socket")
        if ours is not None and ours.family in (socket.AF_INET, socket.AF_INET6):
            ours.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._wait()

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        if self.cycle is not None and not self.cycle.response_complete:
            self._stop()
            self._head = 0
            return
        self._head += len(data)
        if self._head > LARGEST_HEAD:
            self._end()
        elif self._waiting is None:  # the beginning of a further request on the same connection
            self._wait()

    def connection_lost(self, exc: Exception | None) -> None:
        self._stop()
        super().connection_lost(exc)

    def _wait(self) -> None:
        self._waiting = self.loop.call_later(HEAD_WAIT, self._end)

    def _stop(self) -> None:
        if self._waiting is not None:
            self._waiting.cancel()
            self._waiting = None

    def _end(self) -> None:
        self._waiting = None
        if (self.cycle is None or self.cycle.response_complete) and not self.transport.is_closing():
            self.transport.close()


BACKLOG = 512
ANSWER_WAIT = 20  # seconds until a first page is asked for anew


class Fair(asyncio.SelectorEventLoop):
    """An event loop that takes one connection at a time from the socket that several processes share. Python's own takes
    all that wait, so that whoever wakes first had them all, and one process answered while the other had nothing to do."""

    def _accept_connection(
        self,
        protocol_factory: Callable[[], asyncio.Protocol],
        sock: socket.socket,
        sslcontext: None = None,
        server: asyncio.AbstractServer | None = None,
        backlog: int = 1,
        *rest: float,
    ) -> None:
        super()._accept_connection(protocol_factory, sock, sslcontext, server, 1, *rest)  # type: ignore[misc]


class Options(TypedDict):
    """How uvicorn serves, in one process or several."""

    http: type[Patient]
    ws: Literal["none"]
    log_level: str
    access_log: bool
    server_header: bool
    proxy_headers: bool
    timeout_graceful_shutdown: int
    backlog: int
    loop: str
    timeout_worker_healthcheck: int


OPTIONS: Options = {
    "http": Patient,
    "ws": "none",
    "log_level": "warning",
    "access_log": False,
    "server_header": False,
    "proxy_headers": False,
    "timeout_graceful_shutdown": 3,
    "backlog": BACKLOG,
    "loop": "archgate.serving:Fair",
    "timeout_worker_healthcheck": 60,  # a machine with much to do is not a process that hangs; one killed loses its answers
}


GARBAGE = 20_000  # objects more than before, after which what refers to itself is looked for; by Python's own 700 often in vain


def application() -> FastAPI:
    """The application of one process of `serve`, made from the settings. What stands from the start is never looked through
    for garbage again."""
    end_with_parent()
    settings = settings_from()
    engine = engine_for(settings.database_url, wait=settings.wait)
    app = create_app(settings, sessions_of(engine))
    gc.freeze()
    gc.set_threshold(GARBAGE)
    return app


def serve_here(sessions: sessionmaker[Session], host: str, port: int, ready: Callable[[], None]) -> None:
    """Serve in this process, until it is told to stop."""

    class Server(uvicorn.Server):
        async def startup(self, sockets: list[socket.socket] | None = None) -> None:
            await super().startup(sockets)
            if self.started:
                ready()

    Server(uvicorn.Config(create_app(settings_from(), sessions), host=host, port=port, **OPTIONS)).run()


def when_answered(port: int, host: str, ready: Callable[[], None]) -> None:
    """Say that we are ready once a page was answered; asked anew where the process that had the question ended."""
    asked = "127.0.0.1" if host in ("0.0.0.0", "::", "") else host
    while True:
        connection = HTTPConnection(asked, port, timeout=ANSWER_WAIT)
        try:
            connection.request("GET", "/", headers={"Host": "localhost"})
            connection.getresponse()
        except (OSError, HTTPException):
            time.sleep(0.5)
        else:
            ready()
            return
        finally:
            connection.close()


def serve_many(host: str, port: int, processes: int, ready: Callable[[], None]) -> None:
    """Serve in several processes; one that ends is begun anew. Requests wait from the moment the port is ours."""
    config = uvicorn.Config(
        "archgate.serving:application", factory=True, host=host, port=port, workers=processes, **OPTIONS
    )
    ours = config.bind_socket()
    ours.listen(BACKLOG)
    threading.Thread(target=when_answered, args=(ours.getsockname()[1], host, ready), daemon=True).start()
    Multiprocess(config, [ours]).run()
