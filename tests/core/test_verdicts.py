from archgate.core.verdicts import (
    ALREADY_IN,
    NEEDS_FIXING,
    NO_SEAT,
    WILL_ENROLL,
    Known,
    column_faults,
    columns_of,
    folded,
    judge,
    split_name,
)

HEADINGS = ["Personnel no", "Name (Last, First)", "Work email", "Department", "Start date"]
COLUMNS = {"number": 0, "name": 1, "email": 2}


def no_fault(email):
    return None if "@" in email else f'"{email}" is not an email address.'


def verdicts(rows, known=None, free=100):
    return judge(enumerate(rows, 2), COLUMNS, 3, known or Known(), free, no_fault)


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
    known = Known(by_number={"2": (7, "D C")}, on_roster=frozenset({7}))
    found = verdicts(rows, known, free=1)
    assert [v.verdict for v in found] == [WILL_ENROLL, ALREADY_IN, NO_SEAT]
    assert found[1].person == 7


def test_a_repeated_line_names_the_earlier_one():
    found = verdicts([["1", "A, B", "a@x.org"], ["", "a, b", "A@X.org"]])
    assert (found[1].verdict, found[1].why) == (NEEDS_FIXING, "It repeats line 2.")


def test_every_fault_of_a_line_is_said_at_once():
    found = verdicts([["", "", "nonsense"]])[0]
    assert found.verdict == NEEDS_FIXING
    assert found.why == 'The name is missing. "nonsense" is not an email address.'
    assert "neither an email nor a staff number" in verdicts([["", "A, B", ""]])[0].why


def test_a_number_that_belongs_to_somebody_else_needs_fixing():
    found = verdicts([["2", "Other, Name", "o@x.org"]], Known(by_number={"2": (7, "D C")}))[0]
    assert found.why == "Number 2 is D C here, not Name Other."


def test_a_line_that_needs_fixing_takes_no_seat():
    found = verdicts([["", "", ""], ["1", "A, B", "a@x.org"]], free=1)
    assert [v.verdict for v in found] == [NEEDS_FIXING, WILL_ENROLL]
