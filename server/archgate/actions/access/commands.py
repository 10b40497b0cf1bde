"""Signing in, and setting a password."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from archgate.actions.kernel.commands import AmountText, Command, Line

Secret = Annotated[str, Field(max_length=4000)]


class SignInCommand(Command):
    email: Annotated[str, Field(max_length=4000)]
    password: Secret


class StaffSignInCommand(SignInCommand):
    """`code`: of the second factor, where there is one."""

    code: Annotated[str, Field(max_length=100)] | None = None


class NewPasswordCommand(Command):
    password: Secret


class OwnEmailCommand(Command):
    email: Annotated[str, Field(max_length=4000)]


class OwnWithdrawCommand(Command):
    """`kept` is what the page said is kept; without it nothing was shown yet."""

    kept: AmountText | None = None


class OwnFactsCommand(Command):
    given: Line = Field("", title="The given name")
    family: Line = Field("", title="The family name")
    phone: Annotated[Line, Field(max_length=60)] = Field("", title="The phone number")


class OwnPasswordCommand(Command):
    """The password that holds, and the one to take its place."""

    now: Secret
    password: Secret
