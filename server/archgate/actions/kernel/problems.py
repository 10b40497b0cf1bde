"""What an action answers when it cannot do what was asked: the content of an RFC 9457 problem document."""

from __future__ import annotations


class Problem(Exception):
    """`kind` is the stable end of the problem's type; `detail` a sentence for people; `extra` further members."""

    def __init__(self, status: int, kind: str, detail: str, **extra: object) -> None:
        self.status, self.kind, self.detail, self.extra = status, kind, detail, extra
        super().__init__(detail)


def not_found(what: str) -> Problem:
    return Problem(404, "not-found", f"{what} does not exist, or is not yours to see.")


def conflict(kind: str, detail: str, **extra: object) -> Problem:
    return Problem(409, kind, detail, **extra)
