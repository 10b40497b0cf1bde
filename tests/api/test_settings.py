"""The settings of the center: what changes at once, what stands for good, the letterhead of papers, log and undo."""

import io
import re

import pytest
from PIL import Image

from archgate.actions.kernel.lookups import logo_of
from archgate.actions.kernel.unit_of_work import read_only
from archgate.actions.money import invoices
from archgate.core.states import NumberFormat
from archgate.papers.invoices import html_of
from archgate.papers.words import money_text
from archgate.tables.courses import Center
from made import a_person, a_run, at_once, enrolled


@pytest.fixture(autouse=True)
def as_it_was(sessions):
    names = (
        "name",
        "address",
        "region",
        "first_weekday",
        "paper_size",
        "number_format",
        "confirm_above",
        "logo_id",
    )
    with sessions() as session:
        held = {n: getattr(session.get_one(Center, 1), n) for n in names}
    yield
    with sessions.begin() as session:
        for name, value in held.items():
            setattr(session.get_one(Center, 1), name, value)


def change(browser, seen=None, **facts):
    return browser.patch("/api/v1/center", json={"set": facts, "seen": seen or {}})


def test_settings_are_changed_with_what_from_what_to_what_and_undone(chief):
    done = change(chief, name="Ashlar Quay West", first_weekday=6, confirm_above="250.00", paper_size="A4")
    assert done.status_code == 200 and done.json()["confirm_above"] == "250.00"
    assert chief.get("/api/v1/session").json()["first_weekday"] == 6
    undone = chief.post(f"/api/v1/changes/{done.json()['change']}/undo")
    assert undone.status_code == 200
    assert (
        "name Test Center to Ashlar Quay West; first day of the week Monday to Sunday"
        in undone.json()["summary"]
    )
    now = chief.get("/api/v1/center").json()
    assert (now["name"], now["first_weekday"], now["confirm_above"]) == ("Test Center", 0, None)


def test_what_somebody_else_changed_meanwhile_is_answered_with_both(chief):
    assert change(chief, {"name": "Test Center"}, name="One").status_code == 200
    late = change(chief, {"name": "Test Center"}, name="Two")
    assert (late.status_code, late.json()["fields"]["name"]["now"]) == (409, "One")
    assert change(chief, {"address": ""}, address="1 Quay St").status_code == 200, (
        "another field does not conflict"
    )


@pytest.mark.parametrize(
    ("field", "value"),
    [("time_zone", "Mars/Base"), ("time_zone", "../etc/passwd"), ("currency", "XXY"), ("region", "ZZ"),
     ("confirm_above", "1.234"), ("first_weekday", 7), ("name", ""), ("number_format", "tlh")],
)  # fmt: skip
def test_what_cannot_be_is_refused_at_its_field(chief, field, value):
    before = chief.get("/api/v1/center").json()
    refused = change(chief, **{field: value})
    assert refused.status_code == 422 and refused.json()["errors"][0]["at"] == f"/set/{field}"
    assert chief.get("/api/v1/center").json() == before


def test_zone_and_currency_stand_once_something_goes_by_them(office, chief):
    run, person = a_run(office), a_person(office)
    enrolled(office, run, person)
    now = chief.get("/api/v1/center").json()
    assert "published" in now["zone_stays"] and now["currency_stays"] == "Money is posted in it."
    assert "The time zone stays." in change(chief, time_zone="Europe/Lisbon").json()["errors"][0]["message"]
    assert "Money is posted" in change(chief, currency="EUR").json()["errors"][0]["message"]


def test_only_those_who_keep_settings_change_them(clerk):
    assert clerk.get("/api/v1/center").status_code == 200
    assert change(clerk, name="Mine").status_code == 403


def a_picture():
    out = io.BytesIO()
    Image.new("RGB", (900, 300), "teal").save(out, "PNG")
    return out.getvalue()


def test_papers_begin_with_name_address_and_logo_and_keep_the_logo_they_were_issued_with(
    office, chief, sessions
):
    change(chief, address="7 Quay Street\n\nNew York NY 10004", paper_size="A4", number_format="de_DE")
    set_ = chief.put("/api/v1/center/logo", files={"file": ("logo.png", a_picture())})
    assert set_.status_code == 200 and set_.json()["logo"] is True
    assert chief.get("/api/v1/center/logo.jpg").content.startswith(b"\xff\xd8")
    run, person = a_run(office), a_person(office)
    enrolled(office, run, person)
    account = chief.post("/api/v1/accounts", json={"person_id": person["id"]}).json()["id"]
    invoice = chief.post(f"/api/v1/accounts/{account}/invoices", json={}).json()
    assert chief.get(f"/api/v1/invoices/{invoice['id']}/paper.pdf").content.startswith(b"%PDF")
    assert chief.delete("/api/v1/center/logo").json()["logo"] is False
    assert chief.delete("/api/v1/center/logo").status_code == 409

    def printed(uow):
        paper = invoices.document(uow, invoice["id"])[1]
        return html_of(paper, logo_of(uow, paper.logo)), html_of(invoices.statement(uow, account))

    issued, statement = read_only(sessions, printed)
    for page in (issued, statement):
        assert "size: A4" in page and "7 Quay Street</div>" in page and "New York NY 10004" in page
    assert "data:image/jpeg;base64," in issued, "it keeps the logo it was issued with"
    assert "data:image" not in statement and re.search(r"\$\d+,\d\d<", issued)
    wrong = chief.put("/api/v1/center/logo", files={"file": ("logo.png", b"<svg onload=alert(1)>")})
    assert wrong.status_code == 422


def test_a_setting_changed_twice_at_once_is_changed_once(chief):
    done = at_once(
        [lambda n=n: change(chief, {"name": "Test Center"}, name=f"At once {n}") for n in range(3)]
    )
    assert sorted(d.status_code for d in done) == [200, 409, 409]


@pytest.mark.parametrize(
    ("numbers", "expected"),
    [
        ("en_US", "-$1,234.50"),
        ("de_DE", "-$1.234,50"),
        ("fr_FR", "-$1\u202f234,50"),
    ],
)
def test_papers_group_digits_by_the_custom_of_the_language(numbers, expected):
    """Grouping and decimal signs by Unicode CLDR, main/LANG/numbers.xml (symbols of the latn system)."""
    assert money_text(-123450, "USD", NumberFormat(numbers)) == expected
