"""The staff as screens read it."""

from __future__ import annotations

from archgate.actions.kernel.commands import Moment, View
from archgate.core.rights import Right
from archgate.core.states import NumberFormat, PaperSize, SignInOutcome, StaffStatus


class RightOut(View):
    right: Right
    words: str


class StaffRoleOut(View):
    """`people`: how many of the staff hold it."""

    id: int
    name: str
    rights: list[Right]
    second_factor: bool
    people: int


class StaffOut(View):
    """`second_factor`: a code is asked for when they sign in; `last`: when they last did."""

    id: int
    name: str
    email: str
    role_id: int
    role: str
    status: StaffStatus
    second_factor: bool
    last: Moment | None
    link_until: Moment | None


class StaffPage(View):
    users: list[StaffOut]
    roles: list[StaffRoleOut]
    rights: list[RightOut]


class StaffDone(View):
    change: str
    user: StaffOut


class RoleDone(View):
    change: str
    role: StaffRoleOut


class SignInOut(View):
    at: Moment
    name: str
    outcome: SignInOutcome
    address: str
    browser: str


class SignIns(View):
    sign_ins: list[SignInOut]


class SessionOut(View):
    """`handle` names it for ending it; `this`: the one that asks."""

    handle: str
    since: Moment
    until: Moment
    address: str
    browser: str
    this: bool


class OwnAccount(View):
    """`demanded`: one's role needs a second factor. `codes_left` are recovery codes not used yet."""

    name: str
    email: str
    role: str
    rights: list[RightOut]
    second_factor: bool
    demanded: bool
    codes_left: int
    sessions: list[SessionOut]
    sign_ins: list[SignInOut]


class SecretOut(View):
    """What an application for codes takes in: by the picture, or typed."""

    secret: str
    picture: str


class RecoveryCodes(View):
    codes: list[str]


class NumberExample(View):
    format: NumberFormat
    example: str


class CenterOut(View):
    """`zone_stays` and `currency_stays` say why these cannot be changed any more; empty where they can."""

    name: str
    address: str
    time_zone: str
    currency: str
    region: str
    first_weekday: int
    paper_size: PaperSize
    number_format: NumberFormat
    confirm_above: str | None
    logo: bool
    zone_stays: str
    currency_stays: str
    number_formats: list[NumberExample]


class CenterChanged(CenterOut):
    change: str
