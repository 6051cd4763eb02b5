"""Tests that are run: those that a case expects, from the vantages that it declares, one after the other at a bounded rate.

Nothing is sent anywhere that the case does not name. What was found is appended to the case at once, as records.
"""

from __future__ import annotations

import json
import os
import shlex
import subprocess
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

from stomion.case.evidence import Evidence
from stomion.errors import UsageError
from stomion.jobs.demo import demo_folder
from stomion.space.axis import address_number, address_text
from stomion.space.services import TCP, UDP, service_of
from stomion.trials.counts import counts_of
from stomion.trials.model import Trial
from stomion.trials.reader import read_trials
from stomion.trials.words import error_of, plain

COUNT, GAP_S, WAIT_S = 5, 0.2, 2
"""Echo requests of a ping, seconds between them, and seconds after which one that is not answered is lost."""
LONGEST_S = 30
"""A command that takes longer is ended: nothing it does should."""
RECORDS = Path("path") / "tried.jsonl"


@dataclass(frozen=True, slots=True)
class Planned:
    """One test: from where in the case's words, by which command, to what, and what is expected of it."""

    source: str
    to: str
    service: str
    expected: str
    command: tuple[str, ...]
    sends: str
    """What leaves, in words."""
    size: int = 0
    """Bytes of each packet; 0 for a usual one."""
    climbs: tuple[str, ...] | None = None
    """Where it is the search for the largest packet that passes, of which each step is a test: the vantage's command."""

    @property
    def says(self) -> str:
        """`quayhead/desk > 10.66.0.9 tcp/443: one connection   (ssh desk …)`."""
        return f"{self.source} > {self.to} {self.service}: {self.sends}   ({shlex.join(self.command)})"


@dataclass(frozen=True, slots=True)
class Plan:
    """What will be tried, and what will not, each with why."""

    tests: tuple[Planned, ...]
    left_out: tuple[str, ...]


def plan_of(evidence: Evidence, only: str = "", *, sizes: bool = False) -> Plan:
    """From the flows that case.toml expects; `only` keeps those from one source or to one target. `sizes` has the largest packet looked
    for as well, with each ping that is expected to be answered."""
    tests: list[Planned] = []
    left_out: list[str] = []
    for source, to, service, expected, _line in evidence.expects:
        if only and only not in (source, to):
            continue
        what = f"{source} > {to} {service}"
        prefix = evidence.vantages.get(source)
        target = _address(to, evidence)
        if prefix is None:
            left_out.append(f"{what}: case.toml declares no vantage {source}")
        elif not target:
            left_out.append(f"{what}: {to} is not one address")
        else:
            found = _command(target, service)
            if found is None:
                left_out.append(
                    f"{what}: silence on {service} would tell nothing; ping, tcp, http, udp/53 and udp/123 are tried"
                )
            else:
                command, sends = found
                tests.append(Planned(source, target, service, expected, _at(prefix, command), sends))
                if sizes and service in ("icmp", "") and expected == "reach":
                    tests.append(_ladder(source, target, prefix))
    return Plan(tuple(tests), tuple(left_out))


def _at(prefix: tuple[str, ...], command: tuple[str, ...]) -> tuple[str, ...]:
    """A command run from a vantage. A shell at the far end of ssh takes it apart once more: there it is one word, quoted."""
    far = bool(prefix) and Path(prefix[0]).name == "ssh"
    return (*prefix, shlex.join(command)) if far else (*prefix, *command)


SMALLEST, LARGEST = 576, 1500
"""Bytes between which the largest packet is looked for: what every host takes (RFC 791), and Ethernet's."""
STEPS, PROBES = 12, 2
"""Sizes that are tried at most, and echo requests of each."""


def _ladder(source: str, to: str, prefix: tuple[str, ...]) -> Planned:
    sends = f"up to {STEPS} times {PROBES} echo requests of {SMALLEST} to {LARGEST:,} bytes, not to be fragmented"
    return Planned(source, to, "icmp", "reach", _at(prefix, _sized(to, LARGEST)), sends, LARGEST, prefix)


def _sized(to: str, size: int) -> tuple[str, ...]:
    data = size - (48 if ":" in to else 28)
    return (
        "ping", "-n", "-c", str(PROBES), "-i", str(GAP_S), "-W", str(WAIT_S), "-M", "do", "-s", str(data), to,
    )  # fmt: skip


def _climbed(test: Planned) -> Iterator[tuple[Planned, dict[str, object]]]:
    """The search by halves: the whole first, as most often it passes; else between what passed and what did not."""
    prefix = test.climbs or ()
    low, high, size = SMALLEST, LARGEST + 1, LARGEST
    for number in range(STEPS):
        step = replace(test, command=_at(prefix, _sized(test.to, size)), size=size, climbs=None)
        record = _try(step)
        yield step, record
        if record["received"]:
            low = size
        else:
            high = size
        if high - low <= 1 or (number == 1 and not record["received"]):
            return
        size = SMALLEST if number == 0 else (low + high) // 2


def _address(to: str, evidence: Evidence) -> str:
    """An address as it is, or of a host by its name in the case's tables; empty for a range or a name nobody knows."""
    try:
        return address_text(address_number(to))
    except ValueError:
        site, _, host = to.partition("/")
    tables = evidence.tables.get((site, host))
    rows = (
        [own for dev, found in tables.addresses.items() if dev != "lo" for own, _ in found]
        if tables is not None
        else []
    )
    return address_text(rows[0]) if rows else ""


_ASKED_BY_UDP = {
    53: (
        r"\123\001\001\000\000\001\000\000\000\000\000\000\000\000\002\000\001",
        "one DNS query for the root's name servers",
    ),
    123: (r"\043" + r"\000" * 47, "one NTP request"),
}
"""Services over UDP that answer a request anybody may make: a DNS query (RFC 1035 4.1), an NTP request (RFC 5905 7.3)."""


def _command(to: str, service: str) -> tuple[tuple[str, ...], str] | None:
    """The command that tries a service, and what it sends; every word of it is fixed or an address and a port that were checked."""
    words: tuple[str, ...]
    if service in ("icmp", ""):
        words = ("ping", "-n", "-c", str(COUNT), "-i", str(GAP_S), "-W", str(WAIT_S), to)
        return words, f"{COUNT} echo requests, one every {GAP_S} s"
    name = service.partition("/")[0]
    try:
        ((low, _), (port, last)) = service_of(service)[0]
    except ValueError:
        return None
    if low == UDP and port in _ASKED_BY_UDP:
        ask, words_of_it = _ASKED_BY_UDP[port]
        # Only an answer tells anything: silence on a port that is asked in another protocol would not.
        read = "dd bs=512 count=1 status=none <&3 | wc -c"
        script = f"exec 3<>/dev/udp/{to}/{port}; printf '{ask}' >&3; test $({read}) -gt 0"
        return ("timeout", str(2 * WAIT_S), "bash", "-c", script), words_of_it
    if low != TCP or port != last:
        return None
    if name in ("http", "https"):
        at = f"[{to}]" if ":" in to else to
        words = (
            "curl",
            "-s",
            "-k",
            "-o",
            "/dev/null",
            "-m",
            str(2 * WAIT_S),
            "-w",
            "%{http_code}",
            f"{name}://{at}:{port}/",
        )
        return words, "one request for /"
    script = f"exec 3<>/dev/tcp/{to}/{port}"
    return ("timeout", str(2 * WAIT_S), "bash", "-c", script), "one connection"


def run_plan(
    plan: Plan, write: Callable[[dict[str, object]], None], stopped: Callable[[], bool] = lambda: False
) -> Iterator[tuple[Planned, dict[str, object]]]:
    """Every test with its record, written before it is told. Stops between two tests where asked."""
    for test in plan.tests:
        if stopped():
            return
        for step, record in _climbed(test) if test.climbs is not None else [(test, _try(test))]:
            write(record)
            yield step, record
            if stopped():
                return


def _try(test: Planned) -> dict[str, object]:
    at = datetime.now(UTC).isoformat(timespec="milliseconds")
    begun = time.monotonic()
    try:
        done = subprocess.run(
            test.command, stdin=subprocess.DEVNULL, capture_output=True, timeout=LONGEST_S, check=False
        )
        code, out, err = done.returncode, done.stdout, done.stderr
    except subprocess.TimeoutExpired:
        code, out, err = 124, b"", b""
    except OSError as error:
        raise UsageError(f"{test.command[0]}: {error.strerror or 'it cannot be run'}") from error
    took_ms = round(1000 * (time.monotonic() - begun), 1)
    text = (out + b"\n" + err).decode("utf-8", "replace")
    sent, received, why, times = _outcome(test, code, text, took_ms)
    record: dict[str, object] = {
        "kind": "test",
        "at": at,
        "from": test.source,
        "to": test.to,
        "service": test.service or "icmp",
    }
    if test.size:
        record["size"] = test.size
    record |= {"sent": sent, "received": received, "expected": test.expected}
    return record | ({"error": why} if why else {}) | ({"rtt_ms": times} if times else {})


NOT_FOUND = 127
"""Status of a shell for a command that is not there."""
NO_ANSWER = (124, 28)
"""Status of a command that was ended for its time, and of a fetch that was given up."""


def _outcome(test: Planned, code: int, text: str, took_ms: float) -> tuple[int, int, str, list[float]]:
    """(sent, received, error, round trips) of a command's status and words. Raises UsageError where it could not be run there."""
    if code == NOT_FOUND or "command not found" in text or "No such file or directory" in text:
        raise UsageError(f"{test.source}: {' '.join(test.command)}: the command is not there")
    if test.service in ("icmp", ""):
        trial = next(iter(read_trials(enumerate(text.split("\n"), 1))), None)
        if trial is None:
            # This machine's own loop is no target that a copied text would tell of.
            trial = _counted(text, test.to)
        if trial is None:
            raise UsageError(f"{test.source}: ping said nothing that tells how it went: {text.strip()[:120]}")
        return trial.sent, trial.received, trial.error, _round_trips(trial)
    if test.service.startswith("http"):
        answered = text.strip()[:3] not in ("", "000")
        return (
            1,
            int(answered),
            "" if answered else "timeout" if code in NO_ANSWER else "refused" if took_ms < SOON_MS else "unreachable",
            [],
        )
    if code == 0:
        return 1, 1, "", [took_ms]
    return 1, 0, "timeout" if code in NO_ANSWER else error_of(plain(text)) or "timeout", []


def _counted(text: str, to: str) -> Trial | None:
    """A ping by its totals alone."""
    for line in text.split("\n"):
        found = counts_of(plain(line))
        if found is not None and found.known and found.sent:
            return Trial(
                to, "icmp", found.sent, found.answered, "" if found.answered else error_of(plain(text)) or "timeout"
            )
    return None


SOON_MS = 900.0
"""A fetch that fails sooner was refused; nothing else comes back that fast."""


def _round_trips(trial: Trial) -> list[float]:
    return [p.rtt_ms for p in trial.probes if p.rtt_ms is not None]


def writer(root: str) -> Callable[[dict[str, object]], None]:
    """Appends records to the case, each on the disk before the next test begins. Raises UsageError where that can't be."""
    folder = Path(root)
    if folder == demo_folder():
        raise UsageError("the demo is never written to; stomion demo --write DIR makes a copy to work on")
    if not folder.is_dir():
        raise UsageError(f"{root}: a case folder is needed to write the results into")
    target = folder / RECORDS

    def write(record: dict[str, object]) -> None:
        try:
            target.parent.mkdir(exist_ok=True)
            flags = os.O_WRONLY | os.O_APPEND | os.O_CREAT | getattr(os, "O_NOFOLLOW", 0)
            handle = os.open(target, flags, 0o644)
            try:
                os.write(handle, (json.dumps(record) + "\n").encode())
                os.fsync(handle)
            finally:
                os.close(handle)
        except OSError as error:
            raise UsageError(f"{target}: {error.strerror or 'it cannot be written'}") from error

    return write


def as_expected(record: dict[str, object]) -> bool:
    """Did a test come out as the case expects?"""
    got = record["received"] != 0
    return got is (record["expected"] == "reach")
