"""A roster of 15,000 in the browser: nothing typed is lost, only the rows in sight are drawn, the last one is reached."""

import pytest

from archgate.app import create_app
from archgate.bench.base import own_database
from archgate.bench.roster import fill_roster
from archgate.settings import ROOT, Settings
from conftest import LONG
from made import PASSWORD
from screens.browser import Browser
from screens.conftest import serving

pytestmark = [pytest.mark.screens, pytest.mark.skipif(not LONG, reason="takes a minute; part of --long")]
PEOPLE = 15_000


def test_a_roster_of_thousands_is_typed_into_and_scrolled():
    with own_database() as sessions:
        run_id = fill_roster(sessions, PEOPLE)
        with serving(
            create_app(Settings("", True, False, ROOT / "web" / "dist", hosts=("testserver",)), sessions)
        ) as address:
            walk(Browser(address), run_id)


def walk(browser: Browser, run_id: int) -> None:
    try:
        browser.open("/")
        browser.fill("Email", "bench@example.org")
        browser.fill("Password", PASSWORD)
        browser.click("Sign in")
        browser.sees("Today")
        browser.open(f"/runs/{run_id}/roster")
        browser.sees("Given1 Family1", 30)
        browser.sees(f"{PEOPLE} sign-ups")
        assert len(browser.driver.find_elements("xpath", "//*[@role='row']")) < 60
        field = browser.field("Name, email, phone or payer")
        field.send_keys("Family14999")
        assert field.get_attribute("value") == "Family14999"
        browser.sees(f"1 of {PEOPLE} sign-ups")
        browser.sees("p14999@example.org")
        browser.click("show all")
        browser.sees("Given1 Family1")
        assert field.get_attribute("value") == ""
        browser.driver.execute_script("window.scrollTo(0, document.body.scrollHeight)")
        browser.sees(f"Given{PEOPLE} Family{PEOPLE}")
        assert len(browser.driver.find_elements("xpath", "//*[@role='row']")) < 60
        browser.open("/money")
        browser.sees("Given1 Family1", 30)
        assert len(browser.driver.find_elements("xpath", "//table[@aria-label='Payers']//tr")) < 200

        def further() -> bool:
            browser.driver.execute_script("window.scrollTo(0, document.body.scrollHeight)")
            return f"400 of {PEOPLE}" in browser.text()

        browser.until(further, 20)
        assert len(browser.driver.find_elements("xpath", "//table[@aria-label='Payers']//tr")) < 100
        assert browser.console() == []
    finally:
        browser.close()
