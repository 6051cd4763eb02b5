"""Services as people write them (`tcp/80`, `udp/500-520`, `icmp`, `50`), as intervals of protocol and destination port, and back.

A protocol without ports has all of them. ICMP has its type where others have the destination port.
"""

from __future__ import annotations

from stomion.model.box import Interval

ANY_PROTOCOL: Interval = (0, 255)
ANY_PORT: Interval = (0, 65_535)
ICMP, TCP, UDP, ICMPV6 = 1, 6, 17, 58
PORTED = (TCP, UDP, 132, 136, 33)
"""Protocols with ports: TCP, UDP, SCTP, UDP-Lite, DCCP."""
PROTOCOLS = {
    "icmp": 1, "tcp": 6, "udp": 17, "dccp": 33, "gre": 47, "esp": 50, "ah": 51, "icmpv6": 58, "ipv6-icmp": 58, "sctp": 132, "udplite": 136,
}  # fmt: skip
PROTOCOL_NAMES = {number: name for name, number in reversed(PROTOCOLS.items()) if name != "ipv6-icmp"}
PORTS = {
    "ssh": 22, "domain": 53, "http": 80, "ntp": 123, "snmp": 161, "bgp": 179, "https": 443, "isakmp": 500, "ipsec-nat-t": 4500,
}  # fmt: skip
"""Names of ports that tables write instead of numbers (IANA service names)."""
NAMED = {"http": (TCP, 80), "https": (TCP, 443), "ssh": (TCP, 22), "dns": (UDP, 53)}
"""Services that people name without a protocol."""
ECHO_TYPE = {ICMP: 8, ICMPV6: 128}
"""The type of an echo request (RFC 792, RFC 4443 4.1)."""
ANSWER_TYPES = {ICMP: {8: 0, 0: 8, 13: 14, 14: 13, 15: 16, 16: 15, 17: 18, 18: 17}, ICMPV6: {128: 129, 129: 128}}
"""Types of ICMP questions and of their answers, both ways (RFC 792, RFC 950, RFC 4443)."""


def service_of(text: str) -> list[tuple[Interval, Interval]]:
    """(protocol, destination port) intervals of `tcp/80`, `udp/500-520`, `http/8080`, `tcp`, `icmp`, `50`, `any`.

    Raises ValueError for an unknown name, a port beyond 65535, a range that runs backwards, and ports of a protocol without any.
    """
    name, _, ports = text.strip().lower().partition("/")
    if name in ("any", ""):
        return [(ANY_PROTOCOL, ANY_PORT)]
    if name in NAMED:
        number, port = NAMED[name]
        return [((number, number), _port_range(number, ports) if ports else (port, port))]
    if name == "icmp" and not ports:
        return [((ICMP, ICMP), ANY_PORT), ((ICMPV6, ICMPV6), ANY_PORT)]
    number = protocol_number(name)
    return [((number, number), _port_range(number, ports) if ports else ANY_PORT)]


def protocol_number(text: str) -> int:
    """A protocol by its name or number. Raises ValueError for what is none."""
    number = PROTOCOLS.get(text.lower())
    number = number if number is not None else decimal(text)
    if number > ANY_PROTOCOL[1]:
        raise ValueError(f"{text} is no protocol")
    return number


MAX_DIGITS = 12
"""Far more than any protocol, port or address needs."""


def decimal(text: str) -> int:
    """A number of plain digits; signs, blanks, and the digits of other scripts are none. Raises ValueError."""
    if not (text.isascii() and text.isdecimal() and len(text) <= MAX_DIGITS):
        raise ValueError(f"{text[:40]!r} is no number")
    return int(text)


def _port_range(protocol: int, text: str) -> Interval:
    low, dash, high = text.partition("-")
    first, last = decimal(low), decimal(high) if dash else decimal(low)
    most = 255 if protocol in (ICMP, ICMPV6) else ANY_PORT[1]
    if protocol not in (*PORTED, ICMP, ICMPV6):
        raise ValueError(f"{PROTOCOL_NAMES.get(protocol, protocol)} has no ports")
    if not first <= last <= most:
        raise ValueError(f"{text} is no range of ports")
    return first, last


def service_text(protocol: Interval, port: Interval) -> str:
    """`tcp/80`, `udp/500-520`, `icmp`, `any protocol`, `protocols 7-16`."""
    low, high = protocol
    if protocol == ANY_PROTOCOL:
        return "any protocol" if port == ANY_PORT else f"any protocol, port {_ports(port)}"
    name = PROTOCOL_NAMES.get(low, f"protocol {low}") if low == high else f"protocols {low}-{high}"
    return name if port == ANY_PORT else f"{name}/{_ports(port)}"


def _ports(port: Interval) -> str:
    return str(port[0]) if port[0] == port[1] else f"{port[0]}-{port[1]}"
