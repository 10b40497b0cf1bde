"""Addresses outside that lists are sent on to."""

from __future__ import annotations

from pydantic import Field

from archgate.actions.kernel.commands import Command, Words


class WebhookCommand(Command):
    name: Words = Field(title="The name")
    address: Words = Field(max_length=500, title="The address")
