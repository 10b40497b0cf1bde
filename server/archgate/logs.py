"""How the server and the worker write down what went wrong: one JSON line each, with a plain traceback.

Local variables stay out of it: they hold what people typed, and drawing them takes minutes.
"""

from __future__ import annotations

import structlog


def settle() -> None:
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        cache_logger_on_first_use=False,
    )
