"""Lists and sentences of the made-up center: a client's list that waits for decisions, and two sentences at work."""

from __future__ import annotations

from archgate.actions.bulk import carrying_out, reading, sentences
from archgate.actions.bulk.commands import SentenceCommand
from archgate.actions.kernel.commands import command_of
from archgate.demo.center import Center
from archgate.demo.names import FAMILY, GIVEN
from archgate.demo.sign_ups import somebody
from archgate.papers.lists import read_table

LINES = 44
NAME = "harbor-trust-spring.csv"


def harbor_list() -> str:
    """A client's list as such lists come: three lines that may mean somebody known, some without an email, one that is none, a
    rate misspelt, a line twice, a party, a total."""
    rows = ["First name,Last name,E-mail,Phone,Fee,Group,Party,Remarks"]
    for n in range(LINES):
        given, family = GIVEN[(n * 5 + 3) % len(GIVEN)], FAMILY[(n * 13 + 7) % len(FAMILY)]
        email = f"{given}.{family}.{n}@harbor.example.org".lower()
        phone, fee, party, remarks = f"555-01{n:02d}", "", "", ""
        if n in (4, 17, 29):
            _, family, known = somebody(n + 20)
            email = known or email
        elif n in (8, 21, 33):
            email = ""
        elif n == 11:
            email = email.replace("@", "@@")
        elif n in (14, 15, 26):
            fee = "standart"
        elif n == 31:
            party, remarks = "3", '"Two colleagues, names to follow"'
        group = "Masons" if n % 3 else "Roofers"
        rows.append(f"{given},{family},{email},{phone},{fee},{group},{party},{remarks}")
    rows.append(rows[3])
    rows.append(f"Total,,,,,,{LINES + 2},")
    return "\r\n".join(rows) + "\r\n"


def lists(center: Center, runs: dict[tuple[str, int], int]) -> None:
    """This morning: a list that was read and waits, and what the sentences have done."""
    for facts in (
        {"kind": "follow-on", "source_id": runs[("TIMB", 16)], "target_id": runs[("DRAW", 0)], "group": "Framers", "all_now": True},
        {"kind": "standing", "tag": "apprentice", "target_id": runs[("READ", 20)], "leaves": True},
    ):  # fmt: skip
        center.act(9.3, sentences.create, command_of(SentenceCommand, facts))
    while carrying_out.carry_out(center.sessions, at=center.at(9.4)):
        pass
    data = harbor_list().encode()
    center.act(9.5, reading.create_batch, runs[("LIME", 60)], NAME, data, read_table(data))
