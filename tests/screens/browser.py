"""A headless browser for the walks, and what a walk says of the page: fields by label, texts, faults of axe."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from typing import Any

from selenium import webdriver
from selenium.common.exceptions import (
    ElementClickInterceptedException,
    StaleElementReferenceException,
    TimeoutException,
)
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

from archgate.settings import ROOT

OPTIONS = (
    "--headless=new --no-sandbox --disable-dev-shm-usage --disable-gpu --hide-scrollbars --force-device-scale-factor=1"
    " --no-first-run --disable-background-networking --disable-component-update --disable-sync --window-size=1280,800"
)
AXE = (ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text()
AXE_TAGS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]


class Browser:
    """One window of 1280 by 800 on one address."""

    def __init__(self, address: str) -> None:
        self.address = address
        self.profile = tempfile.TemporaryDirectory(prefix="ag-browser-", ignore_cleanup_errors=True)
        options = webdriver.ChromeOptions()
        options.binary_location = "/usr/bin/chromium"
        for word in [*OPTIONS.split(), f"--user-data-dir={self.profile.name}"]:
            options.add_argument(word)
        self.driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
        self.resize(1280, 800)

    def resize(self, width: int, height: int) -> None:
        size = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
        self.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)

    def forget(self) -> None:
        """As if just started: no page, nothing kept of the last one, no message on the console."""
        self.driver.get("about:blank")
        kept = {"origin": self.address, "storageTypes": "cookies,local_storage,indexeddb"}
        self.driver.execute_cdp_cmd("Storage.clearDataForOrigin", kept)
        self.driver.execute_cdp_cmd("Network.clearBrowserCookies", {})
        self.driver.get_log("browser")
        ActionChains(self.driver).reset_actions()  # the pointer stands where the last walk left it
        self.resize(1280, 800)

    def close(self) -> None:
        self.driver.quit()
        self.profile.cleanup()

    def open(self, path: str) -> None:
        self.driver.get(self.address + path)

    def until(self, what: Callable[[], Any], seconds: float = 10) -> Any:
        def held(_: Any) -> Any:
            try:
                return what()
            except StaleElementReferenceException:
                return None

        try:
            return WebDriverWait(self.driver, seconds, poll_frequency=0.1).until(held)
        except TimeoutException:
            raise TimeoutException(self.text()[:1500]) from None

    def text(self) -> str:
        """What the page shows; asked of the browser itself, many times faster than by the driver's walk of all parts."""
        return self.driver.execute_script("return document.body?.innerText ?? ''")

    def sees(self, words: str, seconds: float = 10) -> None:
        self.until(lambda: words in " ".join(self.text().split()), seconds)

    def find(self, xpath: str) -> WebElement:
        return self.until(
            lambda: next((e for e in self.driver.find_elements(By.XPATH, xpath) if e.is_displayed()), None)
        )

    def button(self, name: str) -> WebElement:
        by_text = f"(//button|//a)[normalize-space()={quoted(name)} or @aria-label={quoted(name)}]"
        return self.until(
            lambda: next(
                (
                    e
                    for e in self.driver.find_elements(By.XPATH, by_text)
                    if e.is_displayed() and e.is_enabled()
                ),
                None,
            )
        )

    def click(self, name: str) -> None:
        """A button that is drawn anew between being found and being pressed is found again: it was not pressed. One that something
        lies on at the edge of what is shown is scrolled to first, as a person does."""

        def pressed() -> bool:
            button = self.button(name)
            try:
                button.click()
            except ElementClickInterceptedException:
                self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", button)
                return False
            return True

        self.until(pressed)

    def field(self, label: str) -> WebElement:
        return self.find(
            f"//*[@id=//label[normalize-space()={quoted(label)}]/@for] | //input[@aria-label={quoted(label)}]"
        )

    def tick(self, words: str) -> None:
        """Tick, or take the tick off: the box itself lies under what is drawn for it."""
        box = f"//label[contains(., {quoted(words)})] | //input[@aria-label={quoted(words)}]/parent::span"

        def ticked() -> bool:
            self.find(box).click()
            return True

        self.until(ticked)

    def fill(self, label: str, text: str) -> None:
        """What is typed takes the place of what stands there; a field that is drawn anew meanwhile is typed in anew."""

        def filled() -> bool:
            self.field(label).send_keys(Keys.CONTROL, "a", Keys.NULL, Keys.DELETE, text)
            return True

        self.until(filled)

    def press(self, *keys: str) -> None:
        """Keys to whatever has the focus, as a person types; what is drawn anew at that moment takes them anew."""

        def typed() -> bool:
            self.driver.switch_to.active_element.send_keys(*keys)
            return True

        self.until(typed)

    def focused(self) -> str:
        """What has the focus, by its accessible name; asked anew where the page is drawn anew between the two questions."""
        return self.until(lambda: (self.driver.switch_to.active_element.accessible_name,))[0]

    def tab_to(self, name: str, most: int = 60) -> None:
        """Tab until what is named has the focus."""
        for _ in range(most):
            if self.focused().startswith(name):
                return
            self.press(Keys.TAB)
        raise AssertionError(f"Tab never reached {name!r}; it stands on {self.focused()!r}")

    def axe(self) -> list[str]:
        """What axe-core finds wrong with the page as it stands."""
        self.driver.execute_script(AXE)
        result = self.driver.execute_async_script(
            "const done = arguments[arguments.length - 1];"
            "axe.run(document, {runOnly: arguments[0]}).then(r => done(r.violations), e => done([{id: String(e), nodes: []}]))",
            AXE_TAGS,
        )
        return [f"{v['id']}: {n['html'][:160]}" for v in result for n in v["nodes"] or [{"html": ""}]]

    def console(self) -> list[str]:
        """Errors on the console, but for answers that are part of a walk."""
        return [
            entry["message"]
            for entry in self.driver.get_log("browser")
            if entry["level"] == "SEVERE" and "status of 4" not in entry["message"]
        ]


def quoted(text: str) -> str:
    return f'"{text}"' if '"' not in text else f"'{text}'"
