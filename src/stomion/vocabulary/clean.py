"""Raw bytes of a log to lines that are safe to show: nothing in them can steer a terminal."""

from __future__ import annotations

import re

from stomion.vocabulary.secrets import without_secrets

MAX_LINE = 16_384
"""Characters of a line that are looked at; the longest honest lines, proposal lists, stay under 8,000."""
MARK = "\ufffd"
"""Stands where something was that would steer a terminal, or that nobody would see."""
_SILENT = re.compile(r"\x1b\[[0-9;:]{0,64}[mK]|\0|\r|\A\ufeff|(?<=[\]-] )\ufeff")
"""What coloured logs, consoles' line ends and editors leave: it says nothing, and a mark in its place would part words."""
_UNSAFE = re.compile(
    r"(?:\x1b\[[0-?]*[ -/]*[@-~]|\x1b[\]PX^_].*?(?:\x1b\\|\x07|$)|[\x00-\x08\x0b-\x1f\x7f-\x9f\u00ad\u0600-\u0605\u061c\u06dd\u070f"
    r"\u0890\u0891\u08e2\u180e\u200b-\u200f\u2028-\u202e\u2060-\u206f\ud800-\udfff\ufeff\ufff9-\ufffb\U000110bd\U000110cd"
    r"\U00013430-\U0001343f\U0001bca0-\U0001bca3\U0001d173-\U0001d17a\U000e0000-\U000e007f])++"
)
"""Terminal sequences, and all of Unicode's Cc, Cf, Cs, Zl and Zp but the tab and the line's end."""


def clean(text: str) -> str:
    """Without terminal sequences, and without control, direction-changing and invisible characters: a mark for those that stand together."""
    if text.isascii() and text.isprintable():
        return text
    return _UNSAFE.sub(MARK, _SILENT.sub("", text))


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
        return _safe(raw.decode("utf-8")), True
    except UnicodeDecodeError:
        if len(raw) == MAX_LINE:
            return _safe(raw.decode("utf-8", "ignore")), True
        return _safe(raw.decode("latin-1")), False


def _safe(text: str) -> str:
    """Cleaned, and without secrets: also without those whose names are broken up by what nobody sees."""
    text = clean(text)
    if MARK in text:
        whole = text.replace(MARK, "")
        masked = without_secrets(whole)
        if masked != whole:
            return masked
    return without_secrets(text)
