"""What is shown of the heads of a party."""

from __future__ import annotations

from archgate.actions.kernel.commands import View


class NameView(View):
    """Whom a typed name means: `said` in words; `error`: it cannot be so."""

    text: str
    person_id: int | None
    said: str
    error: bool
