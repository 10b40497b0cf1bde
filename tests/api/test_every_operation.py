"""Every operation of the API, done once as a client would, each on rows of its own; what is missing here is named."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime, timedelta
from typing import Any

import pyotp
from sqlalchemy import select

from actions.test_teaching_pay import a_picture
from api.test_cards import gives_card, notice
from archgate.actions.kernel import signing
from archgate.actions.teaching import covering
from archgate.app import PREFIX, routes_of
from archgate.tables.access import SignInLimit
from archgate.tables.jobs import Job
from archgate.tables.messages import Message
from archgate.tables.teaching import EvaluationAsked
from archgate.tables.waitlist import Waiting
from core.test_calculators import EXAMPLES
from made import DATA, PASSWORD, TODAY, number, run_form

ICS = "\r\n".join((DATA / "instructor-busy.ics").read_text().splitlines()).encode() + b"\r\n"
PNG, A_PDF = a_picture(), b"%PDF-1.4 x"
OPERATIONS = {(method, path.removeprefix(PREFIX)) for path, route in routes_of() for method in route.methods}


def tuesday(weeks: int) -> date:
    day = TODAY + timedelta(weeks=weeks)
    return day + timedelta(days=(1 - day.weekday()) % 7)


class Walk:
    """A client that remembers which operations were done, that is answered with success."""

    def __init__(self, client: Any, sessions: Any, card_service: Any) -> None:
        self.client, self.sessions, self.card_service = client, sessions, card_service
        self.done = set[tuple[str, str]]()

    def go(self, words: str, *numbers: Any, client: Any = None, **more: Any) -> Any:
        """`POST /runs/{run_id}/publish`, with what stands in the braces in order."""
        method, path = words.split(" ", 1)
        address, _, query = path.partition("?")
        assert (method, address) in OPERATIONS, words
        parts = iter(numbers)
        real = re.sub(r"\{[^}]+\}", lambda _: str(next(parts)), address)
        answer = (client or self.client).request(method, f"{PREFIX}{real}{'?' * bool(query)}{query}", **more)
        assert answer.status_code < 300, (words, answer.status_code, answer.text)
        self.done.add((method, address))
        if answer.content and answer.headers.get("content-type", "").startswith("application/json"):
            return answer.json()
        return answer.content

    def person(self) -> int:
        n = next(number)
        body = {"given": f"Op{n}", "family": f"Walk{n}", "email": f"op{n}@example.org", "anyway": True}
        return self.go("POST /people", json=body)["id"]

    def run(self, weeks: int = 12, **changes: Any) -> dict[str, Any]:
        first = tuesday(weeks).isoformat()
        form = run_form(pattern={"first": first, "start": "17:30", "minutes": 105, "count": 4}, **changes)
        made = self.go("POST /runs", json=form)
        self.go("POST /runs/{run_id}/publish", made["id"])
        return self.go("GET /runs/{run_id}", made["id"])

    def total(self, run: int, person: int | None = None, **ask: Any) -> str:
        return self.go("POST /runs/{run_id}/quote", run, json={"person_id": person, **ask})["total"]

    def enrolled(self, run: int, person: int | None = None, **ask: Any) -> dict[str, Any]:
        somebody = person or self.person()
        body = {"run_id": run, "person_id": somebody, "total": self.total(run, somebody, **ask), **ask}
        return self.go("POST /enrollments", json=body)

    def one(self, query: Any) -> Any:
        with self.sessions() as session:
            return session.scalar(query)


def access_and_settings(walk: Walk, stranger: Any) -> None:
    words = {"email": "administrator@example.org", "password": PASSWORD}
    walk.go("POST /session", client=stranger, json=words)
    walk.go("GET /session", client=stranger)
    walk.go("DELETE /session", client=stranger)
    assert stranger.get(f"{PREFIX}/session").status_code == 401
    assert "Test coordinator" in {u["name"] for u in walk.go("GET /users")}
    days = walk.go("GET /defaults")["values"].get("quote_days")
    other = {"seen": {"quote_days": days}, "set": {"quote_days": 17}}
    assert walk.go("PATCH /defaults", json=other)["values"]["quote_days"] == 17
    walk.go("PATCH /defaults", json={"seen": {"quote_days": 17}, "set": {"quote_days": days}})
    hook = {"name": f"Letters {next(number)}", "address": "https://letters.example.org/in"}
    made = walk.go("POST /webhooks", json=hook)
    assert made["id"] in {w["id"] for w in walk.go("GET /webhooks")}
    walk.go("DELETE /webhooks/{webhook_id}", made["id"])
    assert made["id"] not in {w["id"] for w in walk.go("GET /webhooks")}


def staff_and_ones_own_account(walk: Walk, stranger: Any) -> None:
    email = f"walk{next(number)}@example.org"
    role = walk.go("POST /staff-roles", json={"name": f"walk {next(number)}", "rights": ["enroll"]})["role"][
        "id"
    ]
    walk.go("PATCH /staff-roles/{role_id}", role, json={"set": {"second_factor": False}})
    made = walk.go("POST /staff", json={"name": "W. Alk", "email": email, "role_id": role})["user"]["id"]
    assert made in {u["id"] for u in walk.go("GET /staff")["users"]}
    walk.go("PATCH /staff/{user_id}", made, json={"set": {"name": "W. Alker"}})
    walk.go("POST /staff/{user_id}/link", made)
    letter = walk.one(select(Message.body).where(Message.to_email == email).order_by(Message.id.desc()))
    token = re.search(r"/password/(\S+)", letter)[1]
    assert walk.go("GET /password-links/{token}", token, client=stranger)["stands"]
    walk.go("POST /password-links/{token}", token, client=stranger, json={"password": PASSWORD})
    walk.go("POST /password-links", client=stranger, json={"email": email})
    stranger.post(f"{PREFIX}/session", json={"email": email, "password": PASSWORD})
    handle = walk.go("GET /me", client=stranger)["sessions"][0]["handle"]
    walk.go("POST /me/password", client=stranger, json={"now": PASSWORD, "password": f"{PASSWORD} too"})
    secret = walk.go("POST /me/second-factor", client=stranger)["secret"]
    code = pyotp.TOTP(secret).now()
    spare = walk.go("POST /me/second-factor/confirm", client=stranger, json={"code": code})["codes"]
    spare = walk.go("POST /me/recovery-codes", client=stranger, json={"code": spare[0]})["codes"]
    walk.go("POST /me/second-factor/end", client=stranger, json={"code": spare[0]})
    secret = walk.go("POST /me/second-factor", client=stranger)["secret"]
    walk.go("POST /me/second-factor/confirm", client=stranger, json={"code": pyotp.TOTP(secret).now()})
    walk.go("DELETE /me/sessions", client=stranger)
    walk.go("DELETE /me/sessions/{handle}", handle, client=stranger)
    assert walk.go(f"GET /staff/sign-ins?user_id={made}")["sign_ins"]
    walk.go("DELETE /staff/{user_id}/second-factor", made)
    reader = next(r["id"] for r in walk.go("GET /staff")["roles"] if r["name"] == "reader")
    walk.go("PATCH /staff/{user_id}", made, json={"set": {"role_id": reader, "active": False}})
    walk.go("DELETE /staff-roles/{role_id}", role)


def settings_and_logs(walk: Walk, stranger: Any) -> None:
    was = walk.go("GET /center")
    done = walk.go("PATCH /center", json={"set": {"address": "1 Quay", "confirm_above": "1.00"}})
    fields = walk.go("GET /changes/{change}", done["change"])["fields"]
    assert ("address", "nothing", "1 Quay") in {(f["field"], f["before"], f["after"]) for f in fields}
    assert walk.go("PUT /center/logo", files={"file": ("logo.png", PNG)})["logo"]
    assert walk.go("GET /center/logo.jpg").startswith(b"\xff\xd8")
    walk.go("DELETE /center/logo")
    assert b"Settings: address nothing to 1 Quay" in walk.go(
        "GET /logs/{about}/{number}/log.csv", "center", 1
    )
    person = walk.person()
    held = walk.enrolled(walk.run(17)["id"], person)
    account = walk.go("POST /accounts", json={"person_id": person})["id"]
    opened = walk.go("GET /accounts/{account_id}", account)["open"][0]["id"]
    body = {"installment_id": opened, "why": "Gone"}
    assert walk.go("POST /accounts/{account_id}/write-offs", account, json=body)["waits"], held
    waiting = walk.go("GET /accounts/{account_id}", account)["waiting"][0]["id"]
    walk.go("POST /money-waiting/{waiting_id}/decision", waiting, json={"confirm": False})
    walk.go("PATCH /center", json={"set": {"address": was["address"], "confirm_above": was["confirm_above"]}})


def courses_runs_and_their_life(walk: Walk, stranger: Any) -> None:
    run = walk.run()
    course = run["course"]["id"]
    assert course in {c["id"] for c in walk.go("GET /courses")}
    assert walk.go("GET /courses/{course_id}", course)["runs"][0]["id"] == run["id"]
    walk.go(
        "PATCH /courses/{course_id}", course, json={"seen": {"promoted": False}, "set": {"promoted": True}}
    )
    assert any(r["id"] == run["id"] for r in walk.go(f"GET /runs?q={run['code']}")["items"])
    walk.go("PATCH /runs/{run_id}", run["id"], json={"seen": {"note": ""}, "set": {"note": "bring pens"}})
    assert walk.go("GET /runs/{run_id}", run["id"])["note"] == "bring pens"
    assert walk.go("GET /runs/{run_id}/figures", run["id"])
    decision = {"decision": "going ahead", "seen": "undecided"}
    assert walk.go("POST /runs/{run_id}/decision", run["id"], json=decision)["change"]
    walk.go("POST /runs/{run_id}/off-sale", run["id"])
    assert walk.go("GET /runs/{run_id}", run["id"])["status"] == "off sale"
    walk.go("POST /runs/{run_id}/on-sale", run["id"])
    notice = walk.go("PUT /runs/{run_id}/notice", run["id"], json={"text": "Ask about stairs."})
    assert walk.go("GET /runs/{run_id}/notice", run["id"])["text"] == "Ask about stairs."
    walk.go("POST /runs/{run_id}/notice/read", run["id"], json={"version": notice["version"]})
    made = walk.go(
        "POST /runs/{run_id}/files", run["id"], files={"file": ("plan.pdf", b"%PDF-1.4 x", "application/pdf")}
    )
    assert walk.go("GET /files/{file_id}", made["id"]) == b"%PDF-1.4 x"
    assert walk.go("DELETE /files/{file_id}", made["id"])["change"]
    draft = walk.go("POST /runs", json=run_form(rates=[{"amount": "90.00"}]))
    assert walk.go("PUT /runs/{run_id}/kind", draft["id"], json={"kind": "cohort"})["touches"]
    gone = walk.go("POST /runs/{run_id}/cancel", run["id"], json={"why": "ill"})
    assert walk.go("GET /runs/{run_id}", run["id"])["status"] == "cancelled"
    walk.go("POST /changes/{change}/undo", gone["change"])
    other = walk.run()
    walk.go("POST /runs/{run_id}/cancel", other["id"], json={})
    walk.go("POST /runs/{run_id}/archive", other["id"])
    assert walk.go("GET /runs/{run_id}", other["id"])["status"] == "archived"
    walk.go("POST /runs/{run_id}/bring-back", other["id"])


def terms_fees_and_defaults_of_a_run(walk: Walk, stranger: Any) -> None:
    run = walk.run()
    number_of = run["id"]
    rates = [{"code": "standard", "label": "Standard", "amount": "250.00"}]
    walk.go("PATCH /runs/{run_id}/terms", number_of, json={"seen": {}, "set": {"rates": rates}})
    bird = {"fee": "120.00", "share": "50", "target": "1800.00", "days": 21, "rounding": "5.00"}
    walk.go("POST /early-bird", json=bird)
    walk.go("POST /runs/{run_id}/early-bird", number_of, json=bird)
    assert walk.go("GET /runs/{run_id}/early-bird", number_of)
    walk.go("POST /runs/{run_id}/defaults", number_of, json={"names": ["rates"]})
    assert walk.go("GET /runs/{run_id}/choices", number_of)["rates"]
    assert walk.go(f"GET /prices?runs={number_of}")["runs"]
    assert walk.go("GET /runs/{run_id}/price-on/{day}", number_of, tuesday(2))
    lines = [{"percent": "100", "due": {"after_sign_up": 0}}]
    plan = walk.go("POST /plans", json={"name": f"All now {next(number)}", "lines": lines})["plan"]
    walk.go("PATCH /plans/{plan_id}", plan["id"], json={"seen": {"note": ""}, "set": {"note": "first"}})
    assert plan["id"] in {p["id"] for p in walk.go("GET /plans")}
    assert walk.go("GET /plans/{plan_id}/log", plan["id"])
    walk.go("PATCH /plans/{plan_id}", plan["id"], json={"seen": {"active": True}, "set": {"active": False}})
    assert walk.go("POST /plan-example", json={"total": "100.00", "lines": lines})
    code = walk.go("POST /codes", json={"code": f"OP{next(number)}", "percent": "10"})
    assert code["id"] in {c["id"] for c in walk.go("GET /codes")}
    walk.go("PUT /codes/{code_id}", code["id"], json={"code": code["code"], "percent": "15"})
    assert walk.go("GET /codes/{code_id}", code["id"])["percent"] == "15"
    assert code["code"].encode() in walk.go("GET /codes/{code_id}/list.csv", code["id"])
    thing = f"Tool set {next(number)}"
    walk.go("POST /stock", json={"name": thing, "add": 5, "cause": "bought"})
    item = next(i for i in walk.go("GET /stock") if i["name"] == thing)
    assert walk.go("GET /stock/{item_id}", item["id"])


def the_schedule(walk: Walk, stranger: Any) -> None:
    run = walk.run()
    n, dates = run["id"], run["dates"]
    body = {"date": tuesday(20).isoformat(), "start": "10:00", "minutes": 60}
    walk.go("POST /runs/{run_id}/meetings", n, json=body)
    seen = {"start": "17:30"}
    walk.go("PATCH /meetings/{meeting_id}", dates[0]["id"], json={"seen": seen, "set": {"start": "18:00"}})
    assert walk.go("GET /meetings/{meeting_id}/free", dates[0]["id"]) is not None
    walk.go("POST /meetings/{meeting_id}/cancel", dates[1]["id"], json={"why": "snow"})
    walk.go("POST /runs/{run_id}/move", n, json={"weeks": 1})
    walk.go("POST /runs/{run_id}/extend", n, json={"meetings": 1})
    evening = {
        "first": tuesday(45).isoformat(),
        "start": "19:00",
        "minutes": 60,
        "weekdays": ["TU"],
        "count": 3,
    }
    assert walk.go("POST /runs/{run_id}/patterns", n, json=evening)["dates"]
    assert walk.go("PUT /runs/{run_id}/patterns/{n}", n, 2, json={**evening, "count": 4})["dates"]
    assert walk.go("POST /runs/{run_id}/patterns/{n}/end", n, 2, json={"last": tuesday(46).isoformat()})[
        "dates"
    ]
    copy = {"runs": [{"id": n, "first": tuesday(40).isoformat()}]}
    assert walk.go("POST /copies", json=copy)["change"]
    line = {"course": run["course"]["code"], "first": tuesday(30).isoformat(), "weekdays": "Tue", "number": "4",
            "start": "17:30", "minutes": "60", "seats": "9", "rate": "240", "room": "", "instructor": ""}  # fmt: skip
    assert walk.go("POST /season/judge", json={"rows": [line]})
    assert walk.go("POST /season", json={"rows": [line]})
    pattern = {"first": tuesday(9).isoformat(), "start": "17:30", "minutes": 60, "count": 3}
    assert len(walk.go("POST /schedule/plan", json={"pattern": pattern})["meetings"]) == 3
    since, until = tuesday(10), tuesday(16)
    assert walk.go(f"GET /planner?since={since}&until={until}")
    assert walk.go("GET /days/{day}", since)
    assert walk.go("GET /months/{month}", f"{since:%Y-%m}")
    feed = walk.go("PUT /feeds/{kind}/{subject_id}", "run", n)
    token = re.search(r"calendars/([^.]+)\.ics", str(feed))[1]
    assert walk.go("GET /calendars/{token}.ics", token).startswith(b"BEGIN:VCALENDAR")


def clashes(walk: Walk, stranger: Any) -> None:
    hall = f"Clash hall {next(number)}"
    walk.go("POST /places", json={"name": hall, "kind": "room"})
    first, second = walk.run(place=hall), walk.run(place=hall)
    found = [c for c in walk.go("GET /clashes") if hall in str(c)]
    assert found, (first["id"], second["id"])
    key = found[0]["key"]
    walk.go("POST /clashes/accept", json={"key": key, "reason": "they share it"})
    walk.go("POST /clashes/reopen", json={"key": key})


def places_instructors_absences_and_closed_days(walk: Walk, stranger: Any) -> None:
    place = walk.go("POST /places", json={"name": f"Room {next(number)}", "kind": "room", "seats": 9})
    walk.go("PATCH /places/{place_id}", place["id"], json={"seats": 12})
    assert next(p for p in walk.go("GET /places") if p["id"] == place["id"])["seats"] == 12
    teacher = walk.go("POST /instructors", json={"name": f"Ona Walk{next(number)}"})
    walk.go("PATCH /instructors/{instructor_id}", teacher["id"], json={"phone": "555-0101"})
    assert teacher["id"] in {t["id"] for t in walk.go("GET /instructors")}
    away = {"from": tuesday(5).isoformat(), "label": "away"}
    busy = walk.go("POST /busy/{kind}/{owner_id}", "instructor", teacher["id"], json=away)
    assert walk.go("GET /busy/{kind}/{owner_id}", "instructor", teacher["id"])
    walk.go("DELETE /busy/{busy_id}", busy["id"])
    files = {"file": ("busy.ics", ICS, "text/calendar")}
    walk.go("POST /busy/{kind}/{owner_id}/calendar", "instructor", teacher["id"], files=files)
    spare = walk.go("POST /instructors", json={"name": f"Spare Walk{next(number)}"})
    walk.go("DELETE /instructors/{instructor_id}", spare["id"])
    walk.go("DELETE /places/{place_id}", place["id"])
    day = "2031-03-04"
    walk.go("POST /closures", json={"from": day, "label": "Works"})
    assert day in str(walk.go("GET /closures?year=2031"))
    walk.go("PUT /closures/{day}", day, json={"closed": False})
    fair = tuesday(30)
    closed = "\r\n".join((
        "BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//t//t//EN", "BEGIN:VEVENT", f"UID:{next(number)}@example.org",
        "DTSTAMP:20260101T000000Z", f"DTSTART;VALUE=DATE:{fair:%Y%m%d}", "SUMMARY:Fair", "END:VEVENT", "END:VCALENDAR", "",
    )).encode()  # fmt: skip
    walk.go("POST /closures/calendar", files={"file": ("c.ics", closed, "text/calendar")})
    walk.go("PUT /closures/{day}", fair, json={"closed": False})
    walk.go("PUT /closures/region", json={"region": ""})


def teaching(walk: Walk, stranger: Any) -> None:
    pay = {"kind": "per_hour", "amount": "40.00"}
    one, two, twin = (
        walk.go("POST /instructors", json={"name": f"{w} Walks{next(number)}", "pay": pay, "email": f"{w.lower()}{next(number)}@example.org"})
        for w in ("Lea", "Sub", "Twin")
    )  # fmt: skip
    run = walk.run(instructor=one["name"])
    n, m, who = run["id"], run["dates"][0]["id"], one["id"]
    assert walk.go("GET /instructors/{instructor_id}", who)["name"] == one["name"]
    assert walk.go("GET /instructors/{instructor_id}/week", who)["hours"]
    picture = {"file": ("p.png", PNG, "image/png")}
    walk.go("PUT /instructors/{instructor_id}/picture", who, files=picture)
    assert walk.go("GET /instructors/{instructor_id}/picture.jpg", who).startswith(b"\xff\xd8")
    assert walk.go("GET /instructors/{instructor_id}/evaluations", who)["marks"]["count"] == 0
    walk.go("POST /instructors/{instructor_id}/merge", two["id"], json={"gone_id": twin["id"]})
    assert walk.go("GET /runs/{run_id}/candidates", n)["candidates"]
    both = {"teachers": [{"instructor_id": who}, {"instructor_id": two["id"], "part": "assistant"}]}
    walk.go("PUT /runs/{run_id}/teachers", n, json=both)
    assert walk.go("GET /runs/{run_id}/teaching", n)["taught_by"].endswith("(assistant)")
    span = {"from": tuesday(11).isoformat(), "through": tuesday(20).isoformat()}
    looked = walk.go(f"GET /cover?first={span['from']}&last={span['through']}&instructor_id={who}")
    assert m in {x["meeting_id"] for x in looked["meetings"]}
    can = {"qualifications": [{"course_id": run["course"]["id"]}]}
    third = walk.go("POST /instructors", json={"name": f"Tri Walks{next(number)}", **can})
    asked = {"instructor_id": who, "absence": "ill", **span}
    plan = walk.go("POST /cover-plans", json=asked)["id"]
    covering.work_out(walk.sessions, plan)
    assert walk.go("GET /cover-plans/{cover_id}", plan)["covered"] == 4
    assert plan in {p["id"] for p in walk.go("GET /cover-plans")["plans"]}
    walk.go(
        "PUT /meetings/{meeting_id}/cover-calls/{instructor_id}", m, third["id"], json={"answer": "asked"}
    )
    walk.go("POST /meetings/{meeting_id}/step-in", m, json={"instructor_id": third["id"], "away_id": who})
    walk.go("POST /cover-plans/{cover_id}/take", plan, json={})
    # What it pays, its papers.
    walk.go(
        "PUT /runs/{run_id}/pay-terms/{instructor_id}", n, two["id"], json={"pay": {**pay, "amount": "20.00"}}
    )
    line = {"instructor_id": two["id"], "label": "Mileage", "quantity": "84", "unit": "0.655"}
    walk.go("POST /runs/{run_id}/pay-lines", n, json=line)
    kept = walk.go("GET /runs/{run_id}/teaching", n)["extra"][0]["id"]
    walk.go("DELETE /pay-lines/{line_id}", kept)
    walk.go("PUT /runs/{run_id}/deduct", n, json={"amount": "5.00"})
    text = f"{{instructor}} teaches {{run}}. {next(number)}"
    walk.go("PUT /agreement-text", json={"text": text})
    walk.go("POST /runs/{run_id}/agreements", n, json={"instructor_id": two["id"]})
    agreed = walk.go("GET /runs/{run_id}/teaching", n)["agreements"][0]["id"]
    walk.go("POST /agreements/{agreement_id}/send", agreed)
    walk.go("POST /agreements/{agreement_id}/signed", agreed, json={"on": TODAY.isoformat()})
    assert walk.go("GET /agreements/{agreement_id}/agreement.pdf", agreed).startswith(b"%PDF")
    over = walk.run(instructor=two["name"])["dates"][0]["id"]
    held = {"seen": {}, "set": {"date": (TODAY - timedelta(days=3)).isoformat()}}
    walk.go("PATCH /meetings/{meeting_id}", over, json=held)
    request = walk.go("POST /pay-requests", json={"instructor_id": two["id"], "month": f"{TODAY:%Y-%m}"})[
        "request"
    ]["id"]
    assert request in {r["id"] for r in walk.go("GET /pay-requests")}
    assert walk.go("GET /pay-requests/{request_id}/{name}", request, "request.csv")
    walk.go("POST /pay-requests/{request_id}/paid", request, json={"on": TODAY.isoformat()})
    assert walk.go("GET /instructors/{instructor_id}/statement", two["id"])["paid"] == "70.00"
    assert walk.go(
        "GET /instructors/{instructor_id}/statement/{name}", two["id"], "statement.pdf"
    ).startswith(b"%PDF")
    # What learners say.
    asked_of = walk.go("PUT /evaluation-questions", json={"questions": [{"text": f"Good {next(number)}?"}]})[
        "questions"
    ]
    with walk.sessions.begin() as session:
        row = EvaluationAsked(run_id=n, person_id=one["person_id"], asked_at=datetime.now(UTC))
        session.add(row)
        session.flush()
        token = signing.token_for("e", row.id, 1)
    shown = walk.go("GET /evaluate/{token}", token, client=stranger)
    assert {i["instructor_id"] for i in shown["instructors"]} >= {two["id"]}
    walk.go("GET /evaluate/{token}/{instructor_id}.jpg", token, who, client=stranger)
    answer = {"instructor_id": two["id"], "question_id": asked_of[0]["id"], "mark": 5}
    assert walk.go("POST /evaluate/{token}", token, client=stranger, json={"answers": [answer]})["said"]
    walk.go("DELETE /instructors/{instructor_id}/picture", who)
    # Applications.
    walk.go("PATCH /teaching-rules", json={"applications_open": True, "application_questions": ["What?"]})
    assert walk.go("GET /teaching-rules")["applications_open"]
    assert walk.go("GET /apply", client=stranger)["questions"] == ["What?"]
    applies = {
        "given": "Ap",
        "family": f"Ply{next(number)}",
        "email": f"ap{next(number)}@example.org",
        "answers": ["walls"],
    }
    walk.go("POST /apply", client=stranger, json=applies)
    row_of = walk.go("GET /applications")["applications"][0]["id"]
    walk.go("PATCH /applications/{application_id}", row_of, json={"status": "in talk"})
    walk.go("POST /applications/{application_id}/notes", row_of, json={"text": "Called."})
    made = walk.go(
        "POST /applications/{application_id}/instructor", row_of, json={"name": f"A. Ply{next(number)}"}
    )
    assert made["invited"]
    own_teaching(walk, stranger, made["instructor"])


def own_teaching(walk: Walk, stranger: Any, teacher: dict[str, Any]) -> None:
    said = walk.one(
        select(Message.body).where(Message.person_id == teacher["person_id"]).order_by(Message.id.desc())
    )
    token = re.search(r"/own/(\S+)", said)[1]
    walk.go("POST /own/links/{token}", token, client=stranger, json={"password": "a word of mine"})
    run = walk.run(instructor=teacher["name"])
    walk.go(
        "PUT /instructors/{instructor_id}/picture", teacher["id"], files={"file": ("p.png", PNG, "image/png")}
    )
    walk.go("POST /runs/{run_id}/agreements", run["id"], json={"instructor_id": teacher["id"]})
    walk.enrolled(run["id"])
    mine = walk.go("GET /own/teaching", client=stranger)
    roster = walk.go("GET /own/teaching/runs/{run_id}", run["id"], client=stranger)
    held = {"date": TODAY.isoformat(), "start": "09:00", "minutes": 30}
    walk.go("POST /runs/{run_id}/meetings", run["id"], json=held)
    first = walk.go("GET /runs/{run_id}", run["id"])["dates"][0]["id"]
    marks = {"marks": {str(roster["people"][0]["person_id"]): "present"}}
    walk.go("PUT /own/teaching/meetings/{meeting_id}/attendance", first, client=stranger, json=marks)
    walk.go("PUT /own/teaching/biography", client=stranger, json={"biography": "Lays walls."})
    walk.go("PUT /own/teaching/hours", client=stranger, json={"hours": []})
    away = walk.go("POST /own/teaching/absences", client=stranger, json={"from": tuesday(50).isoformat()})
    walk.go("DELETE /own/teaching/absences/{busy_id}", away["absences"][0]["id"], client=stranger)
    assert walk.go("POST /own/teaching/feed", client=stranger)["path"]
    assert walk.go("GET /own/teaching/statement/{name}", "statement.csv", client=stranger)
    paper = mine["agreements"][0]["id"]
    assert walk.go("GET /own/teaching/agreements/{agreement_id}.pdf", paper, client=stranger).startswith(
        b"%PDF"
    )
    assert walk.go("GET /own/teaching/picture.jpg", client=stranger).startswith(b"\xff\xd8")


def people_and_their_pages(walk: Walk, stranger: Any) -> None:
    one, twin = walk.person(), walk.person()
    shown = walk.go("GET /people/{person_id}", one)
    walk.go("PATCH /people/{person_id}", one, json={"seen": {"phone": None}, "set": {"phone": "555-0102"}})
    walk.go("POST /people/{person_id}/notes", one, json={"text": "Likes the front row."})
    walk.go("PUT /people/{person_id}/tags", one, json={"tags": ["walker"]})
    assert "walker" in str(walk.go("GET /tags"))
    assert walk.go(f"GET /people?q={shown['family']}")
    assert walk.go(f"GET /people/near?given={shown['given']}&family={shown['family']}")
    assert one in {p["id"] for p in walk.go(f"GET /find?q={shown['family']}")["people"]}
    organization = walk.go("POST /organizations", json={"name": f"Walkers {next(number)}"})
    assert organization["id"] in {o["id"] for o in walk.go(f"GET /organizations?q={organization['name']}")}
    walk.go("POST /people/{person_id}/own-page", one)
    said = walk.one(select(Message.body).where(Message.person_id == one).order_by(Message.id.desc()))
    token = re.search(r"/own/(\S+)", said)[1]
    assert walk.go("GET /own/links/{token}", token, client=stranger)["stands"]
    walk.go("POST /own/links/{token}", token, client=stranger, json={"password": "a word of mine"})
    assert walk.go("GET /own", client=stranger)["name"]
    facts = {"given": shown["given"], "family": shown["family"], "phone": "555-0103"}
    walk.go("PUT /own/person", client=stranger, json=facts)
    assert walk.go("PUT /own/calendar", client=stranger)
    words = {"now": "a word of mine", "password": "another word of mine"}
    walk.go("POST /own/password", client=stranger, json=words)
    words = {"now": "another word of mine", "password": "a word of mine"}
    walk.go("POST /own/password", client=stranger, json=words)
    held = walk.enrolled(walk.run(18)["id"], one)["enrollment_id"]
    withdrawal = "POST /own/enrollments/{enrollment_id}/withdrawal"
    kept = walk.go(f"{withdrawal}?preview=true", held, client=stranger, json={})["kept"]
    walk.go(withdrawal, held, client=stranger, json={"kept": kept})
    walk.go("DELETE /own/session", client=stranger)
    mine = {"email": shown["email"], "password": "a word of mine"}
    walk.go("POST /own/session", client=stranger, json=mine)
    walk.go("POST /own/new-link", client=stranger, json={"email": shown["email"]})
    assert walk.go("GET /people/{person_id}/messages", one)
    walk.go("DELETE /people/{person_id}/own-page", one)
    walk.go("POST /people/{person_id}/merge", one, json={"gone_id": twin})
    reminder = walk.go(
        "POST /reminders", json={"day": tuesday(1).isoformat(), "text": "call", "person_id": one}
    )
    walk.go("PATCH /reminders/{reminder_id}", reminder["id"], json={"done": True})
    assert walk.go("GET /reminders") is not None


def organizations_and_parked_calls(walk: Walk, stranger: Any) -> None:
    body = {
        "name": f"Client {next(number)}",
        "address": "2 Quay St",
        "number": "T-7",
        "email": "c@example.org",
    }
    made = walk.go("POST /organizations", json=body)["id"]
    other = {"set": {"address": "3 Quay St"}, "seen": {"address": "2 Quay St"}}
    assert walk.go("PATCH /organizations/{organization_id}", made, json=other)["change"]
    person = walk.person()
    walk.enrolled(walk.run(19)["id"], person, organization_id=made)
    page = walk.go("GET /organizations/{organization_id}", made)
    assert [p["id"] for p in page["people"]] == [person] and page["address"] == "3 Quay St"
    listed = walk.go("POST /parked-calls", json={"about": "A caller", "state": "{}"})
    assert listed == walk.go("GET /parked-calls")
    assert walk.go("GET /guide")["html"] and walk.go("GET /guide/{name}", "desk")["title"] == "The desk"
    assert walk.go("POST /parked-calls/{call_id}/take-up", listed[-1]["id"])["state"] == "{}"


def quotes_that_are_kept(walk: Walk, stranger: Any) -> None:
    run, person = walk.run(), walk.person()
    body = {"run_id": run["id"], "person_id": person, "total": walk.total(run["id"], person)}
    kept = walk.go("POST /quotes", json=body)
    assert walk.go("GET /quotes/{quote_id}", kept["id"])["total"] == body["total"]
    assert kept["id"] in {q["id"] for q in walk.go(f"GET /quotes?run_id={run['id']}")}
    walk.go("POST /quotes/{quote_id}/drop", kept["id"])


def enrollments_change_move_and_end(walk: Walk, stranger: Any) -> None:
    run, other = walk.run(), walk.run(13)
    n = run["id"]
    done = walk.enrolled(n)["enrollment_id"]
    shown = walk.go("GET /enrollments/{enrollment_id}", done)
    code = walk.go("POST /codes", json={"code": f"HALF{next(number)}", "percent": "50"})["code"]
    walk.go("POST /enrollments/{enrollment_id}/change", done, json={"code": code})
    assert (
        walk.go("GET /enrollments/{enrollment_id}/withdrawal", done)["total"] == "105.00"
        and shown["quote"]["total"] == "210.00"
    )
    walk.go("POST /enrollments/{enrollment_id}/swap", done, json={"person_id": walk.person()})
    moved = walk.go("POST /enrollments/{enrollment_id}/transfer", done, json={"run_id": other["id"]})
    walk.go("POST /enrollments/{enrollment_id}/withdraw", moved["enrollment_id"], json={})
    party = walk.enrolled(n, heads=2)["enrollment_id"]
    walk.go("PUT /enrollments/{enrollment_id}/places/{n}", party, 2, json={"person_id": walk.person()})
    assert walk.go("POST /enrollments/{enrollment_id}/heads", party, json={})["heads"] == 3
    assert walk.go("POST /enrollments/{enrollment_id}/heads/{n}/withdraw", party, 3, json={})["heads"] == 2
    walk.go("POST /runs/{run_id}/groups", n, json={"enrollment_ids": [party], "name": "A"})
    assistant = walk.go(
        "POST /runs/{run_id}/roles", n, json={"role": "assistant", "person_id": walk.person()}
    )
    walk.go("PUT /enrollments/{enrollment_id}/role", assistant["enrollment_id"], json={"role": "observer"})
    walk.go("POST /enrollments/{enrollment_id}/take-off", assistant["enrollment_id"])
    few = [walk.enrolled(n)["enrollment_id"] for _ in range(2)]
    walk.go("POST /runs/{run_id}/move-many", n, json={"enrollment_ids": few[:1], "to_run_id": other["id"]})
    walk.go("POST /runs/{run_id}/withdraw-many", n, json={"enrollment_ids": few[1:]})
    walk.enrolled(n)
    meeting = run["dates"][1]["id"]
    walk.go("POST /meetings/{meeting_id}/cancel", meeting, json={"why": "snow"})
    assert walk.go("POST /meetings/{meeting_id}/give-back", meeting, json={})
    calls = walk.go("GET /meetings/{meeting_id}/calls", meeting)
    person = calls["people"][0]["person_id"]
    walk.go("PUT /meetings/{meeting_id}/calls/{person_id}", meeting, person, json={"outcome": "reached"})
    assert walk.go("GET /logs/{about}/{number}", "person", person)["items"]
    walk.go("PUT /meetings/{meeting_id}/paid", meeting, json={"paid": True})


def the_roster_and_its_papers(walk: Walk, stranger: Any) -> None:
    run = walk.run()
    n = run["id"]
    walk.enrolled(n)
    assert len(walk.go("GET /runs/{run_id}/roster", n)["rows"]) == 1
    assert walk.go("GET /logs/{about}/{number}", "run", n)["items"][0]["undo"]
    assert walk.go("POST /runs/{run_id}/compare", n, json={"text": "Nobody Known, nobody@example.org"})
    assert walk.go("POST /runs/{run_id}/roster-file", n, json={"kind": "csv"})
    assert walk.go("GET /runs/{run_id}/papers/{kind}", n, "roster.csv")
    walk.go("POST /runs/{run_id}/tell", n, json={"subject": "Hello", "body": "See you soon."})
    marks = walk.go("GET /runs/{run_id}/attendance", n)
    body = {"marks": {str(marks["people"][0]["person_id"]): "present"}, "anyway": True}
    walk.go("PUT /meetings/{meeting_id}/attendance", run["dates"][0]["id"], json=body)
    assert walk.go("GET /messages")
    files = {"file": ("list.csv", b"First name,Last name,Email\nBo,Op,bo.op@example.org\n", "text/csv")}
    batch = walk.go("POST /runs/{run_id}/batches", n, files=files)
    walk.go("PATCH /batches/{batch_id}", batch["id"], json={"organization_id": None})
    line = batch["items"][0]["line"]
    walk.go("PATCH /batches/{batch_id}/rows/{line}", batch["id"], line, json={"remarks": "late"})
    shown = walk.go("GET /batches/{batch_id}", batch["id"])
    assert walk.go("GET /batches/{batch_id}/rows", batch["id"])["items"] == shown["items"]
    body = {"people": shown["people"], "total": shown["total"]}
    assert walk.go("POST /batches/{batch_id}/enroll", batch["id"], json=body)["status"] == "enrolled"
    assert b"Bo Op" in walk.go("GET /batches/{batch_id}/report.csv", batch["id"])
    assert walk.go("GET /batches/{batch_id}/report.xlsx", batch["id"]).startswith(b"PK")
    walk.go("POST /batches/{batch_id}/take-back", batch["id"], json={"lines": None})
    assert walk.go("POST /batches/{batch_id}/judge", batch["id"])["people"] == 1


def lists_of_every_kind(walk: Walk, stranger: Any) -> None:
    run = walk.run(capacity=500)
    n, code = run["id"], run["code"]
    files = {"file": ("runs.csv", f"Name,Email,Run\nCy Op,cy.op@example.org,{code}\n".encode(), "text/csv")}
    assert walk.go("POST /batches", files=files)["runs"][0]["code"] == code
    cells = "First name\tLast name\tEmail\nDi\tOp\t\n"
    pasted = walk.go("POST /batches/pasted", json={"text": cells, "run_id": n})
    body = {"kind": "no email", "decision": "leave out"}
    assert walk.go("POST /batches/{batch_id}/decide", pasted["id"], json=body)["counts"] == {"left out": 1}
    person = walk.person()
    walk.go("PUT /people/{person_id}/tags", person, json={"tags": [f"op{n}"]})
    chosen = {"run_id": n, "tag": f"op{n}"}
    assert walk.go("POST /batches/people/preview", json=chosen)["people"] == 1
    assert walk.go("POST /batches/people", json=chosen)["people"] == 1
    assert b"Purchase order" in walk.go("GET /batches/template.csv")
    text = "\n".join(["Name,Email", *(f"Op{k} Long{n},op{k}.{n}@example.org" for k in range(150))])
    long = walk.go("POST /batches/pasted", json={"text": text, "run_id": n})
    shown = {"people": long["people"], "total": long["total"]}
    assert walk.go("POST /batches/{batch_id}/enroll", long["id"], json=shown)["status"] == "running"
    assert long["id"] in {b["id"] for b in walk.go("GET /batches/running")["items"]}
    assert walk.go("POST /batches/{batch_id}/stop", long["id"])["status"] == "stopped"
    assert walk.go("POST /batches/{batch_id}/resume", long["id"], json=shown)["status"] == "running"
    walk.go("POST /batches/{batch_id}/stop", long["id"])
    assert long["id"] in {b["id"] for b in walk.go("GET /batches")["items"]}


def sentences_and_groups(walk: Walk, stranger: Any) -> None:
    source, target = walk.run()["id"], walk.run(14)["id"]
    body = {"kind": "follow-on", "source_id": source, "target_id": target, "group": "Framers"}
    assert walk.go("POST /sentences/preview", json=body)["there"] == 0
    made = walk.go("POST /sentences", json=body)
    assert made["id"] in {s["id"] for s in walk.go("GET /sentences")}
    terms = {"group": "New", "leaves": True}
    assert walk.go("PATCH /sentences/{sentence_id}", made["id"], json=terms)["leaves"]
    assert not walk.go("POST /sentences/{sentence_id}/end", made["id"])["active"]
    walk.enrolled(target)
    assert b"Group,Name" in walk.go("GET /runs/{run_id}/groups.csv", target)


def lines_interest_and_what_is_kept_back(walk: Walk, stranger: Any) -> None:
    run, later = walk.run(capacity=2, smallest=0), walk.run(14)
    n = run["id"]
    walk.enrolled(n)
    held = walk.go(
        "POST /runs/{run_id}/held-places",
        n,
        json={"seats": 1, "for_whom": "Ada", "last": tuesday(2).isoformat()},
    )
    walk.go("PATCH /held-places/{held_id}", held["id"], json={"last": tuesday(3).isoformat()})
    assert walk.go("GET /runs/{run_id}/kept-back", n)

    def in_line() -> int:
        return walk.go("POST /waiting", json={"run_id": n, "person_id": walk.person()})["waiting_id"]

    first, second, third = in_line(), in_line(), in_line()
    assert walk.go("GET /waiting/{waiting_id}/quote", first)["total"]
    walk.go("POST /waiting/{waiting_id}/leave", third)
    walk.go("PATCH /held-places/{held_id}", held["id"], json={"seats": 0})
    walk.go("POST /waiting/{waiting_id}/offer", first, json={})
    walk.go("POST /waiting/{waiting_id}/take-back", first, json={"why": "Too early"})
    walk.go("POST /waiting/{waiting_id}/offer", first, json={"why": "After all"})
    walk.go("POST /waiting/{waiting_id}/more-time", first, json={"hours": 48})
    offers = walk.one(select(Waiting.offers).where(Waiting.id == first))
    token = signing.token_for("o", first, offers)
    assert walk.go("GET /replies/{token}", token, client=stranger)
    walk.go("POST /replies/{token}", token, client=stranger, json={"answer": "decline"})
    total = walk.go("GET /waiting/{waiting_id}/quote", second)["total"]
    walk.go("POST /waiting/{waiting_id}/seat", second, json={"total": total, "why": "by hand"})
    aside = {"name": "Members", "seats": 1, "last": tuesday(4).isoformat(), "tag": "member"}
    walk.go("PUT /runs/{run_id}/set-asides", later["id"], json=aside)
    hook = walk.go(
        "POST /webhooks", json={"name": f"On {next(number)}", "address": "https://on.example.org/in"}
    )
    course = run["course"]["id"]
    rest = in_line(), in_line()
    next_one = walk.run(1, course_id=course, course=None)
    assert next_one["id"] in {r["id"] for r in walk.go("GET /runs/{run_id}/line/next-runs", n)}
    assert walk.go("GET /runs/{run_id}/line.csv", n)
    walk.go(
        "POST /runs/{run_id}/line/send-on",
        n,
        json={"webhook_id": hook["webhook_id"] if "webhook_id" in hook else hook["id"], "tag": "wait"},
    )
    over = {"ids": [rest[0]], "to_run_id": next_one["id"], "tell": True}
    assert walk.go("POST /runs/{run_id}/line/carry-over", n, json=over)["people"] == 1
    assert walk.go("POST /runs/{run_id}/line/clear", n, json={"ids": [rest[1]], "tell": False})["people"] == 1
    opens = (TODAY + timedelta(days=30)).isoformat()
    again = walk.run(20, course_id=course, course=None, sign_up_opens=opens)
    walk.go("POST /interest", json={"course_id": course, "person_id": walk.person()})
    assert walk.go("GET /demand")
    at = f"course_id={course}"
    assert walk.go(f"GET /interest?{at}")["people"]
    assert walk.go(f"GET /interest.csv?{at}")
    walk.go(f"PUT /interest/questions?{at}", json={"questions": [], "head_start_hours": None})
    walk.go(f"POST /interest/send-on?{at}", json={"webhook_id": hook["id"]})
    walk.go(f"POST /interest/carry-over?{at}", json={"to_run_id": again["id"]})
    walk.go("POST /interest", json={"course_id": course, "person_id": walk.person()})
    walk.go(f"POST /interest/clear?{at}", json={})


def money(walk: Walk, stranger: Any) -> None:
    run, person = walk.run(), walk.person()
    walk.enrolled(run["id"], person)
    account = walk.go("POST /accounts", json={"person_id": person})["id"]
    walk.go("GET /accounts/{account_id}", account)
    assert walk.go("GET /accounts/{account_id}/entries.csv", account)
    pay = {"amount": "50.00", "method": "cash"}
    wrong = walk.go("POST /accounts/{account_id}/payments", account, json=pay)["payment_id"]
    walk.go("POST /payments/{payment_id}/reverse", wrong, json={"why": "Wrong"})
    paid = walk.go(
        "POST /accounts/{account_id}/payments", account, json={**pay, "amount": "300.00", "anyway": True}
    )
    walk.go("POST /payments/{payment_id}/receipt", paid["payment_id"])
    walk.go(
        "POST /accounts/{account_id}/refunds",
        account,
        json={"amount": "10.00", "method": "cash", "why": "Too much"},
    )
    second = walk.enrolled(walk.run(15)["id"], person)["enrollment_id"]
    walk.go("POST /accounts/{account_id}/use-credit", account)
    assert walk.go("GET /accounts/{account_id}/pro-forma.pdf", account).startswith(b"%PDF")
    invoice = walk.go("POST /accounts/{account_id}/invoices", account, json={})
    assert walk.go("GET /accounts/{account_id}/invoices", account)
    assert walk.go("GET /accounts/{account_id}/statement.pdf", account).startswith(b"%PDF")
    assert walk.go("GET /invoices/{invoice_id}/paper.pdf", invoice["id"]).startswith(b"%PDF")
    walk.go("POST /invoices/{invoice_id}/send", invoice["id"], json={})
    opened = walk.go("GET /accounts/{account_id}", account)["open"][0]
    off = {"installment_id": opened["id"], "why": "Gift"}
    walk.go("POST /accounts/{account_id}/write-offs", account, json=off)
    walk.go("POST /enrollments/{enrollment_id}/withdraw", second, json={})
    walk.go("POST /accounts/{account_id}/credit-notes", account, json={})
    walk.go("POST /invoices/{invoice_id}/credit-note", invoice["id"], json={"why": "Wrong address"})
    assert walk.go("GET /till")
    assert walk.go("GET /logs/{about}/{number}", "account", account)["items"]
    for path in ("", "/payers", ".csv", "/open", "/open.csv", "/unearned", "/unearned.csv"):
        assert walk.go(f"GET /outstanding{path}") is not None
    assert walk.go("GET /ledger.txt")


def today_jobs_checks_and_calculators(walk: Walk, stranger: Any) -> None:
    assert walk.go("GET /today")
    assert walk.go("GET /ribbon")
    assert walk.go("POST /pulse", json={"seen": 0})
    with walk.sessions.begin() as session:
        gone = Job(kind="mail", key=f"walk-{next(number)}", what={}, status="failed", tries=5,
                   due_at=datetime.now(UTC), made_at=datetime.now(UTC))  # fmt: skip
        session.add(gone)
        session.flush()
        number_of = gone.id
    assert any(j["id"] == number_of for j in walk.go("GET /jobs")["jobs"])
    walk.go("POST /jobs/{job_id}/retry", number_of)
    assert walk.go("POST /checks")
    for name, document in EXAMPLES.items():
        assert walk.go("POST /calc/{name}", name, json=document)


def the_public_text_of_a_course(walk: Walk, stranger: Any) -> None:
    one, other = (
        walk.go("POST /categories", json={"name": f"Walks {next(number)}"})["categories"][-1]["id"]
        for _ in range(2)
    )
    assert {one, other} <= {c["id"] for c in walk.go("GET /categories")}
    walk.go(
        "PUT /categories/{category_id}", other, json={"name": f"Walked {next(number)}", "parent_id": None}
    )
    walk.go("POST /categories/{category_id}/up", other)
    walk.go("POST /categories/{category_id}/merge", one, json={"into_id": other})
    walk.go("DELETE /categories/{category_id}", other)
    run = walk.run(20)
    course = run["course"]["id"]
    picture = walk.go("POST /courses/{course_id}/pictures", course, files={"file": ("p.png", PNG)})["key"]
    paper = {"file": ("tools.pdf", A_PDF)}
    document = walk.go("POST /courses/{course_id}/documents", course, files=paper)["key"]
    text = {
        "summary": "To walk.",
        "picture": {"key": picture, "alt": "A path"},
        "documents": [{"key": document, "name": "Tools"}],
    }
    walk.go("PATCH /courses/{course_id}/text", course, json={"set": text})
    walk.go("POST /courses/{course_id}/publish", course)
    walk.go("PATCH /courses/{course_id}/text", course, json={"set": {"summary": "To walk far."}})
    assert walk.go("GET /courses/{course_id}/text", course)["text"]["summary"] == "To walk far."
    walk.go("PUT /courses/{course_id}/versions/{n}/mark", course, 1, json={"mark": "leaflet"})
    assert "far" in str(walk.go("GET /courses/{course_id}/versions/{n}/compared", course, 1))
    walk.go("POST /courses/{course_id}/versions/{n}/take-up", course, 1)
    assert walk.go("GET /courses/{course_id}/text", course)["text"]["summary"] == "To walk."
    assert "<strong>" in str(walk.go("POST /markdown", json={"text": "**far**"}))
    assert course in {line["id"] for line in walk.go("GET /catalog-lines")}
    walk.go("POST /courses/{course_id}/take-off", course)


def signing_up_without_the_staff(walk: Walk, stranger: Any) -> None:
    def on_sale(weeks: int, **changes: Any) -> int:
        run = walk.run(weeks, **changes)
        walk.go("PATCH /courses/{course_id}/text", run["course"]["id"], json={"set": {"summary": "To walk."}})
        walk.go("POST /courses/{course_id}/publish", run["course"]["id"])
        return int(run["id"])

    def somebody() -> dict[str, str]:
        n = next(number)
        return {"given": f"Op{n}", "family": f"Walk{n}", "email": f"op{n}@example.org"}

    run = on_sale(21)
    made = walk.go("POST /runs/{run_id}/access-codes", run, json={"label": "Leaflet"})
    assert made["id"] in {c["id"] for c in walk.go("GET /runs/{run_id}/access-codes", run)["codes"]}
    word = walk.go("GET /access-codes/{access_code_id}", made["id"])["code"]
    walk.go("PATCH /access-codes/{access_code_id}", made["id"], json={"set": {"most": 9}})
    set_to = "PATCH /runs/{run_id}/publication"
    walk.go(set_to, run, json={"seen": {"signs_up": "everyone"}, "set": {"signs_up": "code"}})
    assert walk.go("GET /runs/{run_id}/publication", run)["signs_up"] == "code"
    assert walk.go("POST /catalog/runs/{run_id}/code", run, client=stranger, json={"access_code": word})[
        "fits"
    ]
    assert walk.go(f"GET /catalog/runs/{{run_id}}?access_code={word}", run, client=stranger)
    asked = {"access_code": word}
    total = walk.go("POST /catalog/runs/{run_id}/quote", run, client=stranger, json=asked)["total"]
    me = somebody()
    kept = {"email": me["email"], "heads": 1, **asked}
    walk.go("POST /catalog/runs/{run_id}/kept-seats", run, client=stranger, json=kept)
    body = {**me, "total": total, **asked}
    walk.go("POST /catalog/runs/{run_id}/sign-ups", run, client=stranger, json=body)
    assert walk.go("POST /runs/{run_id}/rehearsal", run, json={})["why_not"]
    walk.go(set_to, run, json={"seen": {"signs_up": "code"}, "set": {"signs_up": "request"}})
    walk.go("POST /catalog/runs/{run_id}/requests", run, client=stranger, json=somebody())
    (request,) = walk.go(f"GET /requests?run_id={run}")["requests"]
    walk.go("POST /requests/{seat_request_id}/decision", request["id"], json={"approve": True})
    full = on_sale(22, capacity=1, smallest=0)
    walk.enrolled(full)
    walk.go("POST /catalog/runs/{run_id}/waiting", full, client=stranger, json=somebody())
    later = on_sale(23, sign_up_opens=(TODAY + timedelta(days=30)).isoformat())
    walk.go("POST /catalog/runs/{run_id}/interest", later, client=stranger, json=somebody())
    course = walk.go("GET /runs/{run_id}", later)["course"]["id"]
    assert walk.go("GET /catalog/courses/{course_id}/interest", course, client=stranger)
    walk.go("POST /catalog/courses/{course_id}/interest", course, client=stranger, json=somebody())


def money_by_card(walk: Walk, stranger: Any) -> None:
    run, person = walk.run(24), walk.person()
    walk.enrolled(run["id"], person)
    account = walk.go("POST /accounts", json={"person_id": person})["id"]

    def given(begun: dict[str, Any]) -> None:
        gives_card(walk.card_service, begun["page"])
        assert walk.go("GET /card-payments/{token}", begun["key"], client=stranger)["state"] == "given"

    given(walk.go("POST /accounts/{account_id}/card-details", account))
    charged = walk.go("POST /accounts/{account_id}/card-charges", account, json={"amount": "5.00"})
    assert charged["status"] == "done"
    walk.go("DELETE /accounts/{account_id}/card-details", account)
    assert walk.go("GET /card-payments")["items"] is not None
    walk.go("POST /accounts/{account_id}/pay-link", account)
    letter = walk.one(select(Message.body).where(Message.person_id == person).order_by(Message.id.desc()))
    token = re.search(r"/pay/(\S+)", letter)[1]
    assert walk.go("GET /pay-links/{token}", token, client=stranger)["whole"] == "205.00"
    begun = walk.go("POST /pay-links/{token}", token, client=stranger, json={"what": "next"})
    assert walk.go("POST /card-payments/{token}/page", begun["key"], client=stranger)["page"] == begun["page"]
    given(begun)
    walk.go("POST /people/{person_id}/own-page", person)
    invited = walk.one(select(Message.body).where(Message.person_id == person).order_by(Message.id.desc()))
    key = re.search(r"/own/(\S+)", invited)[1]
    walk.go("POST /own/links/{token}", key, client=stranger, json={"password": PASSWORD})
    given(walk.go("POST /own/payments", client=stranger, json={"what": "whole"}))
    walk.go("POST /payment-notices", client=stranger, **notice(begun["key"], f"walk-{next(number)}"))


def courses_that_instructors_prepare(walk: Walk, stranger: Any) -> None:
    n = next(number)
    mine, at = "/own/teaching/preparations", "/own/teaching/preparations/{preparation_id}"
    teacher = walk.go("POST /instructors", json={"name": f"P. Rep{n}", "email": f"prep{n}@example.org"})
    walk.go("POST /people/{person_id}/own-page", teacher["person_id"])
    letter = walk.one(select(Message.body).where(Message.to_email == f"prep{n}@example.org"))
    key = re.search(r"/own/(\S+)", letter)[1]
    walk.go("POST /own/links/{token}", key, client=stranger, json={"password": PASSWORD})

    def own(words: str, *numbers: Any, **more: Any) -> Any:
        return walk.go(words, *numbers, client=stranger, **more)

    def begun() -> int:
        made = own(f"POST {mine}", json={"title": f"Walked {next(number)}"})["id"]
        own(f"PATCH {at}/text", made, json={"set": {"summary": "What it is."}})
        return int(made)

    first = begun()
    own(f"PUT {at}/title", first, json={"title": "Walked through"})
    own(f"POST {at}/pictures", first, files={"file": ("a.png", PNG, "image/png")})
    run = {"first": "2027-11-02", "start": "18:00", "minutes": 90, "count": 2, "capacity": 8}
    (made,) = own(f"POST {at}/runs", first, json=run)["runs"]
    own(f"PATCH {at}/runs/{{run_id}}", first, made["run_id"], json={"set": {"capacity": 9}})
    when = f"{at}/runs/{{run_id}}/meetings/{{meeting_id}}"
    last = made["dates"][-1]["meeting_id"]
    own(f"PATCH {when}", first, made["run_id"], last, json={"set": {"date": "2027-11-10"}})
    own(f"DELETE {when}", first, made["run_id"], last)
    own("POST /own/teaching/markdown", json={"text": "**Stone**"})
    own(f"DELETE {at}/runs/{{run_id}}", first, made["run_id"])
    own(f"POST {at}/hand-in", first, json={"said": "Done"})
    own(f"POST {at}/take-back", first)
    own(f"POST {at}/hand-in", first, json={})
    assert first in {p["id"] for p in walk.go("GET /preparations")["items"]}
    course = own(f"GET {at}", first)["course_id"]
    assert walk.go("GET /courses/{course_id}/preparation", course)["preparation"]["id"] == first
    walk.go("POST /preparations/{preparation_id}/return", first, json={"word": "A title, please."})
    own(f"POST {at}/hand-in", first, json={})
    walk.go("POST /preparations/{preparation_id}/publish", first)
    walk.go("POST /preparations/{preparation_id}/finish", begun())
    own(f"DELETE {at}", begun())
    walk.go("PATCH /instructors/{instructor_id}", teacher["id"], json={"publishes": True})
    own(f"POST {at}/publish", begun())
    assert course in {c["course_id"] for c in own("GET /own/teaching/courses")["courses"]}


PARTS = (
    access_and_settings,
    staff_and_ones_own_account,
    settings_and_logs,
    courses_runs_and_their_life,
    terms_fees_and_defaults_of_a_run,
    the_schedule,
    clashes,
    places_instructors_absences_and_closed_days,
    teaching,
    people_and_their_pages,
    organizations_and_parked_calls,
    quotes_that_are_kept,
    enrollments_change_move_and_end,
    the_roster_and_its_papers,
    lists_of_every_kind,
    sentences_and_groups,
    lines_interest_and_what_is_kept_back,
    money,
    the_public_text_of_a_course,
    signing_up_without_the_staff,
    money_by_card,
    courses_that_instructors_prepare,
    today_jobs_checks_and_calculators,
)


def test_every_operation_is_done_with_success(chief, stranger, sessions, bank, card_service):
    with sessions.begin() as session:
        session.query(SignInLimit).delete()
    walk = Walk(chief, sessions, card_service)
    for part in PARTS:
        part(walk, stranger)
    assert sorted(OPERATIONS - walk.done) == []
