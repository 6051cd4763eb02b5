"""The SAs of a gateway as IETF YANG data (RFC 9061, ietf-i2nsf-ikeless: `sad`): one direction each, with what it carried and threw away.
The keys that stand beside are passed over: nothing of them is kept."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from stomion.ingest.stoppable import steps
from stomion.model.provenance import Provenance
from stomion.model.sa import State
from stomion.wire import registries as iana


def sad_states(data: Any, file: str, site: str) -> Iterator[State]:
    """Every entry that has an SPI and both ends' addresses."""
    rows = _at(data, "ipsec-ikeless", "sad", "sad-entry")
    for number, entry in enumerate(steps(rows if isinstance(rows, list) else []), 1):
        config, state = _at(entry, "ipsec-sa-config"), _at(entry, "ipsec-sa-state")
        spi, tunnel = _number(config, "spi"), _at(config, "tunnel")
        local, remote = _at(tunnel, "local"), _at(tunnel, "remote")
        if spi is None or not 0 < spi < 2**32 or not isinstance(local, str) or not isinstance(remote, str):
            continue
        current, stats = _at(state, "sa-lifetime-current"), _at(state, "replay-stats")
        yield State(
            site, local, remote, f"{spi:08x}", _number(entry, "reqid") or 0, Provenance(file, site, record=number),
            _cipher(config), _integrity(config), _at(config, "encapsulation-type") is not None, _number(current, "packets"),
            _number(current, "bytes"), _number(stats, "packet-dropped") or 0, _number(stats, "failed") or 0,
        )  # fmt: skip


def _at(data: Any, *names: str) -> Any:
    """What stands at a path of names, with or without their module before a colon; None where nothing does."""
    for name in names:
        if not isinstance(data, dict):
            return None
        data = next((v for k, v in data.items() if k.rpartition(":")[2] == name), None)
    return data


def _number(data: Any, name: str) -> int | None:
    """A counter: 64-bit numbers stand as text (RFC 7951 6.1)."""
    value = _at(data, name)
    if isinstance(value, bool):
        return None
    if isinstance(value, str) and value.isascii() and value.isdecimal():
        return int(value[:20])
    return value if isinstance(value, int) and value >= 0 else None


def _cipher(config: Any) -> str:
    part = _at(config, "esp-sa", "encryption")
    name = iana.ENCR.get(_number(part, "encryption-algorithm") or 0, "")
    bits = _number(part, "key-length")
    return f"{name}-{bits}" if name and bits else name


def _integrity(config: Any) -> str:
    name = iana.INTEG.get(_number(_at(config, "esp-sa", "integrity"), "integrity-algorithm") or 0, "")
    return "" if name == "NONE" else name
