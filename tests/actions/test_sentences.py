"""Standing and follow-on enrollment: sentences that put people on runs by themselves, in chains, and never in a circle."""

import pytest
from sqlalchemy import func, select

from archgate.actions.bulk import batches, carrying_out, confirming, reading, sentences
from archgate.actions.bulk.commands import SentenceCommand, SentenceTermsCommand
from archgate.actions.enrolling import changing, enrollments, freed, roles, roster, waitlist
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.people import people
from archgate.actions.people.commands import TagsCommand
from archgate.actions.runs import lifecycle
from archgate.core.faults import Refused
from archgate.core.sentences import loop_of
from archgate.core.states import Role
from archgate.papers.lists import read_table
from archgate.tables.bulk import SentenceDue
from archgate.tables.roster import Enrollment, RunGroup
from made import a_person, a_run, agrees, enrolled, number, roster_of, taken


def write(office, **facts):
    return office.act(lambda d: sentences.create(d, command_of(SentenceCommand, facts)))


def follow(office, source, target, **more):
    return write(office, kind="follow-on", source_id=source["id"], target_id=target["id"], **more)


def carried_out(office):
    """The worker does what is due, until nothing is."""
    while carrying_out.carry_out(office.sessions, 50, at=office.at):
        pass
    with office.sessions() as s:
        assert s.scalar(select(func.count()).select_from(SentenceDue)) == 0


def tagged(office, person, *tags):
    command = command_of(TagsCommand, {"tags": list(tags)})
    office.act(lambda d: people.tag_person(d, person["id"], command))


def of(office, sentence):
    return next(
        s for s in office.read(lambda d: sentences.list_sentences(d, ended=True)) if s["id"] == sentence["id"]
    )


def on(office, run):
    return {r["person_id"] for r in roster_of(office, run)}


def test_whoever_comes_onto_a_run_also_comes_onto_the_one_that_follows_free_of_charge_in_its_group(office):
    source, target = a_run(office), a_run(office)
    made = follow(office, source, target, group="Framers")
    assert made["text"] == (
        f"Everyone on {source['title']} ({source['code']}) also goes on {target['title']} ({target['code']}), in group Framers,"
        " free of charge; assistants do not. Who leaves the one stays on the other."
    )
    somebody = enrolled(office, source)
    carried_out(office)
    row = roster_of(office, target)[0]
    assert (row["person_id"], row["total"], row["way_in"]) == (somebody["person_id"], "0.00", "follow-on")
    found = office.read(lambda d: roster.roster(d, target["id"]))
    assert [(g["name"], g["people"]) for g in found["groups"]] == [("Framers", 1)]
    assert found["sentences"] == [{"id": made["id"], "text": made["text"]}] and row["sentence"] == made["id"]
    assert office.read(lambda d: changing.view(d, row["id"]))["sentence"] == made["text"]
    now = of(office, made)
    assert (now["enrolled"], now["lined"], now["due"]) == (1, 0, 0) and now["last_at"]
    agrees(office)


def test_those_who_are_there_already_go_only_if_wished_and_are_counted_before(office):
    source, target = a_run(office, capacity=20), a_run(office, capacity=8, smallest=0)
    people_there = [enrolled(office, source)["person_id"] for _ in range(4)]
    office.act(
        lambda d: enrollments.enroll(
            d,
            command_of(
                enrollments.EnrollCommand,
                {"run_id": target["id"], "person_id": people_there[0], "total": "210.00"},
            ),
        )
    )
    body = {"kind": "follow-on", "source_id": source["id"], "target_id": target["id"], "rate": "standard"}
    seen = office.read(lambda d: sentences.foresee(d, command_of(SentenceCommand, body)))
    assert (seen["there"], seen["already"], seen["seats"], seen["waits"], seen["total"]) == (
        4,
        1,
        3,
        0,
        "630.00",
    )
    first = write(office, **body)
    carried_out(office)
    assert on(office, target) == {people_there[0]}
    office.act(lambda d: sentences.end(d, first["id"]))
    write(office, **body, all_now=True)
    carried_out(office)
    assert on(office, target) == set(people_there)
    mine = next(r for r in roster_of(office, target) if r["person_id"] == people_there[0])
    assert mine["way_in"] == "desk"  # was in already: left as it is


def test_a_full_target_puts_people_in_line_and_says_so(office):
    source, target = a_run(office, capacity=20), a_run(office, capacity=2, smallest=0)
    made = follow(office, source, target)
    for _ in range(3):
        enrolled(office, source)
    carried_out(office)
    assert taken(office, target) == 2
    assert len(office.read(lambda d: roster.roster(d, target["id"]))["waiting"]) == 1
    now = of(office, made)
    assert (now["enrolled"], now["lined"]) == (2, 1)


def test_who_is_seated_from_the_line_keeps_sentence_group_and_price_and_leaves_with_the_source(office):
    source, target = a_run(office, capacity=20), a_run(office, capacity=1, smallest=0)
    first = enrolled(office, target)
    made = follow(office, source, target, group="Framers", leaves=True)
    held = enrolled(office, source)
    carried_out(office)
    office.act(lambda d: freed.withdraw(d, first["enrollment_id"]))
    waiting = office.read(lambda d: roster.roster(d, target["id"]))["waiting"][0]
    seated = office.act(lambda d: waitlist.seat(d, waiting["id"], "0.00"))
    with office.sessions() as s:
        mine = s.get_one(Enrollment, seated["enrollment_id"])
        assert (mine.sentence_id, mine.total, s.get_one(RunGroup, mine.group_id).name) == (
            made["id"],
            0,
            "Framers",
        )
    office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    carried_out(office)
    assert on(office, target) == set()


@pytest.mark.parametrize("leaves", [True, False])
def test_whoever_leaves_the_one_leaves_the_other_if_the_sentence_says_so(office, leaves):
    source, target = a_run(office), a_run(office)
    follow(office, source, target, leaves=leaves)
    own = enrolled(office, target)["person_id"]
    held = enrolled(office, source)
    carried_out(office)
    assert held["person_id"] in on(office, target)
    office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    carried_out(office)
    assert on(office, target) == ({own} if leaves else {own, held["person_id"]})
    agrees(office)


def test_assistants_go_only_where_the_sentence_says_so(office):
    source, without, with_them = a_run(office), a_run(office), a_run(office)
    follow(office, source, without)
    follow(office, source, with_them, assistants=True)
    helper = a_person(office)
    office.act(lambda d: roles.add_with_role(d, source["id"], helper["id"], Role.ASSISTANT))
    carried_out(office)
    assert on(office, without) == set() and on(office, with_them) == {helper["id"]}


def test_chains_work_and_a_loop_is_refused_and_drawn(office):
    one, two, three = (a_run(office) for _ in range(3))
    follow(office, one, two)
    follow(office, two, three)
    somebody = enrolled(office, one)["person_id"]
    carried_out(office)
    assert on(office, three) == {somebody}
    with pytest.raises(Problem) as refused:
        follow(office, three, one)
    codes = [r["code"] for r in (three, one, two, three)]
    assert refused.value.extra["loop"] == codes and " → ".join(codes) in refused.value.detail
    with pytest.raises(Refused, match="follow on itself"):
        follow(office, one, one)


def test_a_tag_puts_people_on_a_run_from_now_on_and_off_again_if_it_is_lost(office):
    run, tag, before = a_run(office), f"apprentice{next(number)}", a_person(office)
    tagged(office, before, tag)
    made = write(office, kind="standing", tag=tag.upper(), target_id=run["id"], leaves=True)
    assert made["text"].startswith(f"Everyone who gets the tag {tag} goes on")
    after = a_person(office)
    tagged(office, after, tag, "other")
    carried_out(office)
    assert on(office, run) == {after["id"]}
    tagged(office, after, "other")
    carried_out(office)
    assert on(office, run) == set()


def test_everybody_who_is_added_goes_also_those_whom_a_list_adds(office):
    run, other = a_run(office, capacity=50), a_run(office, capacity=50)
    made = write(office, kind="standing", target_id=run["id"])
    a_person(office)
    text = "Name,Email\n" + "\n".join(f"New{n} Came,new{n}.{run['id']}@example.org" for n in range(5))
    batch = office.act(
        lambda d: batches.after(
            d, reading.create_batch(d, other["id"], "l.csv", text.encode(), read_table(text.encode()))
        )
    )
    office.act(lambda d: confirming.confirm(d, batch["id"], batch["people"], batch["total"]).key)
    carried_out(office)
    office.act(lambda d: sentences.end(d, made["id"]))
    assert taken(office, run) == 6 and taken(office, other) == 5


def test_a_list_onto_a_followed_run_takes_everybody_along(office):
    source, target = a_run(office, capacity=300, smallest=0), a_run(office, capacity=300, smallest=0)
    made = follow(office, source, target)
    text = "Name,Email\n" + "\n".join(f"Li{n} Along,li{n}.{source['id']}@example.org" for n in range(90))
    batch = office.act(
        lambda d: batches.after(
            d, reading.create_batch(d, source["id"], "l.csv", text.encode(), read_table(text.encode()))
        )
    )
    office.act(lambda d: confirming.confirm(d, batch["id"], batch["people"], batch["total"]).key)
    carried_out(office)
    assert on(office, target) == on(office, source) and of(office, made)["enrolled"] == 90
    agrees(office)


def test_an_ended_sentence_does_nothing_and_one_that_cannot_says_why(office):
    source, target, other = a_run(office), a_run(office), a_run(office)
    ended, barred = follow(office, source, target), follow(office, source, other)
    office.act(lambda d: sentences.end(d, ended["id"]))
    office.act(lambda d: lifecycle.set_sale(d, other["id"], False))
    enrolled(office, source)
    carried_out(office)
    assert on(office, target) == set() == on(office, other)
    now = of(office, barred)
    assert now["missed"] == 1 and "is off sale" in now["note"]
    with pytest.raises(Problem, match="ended already"):
        office.act(lambda d: sentences.end(d, ended["id"]))


def test_terms_of_a_sentence_are_changed_from_now_on(office):
    source, target = a_run(office, capacity=20), a_run(office, capacity=20)
    made = follow(office, source, target)
    enrolled(office, source)
    carried_out(office)
    terms = command_of(SentenceTermsCommand, {"rate": "standard", "group": "Late"})
    changed = office.act(lambda d: sentences.change(d, made["id"], terms))
    assert "at the rate Standard" in changed["text"]
    enrolled(office, source)
    carried_out(office)
    assert sorted(r["total"] for r in roster_of(office, target)) == ["0.00", "210.00"]
    with pytest.raises(Refused, match="no such rate"):
        office.act(
            lambda d: sentences.change(d, made["id"], command_of(SentenceTermsCommand, {"rate": "nothing"}))
        )


def test_loops_are_found_however_long():
    assert loop_of({1: [2], 2: [3]}, 3, 1) == [3, 1, 2, 3]
    assert loop_of({1: [2], 2: [3]}, 1, 3) is None
    assert loop_of({}, 1, 2) is None
    assert loop_of({n: [n + 1] for n in range(1, 500)}, 500, 1) == [500, *range(1, 501)]
