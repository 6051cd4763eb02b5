"""Raw bytes of a log to lines that are safe to show: nothing in them can steer a terminal."""

from __future__ import annotations

import re

from stomion.vocabulary.secrets import without_secrets

MAX_LINE = 16_384
"""Characters of a line that are looked at; the longest honest lines, proposal lists, stay under 8,000."""
_UNSAFE = re.compile(
    r"\x1b\[[0-?]*[ -/]*[@-~]|\x1b[\]PX^_].*?(?:\x1b\\|\x07|$)|[\x00-\x08\x0b-\x1f\x7f-\x9f\u00ad\u061c\u180e"
    r"\u200b-\u200f\u2028-\u202e\u2060-\u206f\ud800-\udfff\ufeff\ufff9-\ufffb\U000e0000-\U000e007f]"
)


def clean(text: str) -> str:
    """Without terminal sequences, control and direction-changing characters."""
    if text.isascii() and text.isprintable():
        return text
    return _UNSAFE.sub("", text)


def one_line(text: str) -> str:
    """A value, cleaned: names and sentences stand in lines of ours, which a line's end in them would break in two."""
    return clean(text).replace("\n", " ").replace("\t", " ")


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
        return without_secrets(clean(raw.decode("utf-8"))), True
    except UnicodeDecodeError:
        if len(raw) == MAX_LINE:
            return without_secrets(clean(raw.decode("utf-8", "ignore"))), True
        return without_secrets(clean(raw.decode("latin-1"))), False
