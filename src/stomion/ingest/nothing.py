"""Files that hold no evidence: empty ones, keys, and content of no known kind."""

from __future__ import annotations

from stomion.ingest.item import Item
from stomion.ingest.reading import Kind

_ODD = bytes(byte for byte in range(32) if not 9 <= byte <= 13 and byte != 27)
"""Control characters that texts don't have, save a few by accident."""


def is_text(head: bytes) -> bool:
    """Mostly printable; a log with stray NUL bytes or in UTF-16 still counts."""
    sample = head[:8192].replace(b"\0", b"")
    if not sample:
        return False
    odd = len(sample) - len(sample.translate(None, _ODD))
    return odd <= len(sample) // 20


def _is_empty(_item: Item, head: bytes) -> bool:
    return not head.strip(b"\0 \r\n\t") or head.strip() == b"[]"


def _is_keys(_item: Item, head: bytes) -> bool:
    start = head.lstrip(b"\xef\xbb\xbf \r\n\t")
    return start[:1] in (b"{", b"[") and b'"ike-keys"' in start[:4096]


def _is_binary(_item: Item, head: bytes) -> bool:
    return not is_text(head)


EMPTY = Kind("empty", _is_empty, lambda r: r.refuse("it is empty"))
KEYS = Kind("keys", _is_keys, lambda r: r.refuse("it holds keys; they are used only where it is given with --keys"))
BINARY = Kind("binary", _is_binary, lambda r: r.refuse("its content is of no known kind"))
