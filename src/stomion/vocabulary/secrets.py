"""Keys and passwords in a line of text: found by the name before them and by their shape, and replaced by a mark.

What is said *of* a key stays (`psk: mismatch`), and so do addresses, algorithms and the names of tunnels beside it.
"""

from __future__ import annotations

import re
from hashlib import blake2b

SECRET = "(secret)"
"""The mark; with a label in it where marks tell one secret from another."""
_BEGUN = SECRET[:-1]
PLAIN_WORD = 16
"""Letters of a word that is no secret; a longer run of letters may be one."""
REACH = 120
"""Characters after a secret's name in which a word that looks like one is taken for it."""

_NAME = (
    r"(?<![A-Za-z])(?P<name>pre[-_ ]?shared(?:[-_ ]?(?:key|secret)s?)?|(?:[a-z]{2,10}[-_]?)?psk(?:[-_](?:hex|ascii|base64|text|key|secret|value|string))?"
    r"|shared[-_ ]?(?:key|secret)|secret(?:[-_ ]?(?:key|data|value|string))?|pass(?:word|wd|phrase|code)s?"
    r"|(?:xauth|eap|user|login|auth|my)[-_ ]?pass|pwd|pw|pin|private[-_ ]?key|(?:api|auth|enc)[-_ ]?key"
    r"|key[-_ ]?(?:string|data|material|value|text|phrase)|(?:access[-_ ]?)?token|bearer|credentials?"
    r"|sk_(?:d|a[ir]|e[ir]|p[ir])|skeyid(?:_[ade])?|keymat|dh[-_ ]secret)(?![A-Za-z])"
)
_ATTRIBUTES = r"(?:\s{1,2}[\w-]{1,24}=[\"'][^\"']{0,40}[\"']){0,3}"
_KIND = r"(?:(?:ascii(?:[-_]text)?|plain(?:[-_]?text)?|clear(?:[-_]?text)?|text|hex|base64|cipher|encrypted|local|remote|secret|key|[0-9])\s{1,4}){0,3}"
_TO = r"(?P<to>[\"'\])]{0,2}\s{0,4}(?:[:=]{1,2}>?|->|→|>|\[|\(|<|\b(?:is|was|value|set\s{1,2}to|changed\s{1,2}from)\b)[\s\[(<]{0,4}|\s{1,4}|(?=[\"']))"
_VALUE = r"(?:\"(?P<double>[^\"]{1,256})\"|'(?P<single>[^']{1,256})'|(?P<bare>[\"']?[^\s\"',;<>\[\]()]{4,256}))"
_NAMED = re.compile(rf"{_NAME}{_ATTRIBUTES}{_TO}{_KIND}{_VALUE}", re.IGNORECASE)
_OF_A_USER = re.compile(r"(:\s{0,4}(?:xauth|eap|ntlm)\s{1,4})([\"'])(?P<value>[^\"']{1,256})\2", re.IGNORECASE)
"""A row of a list of secrets: whose it is, a colon, the method and the password."""
_NAMED_AT = re.compile(_NAME, re.IGNORECASE)
_BARE_KEY = re.compile(r"\bkey(?:ring)?\b", re.IGNORECASE)
_HINTS = (
    "psk",
    "key",
    "secret",
    "pass",
    "pwd",
    "pw",
    "pin",
    "token",
    "shared",
    "bearer",
    "credential",
    "sk_",
    "xauth",
    "eap",
    "ntlm",
    "dh",
)
_TRIGGER = re.compile(
    r"psk|sk_|skeyid|keymat|:\s{0,4}(?:xauth|eap|ntlm)\s|shared|secret|passw|passp|passc|pwd|token|bearer|credential|\b(?:pin|pw|pass|key|keyring)\b|[-_](?:pass|key)\b|(?:private|api|auth|enc)key"
    r"|\bkey[-_ ]?(?:string|data|material|value|text|phrase)"
)
"""A cheaper question than the patterns below: most lines with `key` are of keys that are renewed."""
_ADDRESS = re.compile(r"\d{1,3}(?:\.\d{1,3}){3}(?:[/:\[].*)?|[0-9a-fA-F]{0,4}(?::[0-9a-fA-F]{0,4}){2,7}")
_STRONG = re.compile(
    r"(?<![\w.@/:=+-])(?=[^\s\"',;<>\[\]()]{0,100}[a-z])(?=[^\s\"',;<>\[\]()]{0,100}[A-Z])(?=[^\s\"',;<>\[\]()]{0,100}\d)"
    r"[A-Za-z0-9!@#$%^&*+=_/-]{8,128}(?![\w.@/:])"
)
"""Upper and lower case and digits in one word, as in a key that somebody made up; no host's name, path or time."""
_ALGORITHM = re.compile(
    r"(?:curve|modp|ecp|aes|sha|hmac|chacha|camellia|brainpool|group|prf|ike|xauth|dh|esp|mobike)", re.IGNORECASE
)
_SUITE = re.compile(r"(?:AES|3DES|SHA|HMAC|CHACHA|IKE)[A-Z0-9]{0,24}(?:[-_/+][A-Z0-9]+)+")
_PAIR = re.compile(r"[A-Za-z][\w-]{0,24}=[^=]")
_WHOSE = re.compile(
    r"\b(?:conn(?:ection)?|tunnel|peer|name|gateway|gw|site|vpn|profile|policy|user|host|id(?:entity)?|for|to|from|with|of|by|at|between|and)[\s:=\"'\[(<]{1,3}$",
    re.IGNORECASE,
)
_CHANGED = re.compile(r"(?:\b(?:set|reset|changed?|equal)|\(secret(?: [a-z]{4})?\))\s{1,2}to\s{1,2}$", re.IGNORECASE)
_PAIRS = r"(?:0x)?[0-9a-f]{2}(?:(?:\s{0,3}|[:-]|,\s{0,2})(?:0x)?[0-9a-f]{2}){3,127}"
_BYTES = re.compile(
    rf"{_NAME}(?:[\s:=>→\[({{,\"'@)\]}}-]|bytes?\b|octets?\b|bits?\b|(?:len(?:gth)?|size)[\s:=]{{0,3}}\d{{1,4}}\b|\d{{1,4}}(?=[\s-]{{0,2}}(?:byte|octet|bit))"
    rf"|(?:hex|dump|data|value|is|was|key)\b){{0,12}}(?P<bytes>{_PAIRS}(?![0-9a-z.])(?:\s{{0,120}}[|<].{{0,64}})?)",
    re.IGNORECASE,
)
"""Bytes one by one after a secret's name, and their characters beside them."""
_NUMBERS = re.compile(
    rf"{_NAME}[\"'\s]{{0,4}}[:=]{{1,2}}>?\s{{0,4}}[\[({{]\s{{0,4}}(?P<bytes>\d{{1,3}}(?:\s{{0,4}},\s{{0,4}}\d{{1,3}}){{3,255}})",
    re.IGNORECASE,
)
_DATE = re.compile(r"20\d\d-[01]\d-[0-3]\d")
_RANDOM = re.compile(r"(?<![\w+/=.-])[A-Za-z0-9+/]{40,}={0,2}(?![\w+/=.-])")
"""A long run of letters and digits: a key or a certificate in base 64, where upper case, lower case and digits change places often."""
_LONG = re.compile(r"[A-Za-z0-9+/]{40}")
_TURNS = re.compile(r"[a-z](?=[A-Z0-9])|[A-Z](?=[0-9])|[0-9](?=[A-Za-z])")
MANY_TURNS = 10


LETTERS = "bcdfghjklmnpqrstvwxz"
"""Letters of a label: they make no words, and no vowel and no digit makes it look like a secret."""
_key: list[bytes] = []


def tell_apart(key: bytes) -> bytes:
    """From now on equal secrets get equal marks and others others: by a label that rests on `key`, which has to be random and is kept nowhere, so
    that nobody can try words against a mark. The first key holds; it is given back, for processes that read for this one."""
    if not _key:
        _key.append(key)
    return _key[0]


def mark_of(value: str) -> str:
    """What stands for a secret."""
    if value.startswith(_BEGUN):
        return value
    if not _key:
        return SECRET
    number = int.from_bytes(blake2b(value.encode("utf-8", "replace"), key=_key[0], digest_size=8).digest())
    letters = []
    for _ in range(4):
        number, place = divmod(number, len(LETTERS))
        letters.append(LETTERS[place])
    return f"{_BEGUN} {''.join(letters)})"


def without_secrets(text: str) -> str:
    """A line without the values that are named as keys, passwords and the like, and without what can be nothing else."""
    low = text.lower()
    if any(hint in low for hint in _HINTS) and _TRIGGER.search(low):
        text = _NUMBERS.sub(_masked_bytes, _BYTES.sub(_masked_bytes, text))
        text = _OF_A_USER.sub(lambda m: f"{m[1]}{m[2]}{mark_of(m['value'])}{m[2]}", _NAMED.sub(_masked, text))
        named = _NAMED_AT.search(text) or _BARE_KEY.search(text)
        if named is not None:
            text = _without_strong(text, named.end())
    return _RANDOM.sub(_without_random, text) if _LONG.search(text) else text


_BETWEEN = " \t,;:{}[]"
"""What stands between two strings in quotes, the first of which is the name of a secret: `"credentials", "partner"`."""


def _masked(m: re.Match[str]) -> str:
    quoted = m["double"] or m["single"]
    value = quoted if quoted is not None else m["bare"]
    if quoted is None and not _may_be_secret(m["bare"].lstrip("\"'"), assigned=bool(m["to"].strip())):
        return m[0]
    if value.startswith(_BEGUN) or not value.strip(_BETWEEN):
        return m[0]
    at = m.start("double") if m["double"] else m.start("single") if m["single"] else m.start("bare")
    return m[0][: at - m.start()] + mark_of(value.strip("\"'")) + m[0][at - m.start() + len(value) :]


def _masked_bytes(m: re.Match[str]) -> str:
    found = m["bytes"]
    if _DATE.match(found) or not any(map(str.isdigit, found)):
        return m[0]
    at = m.start("bytes") - m.start()
    return m[0][:at] + mark_of("".join(found.split()).lower())


def names_secret(text: str) -> bool:
    """Does a line speak of a key or a password by a name of such?"""
    low = text.lower()
    return any(hint in low for hint in _HINTS) and (_NAMED_AT.search(text) or _BARE_KEY.search(text)) is not None


def _may_be_secret(word: str, *, assigned: bool) -> bool:
    """A word without quotes after a secret's name: letters alone are what is said of it, and so is any word that is not set against it."""
    if word.startswith("(") or _ADDRESS.fullmatch(word) or _SUITE.fullmatch(word):
        return False
    if not assigned and _PAIR.match(word):
        return False
    if word.isalpha():
        return len(word) >= PLAIN_WORD
    return assigned or any(map(str.isdigit, word))


def _without_strong(text: str, start: int) -> str:
    piece = text[start : start + REACH]

    def mask(m: re.Match[str]) -> str:
        before = piece[max(0, m.start() - 24) : m.start()]
        about_another = _WHOSE.search(before) and not _CHANGED.search(before)
        return m[0] if about_another or _ALGORITHM.match(m[0]) else mark_of(m[0])

    return text[:start] + _STRONG.sub(mask, piece) + text[start + REACH :]


def _without_random(m: re.Match[str]) -> str:
    found = m[0]
    mixed = found.lower() != found != found.upper()
    return mark_of(found) if mixed and len(_TURNS.findall(found)) >= MANY_TURNS else found
