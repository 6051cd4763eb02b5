"""A trace of the way to a target, hop by hop: did it get there?"""

from __future__ import annotations

import re

from stomion.trials.model import Trial
from stomion.trials.pasted import Line, addresses_in, is_target
from stomion.trials.words import TOOK

_HEAD = re.compile(
    r"^(?:traceroute|tracert|tracepath|tracing (?:the )?route|routenverfolgung|determination de l'itin|traza a|rastreando|traccia|"
    r"trace (?:to|of))\b"
)
_BESIDE = re.compile(
    r"\bover a maximum\b|\bhops? max\b|trace complete|ablaufverfolgung|maximal \d|resume:|too many hops|itineraire|^(?:maximum|over|"
    r"uber|start:)"
)
PATIENCE = 6
"""Lines between a trace's heading and its first hop."""
_HOP = re.compile(r"^\s*(\d{1,3})\??\s*(?:[:.|]|\s)")
_REPORT = re.compile(r"\bloss%|\bloss %")
_ROW = re.compile(r"^\s*\d{1,3}[.|:\- ]{1,16}\S{1,255}\s+(\d{1,3}(?:\.\d+)?)%?\s+(\d{1,6})\b")


class Trace:
    """One trace; `feed` takes its lines, `close` tells whether the target answered."""

    def __init__(self, to: str, line: Line, source: str = "", *, datagrams: bool = False) -> None:
        self.to = to
        self._source = source
        self._datagrams = datagrams
        self._report = False
        self._last = ""
        self._hops = 0
        self._answers = self._asked = 0
        self._told = ""
        self._at = line.at
        self._line = line.number
        self._lines = {line.number}

    def waits(self, line: Line) -> bool:
        """Are its hops still to come?"""
        return not self._hops and not self._asked and line.number - self._line <= PATIENCE

    def feed(self, line: Line) -> bool:
        if not line.text:
            return True
        head = bool(_HEAD.match(line.low)) and self.to in addresses_in(line.text)
        if head:
            self._datagrams = line.low.startswith("traceroute")
        report = _REPORT.search(line.low) is not None
        self._report |= report
        if head or report or _BESIDE.search(line.low):
            self._lines.add(line.number)
            return True
        hop = _HOP.match(line.text)
        if hop is None:
            return False
        self._hop(line)
        self._lines.add(line.number)
        return True

    def _hop(self, line: Line) -> None:
        there = addresses_in(line.text)
        row = _ROW.match(line.text)
        if self._report and row and there:
            lost, asked = float(row[1]), int(row[2])
            self._last = there[0]
            if there[0] == self.to or not self.to:
                self._asked, self._answers, self._line = asked, round(asked * (1 - lost / 100)), line.number
            return
        self._hops += 1
        took = len(TOOK.findall(line.low))
        refusal = re.search(r"!(?:[hnxp]|\d+)\b|unreachable", line.low)
        if self.to in there and took:
            self._asked, self._answers, self._line = took + line.text.count("*"), took, line.number
            self._told = "prohibited" if refusal and "!x" in refusal[0] else "unreachable" if refusal else ""
        elif refusal:
            self._told = "prohibited" if "!x" in refusal[0] else "unreachable"
            self._line = line.number
        elif not self._answers:
            self._line = line.number

    def close(self) -> list[Trial]:
        to = self.to or self._last
        if not to or not is_target(to) or not (self._hops or self._asked):
            return []
        got = 0 if self._told else self._answers
        service = "udp/33434" if self._datagrams and not got else "icmp"
        return [
            Trial(
                to, service, max(self._asked, 1), got, "" if got else self._told or "timeout", self._source, self._at, self._line, (),
                self._lines,
            )
        ]  # fmt: skip


def begins_trace(line: Line) -> Trace | None:
    """A trace's heading."""
    there = addresses_in(line.text)
    if _HEAD.match(line.low) and there:
        return Trace(there[-1] if len(set(there)) == 1 else there[0], line, datagrams=line.low.startswith("traceroute"))
    return None
