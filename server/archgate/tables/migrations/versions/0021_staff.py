"""Roles of the center's own, invited staff, a second factor, a log of sign-ins, money that waits for a second person."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0021"
down_revision = "0020"

# What the roles began with when this was written; a center changes them as it likes.
ALL = (
    "read", "enroll", "keep people", "take money", "pay back", "confirm money", "plan runs", "publish", "keep courses",
    "keep fees", "keep places", "keep teaching", "add instructors", "keep pay", "keep sentences", "keep settings",
    "keep staff",
)  # fmt: skip
NOT_COORDINATOR = ("keep settings", "keep staff", "keep sentences", "add instructors", "confirm money")
ROLES = {
    "administrator": ALL,
    "coordinator": tuple(r for r in ALL if r not in NOT_COORDINATOR),
    "finance": ("read", "take money", "pay back", "confirm money", "keep fees", "keep pay"),
    "desk": ("read", "enroll", "keep people", "take money"),
    "reader": ("read",),
}


def plain(length: int) -> mysql.VARCHAR:
    return mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=length)


def upgrade() -> None:
    moment, number, flag, text = mysql.DATETIME(fsp=6), sa.BigInteger(), sa.Boolean(), mysql.LONGTEXT()
    op.create_table(
        "staff_roles",
        sa.Column("id", number, autoincrement=True, nullable=False),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("rights", text, nullable=False),
        sa.Column("second_factor", flag, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_staff_roles"),
        sa.UniqueConstraint("name", name="uq_staff_roles_name"),
    )
    roles = sa.table("staff_roles", sa.column("name"), sa.column("rights"), sa.column("second_factor"))
    rights = {name: "[" + ",".join(f'"{r}"' for r in held) + "]" for name, held in ROLES.items()}
    op.bulk_insert(
        roles, [{"name": name, "rights": held, "second_factor": False} for name, held in rights.items()]
    )
    op.add_column("users", sa.Column("role_id", number, nullable=True))
    op.execute("UPDATE users u JOIN staff_roles r ON r.name = u.role SET u.role_id = r.id")
    op.alter_column("users", "role_id", existing_type=number, nullable=False)
    op.create_foreign_key("fk_users_role_id", "users", "staff_roles", ["role_id"], ["id"])
    op.drop_column("users", "role")
    for column in (
        sa.Column("turn", number, nullable=False, server_default="1"),
        sa.Column("link_at", moment, nullable=True),
        sa.Column("second_factor", flag, nullable=False, server_default="0"),
        sa.Column("totp_secret", plain(64), nullable=False, server_default=""),
        sa.Column("totp_step", number, nullable=False, server_default="0"),
    ):
        op.add_column("users", column)
    for column in (
        sa.Column("address", plain(60), nullable=False, server_default=""),
        sa.Column("browser", sa.String(300), nullable=False, server_default=""),
    ):
        op.add_column("sessions", column)
    op.create_table(
        "recovery_codes",
        sa.Column("code_hash", plain(64), nullable=False),
        sa.Column("user_id", number, nullable=False),
        sa.Column("used_at", moment, nullable=True),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name="fk_recovery_codes_user_id"),
        sa.PrimaryKeyConstraint("code_hash", name="pk_recovery_codes"),
    )
    op.create_index("ix_recovery_codes_user", "recovery_codes", ["user_id"])
    op.create_table(
        "sign_ins",
        sa.Column("id", number, autoincrement=True, nullable=False),
        sa.Column("user_id", number, nullable=False),
        sa.Column("at", moment, nullable=False),
        sa.Column("outcome", sa.String(40), nullable=False),
        sa.Column("address", plain(60), nullable=False),
        sa.Column("browser", sa.String(300), nullable=False),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name="fk_sign_ins_user_id"),
        sa.PrimaryKeyConstraint("id", name="pk_sign_ins"),
    )
    op.create_index("ix_sign_ins_user", "sign_ins", ["user_id", "at"])
    op.create_table(
        "money_waiting",
        sa.Column("id", number, autoincrement=True, nullable=False),
        sa.Column("kind", sa.String(40), nullable=False),
        sa.Column("account_id", number, nullable=False),
        sa.Column("amount", number, nullable=False),
        sa.Column("form", text, nullable=False),
        sa.Column("why", text, nullable=False),
        sa.Column("status", sa.String(40), nullable=False),
        sa.Column("asked_by", number, nullable=False),
        sa.Column("asked_at", moment, nullable=False),
        sa.Column("decided_by", number, nullable=True),
        sa.Column("decided_at", moment, nullable=True),
        sa.Column("said", text, nullable=False),
        sa.ForeignKeyConstraint(["account_id"], ["accounts.id"], name="fk_money_waiting_account_id"),
        sa.ForeignKeyConstraint(["asked_by"], ["users.id"], name="fk_money_waiting_asked_by"),
        sa.ForeignKeyConstraint(["decided_by"], ["users.id"], name="fk_money_waiting_decided_by"),
        sa.PrimaryKeyConstraint("id", name="pk_money_waiting"),
    )
    op.create_index("ix_money_waiting_account_id", "money_waiting", ["account_id"])
    op.create_index("ix_money_waiting_status", "money_waiting", ["status", "asked_at"])
    op.add_column("center", sa.Column("confirm_above", number, nullable=True))
