"""Fees walked as a person walks them: a run's terms, a group on the phone, a kept quote, codes, plans and the price line."""

from datetime import date, timedelta

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from archgate.actions.fees import codes, quotes, stock, terms
from archgate.actions.fees.commands import StockCommand
from archgate.actions.fees.term_commands import CodeCommand, TermsPatch
from archgate.actions.kernel.commands import command_of
from archgate.actions.people import people
from archgate.actions.runs import showing
from made import a_person, enrolled, number, roster_of
from screens.ahead import run_ahead, shown_day

pytestmark = pytest.mark.screens


def counted(browser, label):
    """The field of a line that names a price beside its label."""
    return browser.find(f"//*[@id=//label[starts-with(normalize-space(), '{label}')]/@for]")


def test_fees_of_a_published_run_wait_in_the_margin_and_explain_the_price_day_by_day(at_work, now_office):
    item = f"Handbook {next(number)}"
    now_office.act(lambda d: stock.count_stock(d, command_of(StockCommand, {"name": item, "add": 9})))
    run = run_ahead(now_office)
    enrolled(now_office, run)
    at_work.open(f"/runs/{run['id']}/fees")
    at_work.sees("What one person pays, day by day")
    at_work.sees("one person at Standard pays $210.00: $105.00 now")

    # The price line by keys: the last day, then a day back.
    at_work.find("//*[@role='slider' and @aria-label='Day']").send_keys(Keys.END)
    last = date.fromisoformat(run["first"]) - timedelta(days=1)
    at_work.sees(f"On {shown_day(last)} one person at Standard pays $240.00: $120.00 now")
    at_work.press(Keys.ARROW_LEFT)
    at_work.sees(f"On {shown_day(last - timedelta(days=1))}")
    assert at_work.axe() == []

    # An extra from stock: typed, judged, shown with what it touches, saved, undone.
    at_work.click("Change the extras")
    at_work.click("An extra: a book, a tool, a material fee")
    at_work.fill("Extra 1", "Handbook")
    at_work.fill("Price in USD, extra 1", "31.5")
    at_work.fill("From stock, extra 1", item)
    at_work.sees("9 in stock")
    at_work.click("See what it touches")
    at_work.sees("USD has 2 decimals")
    at_work.fill("Price in USD, extra 1", "31.50")
    at_work.click("See what it touches")
    at_work.sees("Extra Handbook")
    assert at_work.axe() == []
    at_work.click("Save")
    at_work.sees("9 of " + item + " in stock")
    at_work.click("Change the taxes")
    at_work.click("A tax")
    at_work.fill("Tax 1", "Sales tax")
    at_work.fill("Percent, tax 1", "6")
    at_work.click("See what it touches")
    at_work.sees("$222.60")
    at_work.click("Keep as it was")
    assert at_work.console() == []


def test_a_group_on_the_phone_at_several_rates_with_extras_a_code_and_names(at_work, now_office):
    rates = [{"label": "Standard", "amount": "240.00"}, {"label": "Member", "amount": "200.00"}]
    run = run_ahead(
        now_office,
        rates=rates,
        group=[{"from": 3, "percent": "10"}],
        extras=[{"label": "Handbook", "amount": "31.50"}],
    )
    code = now_office.act(
        lambda d: codes.make_code(
            d, command_of(CodeCommand, {"code": f"WALK{next(number)}", "percent": "10", "most": 5})
        )
    )
    payer, known = a_person(now_office), a_person(now_office)
    at_work.open(f"/desk?person={payer['id']}")
    at_work.sees(payer["name"])
    at_work.open(f"/desk?run={run['id']}")
    at_work.sees("$240.00")
    at_work.click("several rates")
    counted(at_work, "Standard").send_keys(Keys.CONTROL, "a")
    counted(at_work, "Standard").send_keys("2")
    counted(at_work, "Member").send_keys("1")
    counted(at_work, "Handbook").send_keys("1")
    at_work.sees("Group of 3, Standard")
    at_work.fill("Names of the other 2, one a line", f"{known['name']}\nPetra Newcomer{next(number)}")
    at_work.sees(f"{known['name']}: known")
    at_work.sees("new person")
    at_work.click("A code, a note or a group")
    at_work.fill("Discount code", "nonsense")
    at_work.sees('There is no code "nonsense".')
    at_work.fill("Discount code", code["code"].lower())
    at_work.sees(f"{code['code']}, Standard")
    at_work.sees("$582.30")  # (2 x 216 + 180) less a tenth, and the book
    assert at_work.axe() == []
    at_work.click(f"Enroll {payer['name']}, seats 1 to 3 of 14")
    at_work.sees("has seats 1 to 3 of 14")
    names = [r["name"] for r in roster_of(now_office, run)]
    assert names == [payer["name"]]
    at_work.open(f"/runs/{run['id']}/roster")
    at_work.sees("Petra Newcomer")
    at_work.open("/money/codes")
    at_work.sees(code["code"])
    at_work.find(f"//button[contains(., 'used {code['code']}')]").click()
    at_work.sees("1 use, $61.20")
    assert at_work.axe() == [] and at_work.console() == []


def test_a_quote_is_kept_at_the_desk_by_keyboard_and_signed_up_on_later(at_work, now_office):
    run, somebody = run_ahead(now_office), a_person(now_office)
    at_work.open(f"/desk?person={somebody['id']}")
    at_work.sees(somebody["name"])
    at_work.open(f"/desk?run={run['id']}")
    at_work.sees("Keep this quote")
    at_work.tab_to("Keep this quote")
    at_work.press(Keys.ENTER)
    at_work.sees("It holds the price, not a seat.")
    at_work.tab_to("A word with it")
    at_work.press("As agreed on the phone", Keys.ENTER)
    at_work.sees(f"The quote of $210.00 for {somebody['name']} stands through")
    dearer = [{"label": "Standard", "amount": "300.00"}]
    now_office.act(
        lambda d: terms.change_terms(
            d, run["id"], command_of(TermsPatch, {"seen": {}, "set": {"rates": dearer}})
        )
    )
    at_work.open("/money/quotes")
    at_work.sees(somebody["name"])
    assert at_work.axe() == []
    at_work.find(f"//a[contains(., 'Sign up on it') and contains(., '{somebody['name']}')]").click()
    at_work.sees("On the terms of the quote that was kept")
    at_work.sees("$105.00")
    assert at_work.axe() == []
    at_work.press(Keys.CONTROL, Keys.ENTER)
    at_work.sees(f"{somebody['name']} has seat 1 of 14")
    assert at_work.console() == []


def test_a_plan_is_made_with_its_example_and_payment_details_are_taken_at_the_desk(
    at_work, now_office, pay_pages
):
    name, run, somebody = f"Later {next(number)}", run_ahead(now_office), a_person(now_office)
    at_work.open("/money/plans")
    at_work.click("Make a plan")
    at_work.fill("Name of the plan", name)
    at_work.fill("Percent of line 1", "60")
    at_work.fill("Percent of line 2", "30")
    at_work.sees("The percents miss 10 of 100")
    at_work.click("Save")
    at_work.sees("The percents miss 10 of 100; add a line or make the last one the rest.")
    at_work.fill("Percent of line 2", "40")
    at_work.sees("At sign-up")
    at_work.tick("Payment details are taken at sign-up")
    assert at_work.axe() == []
    at_work.click("Save")
    at_work.sees(f"{name} is saved")
    at_work.find(f"//button[contains(., 'log of {name}')]").click()
    at_work.sees("Made the plan")
    at_work.open(f"/desk?person={somebody['id']}")
    at_work.sees(somebody["name"])
    at_work.open(f"/desk?run={run['id']}")
    at_work.tick(name)
    at_work.sees("This plan takes payment details at sign-up")
    assert not at_work.driver.find_element(By.XPATH, "//button[starts-with(., 'Enroll ')]").is_enabled()
    office = at_work.driver.current_window_handle
    at_work.click("Take card details")
    at_work.sees("Waiting for the card")
    at_work.until(lambda: len(at_work.driver.window_handles) == 2)
    other = next(h for h in at_work.driver.window_handles if h != office)
    at_work.driver.switch_to.window(other)
    at_work.sees("Card details only; nothing is charged now")
    at_work.fill("Card number", "9999 0000 0000 0012")
    at_work.fill("Name on the card", "Pat Payer")
    at_work.press(Keys.ENTER)
    at_work.sees("The card is on file.")
    at_work.driver.close()
    at_work.driver.switch_to.window(office)
    at_work.sees("practice card of Pat Payer")
    at_work.click(f"Enroll {somebody['name']}, seat 1 of 14")
    at_work.sees("$126.00 is due now")
    assert at_work.console() == []


def test_the_early_bird_planner_and_codes_and_defaults_by_keyboard(at_work, now_office):
    run = run_ahead(now_office, rates=[{"label": "Standard", "amount": "200.00"}])
    at_work.open(f"/runs/{run['id']}/early-bird")
    at_work.sees("The course has no past sign-ups")
    at_work.tab_to("Percent that sign up early")
    at_work.press(Keys.CONTROL, "a")
    at_work.press("40", Keys.TAB)
    at_work.press(Keys.CONTROL, "a")
    at_work.press("230")
    at_work.sees("$250.00")
    at_work.sees("40 percent")
    assert at_work.axe() == []
    at_work.press(Keys.ENTER)
    at_work.sees("Put these prices on")
    at_work.press(Keys.ENTER)
    at_work.sees("early $200.00 through 14 days before the start")
    fresh = now_office.read(lambda d: showing.run_view(d, run["id"]))
    assert (fresh["rates"][0]["amount"], fresh["rates"][0]["early"][0]["amount"]) == ("250.00", "200.00")

    name = f"SET{next(number)}"
    at_work.open("/money/codes")
    at_work.tab_to("Make a code, or a set")
    at_work.press(Keys.ENTER)
    at_work.press(name, Keys.TAB, Keys.TAB)
    at_work.press("15", Keys.TAB)
    at_work.press(Keys.SPACE)
    at_work.tab_to("How many codes")
    at_work.press("4", Keys.ENTER)
    at_work.sees(f"Made 4 codes {name}")
    assert at_work.axe() == []

    at_work.open("/money/stock")
    at_work.tab_to("Item")
    at_work.press(f"Chisel {name}")
    at_work.tab_to("How many")
    at_work.press("7", Keys.ENTER)
    at_work.sees(f"7 of Chisel {name} are in stock.")
    assert at_work.axe() == []
    at_work.open("/money/defaults")
    at_work.sees("What runs start from")
    assert at_work.axe() == [] and at_work.console() == []


def test_up_to_six_runs_are_compared_and_a_person_is_tagged(at_work, now_office):
    runs = [
        run_ahead(now_office, rates=[{"label": "Standard", "amount": f"{200 + 10 * n}.00"}]) for n in range(3)
    ]
    at_work.open("/money/prices?" + "&".join(f"run={r['id']}" for r in runs))
    for run in runs:
        at_work.sees(f"{run['code']}: On")
    at_work.click("days before the start")
    at_work.sees("day before the start")
    assert at_work.axe() == []
    at_work.click(f"Take out {runs[0]['code']}")
    at_work.until(lambda: f"{runs[0]['code']}: On" not in at_work.text())
    somebody = a_person(now_office)
    at_work.open(f"/people/{somebody['id']}")
    at_work.fill("Tags", "Member, staff")
    at_work.press(Keys.TAB)
    at_work.sees(f"{somebody['name']}: member, staff.")
    assert now_office.read(lambda d: people.tags_of(d, [somebody["id"]])) == {
        somebody["id"]: ["member", "staff"]
    }
    assert at_work.axe() == [] and at_work.console() == []
    assert now_office.read(lambda d: quotes.choices(d, runs[1]["id"], somebody["id"], None))["rates"]
