"""Codes of the second factor against RFC 6238, "TOTP: Time-Based One-Time Password Algorithm", appendix B.

The RFC prints eight digits; with its own default of six a code is the number modulo 10^6 (RFC 4226, section 5.3, step 3).
"""

import base64
from datetime import UTC, datetime

import pytest

from archgate.actions.access.second_factor import step_of

SECRET = base64.b32encode(b"12345678901234567890").decode()  # of appendix B, for SHA-1
VECTORS = [
    (59, "94287082"),
    (1111111109, "07081804"),
    (1111111111, "14050471"),
    (1234567890, "89005924"),
    (2000000000, "69279037"),
    (20000000000, "65353130"),
]


@pytest.mark.parametrize(("seconds", "printed"), VECTORS)
def test_the_codes_of_the_standard_are_taken_at_their_moment(seconds, printed):
    at = datetime.fromtimestamp(seconds, UTC)
    assert step_of(SECRET, printed[-6:], at, after=0) == seconds // 30


def test_a_code_holds_one_half_minute_before_and_after_and_never_twice():
    code, step = "287082", 59 // 30
    near = [datetime.fromtimestamp(59 + shift, UTC) for shift in (-30, 0, 30)]
    assert [step_of(SECRET, code, at, after=0) for at in near] == [step] * 3
    assert step_of(SECRET, code, datetime.fromtimestamp(59 + 60, UTC), after=0) is None
    assert step_of(SECRET, code, near[1], after=step) is None, "it was used"
