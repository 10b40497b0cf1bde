"""What is wrong with something a person or a program gave us: every fault at once, each with its place."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Fault:
    """One fault. `at` is a JSON pointer (RFC 6901) into what was given; "" is the whole document."""

    at: str
    message: str


def pointer_of(*parts: int | str) -> str:
    """The JSON pointer of a place (RFC 6901, section 3: "~" is written "~0", "/" is written "~1").

    >>> pointer_of("extras", "a/b", 0)
    '/extras/a~1b/0'
    """
    return "".join("/" + str(part).replace("~", "~0").replace("/", "~1") for part in parts)


class Refused(Exception):
    """Raised when the rules refuse what was asked; carries every fault, in the order of the document."""

    def __init__(self, faults: list[Fault] | tuple[Fault, ...]) -> None:
        self.faults = tuple(faults)
        super().__init__("; ".join(f"{f.at or '/'}: {f.message}" for f in self.faults))


def refuse(at: str, message: str) -> Refused:
    """A refusal with a single fault."""
    return Refused([Fault(at, message)])
