"""Records that are a line of phrases each: `#1 A <-> B: installed for 54m1s, in c031f317 (34846 packets)`, or with bars between."""

from __future__ import annotations

import re
from collections.abc import Iterator

from stomion.listings.raw import Raw
from stomion.listings.states import state_of
from stomion.vocabulary.algorithms import find_proposal
from stomion.vocabulary.durations import seconds_of

SEVERAL = 2
"""Phrases from which on a line tells of an SA."""
_PEER = re.compile(
    r"(?<![\w.])\d{1,3}(?:\.\d{1,3}){3}(?![\w/]|\.\d)|(?<![\w:.])[0-9a-f]{1,4}:[0-9a-f:]*:[0-9a-f]{1,4}(?![\w:/])"
)
_SPI = re.compile(r"(?<![\w.])(?:0x)?(?=[0-9a-f]*\d)[0-9a-f]{8}(?!\w)", re.IGNORECASE)
_APART = re.compile(r"[,;|](?![^()\[\]]*[)\]])|\s[–—-]\s|(?<=[)\]])\s|\s(?=[(\[])")
_FOR = re.compile(r"(?P<state>[A-Za-z][\w /()-]{0,30}?)\s+(?:for|since)\s+(?P<age>\d\S*(?:\s\S+){0,5})", re.IGNORECASE)
_KEYED = re.compile(r"(?P<key>[A-Za-z][A-Za-z _/-]{0,30}?)\s*[=: ]\s*(?P<value>(?:0x)?[0-9a-f]*\d.*)", re.IGNORECASE)
_TIME = re.compile(r"\d{1,3}(?::\d\d){1,2}")
_TITLE = re.compile(r"\b(?:peer|remote|local|gateway|from|to)\b[ :=]*$", re.IGNORECASE)
_COUNTED = re.compile(
    r"\b(?:packets?|pkts?|bytes?|octets?)[ :=]+\d|\d\s?(?:packets?|pkts?|bytes?|octets?|[kmg]i?b)\b", re.IGNORECASE
)
_DIRECTION = re.compile(r"\b(in|out|inbound|outbound|incoming|outgoing|rx|tx|received|sent)\b", re.IGNORECASE)
_NUMBER = re.compile(r"^\s*[#\[(]?\d+[\]).:]?\s+")


def lines_of_phrases(lines: list[str]) -> list[Raw]:
    """A record for each line that names a peer, where some line names two SPIs too."""
    if not any(len(_SPI.findall(line)) > 1 and _PEER.search(line) for line in lines):
        return []
    out = []
    for number, line in enumerate(lines, 1):
        peers = [m for m in _PEER.finditer(line) if not _TIME.fullmatch(m[0])]
        if not peers:
            continue
        pairs = [("peer address", peers[-1][0]), *(("local address", p[0]) for p in peers[:-1])]
        told = list(_told(line[peers[-1].end() :]))
        before = _NUMBER.sub("", line[: peers[0].start()])
        if not any(key == "state" for key, _ in told):
            told += [pair for pair in _told(before) if pair[0] == "state"]
        if told and (len(told) >= SEVERAL or told[0][0] == "state"):
            out.append(Raw(number, _TITLE.sub("", before).strip(" :=<->"), [*pairs, *told]))
    return out


def _told(text: str) -> Iterator[tuple[str, str]]:
    way = ""
    state = False
    for cell in _APART.split(text):
        phrase = cell.strip(" :()[]<>.\t")
        if not phrase:
            continue
        turned = _DIRECTION.search(phrase)
        spi = not _COUNTED.search(phrase) and _SPI.search(phrase) is not None
        since = _FOR.fullmatch(phrase)
        if spi:
            way = turned[1] if turned else ""
            yield (f"{way} spi".strip(), phrase)
        elif since and state_of(since["state"]) and seconds_of(since["age"]) is not None:
            state = True
            yield "state", since["state"]
            yield "age", since["age"]
        elif find_proposal(phrase.replace("/", " "), "ESP") is not None and seconds_of(phrase) is None:
            yield "algorithms", phrase
        elif re.search(r"\d", phrase):
            yield _valued(phrase, way)
        elif not state and state_of(phrase) is not None:
            state = True
            yield "state", phrase


def _valued(phrase: str, way: str) -> tuple[str, str]:
    """A phrase with a number: its key where it begins with one, else the direction that was spoken of last."""
    keyed = _KEYED.fullmatch(phrase)
    if keyed is None:
        return f"{way} traffic".strip(), phrase
    key = keyed["key"].strip()
    return (key if _DIRECTION.search(phrase) or not way else f"{way} {key}"), keyed["value"]
