from dataclasses import replace
from datetime import date

import pytest

from archgate.actions.across import finding, live, logs, person_pages, undo
from archgate.actions.across.commands import RunsWanted
from archgate.actions.enrolling import waitlist
from archgate.actions.enrolling.commands import JoinCommand
from archgate.actions.fees import codes
from archgate.actions.fees.term_commands import CodeCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.money import accounts, invoices
from archgate.actions.money.commands import PayerCommand
from archgate.actions.people import organizations, people
from archgate.actions.people.commands import NoteCommand, OrganizationCommand, PersonCommand, PersonPatch
from archgate.actions.schedule import places
from archgate.actions.schedule.commands import PlaceCommand
from archgate.actions.teaching import instructors
from archgate.actions.teaching.commands import InstructorCommand
from archgate.core.faults import Refused
from archgate.core.states import LogOf
from made import a_person, a_run, enrolled, number


def found(office, q):
    return [p["id"] for p in office.read(lambda d: person_pages.find_people(d, q, 50))]


def test_people_are_found_by_parts_of_name_without_case_and_accents(office):
    word = f"Ündïne{next(number)}"
    person = a_person(office, given=word, family="Çelik")
    assert person["id"] in found(office, f"undine{word[6:]} cel")
    assert person["id"] not in found(office, f"{word} nobody")


def test_people_are_found_by_phone_digits_and_email(office):
    n = next(number)
    person = a_person(office, phone=f"(555) 01{n:05}", email=f"Mixed.Case{n}@Example.org")
    assert person["id"] in found(office, f"55501{n:05}")
    assert person["id"] in found(office, f"mixed.case{n}@")


def test_wildcards_typed_are_plain_characters(office):
    a_person(office)
    assert found(office, "%%%") == []
    assert found(office, "_____________") == []


@pytest.mark.parametrize(
    ("body", "at"),
    [
        ({}, "/given"),
        ({"given": "A", "email": "no address"}, "/email"),
        ({"given": "A", "phone": "call me"}, "/phone"),
        ({"given": "A" * 201}, "/given"),
        ({"given": 5}, "/given"),
        ({"given": "A", "nonsense": 1}, "/nonsense"),
    ],
)
def test_every_fault_of_a_person_is_named(office, body, at):
    with pytest.raises(Refused) as refused:
        office.act(lambda d: people.create_person(d, command_of(PersonCommand, body)))
    assert at in {f.at for f in refused.value.faults}


def test_the_same_name_and_email_is_pointed_out_and_may_be_added_anyway(office):
    n = next(number)
    body = {"given": "Twin", "family": f"N{n}", "email": f"twin{n}@example.org"}
    first = office.act(lambda d: people.create_person(d, command_of(PersonCommand, body)))
    with pytest.raises(Problem) as problem:
        office.act(
            lambda d: people.create_person(
                d, command_of(PersonCommand, {**body, "email": body["email"].upper()})
            )
        )
    assert problem.value.extra["person"].id == first["id"]
    second = office.act(
        lambda d: people.create_person(d, command_of(PersonCommand, {**body, "anyway": True}))
    )
    assert second["id"] != first["id"]


def test_people_may_share_an_email_or_have_none(office):
    n = next(number)
    for given in ("One", "Two"):
        office.act(
            lambda d, g=given: people.create_person(
                d,
                command_of(PersonCommand, {"given": g, "family": f"N{n}", "email": f"share-{n}@example.org"}),
            )
        )
    alone = office.act(
        lambda d: people.create_person(d, command_of(PersonCommand, {"given": "No", "family": f"Mail{n}"}))
    )
    assert alone["email"] is None and len(found(office, f"share-{n}@")) == 2


def test_organizations_have_one_name_each(office):
    name = f"Client {next(number)}"
    office.act(
        lambda d: organizations.create_organization(
            d, command_of(OrganizationCommand, {"name": f"  {name} "})
        )
    )
    with pytest.raises(Problem, match="already an organization"):
        office.act(
            lambda d: organizations.create_organization(
                d, command_of(OrganizationCommand, {"name": name.upper()})
            )
        )
    with pytest.raises(Refused):
        office.act(
            lambda d: organizations.create_organization(d, command_of(OrganizationCommand, {"name": "  "}))
        )
    assert office.read(lambda d: organizations.find_organizations(d, name))[0]["name"] == name


def near(office, **typed):
    facts = {"given": "", "family": "", "email": "", "phone": "", **typed}
    return {p["id"]: p["why"] for p in office.read(lambda d: people.near(d, **facts))}


def test_nearly_the_same_names_are_pointed_out_while_typing(office):
    n = next(number)
    person = a_person(office, given="Michele", family=f"Jacobson{n}", phone="555-0199")
    assert near(office, given="Michèle", family=f"Jacobson{n}")[person["id"]] == "the same name"
    assert near(office, given="Michelle", family=f"Jakobson{n}")[person["id"]] == "nearly the same name"
    assert person["id"] not in near(office, given="Robert", family=f"Quite{n}")
    assert near(office, given="M") == {}


def test_a_shared_email_or_phone_is_said_and_decides_nothing(office):
    n = next(number)
    person = a_person(office, phone=f"(555) 77{n:05}", email=f"near{n}@example.org")
    assert near(office, given="Somebody", family="Else", email=f"NEAR{n}@example.org") == {
        person["id"]: "the same email"
    }
    assert near(office, phone=f"555 77{n:05}") == {person["id"]: "the same phone"}


def test_strokes_and_accents_do_not_hide_a_name(office):
    n = next(number)
    person = a_person(office, given="Miłosz", family=f"Øster{n}")
    assert person["id"] in found(office, f"milosz oster{n}")


def test_a_person_is_changed_with_what_was_seen(office):
    person = a_person(office)
    body = {"seen": {"given": person["given"]}, "set": {"given": "Anna Maria", "phone": "555-0123"}}
    assert office.act(lambda d: people.change_person(d, person["id"], command_of(PersonPatch, body)))[
        "name"
    ].startswith("Anna Maria ")
    assert person["id"] in found(office, f"anna {person['family']}")
    moved = office.act(
        lambda d: people.change_person(
            d, person["id"], command_of(PersonPatch, {"seen": {}, "set": {"phone": "555-0124"}})
        )
    )
    office.act(lambda d: undo.undo(d, moved["change"]))
    assert office.read(lambda d: person_pages.person_page(d, person["id"]))["phone"] == "555-0123"
    with pytest.raises(Problem, match="Somebody else changed this meanwhile: given"):
        office.act(
            lambda d: people.change_person(
                d, person["id"], command_of(PersonPatch, {**body, "set": {"given": "Other"}})
            )
        )
    with pytest.raises(Refused, match="A name is needed"):
        office.act(
            lambda d: people.change_person(
                d, person["id"], command_of(PersonPatch, {"seen": {}, "set": {"given": "", "family": " "}})
            )
        )
    with pytest.raises(Problem, match="does not exist"):
        office.read(lambda d: person_pages.person_page(d, 10**9))


def test_a_persons_page_holds_runs_line_money_notes_and_log(office):
    person, run = a_person(office), a_run(office, capacity=1, smallest=0)
    enrolled(office, run, person)
    other = a_run(office, capacity=1, smallest=0)
    enrolled(office, other)
    office.act(
        lambda d: waitlist.join(
            d, command_of(JoinCommand, {"run_id": other["id"], "person_id": person["id"]})
        )
    )
    office.act(
        lambda d: people.add_note(d, person["id"], command_of(NoteCommand, {"text": " Calls back at noon. "}))
    )
    page = office.read(lambda d: person_pages.person_page(d, person["id"]))
    assert (page["owed"], page["next_due"]["due"]) == ("210.00", "2027-08-20")
    assert [(e["code"], e["owed"]) for e in page["enrollments"]] == [(run["code"], "210.00")]
    assert [(w["code"], w["place"]) for w in page["waiting"]] == [(other["code"], 1)]
    assert [n["text"] for n in page["notes"]] == ["Calls back at noon."]
    log = office.read(lambda d: logs.log_of(d, LogOf.PERSON, person["id"]).items)
    assert [line["summary"].split()[0] for line in log] == [
        "Wrote",
        person["given"],
        "Enrolled",
        "Added",
    ]
    with pytest.raises(Refused):
        office.act(lambda d: people.add_note(d, person["id"], command_of(NoteCommand, {"text": "  "})))


def test_anything_is_found_in_one_field(office):
    run = a_run(office, title=f"Findable walls {next(number)}")
    person = a_person(office, family=f"Findable{next(number)}")
    hits = office.read(lambda d: finding.find(d, run["title"]))
    assert [r["id"] for r in hits["runs"]] == [run["id"]]
    assert person["id"] in {
        p["id"] for p in office.read(lambda d: finding.find(d, person["family"]))["people"]
    }
    assert office.read(lambda d: finding.find(d, ""))["people"] == []


def test_the_pulse_tells_what_others_changed_and_on_which_run(office, users):
    run = a_run(office)
    before = office.read(lambda d: live.pulse(d, 0, run["id"]))["revision"]
    enrolled(office, run)
    mine = office.read(lambda d: live.pulse(d, before, run["id"]))["changes"][-1]
    assert mine["own"] is True and mine["summary"].startswith("Enrolled") and mine["run_id"] == run["id"]
    theirs = replace(office, user=users["administrator"]).read(lambda d: live.pulse(d, before, run["id"]))
    assert theirs["changes"][-1]["own"] is False
    other = a_run(office)
    keys = {c["key"] for c in office.read(lambda d: live.pulse(d, 0, other["id"]))["changes"]}
    assert mine["key"] not in keys


def test_the_ribbon_shows_the_season_around_today(office):
    run = a_run(office, sign_up_opens="2027-08-25")
    season = office.read(finding.ribbon)
    bar = next(b for b in season["bars"] if b["id"] == run["id"])
    assert (bar["first"], bar["last"], bar["opens"], bar["sign_up"]) == (
        "2027-09-14",
        "2027-11-02",
        "2027-08-25",
        "not yet",
    )
    assert season["from"] < "2027-08-20" < season["to"]
    held = office.read(
        lambda d: finding.list_runs(
            d, RunsWanted(q=run["code"], since=date(2027, 10, 1), until=date(2027, 10, 2))
        )
    )
    assert held["total"] == 1
    gone = office.read(
        lambda d: finding.list_runs(
            d, RunsWanted(q=run["code"], since=date(2027, 12, 1), until=date(2027, 12, 9))
        )
    )
    assert gone["total"] == 0


def test_the_one_field_finds_everything_that_has_a_name(office):
    n = next(number)
    house = office.act(
        lambda d: organizations.create_organization(
            d, command_of(OrganizationCommand, {"name": f"Keystone House {n}"})
        )
    )
    place = office.act(
        lambda d: places.save_place(d, None, command_of(PlaceCommand, {"name": f"Keystone hall {n}"}))
    )
    teacher = office.act(
        lambda d: instructors.save(d, None, command_of(InstructorCommand, {"name": f"K. Keystone{n}"}))
    )
    code = office.act(
        lambda d: codes.make_code(d, command_of(CodeCommand, {"code": f"KEYSTONE{n}", "percent": "5"}))
    )
    person = a_person(office, family=f"Keystone{n}")
    enrolled(office, a_run(office), person)
    account = office.act(
        lambda d: accounts.account_for(d, command_of(PayerCommand, {"person_id": person["id"]}))
    )["id"]
    paper = office.act(lambda d: invoices.issue(d, account))

    def others(q):
        return {
            (o["kind"], o["id"]): o["account_id"] for o in office.read(lambda d: finding.find(d, q))["others"]
        }

    assert others(f"keystone {n}") == {
        ("organization", house["id"]): None, ("place", place["id"]): None, ("instructor", teacher["id"]): None,
        ("code", code["id"]): None,
    }  # fmt: skip
    assert others(paper["number"]) == {("paper", paper["id"]): account}
    assert others(f"keystone nobody{n}") == {}
