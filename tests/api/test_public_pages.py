"""The public pages and forms over HTTP: HTML that reads without scripts, nothing that tells who is known, limits, hostile texts."""

import json
import re
from html.parser import HTMLParser

import pytest
from sqlalchemy import event

from archgate.actions.access import access_codes, own_pages
from archgate.actions.access.public_commands import AccessCodeCommand
from archgate.actions.kernel import signing
from archgate.core.states import FoundBy, SignsUp
from archgate.tables.access import SignInLimit
from archgate.tables.own_pages import OwnPage
from made import a_person, a_run, enrolled, number, public_run, published, shown_as, taken

HOSTILE = "<script>alert(1)</script><img src=x onerror=alert(1)> [x](javascript:alert(1)) ![p](https://evil.example/x.png)"


@pytest.fixture(autouse=True)
def no_attempts_before(sessions):
    with sessions.begin() as session:
        session.query(SignInLimit).delete()


def page_of(stranger, run):
    found = stranger.get(f"/catalog/{run['course']['id']}-x", follow_redirects=True)
    assert found.status_code == 200
    return found


def linked(page):
    (text,) = re.findall(r'<script type="application/ld\+json">(.*?)</script>', page.text, re.S)
    return json.loads(text)


def a_form(**facts):
    n = next(number)
    return {"given": f"G{n}", "family": f"F{n}", "email": f"h{n}@example.org", "total": "210.00", **facts}


def path(run, what=""):
    return f"/api/v1/catalog/runs/{run['id']}{what}"


def test_a_course_reads_without_scripts_and_has_one_address(office, stranger):
    run = public_run(office)
    title = run["course"]["title"]
    page = page_of(stranger, run)
    assert page.history[0].status_code == 301
    assert page.url.path == f"/catalog/{run['course']['id']}-{title.lower().replace(' ', '-')}"
    for words in (f"<h1>{title}</h1>", "8 Tuesdays, 17:30 to 19:15", "Tue 14 Sep 2027", "$210.00", "14 seats left",
                  "through Fri 27 Aug 2027", 'rel="canonical"', 'property="og:title"', "Halves"):  # fmt: skip
        assert words in page.text, words
    assert f'href="{page.url.path}/sign-up?run={run["id"]}"' in page.text
    assert stranger.get(f"{page.url.path}/sign-up?run={run['id']}").status_code == 200
    calendar = stranger.get(f"/catalog/runs/{run['id']}/dates.ics")
    assert calendar.text.count("BEGIN:VEVENT") == 8 and "text/calendar" in calendar.headers["content-type"]


def test_search_engines_get_the_course_as_linked_data_a_map_and_what_to_leave_alone(office, stranger):
    run = public_run(office)
    page = page_of(stranger, run)
    course = linked(page)
    assert (course["@type"], course["name"]) == ("Course", run["course"]["title"])
    (instance,) = course["hasCourseInstance"]
    assert instance["startDate"] == "2027-09-14" and len(instance["subEvent"]) == 8
    (offer,) = course["offers"]
    assert (offer["price"], offer["priceCurrency"], offer["availability"]) == (
        "210.00",
        "USD",
        "https://schema.org/InStock",
    )
    assert page.url.path in stranger.get("/sitemap.xml").text
    robots = stranger.get("/robots.txt").text
    assert "Disallow: /\n" in robots and "Sitemap: http://testserver/sitemap.xml" in robots


def test_what_is_not_public_is_not_there_for_anybody(office, stranger):
    draft = a_run(office)
    hidden = public_run(office)
    shown_as(office, hidden, found_by=FoundBy.INVITED)
    assert stranger.get(f"/catalog/{draft['course']['id']}-x").status_code == 404
    for what in ("", "/quote", "/sign-ups", "/waiting", "/requests", "/interest", "/kept-seats"):
        body = a_form() if what in ("/sign-ups",) else {k: v for k, v in a_form().items() if k != "total"}
        if what == "/quote":
            body = {}
        if what == "/kept-seats":
            body = {"email": "a@example.org", "heads": 1}
        if what == "/interest":
            body = {k: body[k] for k in ("given", "family", "email")}
        for run in (draft, hidden, {"id": 10**9}):
            answer = stranger.post(path(run, what), json=body) if what else stranger.get(path(run))
            assert answer.status_code == 404, (what, answer.text)
    assert stranger.get(f"/catalog/x/sign-up?run={hidden['id']}").status_code == 404
    assert stranger.get(f"/catalog/preview/{draft['course']['id']}").status_code == 404
    assert stranger.get("/catalog/runs/abc/dates.ics").status_code == 422
    assert f"run-{hidden['id']}" not in page_of(stranger, hidden).text


def test_staff_see_a_page_before_it_is_public(office, clerk):
    draft = a_run(office)
    shown = clerk.get(f"/catalog/preview/{draft['course']['id']}")
    assert shown.status_code == 200 and "noindex" in shown.text and "being written" in shown.text


class Elements(HTMLParser):
    """Every element of a page with its attributes."""

    def __init__(self):
        super().__init__()
        self.found = []

    def handle_starttag(self, tag, attributes):
        self.found.append((tag, dict(attributes)))


ALLOWED = set(
    "html head meta title link script body a header svg path nav main p article h1 h2 h3 h4 h5 div ul ol li section span"
    " details summary time footer strong em blockquote img".split()
)


def test_hostile_texts_do_no_harm(office, stranger):
    run = a_run(office)
    published(
        office, run["course"], subtitle="</title><script>alert(2)</script>", summary=HOSTILE, description=HOSTILE,
        program=HOSTILE, highlights=[HOSTILE[:200]], requirements=HOSTILE, asked=[{"question": HOSTILE[:90], "answer": HOSTILE}],
        tags=["</script><b>"],
    )  # fmt: skip
    page = page_of(stranger, run)
    elements = Elements()
    elements.feed(page.text)
    assert [a for tag, a in elements.found if tag == "script"] == [{"type": "application/ld+json"}]
    names = {name for _, attributes in elements.found for name in attributes}
    assert not [name for name in names if name.startswith("on")]
    leads = [a.get("href", "") for _, a in elements.found] + [a.get("src", "") for _, a in elements.found]
    assert not [x for x in leads if x.startswith("javascript") or "evil.example" in x]
    assert {tag for tag, _ in elements.found} <= ALLOWED
    assert linked(page)["keywords"] == "</script><b>"
    policy = page.headers["content-security-policy"]
    assert "default-src 'none'" in policy and "script-src 'self'" in policy and "unsafe" not in policy


@pytest.mark.parametrize(
    "query",
    ["category=abc", "from=2027-13-40", "price=free", "page=99999999999999999999", "weekday=9", "place=-1",
     "q=%27%22%3Cscript%3E", "q=" + "a" * 5000, "level=<b>&language=%00", "category=1&category=2"],
)  # fmt: skip
def test_whatever_stands_in_the_address_the_list_answers(stranger, query):
    answer = stranger.get(f"/catalog?{query}")
    assert answer.status_code == 200 and "<script>" not in answer.text


def test_the_address_keeps_the_filter_and_says_what_it_could_not_read(office, stranger):
    public_run(office)
    answer = stranger.get("/catalog?weekday=1&price=500&from=never")
    assert '<option value="1" selected>Tuesday</option>' in answer.text and 'value="500"' in answer.text
    assert "The first day could not be read." in answer.text
    assert '<meta name="robots" content="noindex' in answer.text


def test_no_address_tells_whether_somebody_is_known(office, stranger):
    """The same form for somebody who is on the run and for somebody nobody has heard of: the same status, the same words."""
    run = public_run(office)
    known = a_person(office, given="Nell", family="Ashby", email="nell.ashby@example.org")
    enrolled(office, run, known)
    answers = []
    for given, family, email in (
        ("Nell", "Ashby", "nell.ashby@example.org"),
        ("Noll", "Ishby", "noll.ishby@example.org"),
    ):
        answer = stranger.post(path(run, "/sign-ups"), json=a_form(given=given, family=family, email=email))
        answers.append((answer.status_code, answer.text.replace(email, "EMAIL")))
    assert answers[0] == answers[1] and answers[0][0] == 201
    assert taken(office, run) == 2


def test_the_same_key_twice_gives_the_same_answer_and_one_seat(office, stranger):
    run, body = public_run(office), a_form()
    headers = {"Idempotency-Key": f"public-{next(number)}"}
    first, again = (stranger.post(path(run, "/sign-ups"), json=body, headers=headers) for _ in range(2))
    assert first.status_code == again.status_code == 201 and first.json() == again.json()
    assert taken(office, run) == 1
    other = stranger.post(path(run, "/sign-ups"), json={**body, "note": "x"}, headers=headers)
    assert other.status_code == 422


def test_codes_are_tried_a_few_times_only_and_one_that_fits_counts_as_no_guess(office, stranger):
    run = public_run(office)
    shown_as(office, run, signs_up=SignsUp.CODE)
    made = office.act(lambda d: access_codes.make(d, run["id"], AccessCodeCommand(label="L")))
    for _ in range(15):
        assert stranger.post(path(run, "/code"), json={"access_code": made["code"]}).json()["fits"]
    tried = [
        stranger.post(path(run, "/code"), json={"access_code": f"WRONG-{n}"}).status_code for n in range(12)
    ]
    assert tried == [200] * 10 + [429] * 2
    assert stranger.get(path(run), params={"access_code": made["code"]}).status_code == 429
    assert stranger.post(path(run, "/quote"), json={"access_code": made["code"]}).status_code == 429
    for what in ("/sign-ups", "/waiting", "/requests", "/kept-seats"):
        body = a_form(access_code=made["code"], heads=1)
        fields = {"/sign-ups": {"total"}, "/kept-seats": {"heads"}}.get(what, set())
        named = {"email", "access_code"} | (set() if what == "/kept-seats" else {"given", "family"}) | fields
        sent = {k: v for k, v in body.items() if k in named}
        assert stranger.post(path(run, what), json=sent).status_code == 429, what
    other = public_run(office)
    assert stranger.get(path(other)).status_code == 200


def test_forms_of_one_email_are_limited(office, stranger):
    run = public_run(office)
    body = {**a_form(), "total": "1.00"}
    said = [stranger.post(path(run, "/sign-ups"), json=body).status_code for _ in range(22)]
    assert said == [409] * 20 + [429] * 2 and taken(office, run) == 0


def test_whoever_is_signed_in_finds_what_people_with_an_account_find(office, sessions, stranger):
    run, person = public_run(office), a_person(office)
    shown_as(office, run, found_by=FoundBy.ACCOUNT)
    assert stranger.get(path(run)).status_code == 404
    office.act(lambda d: own_pages.invite(d, person["id"]))
    row = office.read(lambda d: d.session.query(OwnPage).filter_by(person_id=person["id"]).one())
    token = signing.token_for("p", row.id, row.turn)
    assert (
        stranger.post(f"/api/v1/own/links/{token}", json={"password": "a word of their own"}).status_code
        == 204
    )
    form = stranger.get(path(run)).json()
    assert (form["email"], form["act"]) == (person["email"], "sign up")
    assert person["given"] in stranger.get("/catalog").text


@pytest.mark.parametrize("address", ["/catalog", "course"])
def test_a_page_asks_few_statements(office, stranger, engine, address):
    for _ in range(3):
        run = public_run(office)
    counted = []

    def count(*_):
        counted.append(1)

    where = page_of(stranger, run).url.path if address == "course" else address
    stranger.get(where)
    event.listen(engine, "before_cursor_execute", count)
    try:
        stranger.get(where)
    finally:
        event.remove(engine, "before_cursor_execute", count)
    assert 5 < len(counted) <= 20


def test_a_picture_is_at_its_key_and_nowhere_else(stranger):
    for name in ("0" * 32 + "-small.jpg", "../x-small.jpg", "x.jpg", "-large.jpg"):
        assert stranger.get(f"/catalog/pictures/{name}").status_code == 404
    assert stranger.get("/catalog/documents/zzz.pdf").status_code == 404
