"""Proposals of a configuration: a block of keyed values, a combination on one line, or a suite that is named elsewhere."""

from __future__ import annotations

import re
from collections.abc import Sequence

from msgspec.structs import replace

from stomion.drafts import words as w
from stomion.model.site import SheetProposal
from stomion.vocabulary.algorithms import find_proposal
from stomion.vocabulary.durations import seconds_of

_NAMES = {"3DES": "3DES-CBC", "DES": "DES-CBC"}
_BARE_GROUP = re.compile(r"(?:dh|group|modp|g)?[-_ ]?(\d{1,2})", re.IGNORECASE)
_TAG = re.compile(
    r"\b(?:tag|icv)\s*(?:of\s*)?(?:64|96|128|8|12|16)\b|\b(?:64|96|128|8|12|16)[- ]?(?:byte|bit|octet)s?\s+(?:tag|icv)\b",
    re.IGNORECASE,
)


def phase_of(words: Sequence[str]) -> int | None:
    """1 or 2, by the words around; None where nothing tells."""
    low = [word.lower() for word in words]
    parts = {p for word in words for p in w.parts_of(word)}
    joined = " ".join(low)
    first = bool(
        re.search(r"\b(?:phase|stage|ph|p)[-_ .]?1\b", joined) or set(low) & w.PHASE_1 or parts & {"ike", "isakmp"}
    )
    second = bool(
        re.search(r"\b(?:phase|stage|ph|p)[-_ .]?2\b", joined)
        or set(low) & w.PHASE_2
        or parts & {"esp", "ipsec", "child"}
    )
    return None if first is second else 1 if first else 2


def kind_of(words: Sequence[str]) -> str:
    """Which part of a proposal a statement's first words name: `encryption`, `integrity`, `prf`, `group` or `lifetime`."""
    for word in words[:3]:
        parts = {word.lower(), *w.parts_of(word)}
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


def values_of(kind: str, words: Sequence[str], protocol: str) -> tuple[str | int, ...]:
    """The values a statement of a kind names, in its order, in the sheet's own spelling."""
    text = _TAG.sub(" ", " ".join(words))
    if kind == "group":
        if {word.lower() for word in words} & w.NONE:
            return ()
        found = find_proposal(" ".join(words), protocol)
        named = [int(g) for g in found.values("group")] if found is not None else []
        bare = [int(m[1]) for word in words if (m := _BARE_GROUP.fullmatch(word))]
        return tuple(dict.fromkeys(named + [g for g in bare if g]))
    found = find_proposal(f"prf {text}" if kind == "prf" else text, protocol)
    if kind == "prf":
        names = [f"prf {word}" for word in words]
        out = [v for name in names if (one := find_proposal(name, "IKE")) for v in one.values("prf")]
        return tuple(dict.fromkeys(out))
    if kind == "integrity":
        out = [v for word in words if (one := find_proposal(word, "ESP")) for v in one.values("integrity")]
        return tuple(dict.fromkeys(out or (list(found.values("integrity")) if found else [])))
    return tuple(_NAMES.get(v, v) for v in found.values("encryption")) if found is not None else ()


def combination(words: Sequence[str], protocol: str) -> SheetProposal | None:
    """What one statement names all at once: `AES256+SHA256+DH14`, `encryption aes-cbc 256 integrity sha256 group 21 lifetime 4:00:00`."""
    parts = _split_keys(words)
    if len(parts) > 1 or (parts and parts[0][0]):
        found: dict[str, tuple[str | int, ...]] = {}
        life: int | None = None
        for kind, values in parts:
            if kind == "lifetime":
                life = seconds_of(" ".join(values)) or life
            elif kind:
                found[kind] = (*found.get(kind, ()), *values_of(kind, values, protocol))
        if found.get("encryption") or found.get("integrity"):
            return proposal(found, life)
    text = _TAG.sub(" ", " ".join(words).replace("+", " ").replace("/", " "))
    said = find_proposal(re.sub(r"\bPRF[-_ ]?", "prf ", text, flags=re.IGNORECASE), "ESP")
    if said is None or not said.values("encryption"):
        return None
    return SheetProposal(
        tuple(_NAMES.get(v, v) for v in said.values("encryption")), tuple(said.values("integrity")), tuple(said.values("prf")),
        tuple(int(g) for g in said.values("group") if g.isdecimal()),
    )  # fmt: skip


def _split_keys(words: Sequence[str]) -> list[tuple[str, list[str]]]:
    out: list[tuple[str, list[str]]] = []
    for word in words:
        kind = (
            kind_of([word])
            if not find_proposal(word, "ESP") or word.lower() in ("prf", "dh", "pfs", "group", "hash", "mac")
            else ""
        )
        if kind:
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
