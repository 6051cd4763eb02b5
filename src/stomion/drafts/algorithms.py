"""Proposals of a configuration: a block of keyed values, a combination on one line, or a suite that is named elsewhere."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from functools import lru_cache

from msgspec.structs import replace

from stomion.drafts import words as w
from stomion.model.site import SheetProposal
from stomion.shapes.statement import Statement
from stomion.vocabulary.algorithms import find_proposal
from stomion.vocabulary.durations import seconds_of

_NAMES = {"3DES": "3DES-CBC", "DES": "DES-CBC"}
_BARE_GROUP = re.compile(r"(?:dh|group|modp|g)?[-_ ]?(\d{1,2})", re.IGNORECASE)
_TAG = re.compile(
    r"\b(?:tag|icv)\s*(?:of\s*)?(?:64|96|128|8|12|16)\b|\b(?:64|96|128|8|12|16)[- ]?(?:byte|bit|octet)s?\s+(?:tag|icv)\b",
    re.IGNORECASE,
)

_BITS = re.compile(r"\s+with\s+(?:an?\s+)?(128|192|256)[- ]bits?(?:\s+keys?)?\b", re.IGNORECASE)


_KEY_BITS = re.compile(r"/(?=(?:128|192|256)\b)")
_LENGTH = re.compile(r"(?<!\S)\d{1,7}\s?(?:s|secs?|seconds?|m|mins?|minutes?|h|hours?|d|days?)(?!\w)", re.IGNORECASE)
"""A length of time that says its unit."""


def phase_of(words: Sequence[str]) -> int | None:
    """1 or 2, by the words around; None where nothing tells."""
    return _phase_of(tuple(words))


_ORDINAL = re.compile(r"\b(first|1st|second|2nd)[-_ ](?:phase|stage)s?\b")


@lru_cache(4_096)
def _phase_of(words: tuple[str, ...]) -> int | None:
    low = [word.lower() for word in words]
    parts = {p for word in words for p in w.parts_of(word)}
    joined = " ".join([*low, *(p for word in words for p in w.parts_of(word))])
    ordinal = _ORDINAL.search(joined)
    if ordinal is not None:
        # What number follows it is that of an offer.
        return 1 if ordinal[1] in ("first", "1st") else 2
    first = bool(
        re.search(r"\b(?:phase|stage|ph|p)[-_ .]?(?:1|one|i)\b", joined)
        or set(low) & w.PHASE_1
        or parts & {"ike", "isakmp", "parent"}
    )
    second = bool(
        re.search(r"\b(?:phase|stage|ph|p)[-_ .]?(?:2|two|ii)\b", joined)
        or set(low) & w.PHASE_2
        or parts & {"esp", "ipsec", "child"}
    )
    return None if first is second else 1 if first else 2


def kind_of(words: Sequence[str]) -> str:
    """Which part of a proposal a statement's first words name: `encryption`, `integrity`, `prf`, `group` or `lifetime`."""
    for place, word in enumerate(words[:3]):
        if place and is_algorithm(word):
            continue
        parts = {word.lower(), *w.parts_of(word), *(p.removesuffix("s") for p in w.parts_of(word))}
        for kind, known in (
            ("prf", w.PRF),
            ("lifetime", w.LIFE),
            ("group", w.GROUP),
            ("encryption", w.ENCRYPTION),
            ("integrity", w.INTEGRITY),
        ):
            if parts & known:
                return (
                    ""
                    if kind == "lifetime" and (parts | {p for x in words[1:2] for p in w.parts_of(x)}) & w.VOLUME
                    else kind
                )
    return ""


@lru_cache(8_192)
def is_algorithm(word: str) -> bool:
    """Does a word name an algorithm, and is no key for one?"""
    if word.lower() in ("prf", "dh", "pfs", "group", "hash", "mac"):
        return False
    return find_proposal(word, "ESP") is not None or find_proposal(word, "IKE") is not None


def values_of(kind: str, words: Sequence[str], protocol: str) -> tuple[str | int, ...]:
    """The values a statement of a kind names, in its order, in the sheet's own spelling."""
    text = _BITS.sub(r" \1", _TAG.sub(" ", " ".join(words))).replace("|", " ")
    text = _KEY_BITS.sub("-", text) if kind == "encryption" else text.replace("/", " ")
    if kind == "group":
        if {word.lower() for word in words} & w.NONE:
            return ()
        found = find_proposal(" ".join(words), protocol)
        named = [int(g) for g in found.values("group")] if found is not None else []
        bare = [
            int(m[1])
            for word in " ".join(words).replace("|", " ").replace("/", " ").split()
            if (m := _BARE_GROUP.fullmatch(word))
        ]
        return tuple(dict.fromkeys(named + [g for g in bare if g]))
    if kind == "encryption":
        said = find_proposal(text, protocol)
        return tuple(_NAMES.get(v, v) for v in said.values(kind)) if said is not None else ()
    return tuple(dict.fromkeys(_one_by_one(kind, text.split())))


MOST_WORDS = 4
"""Of the name of one algorithm."""


def _one_by_one(kind: str, words: Sequence[str]) -> Iterator[str]:
    """Hashes in the order of the text, each from as many words as name one alone: `SHA2 256 SHA1` are two."""
    before, protocol = ("prf ", "IKE") if kind == "prf" else ("", "ESP")
    at = 0
    while at < len(words):
        for width in range(min(MOST_WORDS, len(words) - at), 0, -1):
            found = find_proposal(before + " ".join(words[at : at + width]), protocol)
            named = found.values(kind) if found is not None else ()
            if len(named) == 1:
                yield named[0]
                at += width - 1
                break
        at += 1


def kinds_in(words: Sequence[str]) -> int:
    """How many kinds of value a statement names."""
    return len({key for key, _ in _split_keys(words) if key})


def combinations(words: Sequence[str], protocol: str) -> list[SheetProposal]:
    """What one statement offers: one proposal, or one in each of its words (`aes256-sha256-modp2048,aes128-sha256-ecp256`)."""
    each = [combination([word], protocol) for word in words]
    whole = [one for one in each if one is not None and one.encryption and (one.integrity or one.group or one.prf)]
    if len(whole) > 1:
        return whole
    found = combination(words, protocol)
    return [found] if found is not None else []


def combination(words: Sequence[str], protocol: str) -> SheetProposal | None:
    """What one statement names all at once: `AES256+SHA256+DH14`, `encryption aes-cbc 256 integrity sha256 group 21 lifetime 4:00:00`."""
    parts = _split_keys(words)
    life: int | None = None
    if len(parts) > 1 or (parts and parts[0][0]):
        found: dict[str, tuple[str | int, ...]] = {}
        for kind, values in parts:
            if kind == "lifetime":
                life = lifetime_of(["lifetime", *values]) or life
            elif kind:
                found[kind] = (*found.get(kind, ()), *values_of(kind, values, protocol))
        if found.get("encryption") or found.get("integrity"):
            length = _LENGTH.search(" ".join(words)) if life is None else None
            return proposal(found, seconds_of(length[0]) if length is not None else life)
    text = _BITS.sub(r" \1", _TAG.sub(" ", " ".join(words).replace("+", " ").replace("/", " ").replace("|", " or ")))
    if life is None and (length := _LENGTH.search(text)) is not None:
        life = seconds_of(length[0].strip())
        text = text.replace(length[0], " ")
    said = find_proposal(re.sub(r"\bPRF[-_ ]?", "prf ", text, flags=re.IGNORECASE), "ESP")
    if said is None or not said.values("encryption"):
        return None
    return SheetProposal(
        tuple(_NAMES.get(v, v) for v in said.values("encryption")), tuple(said.values("integrity")), tuple(said.values("prf")),
        tuple(int(g) for g in said.values("group") if g.isdecimal()), life,
    )  # fmt: skip


def flat(statement: Statement) -> tuple[str, ...]:
    """All words of a statement and of what stands under it."""
    return (*statement.words, *(word for kid in statement.kids for word in flat(kid)))


def offered(body: Sequence[Statement], protocol: str) -> SheetProposal | None:
    """The proposal that a block's lines make: a kind of value each, or all of them on one line."""
    found: dict[str, tuple[str | int, ...]] = {}
    life = None
    for statement in body:
        words = flat(statement)
        kind = kind_of(words)
        if sum(bool(key) for key, _ in _split_keys(words)) > 1 and (whole := combination(words, protocol)):
            return replace(whole, lifetime_s=whole.lifetime_s or life)
        if kind == "lifetime":
            life = lifetime_of(words) or life
        elif kind:
            found[kind] = (*found.get(kind, ()), *values_of(kind, words[1:], protocol))
    if found.get("encryption") or found.get("integrity"):
        return proposal(found, life)
    return combination([word for statement in body for word in flat(statement)], protocol)


def told_phase(body: Sequence[Statement]) -> int | None:
    """The phase that a block's own lines tell: `protocol esp`, `phase 1`."""
    for statement in body:
        if 1 < len(statement.words) <= _FEW and not statement.kids:
            first = {statement.words[0].lower(), *w.parts_of(statement.words[0])}
            if first & {"protocol", "phase", "type", "for", "stage", "proto", "use", "kind"}:
                phase = phase_of(statement.words)
                if phase is not None:
                    return phase
    return phase_of([word for statement in body[:1] for word in statement.words[:4]])


_FEW = 3


def lifetime_of(words: Sequence[str]) -> int | None:
    """Seconds, of a statement that begins with a word for a lifetime; a unit may stand in that word or beside it."""
    at = max((n for n, word in enumerate(words[:3]) if {word.lower(), *w.parts_of(word)} & w.LIFE), default=-1)
    rest = list(words[at + 1 :])
    if rest and rest[0].lower() in ("time", "period"):
        rest = rest[1:]
    if rest and _UNIT.fullmatch(rest[0]) and len(rest) > 1:
        rest = [*rest[1:], rest[0]]
    inside = [p for p in w.parts_of(words[at]) if _UNIT.fullmatch(p)] if at >= 0 else []
    if inside and len(rest) == 1 and rest[0].isdecimal():
        rest.append(inside[-1])
    return seconds_of(" ".join(rest))


_UNIT = re.compile(r"(?:second|sec|minute|min|hour|day)s?", re.IGNORECASE)


def _split_keys(words: Sequence[str]) -> list[tuple[str, list[str]]]:
    out: list[tuple[str, list[str]]] = []
    for word in words:
        kind = "" if is_algorithm(word) else kind_of([word])
        names = kind == "integrity" and bool(out) and out[-1][0] in ("integrity", "prf") and not out[-1][1]
        if names:
            # `prf HMAC with SHA-512`: a part of the value's name.
            out[-1][1].append(word)
        elif kind:
            out.append((kind, []))
        elif out:
            out[-1][1].append(word)
        else:
            out.append(("", [word]))
    return out


def proposal(found: dict[str, tuple[str | int, ...]], life: int | None) -> SheetProposal:
    """From the values of each kind; a cipher that protects its own integrity (RFC 5282) needs none."""
    encryption = tuple(str(v) for v in found.get("encryption", ()))
    integrity = tuple(str(v) for v in found.get("integrity", ()))
    if encryption and all("GCM" in e or "CHACHA" in e for e in encryption):
        integrity = ()
    return SheetProposal(
        encryption, integrity, tuple(str(v) for v in found.get("prf", ())), found.get("group", ()), life
    )


def with_shared(
    proposals: list[SheetProposal], group: tuple[int | str, ...], life: int | None
) -> tuple[SheetProposal, ...]:
    """Proposals with what is said of all of them: a PFS group, a lifetime."""
    return tuple(replace(p, group=p.group or group, lifetime_s=p.lifetime_s or life) for p in proposals)
