"""Signed webhooks against the example of the Standard Webhooks specification (values from memory)."""

import pytest

from archgate.outside.webhooks import is_private, signature_of


def test_the_example_of_the_specification_is_signed_as_it_says():
    body = '{"event_type":"ping","data":{"success":true}}'
    signed = signature_of("whsec_plJ3nmyCDGBKInavdOK15jsl", "msg_loFOjxBNrRLzqYUf", 1731705121, body)
    assert signed == "v1,rAvfW3dJ/X/qxhsaXPOyyCGmRKsaKWcsNccKXlIktD0="


@pytest.mark.parametrize(
    ("host", "private"),
    [
        # RFC 1918, RFC 3927, RFC 4193, RFC 4291, RFC 6598: private, link-local, unique local, loopback, shared.
        ("10.1.2.3", True), ("172.16.0.1", True), ("192.168.1.1", True), ("127.0.0.1", True), ("169.254.169.254", True),
        ("100.64.0.1", True), ("[::1]", True), ("fd00::1", True), ("fe80::1", True), ("::ffff:10.0.0.1", True),
        ("0.0.0.0", True), ("127.1", True), ("2130706433", True), ("0x7f.1", True), ("localhost", True), ("LOCALHOST.", True),
        ("db", True), ("printer.local", True), ("8.8.8.8", False), ("2001:4860:4860::8888", False), ("example.org", False),
    ],
)  # fmt: skip
def test_addresses_within_a_network_are_told_from_those_outside(host, private):
    assert is_private(host) is private
