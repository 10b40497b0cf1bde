from dataclasses import replace
from datetime import date

from hypothesis import given
from hypothesis import strategies as st

from archgate.core.headings import column_faults, columns_of
from archgate.core.names import folded, split_name
from archgate.core.seats import Seats, SetAside
from archgate.core.states import RowKind, Verdict
from archgate.core.verdicts import (
    Fault,
    Judge,
    Known,
    Somebody,
    Terms,
    extras_of,
    mended_email,
    party_of,
    read_row,
)
from archgate.core.waitlist import Rule

ALREADY_IN, LEFT_OUT, NEEDS_FIXING = Verdict.ALREADY_IN, Verdict.LEFT_OUT, Verdict.NEEDS_FIXING
UNSURE, WILL_ENROLL, WILL_WAIT = Verdict.UNSURE, Verdict.WILL_ENROLL, Verdict.WILL_WAIT
RUN = 1

HEADINGS = ["Personnel no", "Name (Last, First)", "Work email", "Department", "Start date"]
COLUMNS = {"number": 0, "name": 1, "email": 2}


def no_fault(email):
    return None if "@" in email else f'"{email}" is not an email address.'


RATES = {"standard": "standard", "member": "member", "full fee": "standard"}


def judge(lines, columns, width, known, terms, seats, payer_of=lambda word: None):
    """The verdicts on lines (number, cells, corrections) for one run, or for those that they name."""
    judge = Judge(terms, payer_of, no_fault, width, {RUN: seats, 2: seats})
    return [
        judge.judge(read_row(n, cells, columns, fixed), cells, known, bool(fixed))
        for n, cells, fixed in lines
    ]


def on_run(group_of=lambda person, payer: None, run=RUN, **more):
    return lambda word: Terms(run, "BW-1", RATES, "standard", group_of=group_of, **more)


def verdicts(rows, known=None, free=100, columns=COLUMNS, ahead=(), fixed=None):
    lines = [(n, cells, (fixed or {}).get(n)) for n, cells in enumerate(rows, 2)]
    seats = Seats(200, 200 - free, ahead)
    return judge(lines, columns, max(columns.values()) + 1, known or Known(), on_run(), seats)


def people(*found):
    """Known people by email: (id, name, email)."""
    by_email = {}
    for number, name, email in found:
        by_email.setdefault(email, []).append(Somebody(number, name, folded(name)))
    return by_email


def test_columns_are_found_by_their_headings():
    assert columns_of(HEADINGS) == {"number": 0, "name": 1, "email": 2, "department": 3}
    assert columns_of(["First name", "SURNAME", "E-mail", "Tel."]) == {
        "given": 0,
        "family": 1,
        "email": 2,
        "phone": 3,
    }


def test_columns_that_cannot_be_used_are_named():
    assert column_faults({"email": 0}, 3)
    assert column_faults({"name": 0, "email": 9}, 3)
    assert column_faults({"name": 0, "email": 0}, 3)
    assert column_faults({"name": 0, "email": 1}, 3) == []


def test_names_are_split_at_the_comma_or_before_the_last_word():
    assert split_name("Jacob, Michèle") == ("Michèle", "Jacob")
    assert split_name("Ana de la Cruz") == ("Ana de la", "Cruz")
    assert split_name("Plato") == ("", "Plato")


def test_names_compare_without_case_accents_and_punctuation():
    assert folded("  LÜCHEL-Müller, Léo ") == folded("luchel muller leo")


def test_every_line_gets_a_verdict_and_earlier_lines_the_seats():
    rows = [["1", "A, B", "a@x.org"], ["2", "C, D", "c@x.org"], ["3", "E, F", "e@x.org"]]
    known = Known(by_number={(None, "2"): Somebody(7, "D C", "d c")}, on_roster=frozenset({(RUN, 7)}))
    found = verdicts(rows, known, free=1)
    assert [v.verdict for v in found] == [WILL_ENROLL, ALREADY_IN, WILL_WAIT]
    assert found[1].person == 7


def test_a_repeated_line_names_the_earlier_one():
    found = verdicts([["1", "A, B", "a@x.org"], ["", "a, b", "A@X.org"]])
    assert (found[1].verdict, found[1].why) == (NEEDS_FIXING, "It repeats line 2.")


def test_every_fault_of_a_line_is_said_at_once():
    found = verdicts([["", "", "nonsense"]])[0]
    assert found.verdict == NEEDS_FIXING
    assert found.why == 'The name is missing. "nonsense" is not an email address.'
    assert verdicts([["", "A, B", ""]])[0].why == "The email is missing. Add one, or tick that there is none."


def test_a_number_that_belongs_to_somebody_else_is_asked_about():
    known = Known(by_number={(None, "2"): Somebody(7, "D C", "d c")})
    found = verdicts([["2", "Other, Name", "o@x.org"]], known)[0]
    assert (found.verdict, found.why, found.near) == (UNSURE, "Number 2 is D C here, not Name Other.", (7,))


def test_a_number_is_that_of_whoever_pays_or_of_the_center():
    """The same number is one person at an organization and another at the center."""
    known = Known(by_number={(None, "2"): Somebody(7, "C D", "c d"), (5, "2"): Somebody(8, "E F", "e f")})
    lines = [(2, ["2", "D, C", ""], None)]
    for payer, person in ((None, 7), (5, None)):
        found = judge(lines, COLUMNS, 3, known, on_run(), Seats(9, 0), lambda word, payer=payer: payer)[0]
        assert found.person == person


def test_the_same_email_with_another_name_is_asked_about_unless_decided():
    known = Known(by_email=people((7, "Ann Berg", "a@x.org"), (8, "Bo Berg", "a@x.org")), ids=frozenset({8}))
    row = [["", "Berg, Cy", "A@x.org"]]
    found = verdicts(row, known)[0]
    assert (found.verdict, found.kind, found.near) == (UNSURE, RowKind.SAME_EMAIL, (7, 8))
    new, picked = (verdicts(row, known, fixed={2: f})[0] for f in ({"somebody_new": "yes"}, {"person": "8"}))
    assert (new.verdict, new.person) == (WILL_ENROLL, None)
    assert (picked.verdict, picked.person) == (WILL_ENROLL, 8)


def test_the_same_name_and_phone_with_another_email_is_asked_about_and_a_phone_alone_is_nobody():
    known = Known(by_phone={("a b", "5550100"): Somebody(4, "A B", "a b")})
    assert verdicts([line()], known, columns=WIDE)[0].kind is RowKind.SAME_PHONE
    assert verdicts([line(given="Zoe")], known, columns=WIDE)[0].verdict == WILL_ENROLL


def test_a_line_left_out_by_hand_takes_no_seat_and_repeats_nobody():
    rows = [["", "A, B", "a@x.org"], ["", "A, B", "a@x.org"]]
    found = verdicts(rows, free=1, fixed={2: {"left_out": "yes"}})
    assert [v.verdict for v in found] == [LEFT_OUT, WILL_ENROLL]


def test_lines_name_their_runs_and_each_run_has_its_own_seats():
    columns = {**COLUMNS, "run": 3}
    terms = {"": RUN, "one": RUN, "two": 2}

    def terms_of(word):
        if word not in terms:
            return Fault(RowKind.NO_RUN, f'There is no run "{word}".', "run", "one")
        return Terms(terms[word], word, RATES, "standard")

    rows = [["", f"A, B{n}", f"{n}@x.org", run] for n, run in enumerate(["one", "two", "one", "on", ""])]
    rows.append(["", "A, B1", "1@x.org", "one"])  # the person of the second line, on the other run
    lines = [(n, cells, None) for n, cells in enumerate(rows, 2)]
    found = judge(lines, columns, 4, Known(), terms_of, Seats(1, 0))
    assert [v.verdict for v in found] == [
        WILL_ENROLL,
        WILL_ENROLL,
        WILL_WAIT,
        NEEDS_FIXING,
        WILL_WAIT,
        WILL_WAIT,
    ]
    assert (found[3].kind, found[3].fact, found[3].suggested) == (RowKind.NO_RUN, "run", "one")


def test_what_may_be_meant_is_suggested():
    assert verdicts([line(rate="memebr")], columns=WIDE)[0].suggested == "member"
    bad = verdicts([line(email="a.example,org")], columns=WIDE)[0]
    assert (bad.kind, bad.suggested) == (RowKind.BAD_EMAIL, "")
    assert verdicts([line(email="<a@x,org>")], columns=WIDE)[0].verdict == WILL_ENROLL
    for slip in (
        "mailto:ana@example.org",
        "<ana@example.org>",
        "ana@@example.org",
        "ana@example,org.",
        " ana @example.org",
    ):
        assert mended_email(slip) == "ana@example.org"


def test_extras_of_a_cell_are_counted():
    assert extras_of("Lunch; 2 x Book, Kit x3") == (("Lunch", 1), ("Book", 2), ("Kit", 3))
    assert extras_of(" ; ,") == ()


def test_a_number_that_a_sheet_has_cut_identifies_nobody():
    assert verdicts([["1.2E+9", "A, B", "a@x.org"]])[0].kind is RowKind.BAD_NUMBER
    cut = verdicts([line(phone="1.2E+9")], columns=WIDE)[0]
    assert cut.verdict == WILL_ENROLL and cut.row.phone is None and "cut by a spreadsheet" in cut.row.odd[0]


def test_signs_that_cannot_be_seen_are_taken_out_of_names_and_said():
    found = verdicts([line(given="An\u202ena", family="Be\u200brg")], columns=WIDE)[0]
    assert found.row.name == "Anna Berg" and len(found.row.odd) == 2


def test_a_line_that_needs_fixing_takes_no_seat():
    found = verdicts([["9", "", "x@x.org"], ["1", "A, B", "a@x.org"]], free=1)
    assert [v.verdict for v in found] == [NEEDS_FIXING, WILL_ENROLL]


WIDE = {"given": 0, "family": 1, "email": 2, "phone": 3, "rate": 4, "remarks": 5, "party": 6}


def line(given="A", family="B", email="a@x.org", phone="555-0100", rate="", remarks="", party=""):
    return [given, family, email, phone, rate, remarks, party]


def test_a_party_takes_as_many_seats_as_it_has_heads_and_a_later_one_that_fits_is_seated():
    rows = [line(email="1@x.org", party="2"), line(email="2@x.org", party="3"), line(email="3@x.org")]
    found = verdicts(rows, free=3, columns=WIDE)
    assert [v.verdict for v in found] == [WILL_ENROLL, WILL_WAIT, WILL_ENROLL]
    assert found[0].why == "New; gets 2 seats, 1 to be named later."
    assert found[1].why == "New; 3 needed, 1 free: waits as number 1 in line."


def test_those_who_wait_already_and_fit_come_before_a_list():
    found = verdicts([line()], free=1, columns=WIDE, ahead=(1,))[0]
    assert (found.verdict, found.why) == (WILL_WAIT, "New; 1 needed, 1 free: waits as number 2 in line.")
    assert verdicts([line()], free=1, columns=WIDE, ahead=(4,))[0].verdict == WILL_ENROLL


def test_empty_lines_and_totals_are_left_out_by_name():
    found = verdicts([line(*[""] * 7), ["Total", "", "", "", "", "", "148"]], columns=WIDE)
    assert [(v.verdict, v.why) for v in found] == [
        (LEFT_OUT, "The line is empty."), (LEFT_OUT, "It is a total, not a person."),
    ]  # fmt: skip


def test_an_unknown_rate_names_those_there_are_and_labels_count_too():
    assert verdicts([line(rate="premium")], columns=WIDE)[0].why == (
        'There is no rate "premium"; the run has standard, member.'
    )
    assert verdicts([line(rate="Full fee")], columns=WIDE)[0].rate == "standard"
    assert verdicts([line(rate="MEMBER")], columns=WIDE)[0].rate == "member"


def test_what_is_odd_is_said_and_does_no_harm():
    found = verdicts([line(given="+Ana", email=" a@x.org ", remarks='=HYPERLINK("x")')], columns=WIDE)[0]
    assert found.verdict == WILL_ENROLL and len(found.row.odd) == 3
    assert found.row.email == "a@x.org" and found.row.remarks.startswith("=")


def test_a_line_without_an_email_is_known_by_name_and_phone_once_it_is_said_to_have_none():
    fixed = {2: {"no_email": "yes"}}
    assert verdicts([line(email="")], columns=WIDE)[0].verdict == NEEDS_FIXING
    assert verdicts([line(email="")], columns=WIDE, fixed=fixed)[0].verdict == WILL_ENROLL
    known = Known(by_phone={("a b", "5550100"): Somebody(4, "A B", "a b")}, on_roster=frozenset({(RUN, 4)}))
    assert verdicts([line(email="")], known, columns=WIDE, fixed=fixed)[0].verdict == ALREADY_IN


def test_a_corrected_line_is_judged_by_the_correction():
    found = verdicts([line(given="", family="", email="x")], columns=WIDE,
                     fixed={2: {"given": "Eric", "family": "Smith", "email": "e@x.org"}})[0]  # fmt: skip
    assert (found.verdict, found.row.name, found.row.email) == (WILL_ENROLL, "Eric Smith", "e@x.org")


def test_a_party_is_a_number_of_heads():
    assert [party_of(t) for t in ("", "1", "50", "2.0", "0", "51", "two", "-1", "1.5")] == [1, 1, 50, 2] + [
        None
    ] * 5


GUILD = SetAside(5, "the Guild", 2, date(2027, 9, 1))


def judged(seats, rows, group_of=lambda person: None, known=None):
    lines = [(n, cells, None) for n, cells in enumerate(rows, 2)]
    terms = on_run(lambda person, payer: group_of(person))
    return judge(lines, WIDE, max(WIDE.values()) + 1, known or Known(), terms, seats)


def test_set_aside_seats_go_to_their_group_and_to_nobody_else():
    """Three seats, two of them for the Guild: a stranger gets the third, the next waits, members get theirs."""
    known = Known(by_email=people(*((n, "A B", f"{n}@x.org") for n in (3, 4, 5))))
    rows = [line(email=f"{n}@x.org") for n in (1, 2, 3, 4, 5)]
    seats = Seats(3, 0, set_asides=(GUILD,), day=date(2027, 8, 20))
    found = judged(seats, rows, lambda person: 5 if person in (3, 4, 5) else None, known)
    assert [v.verdict for v in found] == [WILL_ENROLL, WILL_WAIT, WILL_ENROLL, WILL_ENROLL, WILL_WAIT]
    assert found[2].why == "Known; gets a seat, set aside for the Guild."
    assert [v.seat.set_aside if v.seat else None for v in found] == [None, None, 5, 5, None]
    assert found[4].why == "Known; 1 needed, 0 free: waits as number 2 in line."
    late = judged(replace(seats, day=date(2027, 9, 2)), rows)
    assert [v.verdict for v in late] == [WILL_ENROLL] * 3 + [WILL_WAIT] * 2


def test_a_party_larger_than_the_run_is_pointed_out_and_never_waits():
    found = judged(Seats(4, 0), [line(email="1@x.org", party="5"), line(email="2@x.org", party="4")])
    assert (found[0].verdict, found[0].why) == (NEEDS_FIXING, "5 seats are needed; the run has 4.")
    assert found[1].verdict == WILL_ENROLL


def test_under_the_strict_rule_nobody_of_a_list_passes_those_who_wait():
    rows = [line(email="1@x.org"), line(email="2@x.org", party="3")]
    assert [v.verdict for v in judged(Seats(9, 4, (6,)), rows)] == [WILL_ENROLL, WILL_ENROLL]
    strict = judged(Seats(9, 4, (6,), rule=Rule.STRICT), rows)
    assert [v.why for v in strict] == [
        "New; 1 needed, 5 free: waits as number 2 in line.",
        "New; 3 needed, 5 free: waits as number 3 in line.",
    ]


@given(
    st.integers(0, 30),
    st.lists(st.integers(1, 6), max_size=25),
    st.integers(0, 6),
    st.sampled_from(list(Rule)),
    st.sets(st.integers(0, 24)),
)
def test_a_list_never_gives_more_seats_than_there_are_nor_one_of_a_group_to_others(
    capacity, parties, aside, rule, members
):
    """Counted by itself: seats given in all, seats of the group, and that a line put in line is never passed wrongly."""
    rows = [line(email=f"{n}@x.org", party=str(heads)) for n, heads in enumerate(parties)]
    known = Known(by_email=people(*((n, "A B", f"{n}@x.org") for n in members)))
    seats = Seats(
        capacity, 0, set_asides=(SetAside(5, "G", aside, date.max),), day=date(2027, 8, 20), rule=rule
    )
    found = judged(seats, rows, lambda person: 5 if person in members else None, known)
    seated = [(n, v) for n, v in enumerate(found) if v.verdict == WILL_ENROLL]
    assert sum(parties[n] for n, _ in seated) <= capacity
    group = sum(parties[n] for n, v in seated if v.seat.set_aside == 5)
    assert all(n in members for n, v in seated if v.seat.set_aside == 5)
    kept = max(
        0, aside - group
    )  # a party of the group may take free seats beside its own; all count with the group
    others = sum(parties[n] for n, v in seated if v.seat.set_aside is None)
    assert others <= max(0, capacity - group - kept)
    for n, v in enumerate(found):
        assert (v.verdict == NEEDS_FIXING) == (parties[n] > capacity)
    if rule is Rule.STRICT:
        first = next((n for n, v in enumerate(found) if v.verdict == WILL_WAIT), len(found))
        assert all(v.seat.set_aside == 5 for n, v in seated if n > first)
