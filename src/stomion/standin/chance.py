"""All randomness of the stand-in network comes from a seed, so that the same scenario gives the same bytes."""

from __future__ import annotations

import hashlib


class Chance:
    """A stream of bytes from a seed (SHA-256 in counter mode); it is for made-up data only, never for real keys."""

    def __init__(self, *seed: object) -> None:
        self._seed = "|".join(str(s) for s in seed).encode()
        self._count = 0

    def take(self, size: int) -> bytes:
        """The next `size` bytes."""
        out = b""
        while len(out) < size:
            out += hashlib.sha256(self._seed + self._count.to_bytes(8, "big")).digest()
            self._count += 1
        return out[:size]

    def between(self, low: float, high: float) -> float:
        """A number in [low, high)."""
        return low + (high - low) * int.from_bytes(self.take(6), "big") / 2**48
