"""Algorithms in any spelling of the trade, brought to the common vocabulary; used for logs and for site sheets."""

from __future__ import annotations

import re
from functools import lru_cache
from itertools import pairwise

from stomion.model.proposal import Proposal
from stomion.model.site import SheetProposal

MODP_GROUPS = {768: 1, 1024: 2, 1536: 5, 2048: 14, 3072: 15, 4096: 16, 6144: 17, 8192: 18}
ECP_GROUPS = {192: 25, 224: 26, 256: 19, 384: 20, 521: 21}
_INTEGRITY = {
    "md5": "HMAC-MD5-96",
    "1": "HMAC-SHA1-96",
    "256": "HMAC-SHA2-256-128",
    "384": "HMAC-SHA2-384-192",
    "512": "HMAC-SHA2-512-256",
}
_PRF = {"md5": "HMAC-MD5", "1": "HMAC-SHA1", "256": "HMAC-SHA2-256", "384": "HMAC-SHA2-384", "512": "HMAC-SHA2-512"}

_SHA = r"sha[-_ ]?(?:2[-_ ]?)?(?P<{0}>1|256|384|512)(?!\d)|(?P<{0}m>md5)\b|(?P<{0}s>sha)(?![-_ ]?\d|\w)"
_ENCRYPTION = re.compile(
    r"""
    (?P<gcm>aes[-_ ]?(?:(?P<g1>128|192|256)[-_ ]?)?gcm[-_ ]?(?:(?P<icv>8|12|16|64|96|128)(?!\d))?[-_ (]?(?P<g2>128|192|256)?\)?)
  | (?P<chacha>chacha20(?:[-_ ]?poly1305)?)
  | (?P<triple>3des|tdes|triple[-_ ]?des|des[-_ ]ede3?|des3)(?:[-_ ]?cbc)?
  | (?P<aes>aes(?:[-_ ]?cbc)?(?:[-_ ]?(?P<a1>128|192|256))?(?:[-_ ]?cbc)?(?:[-_ (](?P<a3>128|192|256)\)?)?
      (?:\ with\ (?:a\ )?(?P<a2>128|192|256)[- ]bit)?)(?![-_]?(?:xcbc|cmac|ctr|ccm)|[-_ ]?\d)
  | (?P<camellia>camellia[-_ ]?(?:cbc)?[-_ ]?(?P<c1>128|192|256)?)
  | (?P<des>\bdes[-_ ]?cbc\b|\bdes\b)
  | (?P<null>\bnull\b)
    """,
    re.IGNORECASE | re.VERBOSE,
)
_PRF_WORD = re.compile(r"prf[-_ =]{0,8}(?:hmac[-_ ]?)?" + "(?:" + _SHA.format("p") + ")", re.IGNORECASE)
_HASH_WORD = re.compile("(?:" + _SHA.format("h") + ")", re.IGNORECASE)
_GROUP = re.compile(
    r"""
    modp[-_ ]?(?P<modp>\d{3,4}) | (?P<modp2>\d{3,4})[- ]bit\ modp
  | (?:ecp[-_ ]?|secp)(?P<ecp>192|224|256|384|521)(?:r1)? | (?P<ecp2>\d{3})[- ]bit\ (?:ecp|elliptic|random\ ecp)
  | (?P<c25>curve[-_ ]?25519|x25519) | (?P<c44>curve[-_ ]?448|x448)
  | (?:sha[-_ ]?(?:2[-_ ]?)?\d{1,3}|md5)(?:-\d{2,3})?\s?[/+|]\s?(?P<third>1|2|5|1[4-9]|2\d|3[0-2])(?![\w.:/])
  | (?:dh|diffie[- ]hellman|oakley|pfs|group|(?<![A-Za-z])grp?|(?<![A-Za-z])ke(?==)|(?<![A-Za-z0-9])g(?=\d))[-_ =:]{0,8}(?:groups?)?[-_ =:#]{0,8}(?P<num>\d{1,2}(?:(?:,\s?|\ or\ |\ and\ |/)\d{1,2}(?!\d|[A-Za-z]))*)(?!\d|\.\d|x[0-9a-f])
    """,
    re.IGNORECASE | re.VERBOSE,
)


_BY_NUMBER = re.compile(
    r"(?<![A-Za-z])(?:(?P<encryption>encr?|encryption|cipher)|(?P<integrity>integ(?:rity)?|auth_alg)|(?P<hash>hash)|(?P<prf>prf))[ _-]?(?:id|alg|type)?\s?[=:]\s?"
    r"(?P<number>\d{1,2})(?![\w.])(?:[/, ;]\s?(?:key[ _-]?len(?:gth)?\s?[=: ]\s?)?(?P<bits>128|192|256)(?!\d))?",
    re.IGNORECASE,
)
_ENCRYPTION_NUMBERS = {
    2: "DES", 3: "3DES", 12: "AES-CBC", 18: "AES-GCM-8", 19: "AES-GCM-12", 20: "AES-GCM-16", 28: "CHACHA20-POLY1305", 1: "DES", 5: "3DES", 7: "AES-CBC",
}  # fmt: skip
"""Of IKEv2 (RFC 7296 section 3.3.2), and those of IKEv1 (RFC 2409 appendix A) that are other ones than IKEv2's."""
_INTEGRITY_NUMBERS = {1: "md5", 2: "sha1", 12: "sha2-256", 13: "sha2-384", 14: "sha2-512"}
_PRF_NUMBERS = {1: "md5", 2: "sha1", 5: "sha2-256", 6: "sha2-384", 7: "sha2-512"}
_HASH_NUMBERS = {1: "md5", 2: "sha1", 4: "sha2-256", 5: "sha2-384", 6: "sha2-512"}
_WORDS_OF = {"integrity": ("", _INTEGRITY_NUMBERS), "hash": ("", _HASH_NUMBERS), "prf": ("prf ", _PRF_NUMBERS)}


_SPELLED = (
    (re.compile(r"\bAES in (GCM|CBC)(?: mode)?(?:,?(?: with| and)?(?: an?)? (128|192|256)(?:[- ]bits?)?(?: keys?)?)?", re.IGNORECASE), r"AES-\1-\2"),
    (re.compile(r"\b(128|192|256)[- ]bits? AES(?:[- ](GCM|CBC))?\b(?![-_ ]?\d)", re.IGNORECASE), r"AES-\2-\1"),
    (re.compile(r"\bAES[- ]?\((128|192|256)(?:[- ]bits?)?(?:, ?(GCM|CBC))?\)", re.IGNORECASE), r"AES-\2-\1"),
    (re.compile(r"\bAES[-_ ]?(128|192|256)(?:[- ]bits?)? ?\((GCM|CBC)\)", re.IGNORECASE), r"AES-\2-\1"),
    (re.compile(r"\bSHA[- ]?2? (?:\((256|384|512)[- ]bits?\)|with (256|384|512)[- ]bits?)", re.IGNORECASE), r"SHA-\1\2"),
)  # fmt: skip
"""Names that are written as a phrase, and the same as one word."""


def spelled_short(text: str) -> str:
    """A text with `AES-256-GCM` in place of `AES in GCM mode with 256 bits`, `AES-256 (GCM)` and their like."""
    if "(" not in text and " bit" not in text and "-bit" not in text and " in " not in text:
        return text
    for phrase, name in _SPELLED:
        text = phrase.sub(name, text)
    return text.replace("AES--", "AES-")


_HEXADECIMAL = re.compile(
    r"(?<![A-Za-z])((?:encr?(?:yption)?|cipher|hash|integ(?:rity)?|prf|(?:dh[ _-]?)?group|dh|key[ _-]?len(?:gth)?)(?:[ _-](?:id|alg|type))?)"
    r"\s?[=: ]\s?0x([0-9a-f]{1,4})(?!\w)",
    re.IGNORECASE,
)


def in_words(text: str) -> str:
    """A text with the names of algorithms in place of their numbers (`encr=12/256 integ=12`), where it gives these."""
    text = spelled_short(text)
    if "0x" in text:
        text = _HEXADECIMAL.sub(lambda m: f"{m[1]}={int(m[2], 16)}", text)
    return _BY_NUMBER.sub(_named, text) if "=" in text or ":" in text else text


def _named(m: re.Match[str]) -> str:
    number = int(m["number"])
    if m["encryption"]:
        name = _ENCRYPTION_NUMBERS.get(number)
        return m[0] if name is None else f"{m['encryption']}={name}" + (f"-{m['bits']}" if m["bits"] else "")
    prefix, numbers = next(table for kind, table in _WORDS_OF.items() if m[kind])
    name = numbers.get(number)
    return m[0] if name is None else f"{prefix}{name}{m[0][m.end('number') - m.start() :]}"


def encryption_of(text: str) -> tuple[str, ...]:
    """All encryption algorithms named in a text, in order."""
    found = []
    for m in _ENCRYPTION.finditer(spelled_short(text)):
        if m["gcm"]:
            icv = {None: 16, "64": 8, "96": 12, "128": 16}.get(m["icv"], m["icv"])
            bits = m["g1"] or m["g2"] or ("128" if m["icv"] == "128" else None)
            # `gcm_16_128` names tag bytes and key bits; `aes128gcm128` names key bits and tag bits.
            found.append(f"AES-GCM-{icv}" + (f"-{bits}" if bits else ""))
        elif m["chacha"]:
            found.append("CHACHA20-POLY1305")
        elif m["triple"]:
            found.append("3DES")
        elif m["aes"]:
            bits = m["a1"] or m["a2"] or m["a3"]
            found.append("AES-CBC" + (f"-{bits}" if bits else ""))
        elif m["camellia"]:
            found.append("CAMELLIA-CBC" + (f"-{m['c1']}" if m["c1"] else ""))
        else:
            found.append("DES" if m["des"] else "NULL")
    return tuple(dict.fromkeys(found))


def is_known(kind: str, value: str, protocol: str = "IKE") -> bool:
    """Is a value one of the trade's, in any spelling? Kinds are `encryption`, `integrity`, `prf` and `group`."""
    if kind == "encryption":
        return bool(encryption_of(value))
    if kind == "group":
        return value.isdecimal() or bool(group_of(value))
    said = find_proposal(f"prf {value}" if kind == "prf" else value, protocol)
    return said is not None and bool(said.values(kind))


def group_of(text: str) -> tuple[str, ...]:
    """All key exchange groups named in a text, by their numbers."""
    found = []
    for m in _GROUP.finditer(text):
        if m["modp"] or m["modp2"]:
            number = MODP_GROUPS.get(int(m["modp"] or m["modp2"]))
        elif m["ecp"] or m["ecp2"]:
            number = ECP_GROUPS.get(int(m["ecp"] or m["ecp2"]))
        else:
            found.extend(re.findall(r"\d+", m["num"] or m["third"] or ""))
            number = 31 if m["c25"] else 32 if m["c44"] else None
        if number is not None:
            found.append(str(number))
    return tuple(dict.fromkeys(found))


def _hashes(pattern: re.Pattern[str], text: str, letter: str) -> list[str]:
    found = []
    for m in pattern.finditer(text):
        found.append("md5" if m[f"{letter}m"] else "1" if m[f"{letter}s"] else m[letter])
    return found


@lru_cache(2_048)
def find_proposal(text: str, protocol: str = "") -> Proposal | None:
    """What a piece of text names as a proposal, or None where it names no algorithm.

    A hash named once stands for integrity and, for IKE, for the PRF as well; after `prf` it is the PRF alone.
    """
    text = in_words(text)
    encryption, group = encryption_of(text), group_of(text)
    prfs = [_PRF[h] for h in _hashes(_PRF_WORD, text, "p")]
    rest = [_INTEGRITY[h] for h in _hashes(_HASH_WORD, _PRF_WORD.sub(" ", text), "h")]
    if any("GCM" in name or "CHACHA" in name for name in encryption):
        prfs = prfs or [name.rsplit("-", 1)[0] for name in rest]
        rest = []
    if not (encryption or group or rest or prfs):
        return None
    integrity = tuple(dict.fromkeys(rest))
    if not prfs and protocol == "IKE":
        prfs = [name.rsplit("-", 1)[0] for name in integrity]
    return Proposal(protocol, encryption, integrity, tuple(dict.fromkeys(prfs)), group)


def find_proposals(text: str, protocol: str = "") -> tuple[Proposal, ...]:
    """The separate proposals that a piece of text names one after the other: one begins where a cipher follows a hash or a group. IKEv1
    transforms are fixed combinations (RFC 2409, appendix A), which mixing would falsify."""
    text = in_words(text)
    ciphers = [m.start() for m in _ENCRYPTION.finditer(text)]
    others = [m.start() for shape in (_PRF_WORD, _HASH_WORD, _GROUP) for m in shape.finditer(text)]
    begins = [at for before, at in pairwise(ciphers) if any(before < o < at for o in others)]
    cuts = [0, *begins, len(text)]
    found = (find_proposal(text[a:b], protocol) for a, b in pairwise(cuts))
    return tuple(p for p in found if p is not None)


def model_proposal(declared: SheetProposal, protocol: str) -> Proposal:
    """Any spelling of the trade to the common names; a value not understood is kept as written."""
    found: dict[str, tuple[str, ...]] = {}
    for kind in ("integrity", "prf"):
        names: list[str] = []
        for value in getattr(declared, kind):
            said = find_proposal(f"prf {value}" if kind == "prf" else value, protocol)
            names.extend((said.values(kind) if said else ()) or (value,))
        found[kind] = tuple(dict.fromkeys(names))
    encryption = tuple(dict.fromkeys(x for v in declared.encryption for x in encryption_of(v) or (v,)))
    groups = tuple(
        x for g in declared.group for x in ((str(g),) if str(g).isdecimal() else group_of(str(g)) or (str(g),))
    )
    return Proposal(protocol, encryption, found["integrity"], found["prf"], groups, lifetime_s=declared.lifetime_s)


def model_value(kind: str, text: str | None) -> str:
    """One value in any spelling to its common name; as written where it is not understood, empty where there is none."""
    if not text:
        return ""
    said = find_proposal(text, "ESP")
    return next(iter(said.values(kind)), text) if said is not None else text
