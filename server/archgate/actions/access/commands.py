"""Signing in, and setting a password."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from archgate.actions.kernel.commands import Command

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
