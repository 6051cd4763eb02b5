"""What ties the lines of a log to a peer, whatever its words: a name, a number or a tag that some lines have beside its address, and others alone.

For logs of which too little was understood. A peer's address is known by words of the trade, a port of IKE or a version beside it; every line
with the address, or with what is tied to it, may then tell of a negotiation.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field

from stomion.logs.framing import OWNER
from stomion.logs.lexicon import NOISE, RELEVANT, STRONG, plain
from stomion.logs.understand import labelled
from stomion.logs.unknown import is_unknown
from stomion.logs.values import VERSION, is_first_message
from stomion.vocabulary.addresses import Named, read_addresses
from stomion.vocabulary.algorithms import find_proposal

_TOKEN = re.compile(
    r"(?<![\w.-])(?:[A-Za-z][A-Za-z_]{0,19}[ #:=/-]{1,2}(?:\d{1,9}|0x[0-9a-f]{1,8})(?![\w./-])|\[\d{1,9}\]|(?<=[\w:\]] )[({<]\d{1,9}[)}>]|(?<!\S)#\d{1,9}(?![\w./-])|[A-Za-z_][\w@-]{0,40}[-_@\d][\w@-]{0,40}|[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}(?![\w-])|(?<=[\"=;,\[])[A-Za-z]\w{2,40}(?=[\";,\]]))"
)
_OF_IKE = re.compile(r"major[ _]version|[:\[ ]4?500\b|\bport[ =:]{1,2}4?500\b|\bikev[12]\b")
_JOINED = re.compile(r"<->|<=>|<>|->|=>|\.\.\.|\b(?:between|to|with|and|towards)\b")
_HEX = re.compile(r"(?:0x)?[0-9a-f]{8,}", re.IGNORECASE)
_ALGORITHM = re.compile(r"aes|3des|chacha|camellia|\b(?:encr?|cipher)[ _]?[=:]", re.IGNORECASE)
_COUNTS = re.compile(
    r"(?:port|v|ver|version|group|dh|gr?p|spi|tries|try|attempt|ntf|code|err|error|number|row|line|len|size|proto|udp|tcp|ike|ikev|aes|sha|modp|hmac|prf|seq|try|retry|msg|mid|jan|feb|mar|apr|may|june?|july?|aug|sept?|oct|nov|dec|[a-z]{3,6}(?:ary|ch|il|ust|tember|ober|ember))[ #:=/-]*\d+",
    re.IGNORECASE,
)
"""A word and its number that name no one: a port, a version, an algorithm."""
_NUMBERED = re.compile(r"([a-z])[a-z_]{0,19}[ #:=/-]{0,2}(\d{1,9})")
"""A word and its number: one line may write `peer#12`, and others `p12`."""
_OF_OWNER = re.compile(
    rf"(?:{OWNER.pattern}|peer|gateway|gw|site|route|line|path|channel)[ #:=/-]{{1,2}}(\d{{1,9}})|[\[({{<#](\d{{1,9}})[\])}}>]?"
)
"""What numbers an owner, and a number set apart: one line may write `link 12`, and others `[12]`."""
MOST_TOKENS = 24
"""Of one line."""


class Subjects:
    """Whom the lines of one log speak of."""

    def __init__(
        self,
        peers: AbstractSet[str],
        tied: dict[str, str],
        own: AbstractSet[str],
        fixed: dict[str, dict[str, str]] | None = None,
        words: AbstractSet[str] = frozenset(),
    ) -> None:
        """`fixed` has of each peer the fields that have one value in all of its lines; `words` those of `tied` that are plain words."""
        self.peers, self._tied, self._own, self._fixed, self._words = peers, tied, own, fixed or {}, words

    def of(self, text: str) -> str | None:
        """The peer that a line's name, number or tag is tied to; None where nothing in it is, or where two things differ."""
        found = {peer for token in _tokens(text) if (peer := self._tied.get(token)) is not None}
        if self._words and not found:
            found = {self._tied[word] for word in _WORD.findall(text.lower()) if word in self._words}
        peer = found.pop() if len(found) == 1 else None
        return None if peer is None or self._is_of_another(peer, text) else peer

    def _is_of_another(self, peer: str, text: str) -> bool:
        """Has a field that names whose a peer's lines are another value here?"""
        fixed = self._fixed.get(peer, {})
        return bool(fixed) and any(fixed.get(key, value) != value for key, value in _fields(text).items())

    def of_line(self, text: str, named: Named) -> str | None:
        """The peer that a line is about: the one it names, or that something in it is tied to."""
        return next((a for a, _ in named.endpoints if a in self.peers), None) or self.of(text)

    def speaks_of(self, text: str) -> bool:
        """May a line tell of a negotiation with one of the peers?"""
        return not self.peers.isdisjoint(_named(text, self._own)) or self.of(text) is not None


def subjects_of(lines: Sequence[tuple[int, str]], own: AbstractSet[str]) -> Subjects:
    """Peers and what is tied to them, by all (number, text) of a log. `own` are the writer's addresses."""
    with_tokens = [(text, _tokens(text), _named(text, own)) for _, text in lines]
    plainly = [plain(text) for _, text in lines]
    noise = {number for number, words in enumerate(plainly) if _is_noise(words)}
    proofs = {number for number, (text, _, _) in enumerate(with_tokens) if _is_agreement(text)}
    peers = {
        min(named)
        for number, (text, _, named) in enumerate(with_tokens)
        if len(named) == 1 and (number in proofs or (number not in noise and _is_of_negotiation(text, plainly[number])))
    }
    found: dict[str, _Token] = {}
    for number, (_, tokens, named) in enumerate(with_tokens):
        for name in tokens:
            token = found.setdefault(name, _Token())
            token.addresses |= named
            (token.beside if named else token.alone).add(number)
    strong = proofs | {number for number, words in enumerate(plainly) if VERSION.search(words)}
    if any(not named and not _tied_by(found, tokens) for _, tokens, named in (with_tokens[n] for n in strong - noise)):
        # Nothing that looks like a name ties them to anybody.
        _add_words(found, with_tokens)
        proofs = strong
    peers |= {min(t.addresses) for t in found.values() if len(t.addresses) == 1 and not strong.isdisjoint(t.alone)}
    by_peer: dict[str, dict[str, _Token]] = {}
    for name, token in found.items():
        if token.plain and not _may_name(name, token, proofs, noise):
            continue
        if len(token.addresses) == 1 and token.alone and token.addresses <= peers:
            by_peer.setdefault(min(token.addresses), {})[name] = token
    tied = {name: peer for peer, tokens in by_peer.items() for name in _narrow(tokens, proofs, noise)}
    fixed = _fixed((text, named) for text, _, named in with_tokens)
    return Subjects(frozenset(peers), tied, own, fixed, frozenset(name for name in tied if found[name].plain))


_WORD = re.compile(r"(?<![\w.-])[a-z]{3,24}(?![\w-]|\.\w)")
"""A word that may be somebody's name where the log gives no other."""


def _may_name(word: str, token: _Token, proofs: AbstractSet[int], noise: AbstractSet[int]) -> bool:
    """May a plain word be somebody's name: one that the trade does not know, and that stands in lines of negotiations and hardly any others?"""
    if not proofs & token.alone or 4 * len(noise & token.alone) > len(token.alone):
        return False
    return is_unknown(word)


def _tied_by(found: dict[str, _Token], tokens: Iterable[str]) -> set[str]:
    return {a for token in tokens if len(found[token].addresses) == 1 for a in found[token].addresses}


def _add_words(found: dict[str, _Token], lines: Sequence[tuple[str, tuple[str, ...], frozenset[str]]]) -> None:
    """Plain words as well, of which those are ties that stand in an agreement: nothing else ties it to anybody."""
    for number, (text, _, named) in enumerate(lines):
        for name in set(_WORD.findall(text.lower())):
            token = found.setdefault(name, _Token(plain=True))
            token.addresses |= named
            (token.beside if named else token.alone).add(number)


_FIELD = re.compile(r"([A-Za-z_][\w-]{0,24})=(?:\"([^\"]{1,80})\"|([^\s\"]{1,60}))")
_OF_NAME = re.compile(r"[A-Za-z].*[-=,.@_\d]|[-=,.@_].*[A-Za-z]")


def _fields(text: str) -> dict[str, str]:
    """Fields of a line whose values look like names."""
    found = {m[1].lower(): m[2] or m[3] for m in _FIELD.finditer(text)} if "=" in text else {}
    return {key: value for key, value in found.items() if _OF_NAME.search(value)}


def _fixed(lines: Iterable[tuple[str, frozenset[str]]]) -> dict[str, dict[str, str]]:
    """Of each peer the fields that have the same value in all lines with its address, two at least, and in lines without; one where its name
    says whose line it is."""
    seen: dict[str, dict[str, list[str]]] = {}
    alone: set[tuple[str, str]] = set()
    for text, named in lines:
        fields = _fields(text)
        for peer in named if len(named) == 1 else ():
            for key, value in fields.items():
                seen.setdefault(peer, {}).setdefault(key, []).append(value)
        if not named:
            alone.update(fields.items())
    return {
        peer: _of_owners(
            {
                key: values[0]
                for key, values in fields.items()
                if _is_one(key, values) and (OWNER.fullmatch(key) or (key, values[0]) in alone)
            }
        )
        for peer, fields in seen.items()
    }


def _of_owners(fixed: dict[str, str]) -> dict[str, str]:
    """The fields whose names say whose a line is, where there are any: what always stands beside these may be an event's name."""
    return {key: value for key, value in fixed.items() if OWNER.fullmatch(key)} or fixed


def _is_one(key: str, values: Sequence[str]) -> bool:
    return len(set(values)) == 1 and (len(values) > 1 or OWNER.fullmatch(key) is not None)


@dataclass(slots=True)
class _Token:
    """Where a word stands: in lines with an address, and in others."""

    addresses: set[str] = field(default_factory=set)
    beside: set[int] = field(default_factory=set)
    alone: set[int] = field(default_factory=set)
    plain: bool = False
    """Is it a word that could be any, and is no name?"""


MOST_COMPARED = 64
"""Words of one peer; those in the fewest lines come first."""


def _narrow(tokens: dict[str, _Token], proofs: AbstractSet[int], noise: AbstractSet[int]) -> list[str]:
    """Without those that stand in more lines than another one which stands beside the address as often: a program's name is in all its lines,
    whatever tunnel they are about. But what alone ties `proofs` to a peer, and no `noise`, is no program: the other is the name of an event."""
    names = sorted(tokens, key=lambda name: (len(tokens[name].alone), name))[:MOST_COMPARED]
    telling = {
        name for name in names if proofs & tokens[name].alone and (tokens[name].plain or not noise & tokens[name].alone)
    }
    return [
        name
        for place, name in enumerate(names)
        if not any(
            tokens[name].beside <= tokens[other].beside
            and not tokens[name].alone <= tokens[other].alone
            and name not in telling
            for other in names[:place]
        )
    ]


def _is_noise(words: str) -> bool:
    return NOISE.search(words) is not None and STRONG.search(words) is None


def _is_of_negotiation(text: str, words: str) -> bool:
    low = text.lower()
    if RELEVANT.search(low) or _OF_IKE.search(low):
        return True
    return VERSION.search(words) is not None or is_first_message(words)


def _is_agreement(text: str) -> bool:
    """Does a line name algorithms that belong together? Nobody but IKE's speaks so."""
    found = find_proposal(text, "IKE") if _ALGORITHM.search(text) else None
    return found is not None and bool(found.encryption and (found.integrity or found.prf))


def _named(text: str, own: AbstractSet[str]) -> frozenset[str]:
    named = read_addresses(text)
    both = labelled(text.lower(), named) if len(named.endpoints) > 1 else None
    if both is not None:
        return frozenset([both[1]])
    found = [a for a, _ in named.endpoints if a not in own]
    # Where a line joins two and none is known to be the writer's, it stands first.
    return frozenset(
        found[1:] if len(found) == len(("own", "peer")) == len(named.endpoints) and _JOINED.search(text) else found
    )


def _tokens(text: str) -> tuple[str, ...]:
    """Words of a line that may name whose it is: with a number, a sign or capitals in them, or set apart as a value."""
    found: Iterable[str] = (m[0].lower() for m in _TOKEN.finditer(text))
    kept = [t for t in found if not (_HEX.fullmatch(t) or _COUNTS.fullmatch(t) or (t.isalpha() and not is_unknown(t)))]
    short = (f"{m[1]}~{m[2]}" for t in kept if (m := _NUMBERED.fullmatch(t)))
    bare = (f"~{m[1] or m[2]}" for t in kept if (m := _OF_OWNER.fullmatch(t)))
    return tuple(dict.fromkeys((*kept, *short, *bare)))[:MOST_TOKENS]
