"""Signed webhooks against the example of the Standard Webhooks specification (values from memory)."""

from archgate.outside.webhooks import signature_of


def test_the_example_of_the_specification_is_signed_as_it_says():
    body = '{"event_type":"ping","data":{"success":true}}'
    signed = signature_of("whsec_plJ3nmyCDGBKInavdOK15jsl", "msg_loFOjxBNrRLzqYUf", 1731705121, body)
    assert signed == "v1,rAvfW3dJ/X/qxhsaXPOyyCGmRKsaKWcsNccKXlIktD0="
