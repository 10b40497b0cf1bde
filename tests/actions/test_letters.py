"""Letters: a template an occasion, typed values in, plain text and HTML out."""

from dataclasses import fields
from datetime import date, datetime, time
from pathlib import Path

import pytest
from jinja2 import UndefinedError, meta

from archgate.papers.letters import writing
from archgate.papers.letters.occasions import (
    Appointment,
    Begins,
    DateMoved,
    DatesMoved,
    Enrolled,
    GoesAhead,
    ListEnrolled,
    NamedRun,
    Occasion,
    OfRun,
    Owed,
    RunCancelled,
    SeatOffered,
    Span,
)
from archgate.papers.letters.writing import Letter, html_of, written

RUN = NamedRun("Drawing", "DRW-27A")
HALL = Appointment(date(2027, 9, 9), time(17, 30), time(19, 0), "Hall, 1 Water Street")


def every_occasion(kind=Occasion):
    return [x for k in kind.__subclasses__() for x in ([k] if k is not OfRun else []) + every_occasion(k)]


def test_every_template_belongs_to_one_occasion_and_names_no_value_it_lacks():
    shared = {"parts.txt", "of_run.txt"}
    files = {p.name for p in Path(writing.__file__).parent.glob("*.txt")} - shared
    occasions = every_occasion()
    assert len(occasions) > 15 and sorted(x.template for x in occasions) == sorted(files)
    for occasion in occasions:
        source = Path(writing.__file__).with_name(occasion.template).read_text()
        named = meta.find_undeclared_variables(writing.TEXTS.parse(source))
        assert named == {f.name for f in fields(occasion)}, occasion.template


def enrolled(**changes):
    values = {
        "center": "Harbor Street", "name": "Ann", "run": RUN, "begins": Begins(date(2027, 9, 9), time(17, 30)), "span": None,
        "dates": (HALL,), "place": "Hall", "currency": "USD", "dues": (), "held_until": None,
    }  # fmt: skip
    return written(Enrolled(**{**values, **changes}))


def test_a_learner_reads_the_dates_what_is_due_and_how_long_the_seat_is_held():
    letter = enrolled(
        dues=(Owed(24000, date(2027, 8, 1)), Owed(5, date(2027, 9, 1))),
        held_until=datetime(2027, 8, 3, 18, 0),
    )
    assert letter.subject == "Enrolled on Drawing"
    assert letter.text == (
        "Dear Ann,\n\nyou are enrolled on Drawing (DRW-27A), from Thu 9 Sep 2027 at 17:30.\n\n"
        "The dates:\n- Thu 9 Sep 2027, 17:30 to 19:00, Hall, 1 Water Street\n\n"
        "What is due, in USD:\n240.00 on Sun 1 Aug 2027\n0.05 on Wed 1 Sep 2027\n\n"
        "The seat is held until Tue 3 Aug 2027 at 18:00 for the first payment.\n\nHarbor Street"
    )


def test_a_letter_says_nothing_of_what_there_is_not():
    assert enrolled(begins=None, dates=()).text == (
        "Dear Ann,\n\nyou are enrolled on Drawing (DRW-27A).\n\nPlace: Hall\n\nHarbor Street"
    )
    assert enrolled(begins=None, dates=(), place="").text == (
        "Dear Ann,\n\nyou are enrolled on Drawing (DRW-27A).\n\nHarbor Street"
    )
    cohort = enrolled(dates=(), span=Span(date(2027, 1, 4), date(2027, 5, 28)))
    assert "The dates:\n- From Mon 4 Jan 2027 through Fri 28 May 2027\n" in cohort.text


def test_one_and_many_are_said_as_such():
    one = written(ListEnrolled(1, ("Ann",), RUN, None))
    assert one.subject == "1 person on Drawing" and one.text.startswith("1 person of a list is enrolled")
    many = written(ListEnrolled(203, tuple(f"P{n}" for n in range(200)), RUN, None))
    assert many.text.startswith("203 people of a list are enrolled") and many.text.endswith(
        "P199\nand 3 more"
    )
    until = datetime(2027, 8, 3, 18, 0)
    assert "A seat on Drawing is yours" in written(SeatOffered("C", "Drawing", 1, until, "https://x")).text
    assert "3 seats on Drawing are yours" in written(SeatOffered("C", "Drawing", 3, until, "https://x")).text


def test_whoever_teaches_reads_a_note_and_nothing_of_a_seat():
    told = written(RunCancelled("C", RUN, "Ann", date(2027, 9, 9), "The teacher is ill.", seat=True)).text
    assert told == (
        "Dear Ann,\n\nDrawing (DRW-27A), planned from Thu 9 Sep 2027, is not held. The teacher is ill.\n\n"
        "Your seat is given back and nothing more is owed for it.\n\nC"
    )
    assert "Your seat" not in written(RunCancelled("C", RUN, "Ann", None, "", seat=False)).text
    note = written(RunCancelled("C", RUN, "", None, "", seat=True)).text
    assert note == "Drawing (DRW-27A) is not held."
    assert written(GoesAhead("C", RUN, "", None)).text == "Drawing (DRW-27A) goes ahead."


def test_each_date_says_what_became_of_it():
    later = Appointment(date(2027, 9, 10), time(9, 0))
    moved = (
        DateMoved(HALL, later),
        DateMoved(HALL, None),
        DateMoved(None, later),
        DateMoved(later, later, 45),
    )
    hall = "Thu 9 Sep 2027, 17:30 to 19:00, Hall, 1 Water Street"
    assert written(DatesMoved("C", RUN, "", "new dates", moved)).text == (
        f"New dates of Drawing (DRW-27A):\n\n- {hall}: now Fri 10 Sep 2027, 09:00\n- {hall}: is not held\n"
        "- Fri 10 Sep 2027, 09:00: is new\n- Fri 10 Sep 2027, 09:00: now 45 minutes long"
    )


def test_what_people_typed_stays_text_in_both_forms():
    odd = "{{ 7 * 7 }} <b>&*x*"
    letter = enrolled(name=odd)
    assert letter.text.startswith(f"Dear {odd},")
    page = html_of(letter)
    assert "<p>Dear {{ 7 * 7 }} &lt;b&gt;&amp;*x*,</p>" in page and "<b>" not in page
    assert "<p>The dates:</p>\n<ul><li>Thu 9 Sep 2027, 17:30 to 19:00, Hall, 1 Water Street</li></ul>" in page
    link = html_of(Letter("S", "Here:\nhttps://a.example.org/own/x?a=1&b=2"))
    assert '<a href="https://a.example.org/own/x?a=1&amp;b=2">' in link
    assert "<a" not in html_of(Letter("S", "javascript:alert(1)\n<a href=x>"))


def test_a_value_that_is_missing_is_an_error(monkeypatch):
    monkeypatch.setattr(GoesAhead, "template", "enrolled.txt")
    with pytest.raises(UndefinedError):
        written(GoesAhead("C", RUN, "Ann", None))
