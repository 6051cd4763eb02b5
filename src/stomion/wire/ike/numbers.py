"""Numbers of exchanges, payloads and transforms by the names of their registries (IANA: IKEv2 parameters; RFC 2408 3.1, RFC 2409 5)."""

from __future__ import annotations

from enum import IntEnum


class ExchangeV1(IntEnum):
    """Exchange types of IKEv1. MAIN_MODE is called identity protection in RFC 2408."""

    MAIN_MODE = 2
    AGGRESSIVE = 4
    INFORMATIONAL = 5
    TRANSACTION = 6
    QUICK_MODE = 32


class ExchangeV2(IntEnum):
    """Exchange types of IKEv2 (RFC 7296 3.1)."""

    IKE_SA_INIT = 34
    IKE_AUTH = 35
    CREATE_CHILD_SA = 36
    INFORMATIONAL = 37


class PayloadV1(IntEnum):
    """Payload types of IKEv1 (RFC 2408 3.1); FRAGMENT is in use without being registered."""

    SA = 1
    KE = 4
    ID = 5
    CERT = 6
    CERTREQ = 7
    NOTIFY = 11
    DELETE = 12
    VENDOR_ID = 13
    ATTRIBUTES = 14
    FRAGMENT = 132


class PayloadV2(IntEnum):
    """Payload types of IKEv2 (RFC 7296 3.2; RFC 7383 2.5)."""

    SA = 33
    KE = 34
    ID_I = 35
    ID_R = 36
    CERT = 37
    CERTREQ = 38
    AUTH = 39
    NOTIFY = 41
    DELETE = 42
    VENDOR_ID = 43
    TS_I = 44
    TS_R = 45
    SK = 46
    CP = 47
    EAP = 48
    SKF = 53


class TransformV2(IntEnum):
    """Transform types of IKEv2 (RFC 7296 3.3.2)."""

    ENCR = 1
    PRF = 2
    INTEG = 3
    KE = 4
    ESN = 5


IKEV1, IKEV2 = 1, 2
"""Major versions, as the header has them."""
GENERIC_HEADER = 4
"""Bytes of a payload's generic header, in both versions (RFC 7296 3.2)."""
PROPOSAL_HEADER = 8
TRANSFORM_HEADER = 8
"""Bytes of the fixed part of a proposal and of a transform, in both versions (RFC 7296 3.3.1, 3.3.2)."""


class AttributeV1(IntEnum):
    """Phase 1 attributes (RFC 2409 appendix A)."""

    ENCRYPTION = 1
    HASH = 2
    AUTHENTICATION = 3
    GROUP = 4
    KEY_LENGTH = 14


class AttributeEsp(IntEnum):
    """IPsec DOI attributes (RFC 2407 4.5)."""

    GROUP = 3
    ENCAPSULATION = 4
    INTEGRITY = 5
    KEY_LENGTH = 6


KEY_LENGTH = 14
"""The attribute that holds a cipher's key length in bits (RFC 7296 3.3.5; RFC 2409 appendix A)."""
INVALID_KE_PAYLOAD = 17
"""The notify that names the group an IKEv2 responder wants (RFC 7296 1.3)."""
