"""Whatever is sent, the server answers with a sentence and never with a crash. Full length under --long."""

import copy
import json
from datetime import UTC, datetime

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import func, select

from api.test_own_teaching import own_browser
from archgate.actions.enrolling import enrollments, parked, waitlist
from archgate.actions.enrolling.commands import EnrollCommand, JoinCommand, ParkCommand
from archgate.actions.kernel import signing
from archgate.actions.kernel.commands import command_of
from archgate.actions.people import people
from archgate.actions.people.commands import PersonPatch
from archgate.actions.teaching import instructors, preparing
from archgate.actions.teaching.commands import InstructorCommand, PrepareCommand
from archgate.app import routes_of
from archgate.core.faults import Refused
from archgate.documents.calculators import CALCULATORS
from archgate.papers.lists import read_table
from archgate.tables.jobs import Job
from archgate.tables.teaching import Instructor
from conftest import LONG
from core.test_calculators import EXAMPLES
from made import DATA, Office, a_person, a_run, number, public_run, run_form, shown_as

leaves = st.one_of(
    st.none(), st.booleans(), st.integers(-(2**70), 2**70), st.floats(allow_nan=False), st.text(max_size=12),
    st.sampled_from(["2027-09-14", "17:30", "240.00", "-1.00", "0001-01-01", "9999-12-31", "TU", "standard", "\0", "😀" * 50]),
)  # fmt: skip
junk = st.recursive(
    leaves,
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=8), inner, max_size=4),
    max_leaves=12,
)
few = settings(max_examples=2000 if LONG else 24)


def places(value, at=()):
    """Every place in a document that can be changed."""
    yield at
    if isinstance(value, dict):
        for key, held in value.items():
            yield from places(held, (*at, key))
    elif isinstance(value, list):
        for n, held in enumerate(value):
            yield from places(held, (*at, n))


def changed(document, at, value):
    if not at:
        return value
    made = copy.deepcopy(document)
    place = made
    for step in at[:-1]:
        place = place[step]
    place[at[-1]] = value
    return made


@pytest.mark.parametrize("name", sorted(CALCULATORS))
@given(data=st.data())
@few
def test_a_document_with_anything_anywhere_is_answered_or_refused(name, data):
    document = EXAMPLES[name]
    for _ in range(data.draw(st.integers(1, 3))):
        at = data.draw(st.sampled_from(list(places(document))))
        document = changed(document, at, data.draw(junk))
        if not isinstance(document, dict):
            break
    try:
        out = CALCULATORS[name](document)
    except Refused as refused:
        assert refused.faults and all(f.message for f in refused.faults)
    else:
        json.dumps(out)


def bodies(form):
    """A form with something odd somewhere in it."""
    return st.sampled_from(list(places(form))).flatmap(
        lambda at: junk.map(lambda value: changed(form, at, value))
    )


@given(data=st.data())
@few
def test_a_new_run_with_anything_in_its_form_never_crashes(clerk, data):
    form = run_form()
    form["pattern"] = {**form["pattern"], "first": "2099-09-15"}
    answer = clerk.post(
        "/api/v1/runs",
        content=json.dumps(data.draw(bodies(form))),
        headers={"Content-Type": "application/json"},
    )
    assert answer.status_code < 500, answer.text
    if answer.status_code >= 400:
        assert answer.json()["detail"]


@pytest.fixture(scope="module")
def ids(sessions, users, chief):
    """A row of every kind that an address names, so that bodies get past the lookup: a run that is full, with a line."""
    office = Office(sessions, users["coordinator"], datetime(2027, 8, 20, 14, tzinfo=UTC))
    run, other = a_run(office, capacity=2, smallest=0), a_run(office)

    def post(path, body, **more):
        answer = chief.post(f"/api/v1{path}", json=body, **more)
        assert answer.status_code < 300, (path, answer.text)
        return answer.json()

    def quoted(where, **ask):
        return post(f"/runs/{where['id']}/quote", ask)["total"]

    party = {
        "run_id": run["id"],
        "person_id": a_person(office)["id"],
        "total": "420.00",
        "heads": 2,
        "names": ["Ann Guest"],
    }
    held = office.act(lambda d: enrollments.enroll(d, command_of(EnrollCommand, party)))
    waits = office.act(
        lambda d: waitlist.join(d, JoinCommand(run_id=run["id"], person_id=a_person(office)["id"]))
    )
    account = chief.get(f"/api/v1/enrollments/{held['enrollment_id']}").json()["account_id"]
    asks = a_person(office)
    quote = {"run_id": other["id"], "person_id": asks["id"], "total": quoted(other, person_id=asks["id"])}
    teacher = post("/instructors", {"name": f"F. Uzz{next(number)}", "email": None, "hours": []})["id"]
    plan = {"name": f"Fuzzed {next(number)}", "lines": [{"percent": "100", "due": {"after_sign_up": 0}}]}
    webhook = {"name": "Letters", "address": "https://letters.example.org/in"}
    away = {"from": "2027-09-14", "through": "2027-09-15", "label": "away"}
    lists = {"file": ("list.csv", b"First name,Last name,Email\nBo,Yi,bo@example.org\n", "text/csv")}
    batch = chief.post(f"/api/v1/runs/{other['id']}/batches", files=lists).json()
    paper = {"file": ("contract.pdf", b"%PDF-1.4\n", "application/pdf")}
    sentence = post(
        "/sentences", {"kind": "standing", "tag": f"fuzz{next(number)}", "target_id": other["id"]}
    )["id"]
    other_teacher = post("/instructors", {"name": f"F. Two{next(number)}"})["id"]
    pay = {"pay": {"kind": "flat", "amount": "5.00"}}
    lead = {"teachers": [{"instructor_id": teacher}, {"instructor_id": other_teacher, "part": "assistant"}]}
    assert chief.put(f"/api/v1/runs/{run['id']}/teachers", json=lead).status_code == 200
    assert chief.put(f"/api/v1/runs/{run['id']}/pay-terms/{teacher}", json=pay).status_code == 200
    post(
        f"/runs/{run['id']}/pay-lines", {"instructor_id": teacher, "label": "x", "quantity": "1", "unit": "1"}
    )
    post(f"/runs/{run['id']}/agreements", {"instructor_id": teacher})
    shown = chief.get(f"/api/v1/runs/{run['id']}/teaching").json()
    chief.patch("/api/v1/teaching-rules", json={"applications_open": True, "application_questions": []})
    post("/apply", {"given": "F", "family": "Uzz", "email": f"fuzz{next(number)}@example.org", "answers": []})
    cover = post("/cover-plans", {"instructor_id": teacher, "from": "2027-09-01", "through": "2027-12-01"})[
        "id"
    ]
    moved = {"seen": {}, "set": {"date": "2027-08-02"}}
    early = a_run(office, smallest=0)["dates"][0]["id"]
    assert chief.patch(f"/api/v1/meetings/{early}", json=moved).status_code == 200
    spare = post("/staff-roles", {"name": f"fuzzed {next(number)}", "rights": []})["role"]["id"]
    hourly = {"name": f"F. Hour{next(number)}", "pay": {"kind": "per_hour", "amount": "9.00"}}
    paid = post("/instructors", hourly)["id"]
    assert chief.post(f"/api/v1/meetings/{early}/step-in", json={"instructor_id": paid}).status_code in (
        200,
        409,
    )
    summary = {"seen": {}, "set": {"summary": "What it is."}}
    assert chief.patch(f"/api/v1/courses/{run['course']['id']}/text", json=summary).status_code == 200
    assert chief.post(f"/api/v1/courses/{run['course']['id']}/publish").status_code == 200
    asked = by_request(office)
    post(f"/catalog/runs/{asked['id']}/requests", {"given": "F", "family": "Z", "email": "f.z@example.org"})
    return {
        "category_id": post("/categories", {"name": f"Fuzzed {next(number)}"})["id"],
        "access_code_id": post(f"/runs/{run['id']}/access-codes", {"label": "x"})["id"],
        "preparation_id": prepared(office, teacher, run["course"]["id"]),
        "seat_request_id": chief.get(f"/api/v1/requests?run_id={asked['id']}").json()["requests"][0]["id"],
        "user_id": post("/staff", {"name": "F. Uzz", "email": f"uzz{next(number)}@example.org", "role_id": spare})["user"]["id"],
        "role_id": spare, "organization_id": post("/organizations", {"name": f"Fuzzed {next(number)}"})["id"],
        "call_id": office.act(lambda d: parked.park(d, ParkCommand(about="x", state="{}")))[-1]["id"],
        "application_id": chief.get("/api/v1/applications").json()["applications"][0]["id"],
        "agreement_id": shown["agreements"][0]["id"], "line_id": shown["extra"][0]["id"], "cover_id": cover,
        "request_id": 1, "sentence_id": sentence, "run_id": run["id"], "meeting_id": run["dates"][0]["id"], "course_id": run["course"]["id"], "person_id": held["person_id"],
        "enrollment_id": held["enrollment_id"], "n": 2, "waiting_id": waits["waiting_id"], "batch_id": batch["id"],
        "line": batch["items"][0]["line"], "change": held["change"], "name": "plan", "subject_id": run["id"], "day": "2027-07-05",
        "place_id": post("/places", {"name": f"Fuzz hall {next(number)}", "kind": "room"})["id"],
        "instructor_id": teacher, "kind": "instructor", "owner_id": teacher,
        "busy_id": post(f"/busy/instructor/{teacher}", away)["id"], "quote_id": post("/quotes", quote)["id"],
        "account_id": account, "payment_id": post(f"/accounts/{account}/payments", {"amount": "1.00", "method": "cash"})["id"],
        "invoice_id": post(f"/accounts/{account}/invoices", {})["id"], "plan_id": post("/plans", plan)["plan"]["id"],
        "code_id": post("/codes", {"code": f"FUZZ{next(number)}", "percent": "10"})["id"],
        "file_id": chief.post(f"/api/v1/runs/{other['id']}/files", files=paper).json()["id"],
        "item_id": 1, "job_id": office.read(lambda d: d.session.scalar(select(func.max(Job.id)))),
        "reminder_id": post("/reminders", {"day": "2027-09-01", "text": "call", "run_id": None})["id"],
        "held_id": post(f"/runs/{other['id']}/held-places", {"seats": 1, "for_whom": "Ada", "last": "2027-08-30"})["id"],
        "webhook_id": post("/webhooks", webhook)["id"], "token": signing.token_for("o", waits["waiting_id"], 1),
    }  # fmt: skip


def person_of(uow, instructor):
    return uow.session.get_one(Instructor, instructor).person


def prepared(office, instructor, course):
    """A course in an instructor's hand, who may write all of it."""
    employed = command_of(InstructorCommand, {"employment": "employed"})
    office.act(lambda d: instructors.save(d, instructor, employed))
    command = PrepareCommand(course_id=course)
    return office.act(lambda d: preparing.begin(d, person_of(d, instructor), command))["id"]


@pytest.fixture(scope="module")
def at_home(app, sessions, users, ids):
    """A browser in which the instructor of the ids is signed in to their own page."""
    office = Office(sessions, users["coordinator"], datetime(2027, 8, 20, 14, tzinfo=UTC))
    person = office.read(lambda d: person_of(d, ids["instructor_id"]).id)
    facts = {"set": {"email": f"home{next(number)}@example.org"}}
    office.act(lambda d: people.change_person(d, person, command_of(PersonPatch, facts)))
    return own_browser(app, office, person)


def by_request(office):
    run = public_run(office)
    shown_as(office, run, signs_up="request")
    return run


WRITES = [
    (m, path) for path, route in routes_of() for m in sorted(route.methods - {"GET"}) if "session" not in path
]
STRANGER = {"given": "A", "family": "B", "email": "a@example.org", "phone": "", "answers": {"Why?": "x"}}
FORMS = {
    "/api/v1/people": {"given": "A", "family": "B", "email": "a@example.org", "phone": "555", "note": "", "anyway": True},
    "/api/v1/people/{person_id}": {"seen": {"given": "A"}, "set": {"given": "B", "phone": "1", "email": None, "note": "n"}},
    "/api/v1/runs/{run_id}": {"seen": {"place": "Hall 2"}, "set": {"place": "x", "capacity": 9, "smallest": 1, "code": "c", "sign_up_opens": None}},
    "/api/v1/runs/{run_id}/terms": {"seen": {}, "set": {"rates": run_form()["rates"], "plans": run_form()["plans"]}},
    "/api/v1/meetings/{meeting_id}": {"seen": {"date": "2027-09-14"}, "set": {"date": "2027-09-15", "start": "10:00", "minutes": 5}},
    "/api/v1/runs/{run_id}/meetings": {"date": "2027-09-15", "start": "10:00", "minutes": 5},
    "/api/v1/courses/{course_id}": {"seen": {"title": "T"}, "set": {"title": "U", "code": "V", "category_id": None, "promoted": True}},
    "/api/v1/courses/{course_id}/text": {"seen": {}, "set": {"summary": "x", "description": "# y", "highlights": ["a"], "asked": [{"question": "q", "answer": "a"}],
        "tags": ["t"], "level": "beginners", "language": "en", "film": "https://example.org/f", "hidden": ["price"], "gallery": [], "picture": None}},
    "/api/v1/categories": {"name": "K", "parent_id": None},
    "/api/v1/categories/{category_id}": {"name": "K", "parent_id": 1},
    "/api/v1/runs/{run_id}/publication": {"seen": {}, "set": {"found_by": "account", "signs_up": "code", "shown_from": "2027-09-01T09:00", "shown_until": None, "promoted": True}},
    "/api/v1/runs/{run_id}/access-codes": {"label": "x", "code": "GUILD", "starts": "2027-09-01T09:00", "ends": None, "most": 3},
    "/api/v1/runs/{run_id}/rehearsal": {"at": "2027-09-01T09:00", "account": True, "tags": ["member"], "organization_id": None, "heads": 2, "code": "x", "access_code": "y"},
    "/api/v1/requests/{seat_request_id}/decision": {"approve": False, "word": "x"},
    "/api/v1/catalog/runs/{run_id}/quote": {"people": [{"rate_id": 1, "count": 2}], "extras": [{"extra_id": 1, "count": 1}], "code": "x", "plan_id": 1, "access_code": "", "key": "k"},
    "/api/v1/catalog/runs/{run_id}/sign-ups": {**STRANGER, "people": [{"count": 1}], "total": "210.00", "names": ["A B"], "terms": "", "kept": "x"},
    "/api/v1/catalog/runs/{run_id}/waiting": {**STRANGER, "people": [{"count": 1}]},
    "/api/v1/catalog/runs/{run_id}/requests": STRANGER,
    "/api/v1/catalog/runs/{run_id}/interest": STRANGER,
    "/api/v1/catalog/courses/{course_id}/interest": STRANGER,
    "/api/v1/catalog/runs/{run_id}/kept-seats": {"email": "a@example.org", "heads": 1, "access_code": "", "key": ""},
    "/api/v1/catalog/runs/{run_id}/code": {"access_code": "x", "key": ""},
    "/api/v1/enrollments": {"run_id": 1, "person_id": 1, "total": "1.00", "heads": 1, "rate_id": None, "note": "x"},
    "/api/v1/pulse": {"seen": 1, "run_id": None},
    "/api/v1/places": {"name": "A hall", "kind": "room", "seats": 9, "facts": "", "address": "", "map_link": "", "address_public": True},
    "/api/v1/instructors": {"name": "A. Teacher", "email": None, "hours": [{"weekday": "MO", "from": "17:00", "to": "21:00"}],
                            "pay": {"kind": "per_hour", "amount": "42.00"}, "most_hours": "18", "qualifications": [{"category": "x", "level": "leads"}]},
    "/api/v1/runs/{run_id}/teachers": {"teachers": [{"instructor_id": 1, "part": "lead"}], "pattern_n": None, "meeting_id": None, "seen": ""},
    "/api/v1/cover-plans": {"instructor_id": None, "from": "2027-09-01", "through": "2027-09-30", "aim": "cost", "unknown": True, "absence": None},
    "/api/v1/runs/{run_id}/pay-terms/{instructor_id}": {"pay": {"kind": "share_percent", "percent": "10"}, "hours": "3"},
    "/api/v1/runs/{run_id}/pay-lines": {"instructor_id": 1, "label": "x", "quantity": "3", "unit": "0.655"},
    "/api/v1/pay-requests": {"instructor_id": 1, "run_id": None, "month": "2027-08"},
    "/api/v1/evaluation-questions": {"questions": [{"text": "Good?", "kind": "mark"}]},
    "/api/v1/apply": {"given": "A", "family": "B", "email": "a@example.org", "phone": "", "answers": ["x"]},
    "/api/v1/teaching-rules": {"applications_open": True, "application_questions": ["What?"], "fewest_answers": 3},
    "/api/v1/busy/{kind}/{owner_id}": {"from": "2027-09-14", "through": "2027-09-15", "start": None, "end": None, "label": "away"},
    "/api/v1/closures": {"from": "2027-12-24", "through": "2027-12-26", "label": "closed"},
    "/api/v1/runs/{run_id}/move": {"days": None, "weeks": 1, "first": None},
    "/api/v1/runs/{run_id}/extend": {"meetings": 2, "ends_on": None},
    "/api/v1/meetings/{meeting_id}/cancel": {"why": "ill", "replacement": {"date": "2027-12-01", "start": "10:00"}},
    "/api/v1/copies": {"runs": [{"id": 1, "first": "2028-01-05"}], "weeks": None, "course_id": None, "since": None, "until": None},
    "/api/v1/season": {"rows": [{"course": "T1", "first": "14 Sep 2027", "weekdays": "Tue", "number": "8", "start": "17:30", "minutes": "2", "seats": "9", "rate": "240", "room": "x", "instructor": "y"}]},
    "/api/v1/season/judge": {"rows": [{"course": "T1", "first": "14 Sep 2027", "weekdays": "Tue", "number": "8", "start": "17:30", "minutes": "2"}]},
    "/api/v1/schedule/plan": {"patterns": [run_form()["pattern"]], "place": "Hall 2", "capacity": 9, "extra": []},
    "/api/v1/runs/{run_id}/decision": {"decision": "waits", "until": "2027-09-01", "seen": "undecided"},
    "/api/v1/own/teaching/preparations": {"course_id": None, "title": "T"},
    "/api/v1/own/teaching/preparations/{preparation_id}/text": {"seen": {}, "set": {"summary": "x", "program": "# y", "highlights": ["a"], "picture": None, "gallery": []}},
    "/api/v1/own/teaching/preparations/{preparation_id}/runs": {"first": "2027-11-02", "start": "18:00", "minutes": 90, "weekdays": ["TU"], "count": 3, "capacity": 8, "place": "", "amount": "9.00", "note": ""},
    "/api/v1/own/teaching/preparations/{preparation_id}/runs/{run_id}": {"seen": {"capacity": 8}, "set": {"capacity": 9, "place": "", "amount": "9.00", "note": ""}, "pattern": {"first": "2027-11-09", "start": "18:00", "minutes": 90, "weekdays": ["TU"], "count": 3}},
    "/api/v1/own/teaching/preparations/{preparation_id}/runs/{run_id}/meetings/{meeting_id}": {"seen": {"date": "2027-11-02"}, "set": {"date": "2027-11-03", "start": "18:00", "minutes": 90}},
    "/api/v1/own/teaching/markdown": {"text": "# a *b*"},
    "/api/v1/preparations/{preparation_id}/return": {"word": "x"},
    "/api/v1/own/payments": {"what": "next", "keep": True, "on_file": False},
    "/api/v1/pay-links/{token}": {"what": "whole", "keep": True, "on_file": True},
    "/api/v1/accounts/{account_id}/card-charges": {"amount": "1.00"},
    "/api/v1/payment-notices": {"type": "payment.captured", "data": {"key": "x"}},
    "/api/v1/reminders": {"day": "2027-09-01", "text": "call", "run_id": None},
}  # fmt: skip


@pytest.mark.parametrize(("method", "path"), WRITES, ids=lambda v: v)
@given(data=st.data())
@settings(max_examples=400 if LONG else 8)
def test_no_write_crashes_whatever_its_body(clerk, at_home, ids, method, path, data):
    form = FORMS.get(path, {"people": 1, "total": "1.00", "names": ["place"], "text": "t", "person_id": 1})
    body = data.draw(bodies(form))
    address = path.format(**{k: v for k, v in ids.items() if "{" + k + "}" in path})
    client = at_home if "/own/teaching" in path else clerk
    answer = client.request(
        method, address, content=json.dumps(body), headers={"Content-Type": "application/json"}
    )
    assert answer.status_code < 500, (body, answer.text)
    if answer.status_code >= 400 and answer.content:
        assert answer.json()["detail"]


@pytest.mark.parametrize(
    "query",
    [
        "q=%00",
        "q=%F0%9F%98%80",
        "limit=-5",
        "limit=999999",
        "after=%7C",
        "since=0001-01-01",
        "q=" + "x" * 4000,
    ],
)
def test_no_question_crashes(clerk, query):
    for path in ("runs", "people", "find", "organizations"):
        assert clerk.get(f"/api/v1/{path}?{query}").status_code < 500


@given(st.binary(max_size=400))
@few
def test_any_bytes_are_a_list_or_refused_with_a_sentence(data):
    try:
        table = read_table(data)
    except ValueError as error:
        assert str(error).endswith(".")
    else:
        assert table.rows


@given(st.sampled_from(["client-list.csv", "front-desk-export.csv", "evening-class.xlsx"]), st.data())
@few
def test_a_damaged_list_is_read_or_refused_with_a_sentence(name, data):
    whole = (DATA / name).read_bytes()
    cut = data.draw(st.integers(0, len(whole)))
    tail = data.draw(st.binary(max_size=30))
    try:
        read_table(whole[:cut] + tail)
    except ValueError as error:
        assert str(error).endswith(".")


cells = st.lists(
    st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=12).filter(str.strip),
    min_size=3,
    max_size=3,
)


@given(
    st.lists(cells, min_size=1, max_size=8),
    st.sampled_from(",;\t|"),
    st.sampled_from(["utf-8-sig", "utf-16"]),
)
@few
def test_a_table_written_by_another_library_is_read_back_cell_by_cell(rows, separator, encoding):
    """Differential against Python's csv module: what it writes with quotes, in any dialect, comes back the same."""
    import csv
    import io

    out = io.StringIO(newline="")
    writer = csv.writer(out, delimiter=separator, quoting=csv.QUOTE_ALL)
    writer.writerow(["First name", "Last name", "Email"])
    writer.writerows(rows)
    table = read_table(out.getvalue().encode(encoding))
    assert table.headings == ["First name", "Last name", "Email"]
    assert [cells for _, cells in table.rows] == rows
