"""What `ping` printed, with or without times, as records of single probes."""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import UTC, datetime

from stomion.case.evidence import Placed
from stomion.ingest.files import open_input, read_lines
from stomion.ingest.reading import Kind, Reading
from stomion.model.record import PingRecord

MAX_PROBES = 2_000_000
_HEAD = re.compile(r"PING (?P<to>[0-9a-fA-F.:]{2,45})\b")
_AT = r"(?:\[(?P<at>\d{9,11}\.\d{1,6})\] )?"
_ANSWER = re.compile(
    _AT + r"\d{1,6} bytes from \S{2,60}:? icmp_seq=(?P<seq>\d{1,9})\b.{0,40}?time=(?P<ms>\d{1,7}(?:\.\d{1,3})?) ?ms"
)
_SILENT = re.compile(_AT + r"(?:no answer yet for icmp_seq=(?P<seq>\d{1,9})|From \S{2,60} icmp_seq=(?P<told>\d{1,9}) )")
_SUM = re.compile(r"^(?P<sent>\d{1,9}) packets transmitted, (?P<got>\d{1,9}) (?:packets )?received\b")
PING_HEAD = re.compile(rb"\A(?:\$ ping[^\n]{0,200}\n)?PING [0-9a-fA-F.:]{2,45}[ (]")


def read_ping(lines: Iterable[tuple[int, str]], source: str) -> list[tuple[int, PingRecord]]:
    """(line, probe) in the order of their numbers; a number that is missing between two answers is a lost probe.

    `at` is empty where the output carries no times.
    """
    to = ""
    found: dict[int, tuple[int, PingRecord]] = {}
    last = 0
    for number, line in lines:
        head = _HEAD.match(line)
        if head:
            to = head["to"]
            continue
        total = _SUM.match(line)
        if total and to and int(total["sent"]) <= MAX_PROBES:
            # What was sent after the last answer stands in the total alone.
            for lost in range(last + 1, int(total["sent"]) + (1 if last or not found else 0)):
                found.setdefault(lost, (number, PingRecord("", source, to, lost, None)))
            last = max(last, int(total["sent"]))
            continue
        answer = _ANSWER.search(line)
        silent = None if answer else _SILENT.search(line)
        match = answer or silent
        if match is None or not to or len(found) >= MAX_PROBES:
            continue
        seq = int(answer["seq"] if answer else (silent["seq"] or silent["told"]) if silent else 0)
        for lost in range(last + 1, seq) if 0 < seq - last < 100_000 else ():
            found.setdefault(lost, (number, PingRecord("", source, to, lost, None)))
        last = max(last, seq)
        if answer or seq not in found:
            found[seq] = (
                number,
                PingRecord(_moment(match["at"]), source, to, seq, float(answer["ms"]) if answer else None),
            )
    return [found[seq] for seq in sorted(found)]


def _moment(epoch: str | None) -> str:
    return datetime.fromtimestamp(float(epoch), UTC).isoformat() if epoch else ""


def _read(reading: Reading) -> None:
    """A continuous ping from a site's host, or from its gateway."""
    item = reading.item
    source = f"{item.site}/{item.host}" if item.host else item.site or ""
    with open_input(item.path) as stream:
        found = read_ping(((number, text) for number, text, _, _ in read_lines(stream)), source)
    if len(found) >= MAX_PROBES:
        reading.problem(f"more than {MAX_PROBES:,} probes; the rest is not read")
    reading.evidence.pings.extend(Placed(record, item.name, number) for number, record in found)
    reading.source("ping", len(found), "probes")


PING = Kind("ping", lambda _item, head: PING_HEAD.match(head[:4096]) is not None, _read)
