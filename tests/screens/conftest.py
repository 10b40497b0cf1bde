"""A web server of our own on a free port, with the test database behind it, and browsers that look at it."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

import pytest
import uvicorn
from fastapi import FastAPI

from archgate.actions.bulk import carrying_out, hands
from archgate.clock import business_now
from archgate.outside.payments import Cards
from archgate.own_server import free_port
from archgate.tables.courses import Center
from made import PASSWORD, Office
from screens.browser import Browser


@contextmanager
def serving(app: FastAPI) -> Iterator[str]:
    """The application on a free port while it is looked at; its address."""
    port = free_port()
    server = uvicorn.Server(
        uvicorn.Config(app, host="127.0.0.1", port=port, log_level="error", access_log=False)
    )
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.02)
    yield f"http://127.0.0.1:{port}"
    server.should_exit = True
    thread.join(10)


@pytest.fixture(scope="session")
def address(app) -> Iterator[str]:
    with serving(app) as where:
        yield where


@pytest.fixture(scope="session")
def window(address: str) -> Iterator[Browser]:
    """One browser for all walks of a process: a start takes longer than many a walk."""
    made = Browser(address)
    yield made
    made.close()


@pytest.fixture
def browser(window: Browser) -> Browser:
    """A browser that knows nothing of what was done before."""
    window.forget()
    return window


@pytest.fixture
def at_work(browser: Browser, clerk) -> Browser:
    """A browser in which the coordinator is signed in already."""
    browser.open("/mark.svg")
    browser.driver.add_cookie(
        {"name": "archgate_session", "value": clerk.cookies["archgate_session"], "path": "/"}
    )
    return browser


@pytest.fixture(scope="session")
def password() -> str:
    return PASSWORD


@pytest.fixture
def pay_pages(card_service: FastAPI, bank: Cards) -> Iterator[str]:
    """The payment service's pages where a browser finds them; the center takes cards."""
    before = card_service.state.service.here
    with serving(card_service) as where:
        card_service.state.service.here = where
        yield where
    card_service.state.service.here = before


@pytest.fixture
def now_office(sessions, users):
    """A desk at the moment in which the browser lives: the test center's day, at the real time of day."""
    with sessions() as session:
        offset = session.get_one(Center, 1).clock_offset
    return Office(sessions, users["coordinator"], business_now(offset))


@pytest.fixture
def at_lists(sessions) -> Iterator[None]:
    """A worker that works on lists, a little slower than a real one so that one sees it, and carries out sentences."""
    done = threading.Event()

    def work() -> None:
        while not done.is_set():
            for number, word in hands.claim(sessions):
                hands.work_on(sessions, number, word, 25, lambda: time.sleep(0.3))
            carrying_out.carry_out(sessions)
            time.sleep(0.1)

    thread = threading.Thread(target=work, daemon=True)
    thread.start()
    yield
    done.set()
    thread.join(20)
