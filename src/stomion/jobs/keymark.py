"""A key's mark: a few words made of it, so that two people can compare a key without telling it.

The mark is slow to compute and salted with both ends' identities (scrypt, RFC 7914), so that it can't be looked up and the same
key gives another mark for another tunnel. The key itself is neither kept nor written.
"""

from __future__ import annotations

import hashlib

from stomion.errors import UsageError
from stomion.model.mark_words import MARK_WORDS

WORDS = 4
_COST, _BLOCK, _LANES = 1 << 15, 8, 1
"""scrypt's N, r and p: about 32 MB and a tenth of a second for every guess."""


def key_mark(key: str, identities: tuple[str, str]) -> str:
    """`amber-falcon-quartz-reef`. The order of the identities does not count. Raises UsageError for an empty key."""
    if not key:
        raise UsageError("the key is empty")
    first, second = sorted(name.strip().lower() for name in identities)
    if not first or not second or first == second:
        raise UsageError("two different identities are needed: those the two ends authenticate with")
    salt = f"stomion key mark 1\0{first}\0{second}".encode()
    digest = hashlib.scrypt(key.encode(), salt=salt, n=_COST, r=_BLOCK, p=_LANES, maxmem=128 << 20, dklen=WORDS)
    return "-".join(MARK_WORDS[byte] for byte in digest)
