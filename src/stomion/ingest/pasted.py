"""Texts in which somebody copied tests: pings, connections, fetches, traces, of any make of console."""

from __future__ import annotations

import re
from collections.abc import Iterator

from stomion.case.evidence import Placed
from stomion.ingest.files import open_input, read_lines
from stomion.ingest.item import Item
from stomion.ingest.logfile import read_beside
from stomion.ingest.nothing import is_text
from stomion.ingest.reading import Kind, Reading
from stomion.model.record import LARGE, PingRecord, TestRecord
from stomion.trials.model import Trial
from stomion.trials.reader import read_trials
from stomion.vocabulary.clean import decode_line
from stomion.vocabulary.times import utc_text

MANY = 20
"""Numbered probes from which on a ping without times counts as a series as well: its gaps tell something."""
_HINTS = re.compile(
    rb"\bping|icmp|\becho\b|bytes=\d+ ?(?:time|zeit|temps|tempo|tiempo|durata|czas|tid|ttl)[=<]|\bttl=|tracer|tracepath|\bcurl\b|"
    rb"\bwget\b|http/\d|\bnc\b|telnet|ssh: |connect(?:ed|ing) to|"
    rb"connection (?:to|re|ti)|"
    rb"succeeded!|answer(?:ed|s)\b|!!|scan report|\bdig\b|nslookup|;; |transmitted|\balive\b|/dev/tcp|\bport is\b|probe|loss%|xmt/|"
    rb"not known|resolve host|"
    rb"sent\b.*\brec",
    re.IGNORECASE,
)
"""Without one of these a text tells of no test; most logs have none."""


_WORDS = (
    b"ping", b"icmp", b"echo", b"time=", b"time<", b"zeit", b"temp", b"tiempo", b"durata", b"czas", b"tid=", b"ttl=", b"tracer",
    b"tracepath", b"curl", b"wget", b"http/", b"nc", b"telnet", b"ssh:", b"connect", b"succeeded!", b"answer", b"!!", b"scan",
    b"dig", b"nslookup", b";;", b"transmitted", b"alive", b"/dev/tcp", b"port", b"probe", b"loss%", b"xmt/", b"known",
    b"resolve", b"sent",
)  # fmt: skip
"""One of these stands in whatever a hint finds: plain words are looked for many times faster than patterns."""


def _fits(_item: Item, head: bytes) -> bool:
    if not is_text(head):
        return False
    low = head.lower()
    words = [word for word in _WORDS if word in low]
    if not words:
        return False
    lines = head.replace(b"\0", b"").split(b"\n")
    near = _near_hints(lines, words)
    return bool(read_trials((number + 1, decode_line(lines[number])[0]) for number in near))


AROUND, LOOKED_AT = 12, 240
"""Lines around a hint that may belong to the test it is of, and lines that are looked at in all: a firewall's log has hints throughout."""


def _near_hints(lines: list[bytes], words: list[bytes]) -> list[int]:
    """The numbers of the first lines with a hint and of those around them, in order; `words` are what some line has of every hint."""
    found: list[int] = []
    for number, line in enumerate(lines):
        low = line.lower()
        if not any(word in low for word in words) or _HINTS.search(line) is None:
            continue
        begin = max(number - AROUND, found[-1] + 1 if found else 0)
        found += range(begin, min(number + AROUND, len(lines)))
        if len(found) >= LOOKED_AT:
            break
    return found


def _read(reading: Reading) -> None:
    item, sites = reading.item, _sites(reading)
    with open_input(item.path) as stream:
        trials = read_trials(_lines(reading, read_lines(stream)), sites)
    probes = 0
    for trial in trials:
        source = _source(item, trial, sites)
        if (
            trial.probes
            and trial.size < LARGE
            and (len(trial.probes) >= MANY or any(p.at is not None for p in trial.probes))
        ):
            probes += len(trial.probes)
            reading.evidence.pings.extend(_series(trial, source, item.name))
        else:
            at = utc_text(trial.at) or ""
            record = TestRecord(
                at, source, trial.to, trial.service, trial.sent, trial.received, trial.error, size=trial.size
            )
            reading.evidence.tests.append(Placed(record, item.name, trial.line))
        if trial.at is not None:
            reading.years.note(trial.at)
    used = {number for trial in trials for number in trial.lines}
    if read_beside(reading, used):
        return
    if probes:
        reading.source("ping", probes, "probes")
    else:
        reading.source("tests", len(trials), "tests")


def _lines(reading: Reading, found: Iterator[tuple[int, str, bool, int]]) -> Iterator[tuple[int, str]]:
    for number, text, _, _ in found:
        if not number % 1024:
            reading.about(number)
        yield number, text


def _series(trial: Trial, source: str, file: str) -> Iterator[Placed[PingRecord]]:
    for probe in trial.probes:
        yield Placed(
            PingRecord(utc_text(probe.at) or "", source, trial.to, probe.seq, probe.rtt_ms if probe.answered else None), file, probe.line
        )  # fmt: skip


def _source(item: Item, trial: Trial, sites: set[str]) -> str:
    """Where a test was made: by its own word where that is an address or one of the case's sites, else by where the text was found."""
    told = trial.source
    if told and (told[:1].isdecimal() or ":" in told or told in sites):
        return told
    return f"{item.site}/{item.host}" if item.host else item.site or ""


def _sites(reading: Reading) -> set[str]:
    evidence = reading.evidence
    return {sheet.site for sheet in evidence.sheets} | {source.site for source in evidence.sources if source.site}


PASTED = Kind("pasted tests", _fits, _read)
