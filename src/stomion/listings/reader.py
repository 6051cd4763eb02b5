"""SA pairs out of the records of a listing, in the shape that tells most of them."""

from __future__ import annotations

from dataclasses import dataclass, replace

from stomion.listings.amounts import seconds_at
from stomion.listings.found import Found
from stomion.listings.halves import paired
from stomion.listings.keywords import DATE
from stomion.listings.parts import with_parts
from stomion.listings.raw import Raw
from stomion.listings.records import readings_of
from stomion.listings.states import state_of
from stomion.listings.taken import told_by
from stomion.model.provenance import Provenance
from stomion.model.sa import Sa

TOLD = 5
"""Things that are told of every SA, on the average, from which on no other shape is tried."""
LEAST = 2
"""Things about an SA that a record must tell to be one."""


@dataclass(frozen=True, slots=True)
class Listed:
    """One record: the SA pair, and what tells which tunnel it is of. SPIs are empty where no SA stands."""

    sa: Sa
    peers: tuple[str, ...]
    name: str
    names: tuple[str, ...] = ()


def listed_of(text: str, file: str, site: str) -> list[Listed]:
    """Every SA, or tunnel without one, that a listing tells of: in the shape that makes whole SAs of most of it, and tells most of them."""
    best: list[Found] = []
    most = (-1, 0)
    for raws in readings_of(text):
        found = _found_in(raws, file, site)
        good, told = sum(map(_is_whole, found)), sum(len(one.values) for one in found)
        if found and (good, told) > most:
            best, most = found, (good, told)
        if good == len(found) and _is_full(found):
            break
    at = _moment(text)
    return [_listed(found, at) for found in best]


def _is_full(found: list[Found]) -> bool:
    """Are there SAs, of which so much is told that no other shape would tell more?"""
    whole = [len(one.values) for one in found if one.values.keys() >= _WHOLE]
    return bool(whole) and sum(whole) >= TOLD * len(whole)


_WHOLE = frozenset(("spi_in", "spi_out"))


def _is_whole(found: Found) -> bool:
    """Does a record tell whose it is, and both its SPIs or a state that is known?"""
    named = bool(found.peers or found.loose or found.name)
    return named and (found.values.keys() >= _WHOLE or state_of(str(found.values.get("state", ""))) is not None)


def _found_in(raws: list[Raw], file: str, site: str) -> list[Found]:
    every = []
    for raw in with_parts(raws):
        found = told_by(raw)
        found.where = Provenance(file, site, line=raw.line or None, record=raw.entry)
        known = set(found.values) & _TELLING
        if found.values.keys() & {"state", "spi_in", "spi_out"} and (
            len(known) + bool(found.peers or found.loose or found.name) >= LEAST
        ):
            every.append(found)
    return paired(every)


_TELLING = frozenset(("state", "spi_in", "spi_out", "packets_in", "packets_out", "age_s", "expires_in_s"))


def _moment(text: str) -> float | None:
    """The first moment with a date that stands in a listing."""
    found = DATE.search(text)
    return seconds_at(found[0]) if found else None


def _listed(found: Found, at: float | None) -> Listed:
    v, where = found.values, found.where
    words = str(v.get("state", ""))
    moment = v.get("at", at)
    born = v.get("up_since")
    age = v.get("age_s")
    if born is None and isinstance(moment, float) and isinstance(age, int):
        born = moment - age
    sa = Sa(
        where.site or "",
        at=moment if isinstance(moment, float) else None,
        words=words,
        state=state_of(words) if words else None,
        where=where,
    )
    plain = {key: v[key] for key in _PLAIN if key in v}
    sa = replace(sa, up_since=born if isinstance(born, float) else None, **plain)  # type: ignore[arg-type]
    peers = [a for a in (found.peers or found.loose) if a not in found.own]
    return Listed(sa, tuple(dict.fromkeys(peers)), found.name)


_PLAIN = (
    "spi_in", "spi_out", "encryption", "integrity", "group", "encapsulation", "age_s", "rekey_in_s", "expires_in_s", "packets_in",
    "packets_out", "bytes_in", "bytes_out",
)  # fmt: skip
"""Of an SA, as they are found."""
