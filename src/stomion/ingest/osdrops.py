"""What an operating system threw away: its count of IPsec packets by cause (`/proc/net/xfrm_stat`), and of its links' errors
(`ip -j -s link`)."""

from __future__ import annotations

import re
from typing import Any

from stomion.ingest.gate import json_value
from stomion.ingest.item import Item, read_whole
from stomion.ingest.osrows import number_of, text_of, within
from stomion.ingest.reading import Kind, Reading
from stomion.model.provenance import Provenance
from stomion.model.sa import Drop

_COUNT = re.compile(r"^(Xfrm\w{2,40})[ \t]+(\d{1,20})\s*$")
_CAUSES = {
    "XfrmInNoStates": "no_sa", "XfrmInStateProtoError": "integrity", "XfrmInStateSeqError": "replay", "XfrmInStateExpired": "expired",
    "XfrmInTmplMismatch": "selector", "XfrmInNoPols": "selector", "XfrmInPolBlock": "policy", "XfrmInStateMismatch": "selector",
    "XfrmOutPolBlock": "policy", "XfrmOutNoStates": "no_sa_out", "XfrmOutStateSeqError": "overflow", "XfrmOutStateExpired": "expired_out",
}  # fmt: skip
"""Linux, Documentation/networking/xfrm_proc.rst."""


def _is_drops(_item: Item, head: bytes) -> bool:
    lines = head.lstrip(b"\xef\xbb\xbf \r\n\t").split(b"\n", 3)
    return len(lines) > 1 and all(_COUNT.match(line.decode("latin-1")) for line in lines[:2])


def _read_drops(reading: Reading) -> None:
    item = reading.item
    count = 0
    for number, line in enumerate(read_whole(item).decode("latin-1").split("\n"), 1):
        found = _COUNT.match(line)
        if found is None:
            continue
        count += 1
        cause = _CAUSES.get(found[1])
        if cause and item.site and not item.host:
            reading.evidence.drops.append(
                Drop(item.site, cause, int(found[2]), Provenance(item.name, item.site, line=number))
            )
    reading.source("IPsec drops", count, "counts")


def _is_links(_item: Item, head: bytes) -> bool:
    text = head.lstrip(b"\xef\xbb\xbf \r\n\t")[:65_536]
    return text[:1] == b"[" and b'"ifname"' in text and b'"stats64"' in text and b'"addr_info"' not in text


_ERRORS = ("errors", "crc_errors", "frame_errors", "length_errors")


def _read_links(reading: Reading) -> None:
    item = reading.item
    rows = json_value(read_whole(item), "links")
    listed = list(within(rows if isinstance(rows, list) else []))
    for number, row in enumerate(listed, 1):
        received = _of(_of(row, "stats64"), "rx")
        dev = text_of(row, "ifname")
        if not dev or not item.site or item.host:
            continue
        where = Provenance(item.name, item.site, record=number)
        # Errors of one kind are part of the sum as well.
        errors = max((number_of(received, key) or 0 for key in _ERRORS), default=0)
        reading.evidence.drops.append(Drop(item.site, "link-errors", errors, where, dev))
        reading.evidence.drops.append(Drop(item.site, "link-dropped", number_of(received, "dropped") or 0, where, dev))
    reading.source("links", len(listed), "links")


def _of(row: Any, key: str) -> dict[str, Any]:
    found = row.get(key) if isinstance(row, dict) else None
    return found if isinstance(found, dict) else {}


DROPS = Kind("IPsec drops", _is_drops, _read_drops)
LINKS = Kind("links", _is_links, _read_links)
