import pytest

from archgate.actions import people
from archgate.actions.problems import Problem
from archgate.core.faults import Refused
from made import a_person, number


def found(office, q):
    return [p["id"] for p in office.look(lambda d: people.find_people(d, q, 50))]


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
        office.act(lambda d: people.create_person(d, body))
    assert at in {f.at for f in refused.value.faults}


def test_the_same_name_and_email_is_pointed_out_and_may_be_added_anyway(office):
    n = next(number)
    body = {"given": "Twin", "family": f"N{n}", "email": f"twin{n}@example.org"}
    first = office.act(lambda d: people.create_person(d, body))
    with pytest.raises(Problem) as problem:
        office.act(lambda d: people.create_person(d, {**body, "email": body["email"].upper()}))
    assert problem.value.extra["person"]["id"] == first["id"]
    second = office.act(lambda d: people.create_person(d, {**body, "anyway": True}))
    assert second["id"] != first["id"]


def test_people_may_share_an_email_or_have_none(office):
    n = next(number)
    for given in ("One", "Two"):
        office.act(
            lambda d, g=given: people.create_person(
                d, {"given": g, "family": f"N{n}", "email": f"s{n}@example.org"}
            )
        )
    alone = office.act(lambda d: people.create_person(d, {"given": "No", "family": f"Mail{n}"}))
    assert alone["email"] is None and len(found(office, f"s{n}@")) == 2


def test_organizations_have_one_name_each(office):
    name = f"Client {next(number)}"
    office.act(lambda d: people.create_organization(d, f"  {name} "))
    with pytest.raises(Problem, match="already an organization"):
        office.act(lambda d: people.create_organization(d, name.upper()))
    with pytest.raises(Refused):
        office.act(lambda d: people.create_organization(d, "  "))
    assert office.look(lambda d: people.find_organizations(d, name))[0]["name"] == name
