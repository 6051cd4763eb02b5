"""Services that a rule may name without the configuration telling them: names of the IANA service name and port number registry, and what
the trade calls some of them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

_BOTH = ("tcp", "udp")
_PORTS: tuple[tuple[str, tuple[str, ...], int], ...] = (
    ("ftp", ("tcp",), 21), ("ssh", ("tcp",), 22), ("telnet", ("tcp",), 23), ("smtp", ("tcp",), 25), ("domain", _BOTH, 53),
    ("dns", _BOTH, 53), ("tftp", ("udp",), 69), ("http", ("tcp",), 80), ("www", ("tcp",), 80), ("kerberos", _BOTH, 88),
    ("pop3", ("tcp",), 110), ("ntp", ("udp",), 123), ("imap", ("tcp",), 143), ("snmp", ("udp",), 161), ("snmptrap", ("udp",), 162),
    ("bgp", ("tcp",), 179), ("ldap", ("tcp",), 389), ("https", ("tcp",), 443), ("microsoft-ds", ("tcp",), 445), ("smb", ("tcp",), 445),
    ("isakmp", ("udp",), 500), ("syslog", ("udp",), 514), ("submission", ("tcp",), 587), ("ldaps", ("tcp",), 636),
    ("imaps", ("tcp",), 993), ("pop3s", ("tcp",), 995), ("radius", ("udp",), 1812), ("nfs", ("tcp",), 2049), ("mysql", ("tcp",), 3306),
    ("ms-wbt-server", ("tcp",), 3389), ("rdp", ("tcp",), 3389), ("ipsec-nat-t", ("udp",), 4500), ("sip", _BOTH, 5060),
    ("postgresql", ("tcp",), 5432),
)  # fmt: skip
REGISTERED = {name: tuple(f"{protocol}/{port}" for protocol in protocols) for name, protocols, port in _PORTS} | {
    "ping": ("icmp",)
}
REGISTERED_PORTS = {name: str(port) for name, _, port in _PORTS}
WITH_PORTS = frozenset({"tcp", "udp", "sctp"})


def with_ports(found: Iterable[str], ports: Sequence[str]) -> tuple[str, ...]:
    """Services, where protocols and ports stand apart: `protocol tcp … port 443`."""
    found = tuple(found)
    if not ports or not found or not WITH_PORTS.issuperset(found):
        return found
    return tuple(f"{name}/{port}" for name in found for port in ports)
