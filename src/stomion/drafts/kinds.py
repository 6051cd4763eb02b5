"""What a statement is about, by its first words."""

from __future__ import annotations

from collections.abc import Sequence

from stomion.drafts import words as w
from stomion.drafts.algorithms import phase_of
from stomion.drafts.things import HEAD, LISTS
from stomion.shapes.statement import Statement

ORDERS = frozenset({
    "set", "add", "create", "config", "edit", "define", "new", "insert", "ip", "ipv4", "ipv6", "crypto", "security", "static", "this",
    "the", "for", "virtual", "physical", "logical",
})  # fmt: skip
"""First words of lines that only say that something follows."""


def kind_at(statement: Statement) -> tuple[int, str, str]:
    """(the last word that tells, the kind, the word that told) of a statement; an empty kind for one of no known kind."""
    words = statement.words
    if len(words) > 1 and statement.kids and all(not kid.words for kid in statement.kids):
        last = kind_word(words[-1])
        if last and all(map(kind_word, words)) and last not in LISTS:
            # "Tunnel interfaces" over rows: they are of interfaces.
            return len(words) - 1, last, words[-1]
    heads = []
    for place, word in enumerate(words[:HEAD]):
        if place in statement.quoted:
            break
        heads.append(word.lower())
    over = title_words(words)
    for place, low in enumerate(heads):
        if place < over:
            continue
        following = heads[place + 1] if place + 1 < len(heads) else ""
        room = len(words) > place + 2 or (bool(statement.kids) and len(words) > place + 1)
        pair = _pair(low, following) if room else ""
        if pair:
            return _again(words, heads, place + 1, pair, statement), pair, low
        kind = kind_word(words[place])
        if statement.kids and kind and following and (narrower := kind_word(words[place + 1])) in _NARROWER:
            # "Network interface NAME": the second word says what the first is of.
            kind, place = narrower, place + (narrower != kind)
        if kind:
            at = _again(words, heads, place, kind, statement)
            return at, kind, words[at] if kind == "system" else words[place]
        if low not in ORDERS and tuple(heads[: len(_BETWEEN_SITES)]) != _BETWEEN_SITES:
            break
    return 0, "", ""


def title_words(words: Sequence[str]) -> int:
    """How many first words are but the title of all that has to do with tunnels: `vpn` in `vpn phase1 suite NAME`, both in `vpn phase1
    partner NAME` and `vpn phase2 tunnel NAME`."""
    at = next((n for n, word in enumerate(words) if word.lower() not in ORDERS), 0)
    low = [word.lower() for word in words[at : at + HEAD]]
    if len(low) < HEAD or low[0] not in _TITLES or kind_word(low[0]) != "tunnel" or phase_of([low[1]]) is None:
        return 0
    if _pair(low[1], low[2]):
        return at + 1
    return at + 2 if kind_word(low[2]) == "tunnel" or low[2] in w.FAR else 0


_TITLES = frozenset({"vpn", "vpns", "ipsec", "tunnels"})


IKE_ALONE = frozenset({"ikev1", "ikev2"})
"""Words for IKE that tell its version where they stand alone, and the phase before a word for what is offered."""
_NARROWER = frozenset({"interface", "route"})
_BETWEEN_SITES = ("site", "to", "site")


def _again(words: Sequence[str], heads: Sequence[str], place: int, kind: str, statement: Statement) -> int:
    """Further words for the same kind: `vpn connection NAME`, `nat rule 10`."""
    known = next(some for name, some in w.KINDS if name == kind)
    while place + 1 < len(heads) and (len(words) > place + 2 or statement.kids):
        low = heads[place + 1]
        if not (
            low.removesuffix("s") in known
            or low in known
            or (kind in LISTS and low in ("rule", "rules", "list", "entry", "table"))
            or (kind == "translation" and low in w.SOURCE | w.DESTINATION)
            or (kind == "route" and low == "static")
        ):
            break
        place += 1
    return place


def _pair(low: str, following: str) -> str:
    """The kind that two words tell together: `ike proposal`, `phase1 offer`, `address translation`."""
    parts = set(w.parts_of(following))
    if (phase_of([low]) or low in IKE_ALONE) and parts & w.OFFERS:
        return "proposal"
    if low in ("address", "network", "port") and parts & w.TRANSLATION:
        return "translation"
    return "route" if low == "static" and following in ("route", "routes") else ""


def kind_word(word: str) -> str:
    """The kind that a word tells; empty where it tells none."""
    low = word.lower()
    for one in (low, low.removesuffix("s")):
        whole = next((kind for kind, known in w.KINDS if one in known), "")
        if whole:
            return whole
    parts = w.parts_of(word)
    if len(parts) == 1:
        one = parts[0].removesuffix("s")
        return (
            next((kind for kind, known in w.KINDS if parts[0] in known or one in known), "") if parts[0] != low else ""
        )
    told = {*parts, *(part.removesuffix("s") for part in parts)}
    if (told & {"gateway", "gw", "peer"} and phase_of([word]) == 1) or (told & {"gateway", "gw"} and told & w.FAR):
        return ""
    if told & {"crypto", "cipher"} and {p.removesuffix("s") for p in parts} & w.OFFERS:
        return "proposal"
    if told & w.OFFERS and phase_of([word]):
        return "proposal"
    if told & w.TRANSLATION and not told & {"traversal", "t", "keepalive"}:
        return "translation"
    ends = tuple(part for part in (parts[-1], parts[0]) if part not in _WHOLE) if parts else ()
    each = tuple(one for part in ends for one in (part, part.removesuffix("s") if part != "names" else part))
    return next((kind for part in each for kind, known in w.KINDS if part in known), "")


_WHOLE = frozenset({"link", "if"})
"""Words that tell a kind by themselves alone."""
