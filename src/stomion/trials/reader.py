"""A text to the trials it tells of, line by line: one thing is open at a time, and what follows belongs to it until another begins."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Protocol

from stomion.trials.connections import (
    Command,
    begins_fetch,
    begins_lookup,
    coded,
    command_of,
    outcome,
    tried,
    unresolved,
)
from stomion.trials.counts import SHARES, Counts, counts_of
from stomion.trials.listed import answered_at_once, begins_pairs, begins_scan, begins_table
from stomion.trials.model import Trial
from stomion.trials.pasted import Line, addresses_in, is_target, pasted_lines
from stomion.trials.pings import Ping, before_marks, begins, begins_rows, is_sum
from stomion.trials.routes import Trace, begins_trace
from stomion.trials.words import ANSWERS, HEDGED, OTHER_TRADE, PROBE, TOOK, error_of

MAX_TRIALS = 20_000
_SHARE = re.compile(r"(?<![\w./])(\d{1,6})/(\d{1,6})(?![\w./])")
SHORT = 3
"""Lines beyond which a list says more than the warning above it."""
PAIR = 2
"""Addresses of a sentence: its source and its target."""
_FAST = re.compile(
    r"(?:\[(?P<at>\d{9,11}\.\d{1,6})\] )?\d{1,6} bytes from (?P<to>[0-9a-fA-F.:]{2,45}): icmp_seq=(?P<seq>\d{1,9}) ttl=\d+ "
    r"time=(?P<ms>\d{1,7}(?:\.\d{1,3})?) ms$"
)
_SOURCE = re.compile(r"\b(?:from|on|at|von|auf|depuis|desde|da)\s+(?P<name>[\w./-]+)", re.IGNORECASE)


class Open(Protocol):
    """Something that several lines fill."""

    def feed(self, line: Line) -> bool: ...

    def close(self) -> list[Trial]: ...


def read_trials(lines: Iterable[tuple[int, str]], sites: Iterable[str] = ()) -> list[Trial]:
    """Every test that a text tells the outcome of, in the order in which they stand. `sites` are names that a title may give as the
    place where the tests beneath it were made."""
    reader = _Reader(frozenset(name.lower() for name in sites))
    for line in pasted_lines(_kept(lines, reader)):
        reader.take(line)
    return reader.finish()


def _kept(lines: Iterable[tuple[int, str]], reader: _Reader) -> Iterable[tuple[int, str]]:
    """Answers of the ping that is open go straight to it: a continuous one has a million of them."""
    for number, text in lines:
        fast = _FAST.match(text)
        if fast is not None and reader.answer(fast, number):
            continue
        yield number, text


class _Reader:
    def __init__(self, sites: frozenset[str]) -> None:
        self._sites = sites
        self._open: Open | None = None
        self._command: Command | None = None
        self._source = ""
        self._before: Line | None = None
        self._found: list[Trial] = []

    def answer(self, match: re.Match[str], number: int) -> bool:
        """A numbered answer of the open ping, by the quickest way; False where none is open to its target."""
        ping = self._open
        if not isinstance(ping, Ping) or ping.to != match["to"]:
            return False
        ping.answered(int(match["seq"]), float(match["at"]) if match["at"] else None, float(match["ms"]), number)
        return True

    def take(self, line: Line) -> None:
        if len(self._found) >= MAX_TRIALS:
            return
        if line.command:
            self._shut()
            self._begin_command(line)
        elif line.text and not self._continues(line):
            self._begin(line)
        elif not line.text and self._open is not None and not self._open.feed(line):
            self._shut()
        if line.text:
            self._before = line

    def finish(self) -> list[Trial]:
        self._shut()
        return self._found

    def _begin_command(self, line: Line) -> None:
        self._command = command_of(line)
        tool, to = self._command.tool, self._command.address
        if tool in ("dig", "nslookup", "host"):
            self._open = begins_lookup(line, self._command)
        elif tool in ("mtr", "tracert", "traceroute", "tracepath") and to:
            self._open = Trace(
                to, line, self._command.source, datagrams=tool == "traceroute" and "-I" not in line.command
            )
        elif tool in ("ping", "ping6", "test-connection") and to:
            self._open = Ping(to, line, source=self._command.source)

    def _continues(self, line: Line) -> bool:
        """Does a line belong to what is open? A heading of another ping does not, whatever else it looks like."""
        if self._open is None:
            return False
        head = begins(line)
        if isinstance(self._open, Ping):
            if head is not None and head.to == self._open.to and not self._open.heard:
                head.source = head.source or self._open.source
                head.size = head.size or self._open.size
                self._open = head
                return True
            if head is not None and (head.to != self._open.to or not is_sum(line)):
                return False
        elif head is not None and not isinstance(self._open, Trace):
            return False
        return self._open.feed(line)

    def _begin(self, line: Line) -> None:
        """What a line begins, or tells by itself. What tells of nothing leaves a ping open that waits for its totals."""
        if self._heading(line):
            return
        found: Open | None = (
            begins_trace(line) or begins(line) or begins_rows(line) or begins_fetch(line, self._command) or begins_lookup(line, None)
            or begins_scan(line) or begins_pairs(line) or begins_table(line) or self._answer_alone(line) or self._marks(line)
        )  # fmt: skip
        if found is not None:
            self._shut()
            self._open = found
            if isinstance(found, Ping):
                if self._command is not None and self._command.address == found.to:
                    found.source = found.source or self._command.source
            else:
                found.feed(line)
            return
        single = (
            coded(line, self._command)
            or outcome(line, self._command)
            or answered_at_once(line)
            or unresolved(line, self._command)
            or _sentence(line)
        )
        if single is not None:
            self._shut()
            self._keep([single])
        elif not (isinstance(self._open, Ping | Trace) and self._open.waits(line)):
            self._shut()
        if re.match(r"(?:connecting to|trying|attempting to connect to|opening)\b", line.low) and addresses_in(
            line.text
        ):
            self._command = tried(line, self._command)

    def _answer_alone(self, line: Line) -> Ping | None:
        """An answer whose ping's heading was not copied."""
        there = addresses_in(line.text)
        if len(there) != 1 or not TOOK.search(line.low) or not ANSWERS.search(line.low):
            return None
        ping = Ping(there[0], line)
        return ping if ping.feed(line) else None

    def _marks(self, line: Line) -> Ping | None:
        ping = before_marks(self._before, line) if self._before is not None else None
        return ping if ping is not None and ping.feed(line) else None

    def _heading(self, line: Line) -> bool:
        """A title that tells where the tests beneath it were made."""
        if not line.heading or PROBE.search(line.low) or error_of(line.low):
            return False
        site = next((word for word in re.findall(r"[\w-]+", line.low) if word in self._sites), "")
        named = _SOURCE.search(line.text)
        if named is None and not site:
            return False
        there = addresses_in(line.text)
        self._shut()
        self._source = there[0] if there else site or (named["name"].rstrip(":.,") if named is not None else "")
        self._command = None
        return True

    def _shut(self) -> None:
        if self._open is not None:
            done, self._open = self._open, None
            self._keep(done.close())

    def _keep(self, trials: list[Trial]) -> None:
        for trial in trials:
            trial.source = trial.source or self._source
            last = self._found[-1] if self._found else None
            if last is not None and self._said_again(trial):
                continue
            if last is not None and _same_run(last, trial):
                last.sent += trial.sent
                last.received += trial.received
                last.error = "" if last.received else last.error or trial.error
                last.lines |= trial.lines
                last.line = trial.line
                continue
            self._found.append(trial)

    def _said_again(self, trial: Trial) -> bool:
        """A summary beneath a warning of the same: the fuller one stays."""
        for other in self._found[-3:]:
            alike = _told(other) == _told(trial)
            if alike and len(trial.lines) > SHORT and min(trial.lines) - other.line in range(1, 6):
                other.source, other.error = trial.source or other.source, other.error or trial.error
                other.lines |= trial.lines
                return True
        return False


def _told(trial: Trial) -> tuple[object, ...]:
    return trial.to, trial.service, trial.sent, trial.received, trial.size


def _same_run(last: Trial, trial: Trial) -> bool:
    """Tries of one service right beneath each other are one test."""
    near = 0 < trial.line - last.line <= 1 and trial.sent == 1 and not trial.probes and not last.probes
    return near and (last.to, last.service, last.source) == (trial.to, trial.service, trial.source)


def _sentence(line: Line) -> Trial | None:
    """A whole sentence that tells of one target, how often it was asked and how often it answered."""
    there = list(dict.fromkeys(addresses_in(line.text)))
    if not there or len(there) > PAIR or HEDGED.search(line.low) or not is_target(there[-1]):
        return None
    if OTHER_TRADE.search(line.low) or not (
        SHARES.search(line.low)
        or PROBE.search(line.low)
        or re.search(r"\btimes\b.*\banswer|\banswer.*\btimes\b", line.low)
    ):
        return None
    if re.search(r"\becho ['\"]|^\s*#|\|\||&&", line.text):
        return None
    found = counts_of(line.low)
    share = _SHARE.search(line.low)
    if found is None and share is not None:
        found = Counts(int(share[2]), int(share[1]))
    if found is None or not found.known or not found.sent or found.answered > found.sent:
        return None
    source = (
        next((a for a in there if re.search(rf"\bfrom {re.escape(a)}", line.text)), "") if len(there) == PAIR else ""
    )
    target = next(a for a in reversed(there) if a != source)
    error = "" if found.answered else error_of(line.low) or "timeout"
    return Trial(target, "icmp", found.sent, found.answered, error, source, line.at, line.number, (), {line.number})
