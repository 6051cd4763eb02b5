"""What ties the lines of a log to a peer, whatever its words: a name, a number or a tag that some lines have beside its address, and others alone.

For logs of which too little was understood. A peer's address is known by words of the trade, a port of IKE or a version beside it; every line
with the address, or with what is tied to it, may then tell of a negotiation.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from collections.abc import Set as AbstractSet

from stomion.logs.lexicon import NOISE, RELEVANT, STRONG, plain
from stomion.logs.understand import labelled
from stomion.vocabulary.addresses import Named, read_addresses

_TOKEN = re.compile(
    r"(?<![\w.-])(?:[A-Za-z][A-Za-z_]{0,19}[ #:=/-]{1,2}\d{1,9}(?![\w.])|\[\d{1,9}\]|[A-Za-z_][\w@-]{0,40}[-_@\d][\w@-]{0,40}|(?<=[\"=;,\[])[A-Za-z]\w{2,40}(?=[\";,\]]))"
)
_OF_IKE = re.compile(
    r"\b(?:v|ver|version|gen|generation|level|edition)[ .:=\"]{0,4}[12]\b|major[ _]version|[:\[ ]4?500\b|\bport[ =:]{1,2}4?500\b|\bikev[12]\b"
)
_HEX = re.compile(r"(?:0x)?[0-9a-f]{8,}", re.IGNORECASE)
_COUNTS = re.compile(
    r"(?:port|v|ver|version|group|dh|gr?p|spi|tries|try|attempt|ntf|code|err|error|number|row|line|len|size|proto|udp|tcp|ike|ikev|aes|sha|modp|hmac|prf|seq|try|retry|msg|mid)[ #:=/-]*\d+",
    re.IGNORECASE,
)
"""A word and its number that name no one: a port, a version, an algorithm."""
MOST_TOKENS = 24
"""Of one line."""


class Subjects:
    """Whom the lines of one log speak of."""

    def __init__(self, peers: AbstractSet[str], tied: dict[str, str], own: AbstractSet[str]) -> None:
        self.peers, self._tied, self._own = peers, tied, own

    def of(self, text: str) -> str | None:
        """The peer that a line's name, number or tag is tied to; None where nothing in it is, or where two things differ."""
        found = {peer for token in _tokens(text) if (peer := self._tied.get(token)) is not None}
        return found.pop() if len(found) == 1 else None

    def of_line(self, text: str, named: Named) -> str | None:
        """The peer that a line is about: the one it names, or that something in it is tied to."""
        return next((a for a, _ in named.endpoints if a in self.peers), None) or self.of(text)

    def speaks_of(self, text: str) -> bool:
        """May a line tell of a negotiation with one of the peers?"""
        return not self.peers.isdisjoint(_named(text, self._own)) or self.of(text) is not None


def subjects_of(lines: Sequence[tuple[int, str]], own: AbstractSet[str]) -> Subjects:
    """Peers and what is tied to them, by all (number, text) of a log. `own` are the writer's addresses."""
    with_tokens = [(text, _tokens(text), _named(text, own)) for _, text in lines]
    peers = {a for text, _, named in with_tokens if len(named) == 1 for a in named if _is_of_negotiation(text)}
    addresses: dict[str, set[str]] = {}
    alone: dict[str, int] = {}
    for _, tokens, named in with_tokens:
        for token in tokens:
            addresses.setdefault(token, set()).update(named)
            alone[token] = alone.get(token, 0) + (not named)
    tied = {
        token: min(found) for token, found in addresses.items() if len(found) == 1 and alone[token] and found <= peers
    }
    return Subjects(frozenset(peers), tied, own)


def _is_of_negotiation(text: str) -> bool:
    low = text.lower()
    if not (RELEVANT.search(low) or _OF_IKE.search(low)):
        return False
    words = plain(text)
    return STRONG.search(words) is not None or NOISE.search(words) is None


def _named(text: str, own: AbstractSet[str]) -> frozenset[str]:
    named = read_addresses(text)
    both = labelled(text.lower(), named) if len(named.endpoints) > 1 else None
    return frozenset([both[1]]) if both is not None else frozenset(a for a, _ in named.endpoints if a not in own)


def _tokens(text: str) -> tuple[str, ...]:
    """Words of a line that may name whose it is: with a number, a sign or capitals in them, or set apart as a value."""
    found: Iterable[str] = (m[0].lower() for m in _TOKEN.finditer(text))
    kept = (t for t in found if not _HEX.fullmatch(t) and not _COUNTS.fullmatch(t))
    return tuple(dict.fromkeys(kept))[:MOST_TOKENS]
