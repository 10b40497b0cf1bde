"""Lists against published CSV behavior.

Sources: RFC 4180 (from memory): records end in CRLF, the last one may lack it; doubled quotes and line breaks inside
quotes belong to the cell; spaces belong to the cell. csv-spectrum 2.0.0 (BSD-2-Clause): the shapes of its pairs
`escaped_quotes`, `newlines`, `newlines_crlf`, `quotes_and_newlines`, `comma_in_quotes`, `utf8`, written here with two
columns more so that they are lists of people.
"""

import pytest

from archgate.papers.lists import read_table

HEAD = "First name,Last name,Email,"


@pytest.mark.parametrize(
    ("text", "cells"),
    [
        (HEAD + 'b\r\n1,"ha ""ha"" ha",x,4\r\n', ["1", 'ha "ha" ha', "x", "4"]),
        (HEAD + 'b\n1,"Once upon \na time",5,6\n', ["1", "Once upon \na time", "5", "6"]),
        (HEAD + 'b\r\n1,"Once upon \r\na time",5,6\r\n', ["1", "Once upon \r\na time", "5", "6"]),
        (HEAD + 'b\n1,"ha \n""ha"" \nha",3,4', ["1", 'ha \n"ha" \nha', "3", "4"]),
        (
            HEAD + 'b\nJohn,Doe,"120 any st., Anytown, WW",08123',
            ["John", "Doe", "120 any st., Anytown, WW", "08123"],
        ),
        (HEAD + "b\n1,2,3,ʤ\n", ["1", "2", "3", "ʤ"]),
        (HEAD + 'b\naaa,"b CRLF bb",ccc,', ["aaa", "b CRLF bb", "ccc", ""]),
        (HEAD + "b\n a , b ,c,d", [" a ", " b ", "c", "d"]),
    ],
)
def test_cells_are_read_as_published(text, cells):
    assert read_table(text.encode()).rows[0][1] == cells


@pytest.mark.parametrize("ending", ["\n", "\r\n", "\r"])
@pytest.mark.parametrize("last", [True, False])
def test_line_ends_of_every_kind_and_a_last_one_that_may_be_missing(ending, last):
    text = ending.join([HEAD + "x", "A,B,a@x.org,1", "C,D,c@x.org,2"]) + (ending if last else "")
    assert [cells[0] for _, cells in read_table(text.encode()).rows] == ["A", "C"]
