"""Raw bytes of a log to lines that are safe to show: nothing in them can steer a terminal."""

from __future__ import annotations

import re

MAX_LINE = 16_384
"""Characters of a line that are looked at; the longest honest lines, proposal lists, stay under 8,000."""
_UNSAFE = re.compile(
    r"\x1b\[[0-?]*[ -/]*[@-~]|\x1b[\]PX^_].*?(?:\x1b\\|\x07|$)|[\x00-\x08\x0b-\x1f\x7f-\x9f\u200b-\u200f\u2028-\u202e\u2066-\u2069\ufeff]"
)


def clean(text: str) -> str:
    """Without terminal sequences, control and direction-changing characters."""
    return _UNSAFE.sub("", text)


_LISTED_KEY = re.compile(r"(\b(?:auth|auth-trunc|enc|aead|comp)\s[^\n]{0,60}?0x)[0-9a-fA-F]{8,}")


_JSON_KEY = re.compile(r'("(?:key|iv|salt|secret|pre-shared-key|private-key|sk_[a-z]{1,3})"\s*:\s*")[^"]{4,}')


def without_listed_keys(text: str) -> str:
    """A line of a system's list of SAs, or of model data, without the digits of its keys."""
    if "0x" in text:
        text = _LISTED_KEY.sub(r"\1…", text)
    return _JSON_KEY.sub(r"\1…", text) if '": "' in text or '":"' in text else text


def decode_line(raw: bytes) -> tuple[str, bool]:
    """(text, whether it was UTF-8). What is not UTF-8 is read as Latin-1, which never fails."""
    raw = raw[:MAX_LINE].rstrip(b"\r\n")
    try:
        return clean(raw.decode("utf-8")), True
    except UnicodeDecodeError:
        if len(raw) == MAX_LINE:
            return clean(raw.decode("utf-8", "ignore")), True
        return clean(raw.decode("latin-1")), False
