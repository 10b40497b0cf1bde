"""Roles beside learners, groups, attendance, the desk notice, the roster beside a list, and two records made one."""

import pytest

from archgate.actions.across import merging, person_pages, undo
from archgate.actions.enrolling import attendance, changing, freed, groups, roles, roster, transfers
from archgate.actions.enrolling.commands import ChangeCommand, MarksCommand, RoleCommand, TransferCommand
from archgate.actions.kernel import lookups
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.money import accounts
from archgate.actions.money.commands import PayerCommand, PaymentCommand
from archgate.actions.people import people
from archgate.actions.people.commands import NoteCommand, TagsCommand
from archgate.actions.runs import notices
from archgate.core.faults import Refused
from archgate.core.states import Mark
from made import Office, a_person, a_run, agrees, enrolled, roster_of, taken


@pytest.fixture
def chief(office, users):
    return Office(office.sessions, users["administrator"], office.at)


@pytest.fixture
def run(office):
    return a_run(office, capacity=2, smallest=0)


def with_role(office, run, role, person=None):
    somebody = person or a_person(office)
    return office.act(lambda d: roles.add_with_role(d, run["id"], somebody["id"], role))


def test_only_learners_take_seats_and_only_administrators_add_instructors(office, chief, run):
    for _ in range(2):
        enrolled(office, run)
    observer = with_role(office, run, "observer")
    assert (taken(office, run), len(roster_of(office, run))) == (2, 3)
    with pytest.raises(Problem, match="Only an administrator"):
        with_role(office, run, "instructor")
    teacher = with_role(chief, run, "instructor")
    assert {r["role"] for r in roster_of(office, run)} == {"learner", "observer", "instructor"}
    with pytest.raises(Refused):
        with_role(office, run, "learner")
    with pytest.raises(Problem, match="already on the roster"):
        with_role(office, run, "assistant", {"id": roster_of(office, run)[0]["person_id"]})
    changed = office.act(
        lambda d: roles.set_role(d, observer["enrollment_id"], RoleCommand(role="assistant"))
    )
    office.act(lambda d: undo.undo(d, changed["change"]))
    assert {r["id"]: r["role"] for r in roster_of(office, run)}[observer["enrollment_id"]] == "observer"
    there = a_run(office)
    for act in (
        lambda d: freed.withdraw(d, observer["enrollment_id"]),
        lambda d: transfers.transfer(
            d, observer["enrollment_id"], command_of(TransferCommand, {"run_id": there["id"]})
        ),
        lambda d: changing.change(d, observer["enrollment_id"], command_of(ChangeCommand, {"fresh": True})),
        lambda d: transfers.swap(d, observer["enrollment_id"], a_person(office)["id"]),
    ):
        with pytest.raises(Problem, match="is observer here and holds no seat"):
            office.act(act)
    gone = office.act(lambda d: roles.take_off(d, teacher["enrollment_id"]))
    assert len(roster_of(office, run)) == 3
    office.act(lambda d: undo.undo(d, gone["change"]))
    assert len(roster_of(office, run)) == 4
    agrees(office)


def test_groups_are_made_on_the_way_and_go_when_nobody_is_in_them(office, run):
    held = [enrolled(office, run)["enrollment_id"] for _ in range(2)]
    first = office.act(lambda d: groups.put_in_group(d, run["id"], "Tuesday table", held))
    assert [(g["name"], g["people"]) for g in first["groups"]] == [("Tuesday table", 2)]
    second = office.act(lambda d: groups.put_in_group(d, run["id"], "Window", held[:1]))
    assert [(g["name"], g["people"]) for g in second["groups"]] == [("Tuesday table", 1), ("Window", 1)]
    last = office.act(lambda d: groups.put_in_group(d, run["id"], None, held))
    assert last["groups"] == []
    office.act(lambda d: undo.undo(d, last["change"]))
    assert [r["group"] is not None for r in roster_of(office, run)] == [True, True]
    with pytest.raises(Problem, match="no longer on this roster"):
        office.act(lambda d: groups.put_in_group(d, run["id"], "X", [10**9]))
    for wrong in ([], [held[0]] * 20_001):
        with pytest.raises(Refused):
            office.act(lambda d, w=wrong: groups.put_in_group(d, run["id"], "X", w))


def test_attendance_is_marked_by_meeting_and_the_share_leaves_excused_ones_out(office, run):
    somebody = a_person(office)
    enrolled(office, run, somebody)
    meetings = [m["id"] for m in run["dates"]]

    def mark(n, status):
        return office.act(lambda d: attendance.mark(d, meetings[n], {somebody["id"]: status}, anyway=True))

    with pytest.raises(Problem, match="Mark it all the same"):
        office.act(lambda d: attendance.mark(d, meetings[0], {somebody["id"]: "present"}))
    on_the_day = office.later(days=25)  # 14 September, before the evening
    assert on_the_day.act(lambda d: attendance.mark(d, meetings[0], {somebody["id"]: "present"}))["change"]

    assert mark(0, "present")["people"][0]["share"] == "100"
    mark(1, "excused")
    mark(2, "left early")
    done = mark(3, "absent")
    assert done["people"][0]["share"] == "67"
    assert done["people"][0]["marks"] == {
        str(meetings[0]): "present", str(meetings[1]): "excused", str(meetings[2]): "left early", str(meetings[3]): "absent",
    }  # fmt: skip
    office.act(lambda d: undo.undo(d, done["change"]))
    assert office.read(lambda d: attendance.attendance(d, run["id"]))["people"][0]["share"] == "100"
    assert mark(0, None)["people"][0]["share"] == "100"
    with pytest.raises(Refused):
        command_of(MarksCommand, {"marks": {somebody["id"]: "asleep"}})
    with pytest.raises(Refused):
        office.act(lambda d: attendance.mark(d, meetings[0], {10**9: Mark.PRESENT}, anyway=True))


@pytest.mark.parametrize(
    ("marks", "share"),
    [([], None), (["excused"], None), (["present"], "100"), (["present", "absent"], "50"),
     (["present", "present", "absent"], "67"), (["late"] + ["absent"] * 7, "13")],
)  # fmt: skip
def test_shares_round_half_up(marks, share):
    assert attendance.share_of(dict(enumerate(marks))) == share


def test_a_desk_notice_is_read_once_a_version(office, run):
    assert office.read(lambda d: notices.notice_of(d, lookups.get_run(d, run["id"])))["text"] == ""
    first = office.act(lambda d: notices.set_notice(d, run["id"], "The flyer says 18:00; it is 17:30."))
    assert (first["version"], first["seen"]) == (1, False)
    assert office.act(lambda d: notices.acknowledge(d, run["id"], 1))["seen"] is True
    assert office.act(lambda d: notices.acknowledge(d, run["id"], 1))["seen"] is True
    again = office.act(lambda d: notices.set_notice(d, run["id"], "Bring boots."))
    assert (again["version"], again["seen"]) == (2, False)
    with pytest.raises(Refused):
        office.act(lambda d: notices.acknowledge(d, run["id"], 1))
    with pytest.raises(Refused):
        office.act(lambda d: notices.set_notice(d, run["id"], "x" * 2001))


def test_the_roster_beside_a_list_tells_who_is_on_one_only(office, run):
    first, second = a_person(office), a_person(office)
    enrolled(office, run, first)
    enrolled(office, run, second)
    text = f"{first['name'].upper()}\nNobody Known\n\nsomebody, {second['email']}"
    found = office.read(lambda d: roster.compare(d, run["id"], text))
    assert (found["without"], found["missing"], found["both"]) == ([], ["Nobody Known"], 2)
    found = office.read(lambda d: roster.compare(d, run["id"], f"{second['family']}, {second['given']}"))
    assert [p["name"] for p in found["without"]] == [first["name"]] and found["missing"] == []


# --- two records of one person ----------------------------------------------------------------------------


def merge(office, kept, gone, preview=False):
    return office.act(lambda d: merging.merge(d, kept["id"], gone["id"]), preview=preview)


def test_two_records_become_one_with_everything_and_are_taken_apart_again(office, run):
    kept, gone = a_person(office, phone=None), a_person(office, phone="555-0142", email=None)
    held = enrolled(office, run, gone)
    own = office.act(
        lambda d: accounts.account_for(
            d, command_of(PayerCommand, {"person_id": gone["id"], "organization_id": None})
        )
    )["id"]
    office.act(
        lambda d: accounts.take_payment(
            d, own, command_of(PaymentCommand, {"amount": "50.00", "method": "cash"})
        )
    )
    office.act(lambda d: people.tag_person(d, gone["id"], command_of(TagsCommand, {"tags": ["member"]})))
    office.act(
        lambda d: people.add_note(d, gone["id"], command_of(NoteCommand, {"text": "Prefers mornings"}))
    )
    shown = merge(office, kept, gone, preview=True)
    assert {m["what"] for m in shown["moved"]} == {"sign-ups", "tags", "notes", "accounts"}
    assert (shown["taken_over"], shown["balance"]) == ([{"what": "phone", "value": "555-0142"}], "160.00")
    done = merge(office, kept, gone)
    page = office.read(lambda d: person_pages.person_page(d, kept["id"]))
    assert (page["phone"], page["tags"], page["owed"]) == ("555-0142", ["member"], "160.00")
    assert roster_of(office, run)[0]["person_id"] == kept["id"]
    assert not any(
        p["id"] == gone["id"] for p in office.read(lambda d: person_pages.find_people(d, gone["name"]))
    )
    agrees(office)
    office.act(lambda d: undo.undo(d, done["change"]))
    assert roster_of(office, run)[0]["person_id"] == gone["id"]
    assert office.read(lambda d: person_pages.person_page(d, kept["id"]))["phone"] is None
    assert (
        office.act(
            lambda d: accounts.account_for(
                d, command_of(PayerCommand, {"person_id": gone["id"], "organization_id": None})
            )
        )["id"]
        == own
    )
    assert held["enrollment_id"] == roster_of(office, run)[0]["id"]
    agrees(office)


def test_a_merge_is_not_taken_back_once_something_was_done_with_the_person(office, run):
    kept, gone = a_person(office), a_person(office)
    done = merge(office, kept, gone)
    enrolled(office, run, kept)
    with pytest.raises(Problem, match="Something was done with this person since"):
        office.act(lambda d: undo.undo(d, done["change"]))
    with pytest.raises(Problem, match="merged already"):
        merge(office, gone, kept)


def test_records_that_sit_on_one_run_both_are_settled_first(office, run):
    kept, gone = a_person(office), a_person(office)
    for somebody in (kept, gone):
        enrolled(office, run, somebody)
    with pytest.raises(Problem, match=f"Both records hold a seat on {run['code']}"):
        merge(office, kept, gone)
    office.act(lambda d: freed.withdraw(d, roster_of(office, run)[0]["id"]))
    merge(office, kept, gone)
    with pytest.raises(Problem, match="one record already"):
        merge(office, kept, kept)
    agrees(office)
