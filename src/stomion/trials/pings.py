"""A ping as it unrolls: its heading, line by line what became of each probe, marks, and totals."""

from __future__ import annotations

import re
from collections import Counter

from stomion.trials.counts import MOST, Counts, counts_of
from stomion.trials.model import Probe, Trial
from stomion.trials.pasted import Line, addresses_in, is_target
from stomion.trials.words import OTHER_TRADE, PROBE, SILENT, SIZE, TOOK, error_of

_SEQ = re.compile(
    r"(?:\b(?:icmp_?)?(?:seq\w*|sequence|nr|no|probe|packet|number)\b\.?\s{0,8}[=:#]?\s{0,8}|#)(\d{1,9})\b"
)
_TTL = re.compile(r"\b(?:ttl|hlim|hops?)\b")
_FROM = re.compile(r"\b(?:from|source|src|von|de|da|desde|van|via)\s+(?:address |interface )?\S*$", re.IGNORECASE)
_SENT_FROM = re.compile(r"\bsource(?: address)?(?: of| is|:)?\s+(\S+)")
_ARROW = re.compile(r"->|=>|→|\s>\s")
_STATISTICS = re.compile(r"statisti|estad.sti|statystyk")
_NAMED = re.compile(r"^(?:ping|pinging)\s+(?P<name>[a-z][\w.-]{1,80})(?:\s|$)", re.IGNORECASE)
_MARKS = re.compile(r"[!.+UQMNAuqmna?&-]{2,200}")
_ROWS = re.compile(r"^seq\s+host\b|^source\s+destination\b.*\btime|^ping\s+source\s+address\b")
_SIGNS = {"U": "unreachable", "N": "unreachable", "M": "too-big", "A": "prohibited"}
_COUNT = re.compile(r"(?:-c|-n|repeat|count|sending|\bsend)\s{0,8}=?\s{0,8}(\d{1,6})\b")


_PAYLOAD_AND_WHOLE = re.compile(r"\b\d{1,5}\((\d{1,5})\) (?:data )?bytes")
_PAYLOAD = re.compile(r"\b(\d{1,5}) (?:data )?bytes|(?:^|\s)(?:-s|-l|-packetsize)\s?(\d{1,5})\b")
_WHOLE = re.compile(r"\b(\d{1,5})-byte|\bsize[ =](\d{1,5})\b")
_HEADERS = {4: 28, 6: 48}
"""Bytes of IP and ICMP before a ping's data (RFC 791, RFC 792; RFC 8200, RFC 4443)."""


def size_of(low: str, to: str) -> int:
    """Bytes of a ping's packets with their IP header, by its heading or its command; 0 where it does not say. A bare number with `bytes`
    is the data's, as consoles write it; a size of packets is the whole."""
    whole = _PAYLOAD_AND_WHOLE.search(low)
    if whole is not None:
        return int(whole[1])
    data = _PAYLOAD.search(low)
    if data is not None:
        return int(data[1] or data[2]) + _HEADERS[6 if ":" in to else 4]
    named = _WHOLE.search(low)
    return int(named[1] or named[2]) if named is not None else 0


HEADING = 100
"""Characters of the longest line that begins a ping without saying so."""
PATIENCE = 8
"""Lines without a word about it after which a ping is over."""
TOTALS_APART = 3
"""Lines over which totals may be spread."""


class Ping:
    """One ping to one target. `feed` takes a line and tells whether it belonged to it; `close` gives what came of it."""

    def __init__(self, to: str, line: Line, *, source: str = "", zero: bool = False) -> None:
        self.to = to
        self.source = source
        self.first = line.number
        self._zero = zero
        self._counts = Counts()
        self._numbered: dict[int, Probe] = {}
        self._answers = self._silent = self._told = 0
        self._errors: Counter[str] = Counter()
        self._marks = ""
        self._rows = _ROWS.search(line.low) is not None
        self._at: float | None = None
        self._line = line.number
        self._last = line.number
        self._lines = {line.number}
        self.size = size_of(line.low, to) or size_of(line.command.lower(), to)

    @property
    def heard(self) -> bool:
        """Is anything known of how it went?"""
        return self._counts.known or bool(self._numbered or self._answers or self._silent or self._told or self._marks)

    def feed(self, line: Line) -> bool:
        if not line.text:
            return True
        self._rows |= _ROWS.search(line.low) is not None
        taken = self._sender(line) or self._probe(line) or self._mark(line) or self._total(line) or self._titled(line)
        if taken:
            self._lines.add(line.number)
            self._last = line.number
            self._at = self._at if self._at is not None else line.at
        return taken

    def waits(self, line: Line) -> bool:
        """May more of it come, though this line says nothing of it?"""
        return not self._counts.known and line.number - self._last <= PATIENCE

    def answered(self, seq: int, at: float | None, rtt_ms: float, line: int) -> None:
        """A numbered answer."""
        if seq not in self._numbered or not self._numbered[seq].answered:
            self._numbered[seq] = Probe(seq, True, at, rtt_ms, line)
        self._lines.add(line)

    def _titled(self, line: Line) -> bool:
        """Its target once more, or a table's heading, before anything came of it."""
        return not self.heard and (addresses_in(line.text) == [self.to] or _ROWS.search(line.low) is not None)

    def _sender(self, line: Line) -> bool:
        named = _SENT_FROM.search(line.low)
        there = addresses_in(named[1]) if named is not None else []
        if there and not self.source:
            self.source = there[0]
        return bool(there)

    def _probe(self, line: Line) -> bool:
        """What became of one probe."""
        low = line.low
        seq = _SEQ.search(low)
        error = error_of(low)
        took = TOOK.search(low)
        there = addresses_in(line.text)
        if self._rows:
            return self._row(there, error, line)
        if error == "timeout" or (not error and SILENT.search(low)):
            found = counts_of(low)
            if found is not None and found.known and not seq:
                return False
            self._lose(seq, line)
            return True
        if error and not took:
            self._errors[error] += 1
            self._told += 1
            if seq:
                self._lose(seq, line)
            return True
        of_it = (
            self.to in there
            or (not there and seq is not None)
            or (not there and " from " in low and bool(SIZE.search(low)))
        )
        if took and of_it and (seq or _TTL.search(low) or SIZE.search(low) or not there or len(there) == 1):
            rtt = float(took[1].replace(",", "."))
            if seq:
                self.answered(int(seq[1]), line.at, rtt, line.number)
            else:
                self._answers += 1
            return True
        return False

    def _row(self, there: list[str], error: str, line: Line) -> bool:
        """A row of a table with a probe in each."""
        if re.fullmatch(r"[-= ()a-z]+", line.low) and not error:
            return True
        if not self.to and there:
            self.to = there[-1]
        of_it = self.to in there or " * " in f" {line.low} "
        total = counts_of(line.low)
        if not of_it or not re.search(r"\d", line.low) or (total is not None and total.known):
            return False
        if error or SILENT.search(line.low):
            self._silent += 1
        else:
            self._answers += 1
        return True

    def _lose(self, seq: re.Match[str] | None, line: Line) -> None:
        if seq is None:
            self._silent += 1
            return
        number = int(seq[1])
        if number <= MOST:
            self._numbered.setdefault(number, Probe(number, False, line.at, None, line.number))

    def _mark(self, line: Line) -> bool:
        """`!!.!!`: a sign for each probe."""
        text = line.text.replace(" ", "")
        if _MARKS.fullmatch(text) and (set(text) & set("!+") or re.fullmatch("[.Uu]{3,}", text)):
            self._marks += text
            for sign in text:
                self._errors.update([_SIGNS[sign.upper()]] if sign.upper() in _SIGNS else [])
            return True
        return False

    def _total(self, line: Line) -> bool:
        found = counts_of(line.low)
        if self._counts.known and line.number - self._line > TOTALS_APART:
            return False
        if found is None:
            return is_sum(line) and self.to in addresses_in(line.text)
        self._counts.join(found)
        self._line = line.number
        return True

    def close(self) -> list[Trial]:
        """The trial, where anything is known of it."""
        if not self.heard or not is_target(self.to):
            return []
        seen, got, base = self._seen()
        sent, received = seen, got
        if self._counts.known:
            sent, received = max(self._counts.sent or 0, 1), self._counts.answered
            if self._told and seen:
                # A router's word that there is no way is no answer, whatever the sum makes of it.
                received = min(received, got)
        if not sent or sent > MOST:
            return []
        times = [p.at for p in self._numbered.values() if p.at is not None]
        at = min(times) if times else self._at
        error = ""
        if received == 0:
            error = next((name for name, _ in self._errors.most_common(1)), "timeout")
        return [
            Trial(
                self.to, "icmp", sent, min(received, sent), error, self.source, at, self._line, self._series(base, sent),
                self._lines, self.size,
            )
        ]  # fmt: skip

    def _seen(self) -> tuple[int, int, int]:
        """(probes, answers, number of the first probe) by what single lines and marks tell."""
        if self._marks:
            good = "!" if "!" in self._marks else "+"
            return len(self._marks), self._marks.count(good), 1
        numbers = self._numbered
        got = sum(p.answered for p in numbers.values())
        base = 0 if self._zero or 0 in numbers else 1
        if numbers:
            return max(numbers) - base + 1, got, base
        return self._answers + max(self._silent, self._told), self._answers, 1

    def _series(self, base: int, sent: int) -> tuple[Probe, ...]:
        """Every probe by its number, those between answers that nobody told of included; empty where they have no numbers."""
        numbers = self._numbered
        last = max([*numbers, base + sent - 1]) if numbers else 0
        if not numbers or last - base >= MOST:
            return ()
        near = self._line
        return tuple(numbers.get(n) or Probe(n, False, None, None, near) for n in range(base, last + 1))


def is_sum(line: Line) -> bool:
    """Is it the heading of a ping's totals?"""
    return _STATISTICS.search(line.low) is not None


def begins(line: Line) -> Ping | None:
    """A ping's heading: its target, in the words of a ping, and no outcome yet."""
    low = line.low
    there = addresses_in(line.text)
    if not PROBE.search(low) and not (SIZE.search(low) and _to(line.text, there)):
        return None
    if not there or TOOK.search(low) or _ARROW.search(line.text) or OTHER_TRADE.search(low):
        return None
    statistics = is_sum(line)
    shaped = statistics or SIZE.search(low) or _COUNT.search(low) or low.rstrip(" :.]=-*#").endswith(there[-1])
    if not shaped or (error_of(low) and not statistics):
        return None
    source = next((a for a in there if _FROM.search(line.text[: line.text.index(a)])), "")
    target = next((a for a in there if a != source), there[0])
    return Ping(target, line, source=source if source != target else "", zero="data bytes" in low)


def begins_rows(line: Line) -> Ping | None:
    """The heading of a table with a probe in each row; its rows tell the target."""
    return Ping("", line) if _ROWS.search(line.low) else None


def _to(text: str, there: list[str]) -> bool:
    """`asking 10.2.0.20 with 32 bytes`: an address and a size, and nothing that came from it."""
    return len(there) == 1 and not re.search(r"\b(?:from|von|de|desde|da)\b", text.lower()) and len(text) < HEADING


def before_marks(line: Line, marks: Line) -> Ping | None:
    """A target on a line of few words, right before a line of marks."""
    there = dict.fromkeys(addresses_in(line.text))
    text = marks.text.replace(" ", "")
    if len(there) != 1 or not _MARKS.fullmatch(text) or "!" not in text or len(line.text) > HEADING:
        return None
    return Ping(next(iter(there)), line)
