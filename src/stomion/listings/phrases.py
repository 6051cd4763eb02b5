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
_APART = re.compile(r"(?<!\d),|,(?!\d)|[;|]|\s[–—-]\s|(?<=[)\]])\s|\s(?=[(\[])|\s{2,}|(?<=[a-z0-9)])\.\s|\s+and\s+")
_FOR = re.compile(r"(?P<state>[A-Za-z][\w /()-]{0,30}?)\s+(?:for|since)\s+(?P<age>\d\S*(?:\s\S+){0,5})", re.IGNORECASE)
_KEYED = re.compile(
    r"(?P<key>[A-Za-z](?:[A-Za-z_/-]| (?=[A-Za-z])){0,30}) ?[=: ] ?(?P<value>(?:0x)?[0-9a-f]*\d.*)", re.IGNORECASE
)
_TIME = re.compile(r"\d{1,3}(?::\d\d){1,2}")
_TITLE = re.compile(r"\b(?:peer|remote|local|gateway|from|to)\b[ :=]*$", re.IGNORECASE)
_COUNTED = re.compile(
    r"\b(?:packets?|pkts?|bytes?|octets?)[ :=]+\d|\d\s?(?:packets?|pkts?|bytes?|octets?|[kmg]i?b)\b", re.IGNORECASE
)
_DIRECTION = re.compile(r"\b(in|out|inbound|outbound|incoming|outgoing|rx|tx|received?s?|sen[dt]s?)\b", re.IGNORECASE)
_NUMBER = re.compile(r"^\s*[#\[(]?\d+[\]).:]?\s+")


def lines_of_phrases(lines: list[str]) -> list[Raw]:
    """A record for each line that names a peer, with the deeper lines below it, where some record names two SPIs too."""
    whole = list(_with_deeper(lines))
    if not any(len(_SPI.findall(" ".join([line, *(value for _, value in more)]))) > 1 for _, line, more in whole):
        return []
    out = []
    for number, line, more in whole:
        peers = _peers(line)
        pairs = [("peer address", peers[-1][0]), *(("local address", p[0]) for p in peers[:-1])]
        told = [*_told(line[peers[-1].end() :]), *more]
        before = _NUMBER.sub("", line[: peers[0].start()])
        if not any(key == "state" for key, _ in told):
            told += [pair for pair in _told(before) if pair[0] == "state"]
        if told and (len(told) >= SEVERAL or told[0][0] == "state"):
            out.append(Raw(number, _TITLE.sub("", before).strip(" :=<->"), [*pairs, *told]))
    return out


def _with_deeper(lines: list[str]) -> Iterator[tuple[int, str, list[tuple[str, str]]]]:
    """(number, line, keys and values) of each line with a peer, and behind it those below that stand deeper and name none."""
    at, whole, depth = 0, "", 0
    more: list[tuple[str, str]] = []
    heads: list[str] = []
    for number, drawn in enumerate(lines, 1):
        line = _DRAWN.sub(lambda m: " " * len(m[0]), drawn)
        inside = len(line) - len(line.lstrip())
        if _peers(line):
            if whole:
                yield at, whole, more
            at, whole, depth, more, heads = number, line.rstrip(), inside, [], []
        elif whole and line.strip() and inside > depth and len(whole) < MOST and not _LISTED.match(line):
            cells = re.split(r"\s{2,}", line.strip())
            if len(cells) > SEVERAL and not re.search(r"\d", line):
                heads = cells
                continue
            if len(cells) == len(heads) > SEVERAL:
                # A row under names: its first cell says which direction it is of.
                more += [(f"{cells[0]} {head}", cell) for head, cell in zip(heads[1:], cells[1:], strict=True)]
                continue
            if (
                len(cells) == len(("key", "value"))
                and not re.search(r"\d", cells[0])
                and not _DIRECTION.fullmatch(cells[0])
            ):
                more.append((cells[0], cells[1]))
            else:
                whole += f"  {line.strip()}"
        elif whole:
            yield at, whole, more
            whole = ""
    if whole:
        yield at, whole, more


MOST = 4_000
"""Characters of a record."""
_LISTED = re.compile(r"\s*[A-Za-z][\w /-]{0,30}(?::\s|:$|\s?\.{3})")
"""A key and its value on a line of their own."""
_DRAWN = re.compile(r"^[\s│├└┬─|`+-]+(?=[\w(])")


def _peers(line: str) -> list[re.Match[str]]:
    return [m for m in _PEER.finditer(line) if not _TIME.fullmatch(m[0])]


def _told(text: str) -> Iterator[tuple[str, str]]:
    way = ""
    state = False
    for cell in _APART.split(text):
        phrase = _IS.sub("", cell.strip(" :()[]<>.\t"))
        if not phrase:
            continue
        turned = _DIRECTION.search(phrase)
        spi = not _COUNTED.search(phrase) and _SPI.search(phrase) is not None
        since = _FOR.fullmatch(phrase)
        old = _OLD.fullmatch(phrase)
        left = _LEFT.fullmatch(phrase)
        if turned and not re.search(r"\d", phrase):
            way = turned[1]
        elif left and seconds_of(left[1]) is not None:
            yield "left", left[1]
        elif spi:
            way = turned[1] if turned else way
            yield (f"{way} spi".strip(), phrase)
        elif since and state_of(since["state"]) and seconds_of(since["age"]) is not None:
            state = True
            yield "state", since["state"]
            yield "age", since["age"]
        elif old and seconds_of(old[1]) is not None:
            yield "age", old[1]
        elif find_proposal(phrase.replace("/", " "), "ESP") is not None and seconds_of(phrase) is None:
            yield "algorithms", phrase
        elif re.search(r"\d", phrase):
            way = turned[1] if turned and _COUNTED.search(phrase) else way
            yield _valued(phrase, way)
        elif not state and state_of(phrase) is not None:
            state = True
            yield "state", phrase


_IS = re.compile(r"^(?:is|it|and|being)\s+", re.IGNORECASE)
_LEFT = re.compile(r"(\d\S*(?:\s\S+){0,5}?)\s+(?:left|remaining|to go)", re.IGNORECASE)
_OLD = re.compile(r"(\d\S*(?:\s\S+){0,5}?)\s+old", re.IGNORECASE)


def _valued(phrase: str, way: str) -> tuple[str, str]:
    """A phrase with a number: its key where it begins with one, else the direction that was spoken of last."""
    keyed = _KEYED.fullmatch(phrase)
    if keyed is None:
        return f"{way} traffic".strip(), phrase
    key = keyed["key"].strip()
    return (key if _DIRECTION.search(phrase) or not way else f"{way} {key}"), keyed["value"]
