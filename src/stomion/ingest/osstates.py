"""The operating system's own list of SAs (`ip -s xfrm state`): one direction each, with what it carried and threw away. Keys stand in it
and are passed over: nothing of them is kept."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import replace

from stomion.ingest.files import open_input, read_lines
from stomion.ingest.reading import Reading
from stomion.ingest.stoppable import steps
from stomion.model.provenance import Provenance
from stomion.model.sa import State

_HEAD = re.compile(r"^src (\S{2,45}) dst (\S{2,45})")
_PROTO = re.compile(r"^\s+proto (?:esp|ah) spi 0x([0-9a-f]{1,8})\S* reqid (\d{1,10})\S*(?: mode (\w+))?")
_CIPHER = re.compile(r"^\s+(enc|aead) (\S{1,60}) 0x([0-9a-f]*)(?: \((\d{1,4}) bits\))?(?: (\d{1,4}))?")
_AUTH = re.compile(r"^\s+auth(?:-trunc)? (\S{1,40}) 0x[0-9a-f]*(?: \(\d{1,4} bits\))?(?: (\d{1,4}))?")
_CARRIED = re.compile(r"^\s+(\d{1,20})\(bytes\), (\d{1,20})\(packets\)")
_EXPIRES = re.compile(r"^\s+expire add: soft (\d{1,9})\(sec\), hard (\d{1,9})\(sec\)")
_STATS = re.compile(r"^\s+replay-window \d+ replay (\d{1,10}) failed (\d{1,10})")
_SALT_BITS = 32
"""Bits of an AES-GCM key that are its salt (RFC 4106 section 8.1)."""
MOST = 100_000
"""States of one list; more are not read."""


def read_states(lines: Iterable[tuple[int, str]], file: str, site: str) -> Iterator[State]:
    """Every state of a list, in its order."""
    found: State | None = None
    src = dst = ""
    for number, line in lines:
        head = _HEAD.match(line)
        if head is not None:
            if found is not None:
                yield found
            found, (src, dst) = None, head.groups()
            continue
        proto = _PROTO.match(line)
        if proto is not None and src:
            where = Provenance(file, site, line=number)
            found = State(site, src, dst, proto[1].zfill(8), int(proto[2]), where)
        elif found is not None:
            found = _more(found, line)
    if found is not None:
        yield found


def _more(state: State, line: str) -> State:
    cipher = _CIPHER.match(line)
    if cipher is not None:
        return replace(state, encryption=_cipher(cipher))
    auth = _AUTH.match(line)
    if auth is not None:
        return replace(state, integrity=_integrity(auth[1]))
    if "encap type espinudp" in line:
        return replace(state, udp=True)
    carried = _CARRIED.match(line)
    if carried is not None:
        return replace(state, bytes=int(carried[1]), packets=int(carried[2]))
    stats = _STATS.match(line)
    return replace(state, replay=int(stats[1]), integrity_failed=int(stats[2])) if stats is not None else state


def _cipher(m: re.Match[str]) -> str:
    """The kernel's name with the key's length, as one of the common names; the key's digits are counted, not kept."""
    bits = int(m[4]) if m[4] else 4 * len(m[3])
    name = m[2]
    if "gcm" in name:
        return f"AES-GCM-{int(m[5] or 128) // 8}-{bits - _SALT_BITS}"
    if "chacha" in name:
        return "CHACHA20-POLY1305"
    for word, common in (("cbc(aes)", "AES-CBC"), ("ctr", "AES-CTR"), ("camellia", "CAMELLIA-CBC")):
        if word in name:
            return f"{common}-{bits - (_SALT_BITS if word == 'ctr' else 0)}"
    return {"cbc(des3_ede)": "3DES", "cbc(des)": "DES", "ecb(cipher_null)": "NULL"}.get(name, name)


def _integrity(name: str) -> str:
    known = {
        "sha256": "HMAC-SHA2-256-128",
        "sha384": "HMAC-SHA2-384-192",
        "sha512": "HMAC-SHA2-512-256",
        "sha1": "HMAC-SHA1-96",
    }
    known |= {"md5": "HMAC-MD5-96", "digest_null": ""}
    return next((common for word, common in known.items() if word in name), name)


def read(reading: Reading) -> None:
    """Into the evidence."""
    item = reading.item
    found: list[State] = []
    with open_input(item.path) as stream:
        for state in read_states(
            ((number, text) for number, text, _, _ in steps(read_lines(stream))), item.name, item.site or ""
        ):
            found.append(state)
            if len(found) >= MOST:
                reading.problem(f"more than {MOST:,} states; the rest is not read")
                break
    reading.evidence.states.extend(found)
    reading.source("IPsec states", len(found), "states")
