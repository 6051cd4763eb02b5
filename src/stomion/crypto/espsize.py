"""How large a packet becomes as ESP, and how large it may be for a path: derived from the transform, the mode and what carries it.

RFC 4303 section 2: SPI (4) and sequence number (4), the transform's IV, the payload with padding, pad length (1) and next header (1), the
integrity check value. RFC 3948: a UDP header (8) before it where an address translation is on the way.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from stomion.vocabulary.algorithms import model_value

IP_HEADER = {4: 20, 6: 40}
"""Bytes without options (RFC 791) or extension headers (RFC 8200)."""
TCP_HEADER, UDP_HEADER = 20, 8
SPI_AND_SEQUENCE, TRAILER, WORD = 8, 2, 4
"""ESP's fixed parts; payload, padding and trailer end on a boundary of 4 bytes at least."""
_IV_BLOCK = (
    (re.compile(r"GCM|GMAC|CHACHA|CCM"), (8, WORD)),
    (re.compile(r"CTR"), (8, WORD)),
    (re.compile(r"AES|CAMELLIA|SEED|ARIA"), (16, 16)),
    (re.compile(r"3DES|DES|BLOWFISH|CAST|IDEA"), (8, 8)),
    (re.compile(r"NULL"), (0, WORD)),
)
"""Bytes of IV and of the cipher's block: RFC 3602, RFC 3686, RFC 4106, RFC 4543, RFC 7634, RFC 2451, RFC 2410."""
_CHECK = {
    "HMAC-MD5-96": 12, "HMAC-SHA1-96": 12, "AES-XCBC-96": 12, "AES-CMAC-96": 12, "HMAC-SHA2-256-128": 16, "HMAC-SHA2-384-192": 24,
    "HMAC-SHA2-512-256": 32, "": 0,
}  # fmt: skip
"""Bytes of the integrity check value: RFC 2403, RFC 2404, RFC 3566, RFC 4494, RFC 4868."""


@dataclass(frozen=True, slots=True)
class Wrap:
    """What is put around a packet: `outer` is the version of the carrying IP, `udp` whether UDP carries ESP, `transport` whether the inner
    IP header stays outside. IV, block and check value are in bytes."""

    iv: int
    block: int
    check: int
    outer: int = 4
    udp: bool = False
    transport: bool = False

    @property
    def fixed(self) -> int:
        """Bytes before and after what is encrypted."""
        return IP_HEADER[self.outer] + UDP_HEADER * self.udp + SPI_AND_SEQUENCE + self.iv + self.check

    def padded(self, inner: int) -> int:
        """Bytes that are encrypted for a packet of `inner` bytes: its payload, padding and the trailer."""
        payload = inner - (IP_HEADER[self.outer] if self.transport else 0)
        whole = max(payload, 0) + TRAILER
        return -(-whole // self.block) * self.block

    def size(self, inner: int) -> int:
        """Bytes on the wire, the carrying IP header included."""
        return self.fixed + self.padded(inner)

    def largest(self, path: int) -> int:
        """The largest packet that fits a path of that MTU; 0 where none does."""
        room = (path - self.fixed) // self.block * self.block - TRAILER
        return max(room + (IP_HEADER[self.outer] if self.transport else 0), 0) if room >= 0 else 0

    def largest_of_esp(self, esp: int) -> int:
        """The largest packet whose ESP, from its SPI to its check value, has at most that many bytes."""
        return self.largest(esp + IP_HEADER[self.outer] + UDP_HEADER * self.udp)


def wrap_of(
    encryption: str, integrity: str = "", *, outer: int = 4, udp: bool = False, transport: bool = False
) -> Wrap:
    """For algorithms in any spelling of the trade. Raises ValueError for what is no cipher or no integrity algorithm."""
    cipher = model_value("encryption", encryption)
    found = next((sizes for words, sizes in _IV_BLOCK if words.search(cipher.upper())), None)
    if found is None:
        raise ValueError(f"{encryption!r} is no encryption algorithm")
    combined = re.search(r"(?:GCM|CCM)-(\d+)", cipher)
    if combined is not None or "GMAC" in cipher or "CHACHA" in cipher:
        check = int(combined[1]) if combined is not None else 16
    else:
        name = model_value("integrity", integrity)
        if name not in _CHECK:
            raise ValueError(f"{integrity!r} is no integrity algorithm")
        check = _CHECK[name]
    return Wrap(found[0], max(found[1], WORD), check, outer, udp, transport)


def segment(inner: int, version: int = 4) -> int:
    """The largest TCP segment (MSS) in a packet of `inner` bytes (RFC 9293 section 3.7.1); 0 where none fits."""
    return max(inner - IP_HEADER[version] - TCP_HEADER, 0)


def steps(wrap: Wrap, path: int) -> list[tuple[int, int, int]]:
    """(smallest inner, largest inner, size on the wire) of every step of the padding, up to the path's MTU; the last one fits just so."""
    out: list[tuple[int, int, int]] = []
    least = IP_HEADER[wrap.outer]
    for inner in range(least, wrap.largest(path) + 1):
        size = wrap.size(inner)
        if out and out[-1][2] == size:
            out[-1] = (out[-1][0], inner, size)
        else:
            out.append((inner, inner, size))
    return out
