"""Who works here: staff users, whom they are invited by, and the roles that say what each may do.

Whatever changes a user or a role first locks all roles, in their order: so the rule that somebody is left who keeps the
staff is asked of what will stand.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from sqlalchemy import func, select

from archgate.actions.access import second_factor
from archgate.actions.access import staff as signing_in
from archgate.actions.center.commands import InviteCommand, RoleCommand, RolePatch, StaffPatch
from archgate.actions.center.views import (
    RightOut,
    RoleDone,
    SignInOut,
    SignIns,
    StaffDone,
    StaffOut,
    StaffPage,
    StaffRoleOut,
)
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import refuse_lost_update
from archgate.actions.kernel.commands import said_of
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.people.people import email_fault
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.rights import Right, in_order
from archgate.core.states import SignInOutcome, StaffStatus
from archgate.tables.access import SignIn, StaffRole, User

MOST_USERS, MOST_ROLES = 300, 30
SHOWN = 200  # sign-ins of a page


def lock_roles(uow: UnitOfWork) -> dict[int, StaffRole]:
    query = select(StaffRole).order_by(StaffRole.id).with_for_update()
    return {r.id: r for r in uow.session.scalars(query.execution_options(populate_existing=True))}


def get_user(uow: UnitOfWork, user_id: int) -> User:
    user = uow.session.get(User, user_id, populate_existing=True)
    if user is None:
        raise not_found("This user")
    return user


def refuse_nobody_left(uow: UnitOfWork) -> None:
    """Somebody who can sign in must be left who keeps the staff."""
    uow.session.flush()
    query = select(User).where(User.active, User.password != "")
    if not any(user.may(Right.KEEP_STAFF) for user in uow.session.scalars(query)):
        raise conflict("nobody-left", "Nobody would be left who may change the staff; give it to somebody else first.")  # fmt: skip


# --- shown ------------------------------------------------------------------------------------------------


def page(uow: UnitOfWork) -> StaffPage:
    """Everybody of the staff, those at work first, and the table of who may do what."""
    users = list(uow.session.scalars(select(User).order_by(User.active.desc(), User.name, User.id)))
    last = last_sign_ins(uow)
    return StaffPage(
        users=[user_view(uow, user, last) for user in users],
        roles=[
            role_view(uow, role) for role in uow.session.scalars(select(StaffRole).order_by(StaffRole.id))
        ],
        rights=rights(),
    )


def rights() -> list[RightOut]:
    return [RightOut(right=right, words=right.words) for right in Right]


def last_sign_ins(uow: UnitOfWork, user_id: int | None = None) -> dict[int, datetime]:
    query = select(SignIn.user_id, func.max(SignIn.at)).where(SignIn.outcome == SignInOutcome.SIGNED_IN)
    if user_id is not None:
        query = query.where(SignIn.user_id == user_id)
    return {number: at for number, at in uow.session.execute(query.group_by(SignIn.user_id))}  # noqa: C416


def status_of(user: User) -> StaffStatus:
    if not user.active:
        return StaffStatus.ENDED
    return StaffStatus.ACTIVE if user.password else StaffStatus.INVITED


def user_view(uow: UnitOfWork, user: User, last: Mapping[int, datetime] | None = None) -> StaffOut:
    seen = last_sign_ins(uow, user.id) if last is None else last
    status = status_of(user)
    return StaffOut(
        id=user.id,
        name=user.name,
        email=user.email,
        role_id=user.role_id,
        role=user.role.name,
        status=status,
        second_factor=user.second_factor,
        last=uow.local(seen.get(user.id)),
        link_until=uow.local(user.link_at + signing_in.LINK_LIFE)
        if user.link_at and status is StaffStatus.INVITED
        else None,
    )


def role_view(uow: UnitOfWork, role: StaffRole) -> StaffRoleOut:
    held = select(func.count()).select_from(User).where(User.role_id == role.id, User.active)
    return StaffRoleOut(
        id=role.id,
        name=role.name,
        rights=in_order(role.rights),
        second_factor=role.second_factor,
        people=uow.session.scalar(held) or 0,
    )


def sign_ins(uow: UnitOfWork, user_id: int | None = None) -> SignIns:
    """The newest attempts to sign in, of everybody or of one."""
    query = select(SignIn, User.name).join(User, User.id == SignIn.user_id)
    if user_id is not None:
        query = query.where(SignIn.user_id == get_user(uow, user_id).id)
    rows = uow.session.execute(query.order_by(SignIn.id.desc()).limit(SHOWN))
    return SignIns(
        sign_ins=[
            SignInOut(
                at=uow.local(row.at), name=name, outcome=row.outcome, address=row.address, browser=row.browser
            )
            for row, name in rows
        ]
    )


# --- users ------------------------------------------------------------------------------------------------


def invite(uow: UnitOfWork, command: InviteCommand) -> StaffDone:
    """Add somebody to the staff and write them a link to set a password."""
    role = lock_roles(uow).get(command.role_id)
    faults = email_faults(uow, command.email, None, "/email")
    if role is None:
        faults.append(Fault("/role_id", "There is no such role."))
    if faults or role is None:
        raise Refused(faults)
    if (uow.session.scalar(select(func.count()).select_from(User)) or 0) >= MOST_USERS:
        raise refuse("/email", f"A center has at most {MOST_USERS} staff users.")
    user = signing_in.new_user(uow, command.email, command.name, role)
    change = uow.log(Act.INVITE_STAFF, user.id, f"Invited {user.name} to the staff as {role.name}")
    signing_in.send_link(uow, user, change)
    return StaffDone(change=change.key, user=user_view(uow, user))


def email_faults(uow: UnitOfWork, email: str, own: int | None, at: str) -> list[Fault]:
    wrong = email_fault(email)
    if wrong:
        return [Fault(at, wrong)]
    other = uow.session.scalar(select(User).where(User.email == email))
    if other is not None and other.id != own:
        ended = "" if other.active else ", whose account has ended; take them back instead"
        return [Fault(at, f"{other.name} signs in by {email}{ended}.")]
    return []


def change(uow: UnitOfWork, user_id: int, command: StaffPatch) -> StaffDone:
    """Change a name, an email or a role; end an account, or take somebody back."""
    roles, user = lock_roles(uow), get_user(uow, user_id)
    new = {n: v for n, v in said_of(command.set).items() if v is not None}
    now: dict[str, object] = {
        "name": user.name, "email": user.email, "role_id": user.role_id, "active": user.active
    }  # fmt: skip
    refuse_lost_update(new, said_of(command.seen), now)
    facts = command.set
    if facts.email is not None:
        faults = email_faults(uow, facts.email, user.id, "/set/email")
        if faults:
            raise Refused(faults)
    if facts.role_id is not None and facts.role_id not in roles:
        raise refuse("/set/role_id", "There is no such role.")
    if facts.active is False and user.id == uow.user_id:
        raise refuse("/set/active", "Nobody ends their own account; ask somebody else.")
    told = told_of(user, new, roles)
    for name, value in new.items():
        setattr(user, name, value)
    if facts.role_id is not None:
        user.role = roles[facts.role_id]
    refuse_nobody_left(uow)
    if facts.active is False:
        user.turn += 1  # no link that was sent works any more
        signing_in.end_sessions(uow, user.id)
    made = uow.log(Act.CHANGE_STAFF, user.id, told)
    return StaffDone(change=made.key, user=user_view(uow, user))


def told_of(user: User, new: Mapping[str, object], roles: Mapping[int, StaffRole]) -> str:
    """A change of a user in words: what from what to what."""
    parts = []
    for name, value in new.items():
        if name == "active" and bool(value) != user.active:
            parts.append("taken back" if value else "ended, and signed out everywhere")
        elif name == "role_id" and value != user.role_id:
            parts.append(
                f"role {user.role.name} to {roles[user.role_id if value is None else int(str(value))].name}"
            )
        elif name in ("name", "email") and value != getattr(user, name):
            parts.append(f"{name} {getattr(user, name)} to {value}")
    return f"{user.name}: {'; '.join(parts) or 'nothing changed'}"


def send_link(uow: UnitOfWork, user_id: int) -> StaffDone:
    """Write to somebody with a link to set a password: the invitation once more, or a new password."""
    user = get_user(uow, user_id)
    if not user.active:
        raise conflict("ended", f"The account of {user.name} has ended.")
    made = uow.log(Act.SEND_A_PASSWORD_LINK, user.id, f"Sent {user.name} a link to set a password")
    signing_in.send_link(uow, user, made)
    return StaffDone(change=made.key, user=user_view(uow, user))


def end_second_factor(uow: UnitOfWork, user_id: int) -> StaffDone:
    """Take the second factor off somebody who lost their phone and codes; they are signed out everywhere."""
    lock_roles(uow)
    user = get_user(uow, user_id)
    if not user.second_factor:
        raise conflict("none", f"{user.name} has no second factor.")
    if user.id == uow.user_id:
        raise conflict("own", "Take your own second factor off on the page of your account.")
    user.second_factor, user.totp_secret = False, ""
    second_factor.drop_codes(uow, user)
    signing_in.end_sessions(uow, user.id)
    made = uow.log(Act.SECOND_FACTOR, user.id, f"Took the second factor off {user.name}")
    uow.session.flush()
    return StaffDone(change=made.key, user=user_view(uow, user))


# --- roles ------------------------------------------------------------------------------------------------


def with_reading(rights: list[Right] | None) -> list[str]:
    """What a role allows, in order; whoever may do anything may read."""
    return [str(r) for r in in_order({Right.READ, *(rights or ())})]


def refuse_taken_name(uow: UnitOfWork, name: str, own: int | None, at: str) -> None:
    other = signing_in.role_named(uow, name)
    if other is not None and other.id != own:
        raise refuse(at, f"There is a role {other.name} already.")


def add_role(uow: UnitOfWork, command: RoleCommand) -> RoleDone:
    if len(lock_roles(uow)) >= MOST_ROLES:
        raise refuse("/name", f"A center has at most {MOST_ROLES} roles.")
    refuse_taken_name(uow, command.name, None, "/name")
    role = StaffRole(
        name=command.name, rights=with_reading(command.rights), second_factor=command.second_factor
    )
    uow.session.add(role)
    uow.session.flush()
    made = uow.log(Act.CHANGE_A_STAFF_ROLE, role.id, f"A new role {role.name}: {', '.join(role.rights)}")
    return RoleDone(change=made.key, role=role_view(uow, role))


def change_role(uow: UnitOfWork, role_id: int, command: RolePatch) -> RoleDone:
    """Change a role for everybody who has it, from their next click on."""
    role = lock_roles(uow).get(role_id)
    if role is None:
        raise not_found("This role")
    facts, seen = command.set, said_of(command.seen)
    new = {n: v for n, v in said_of(facts).items() if v is not None}
    if "rights" in new:
        new["rights"] = with_reading(facts.rights)
    if "rights" in seen:
        seen["rights"] = with_reading(command.seen.rights)
    now: dict[str, object] = {
        "name": role.name, "rights": [str(r) for r in in_order(role.rights)], "second_factor": role.second_factor
    }  # fmt: skip
    refuse_lost_update(new, seen, now)
    if facts.name is not None:
        refuse_taken_name(uow, facts.name, role.id, "/set/name")
    before = set(role.rights)
    told = [f"now {facts.name}"] if facts.name and facts.name != role.name else []
    for name, value in new.items():
        setattr(role, name, value)
    gained, lost = set(role.rights) - before, before - set(role.rights)
    told += [f"may {r}" for r in in_order(gained)] + [f"may no longer {r}" for r in in_order(lost)]
    if facts.second_factor is not None and facts.second_factor != now["second_factor"]:
        told.append(f"{'needs' if facts.second_factor else 'no longer needs'} a code to sign in")
    refuse_nobody_left(uow)
    made = uow.log(Act.CHANGE_A_STAFF_ROLE, role.id, f"The role {now['name']}: {'; '.join(told) or 'nothing changed'}")  # fmt: skip
    return RoleDone(change=made.key, role=role_view(uow, role))


def remove_role(uow: UnitOfWork, role_id: int) -> str:
    """Take out a role that nobody has; the key of the change."""
    role = lock_roles(uow).get(role_id)
    if role is None:
        raise not_found("This role")
    held = list(uow.session.scalars(select(User.name).where(User.role_id == role.id).order_by(User.name)))
    if held:
        others = f" and {len(held) - 3} more" if len(held) > 3 else ""
        raise conflict("held", f"{', '.join(held[:3])}{others} have this role; give them another first.")
    uow.session.delete(role)
    made = uow.log(Act.CHANGE_A_STAFF_ROLE, role.id, f"Took out the role {role.name}")
    uow.session.flush()
    return made.key
